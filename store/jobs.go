package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"time"

	"github.com/jmoiron/sqlx"

	"ironthread/core/harness"
	"ironthread/core/job"
)

// Job is one job with the names a page needs, and the revision of the harness it goes by.
type Job struct {
	ID         int64     `db:"id"`
	Title      string    `db:"title"`
	OpenedAt   time.Time `db:"opened_at"`
	Origin     string    `db:"origin"` // the same in every workshop that takes the job in
	Vehicle    string    `db:"vehicle"`
	OpenedWith int64     `db:"opened_with"` // the revision it was opened with
	Revision   int64     `db:"revision"`    // the one it goes by now
	Number     int       `db:"number"`      // of that revision, counted from one
	Newest     int64     `db:"newest"`      // the newest revision of its harness
	Harness    string    `db:"harness"`     // title
	Sheet      string    `db:"sheet"`       // the harness's name, in addresses; empty where it has been deleted
	Source     string    `db:"source"`      // the harness file
}

const selectJobs = `
	SELECT j.id, j.title, j.opened_at, j.origin, v.name AS vehicle, j.opened_with, j.revision_id AS revision, r.number,
		h.revision_id AS newest, r.title AS harness, CASE WHEN h.deleted_at IS NULL THEN h.name ELSE '' END AS sheet, r.source
	FROM jobs j JOIN vehicles v ON v.id = j.vehicle_id
		JOIN harness_revisions r ON r.id = j.revision_id JOIN harnesses h ON h.id = r.harness_id`

// Job finds one job; ErrNotFound if there is none.
func (s *Store) Job(ctx context.Context, id int64) (Job, error) {
	ctx, cancel := s.within(ctx)
	defer cancel()
	return oneJob(ctx, s.db, id)
}

func oneJob(ctx context.Context, q sqlx.QueryerContext, id int64) (Job, error) {
	var list []Job
	if err := sqlx.SelectContext(ctx, q, &list, selectJobs+` WHERE j.id = $1`, id); err != nil {
		return Job{}, wrap("finding a job", err)
	}
	if len(list) == 0 {
		return Job{}, fmt.Errorf("job %d: %w", id, ErrNotFound)
	}
	return list[0], nil
}

// Standing is how a job stands by the guide, as a list shows it.
type Standing struct {
	Stage string  `json:"stage"` // a word
	Text  string  `json:"text"`  // a sentence
	Share float64 `json:"share"` // of the suspects that are left
}

// Line is a job as lists show it.
type Line struct {
	ID       int64
	Vehicle  string
	Title    string
	Harness  string // title
	Summary  job.Summary
	Standing *Standing // nil where it has not been worked out since the newest entry
}

// Find says which jobs to list: all, the open ones or the closed ones, those that hold all words of a
// search, so many from so many on.
type Find struct {
	Open, Closed bool // neither: all, open ones first
	Words        string
	Limit, From  int
}

// where is the condition, and the order; a search's words are matched from their beginnings.
func (f Find) where() (condition, order string, args []any) {
	order = "j.closed, j.opened_at DESC, j.id DESC"
	condition = "true"
	switch {
	case f.Open:
		condition = "NOT j.closed"
	case f.Closed:
		condition, order = "j.closed", "j.closed_at DESC, j.id DESC"
	}
	if q := searchQuery(f.Words); q != "" {
		args = append(args, q)
		condition += " AND j.words @@ to_tsquery('simple', $1)"
	}
	return condition, order, args
}

// searchQuery spells a search for PostgreSQL: every word, each matched from its beginning; whatever is
// no letter and no figure parts words, as it does in what is searched.
func searchQuery(words string) string {
	var list []string
	for _, w := range searchWords(words) {
		list = append(list, "'"+w+"':*")
	}
	return strings.Join(list, " & ")
}

const mostSearchWords = 12

func searchWords(text string) []string {
	words := strings.FieldsFunc(strings.ToLower(text), func(r rune) bool {
		return (r < '0' || r > '9') && (r < 'a' || r > 'z') && r < 0x80 || r == 0xa0 || r == '\uFFFD'
	})
	return words[:min(len(words), mostSearchWords)]
}

// Ahead is how far beyond the page read the fitting jobs are counted: counting all of them at every
// reading would take longer than reading the page.
const Ahead = 1000

// Jobs lists jobs, and tells how many there are that fit, counted up to Ahead beyond the page's begin.
func (s *Store) Jobs(ctx context.Context, find Find) (list []Line, of int, err error) {
	ctx, cancel := s.within(ctx)
	defer cancel()
	condition, order, args := find.where()
	var rows []struct {
		ID       int64  `db:"id"`
		Vehicle  string `db:"vehicle"`
		Title    string `db:"title"`
		Harness  string `db:"harness"`
		Summary  []byte `db:"summary"`
		Standing []byte `db:"standing"`
	}
	limit := max(1, find.Limit)
	// The page is found by the index first; names are looked up for its lines alone.
	err = s.db.SelectContext(ctx, &rows, fmt.Sprintf(`
		SELECT j.id, v.name AS vehicle, j.title, r.title AS harness, j.summary, CASE WHEN j.standing_seq = j.last_seq THEN j.standing END AS standing
		FROM (SELECT * FROM jobs j WHERE %s ORDER BY %s LIMIT %d OFFSET %d) j
			JOIN vehicles v ON v.id = j.vehicle_id JOIN harness_revisions r ON r.id = j.revision_id
		ORDER BY %s`, condition, order, limit, max(0, find.From), order), args...)
	if err == nil {
		err = s.db.GetContext(ctx, &of, fmt.Sprintf(`
			SELECT count(*) FROM (SELECT FROM jobs j WHERE %s ORDER BY %s LIMIT %d) counted`,
			condition, order, max(0, find.From)+Ahead), args...)
	}
	if err != nil {
		return nil, 0, wrap("listing jobs", err)
	}
	for _, r := range rows {
		l := Line{ID: r.ID, Vehicle: r.Vehicle, Title: r.Title, Harness: r.Harness}
		if err := json.Unmarshal(r.Summary, &l.Summary); err != nil {
			return nil, 0, fmt.Errorf("store: the summary of job %d: %w", r.ID, err)
		}
		if r.Standing != nil {
			l.Standing = &Standing{}
			if err := json.Unmarshal(r.Standing, l.Standing); err != nil {
				return nil, 0, fmt.Errorf("store: how job %d stands: %w", r.ID, err)
			}
		}
		list = append(list, l)
	}
	return list, of, nil
}

// ClosedJobs reads the summaries of closed jobs that hold all words of a search, for counting.
func (s *Store) ClosedJobs(ctx context.Context, words string) ([]Line, error) {
	ctx, cancel := s.within(ctx)
	defer cancel()
	condition, _, args := Find{Closed: true, Words: words}.where()
	var rows [][]byte
	if err := s.db.SelectContext(ctx, &rows, `SELECT j.summary FROM jobs j WHERE `+condition, args...); err != nil {
		return nil, wrap("reading closed jobs", err)
	}
	list := make([]Line, len(rows))
	for k, r := range rows {
		if err := json.Unmarshal(r, &list[k].Summary); err != nil {
			return nil, fmt.Errorf("store: a job's summary: %w", err)
		}
	}
	return list, nil
}

// ClosedVersion changes whenever a job is closed or a closed one is taken in: what is counted over them
// holds as long as it stays.
func (s *Store) ClosedVersion(ctx context.Context) (string, error) {
	ctx, cancel := s.within(ctx)
	defer cancel()
	var version string
	err := s.db.GetContext(ctx, &version, `SELECT count(*) || ' ' || coalesce(max(id), 0) || ' ' || coalesce(max(closed_at)::text, '') FROM jobs WHERE closed`)
	return version, wrap("counting closed jobs", err)
}

// PutStanding keeps how a job stands as of an entry of its log; what is newer stays.
func (s *Store) PutStanding(ctx context.Context, id int64, seq int, standing Standing) error {
	ctx, cancel := s.within(ctx)
	defer cancel()
	b, err := json.Marshal(standing)
	if err == nil {
		_, err = s.db.ExecContext(ctx, `UPDATE jobs SET standing = $3, standing_seq = $2 WHERE id = $1 AND standing_seq <= $2`, id, seq, b)
	}
	return wrap("keeping how a job stands", err)
}

// OpenRevisions are the revisions that open jobs go by, those of the newest jobs first.
func (s *Store) OpenRevisions(ctx context.Context, most int) ([]string, error) {
	ctx, cancel := s.within(ctx)
	defer cancel()
	var list []string
	err := s.db.SelectContext(ctx, &list, `
		SELECT r.source FROM harness_revisions r
		JOIN (SELECT revision_id, max(opened_at) AS at FROM jobs WHERE NOT closed GROUP BY revision_id ORDER BY at DESC LIMIT $1) j
			ON j.revision_id = r.id ORDER BY j.at DESC`, most)
	return list, wrap("listing the harnesses of open jobs", err)
}

// OpenJob adds a job and the first entry of its log, the complaint; the job goes by the newest revision of
// the harness. token is that of the form, empty for none.
func (s *Store) OpenJob(ctx context.Context, vehicle, harnessID int64, title, who string, at time.Time, token string) (int64, error) {
	var id int64
	err := s.inTx(ctx, "opening a job", func(ctx context.Context, tx *sqlx.Tx) error {
		if err := use(ctx, tx, token); err != nil {
			return err
		}
		var revision int64
		err := tx.GetContext(ctx, &revision, `SELECT revision_id FROM harnesses WHERE id = $1 AND deleted_at IS NULL FOR SHARE`, harnessID)
		if noRows(err) {
			return fmt.Errorf("the harness of the job: %w", ErrNotFound)
		}
		if err == nil {
			err = tx.GetContext(ctx, &id, `INSERT INTO jobs (vehicle_id, opened_with, revision_id, title, opened_at) VALUES ($1, $2, $2, $3, $4) RETURNING id`,
				vehicle, revision, title, at)
		}
		if isCode(err, foreignKey) {
			return fmt.Errorf("the vehicle of the job: %w", ErrNotFound)
		}
		if err != nil {
			return wrap("opening a job", err)
		}
		entries := []job.Entry{{Seq: 1, At: at, Who: who, Kind: job.Opened, Body: job.Body{Text: title}}}
		if err := insert(ctx, tx, id, entries[0]); err != nil {
			return err
		}
		return summarise(ctx, tx, id, entries)
	})
	return id, err
}

func noRows(err error) bool { return errors.Is(err, sql.ErrNoRows) }

func insert(ctx context.Context, tx *sqlx.Tx, id int64, e job.Entry) error {
	body, err := e.Body.Marshal()
	if err != nil {
		return fmt.Errorf("store: %w", err)
	}
	_, err = tx.ExecContext(ctx, `INSERT INTO entries (job_id, seq, at, who, kind, body) VALUES ($1, $2, $3, $4, $5, $6)`,
		id, e.Seq, e.At, e.Who, string(e.Kind), body)
	return wrap("writing to the log", err)
}

// Log is a job with its log, as it stands under the job's row lock.
type Log struct {
	Job
	Entries []job.Entry
}

// Last is the newest entry's number.
func (l *Log) Last() int {
	if n := len(l.Entries); n > 0 {
		return l.Entries[n-1].Seq
	}
	return 0
}

// Decide says what is to be written, seeing the log as it is at that moment, or refuses with an error of
// its own, which comes back as it is. It runs under the job's row lock and must be quick.
type Decide func(*Log) ([]job.Entry, error)

// Append writes to a job's log what decide says. saw is the newest entry the writer had seen; what others
// have written since is returned, so that the writer can be told. token is that of the form, empty for
// none: with one that has been taken before, nothing is written and the error is ErrAlready.
func (s *Store) Append(ctx context.Context, id int64, saw int, token string, decide Decide) (meanwhile []job.Entry, err error) {
	err = s.inTx(ctx, "writing to the log", func(ctx context.Context, tx *sqlx.Tx) error {
		var locked []int64
		if err := tx.SelectContext(ctx, &locked, `SELECT id FROM jobs WHERE id = $1 FOR UPDATE`, id); err != nil {
			return wrap("writing to the log", err)
		}
		if len(locked) == 0 {
			return fmt.Errorf("job %d: %w", id, ErrNotFound)
		}
		if err := use(ctx, tx, token); err != nil {
			return err
		}
		at, err := oneJob(ctx, tx, id)
		if err != nil {
			return err
		}
		log := &Log{Job: at}
		if log.Entries, err = selectEntries(ctx, tx, id); err != nil {
			return err
		}
		meanwhile = after(log.Entries, saw)
		entries, err := decide(log)
		if err != nil {
			return err
		}
		for i := range entries {
			entries[i].Seq = log.Last() + 1 + i
			if err := insert(ctx, tx, id, entries[i]); err != nil {
				return err
			}
		}
		return summarise(ctx, tx, id, append(log.Entries, entries...))
	})
	return meanwhile, err
}

func after(entries []job.Entry, seq int) []job.Entry {
	for k, e := range entries {
		if e.Seq > seq {
			return entries[k:]
		}
	}
	return nil
}

// summarise keeps beside the log what lists need of it, and the revision that it is pinned to.
func summarise(ctx context.Context, tx *sqlx.Tx, id int64, entries []job.Entry) error {
	var opened int64
	if err := tx.GetContext(ctx, &opened, `SELECT opened_with FROM jobs WHERE id = $1`, id); err != nil {
		return wrap("summing a job up", err)
	}
	pinned := job.Pinned(entries, opened)
	if _, err := tx.ExecContext(ctx, `UPDATE jobs SET revision_id = $2 WHERE id = $1 AND revision_id <> $2`, id, pinned); err != nil {
		return wrap("summing a job up", err)
	}
	at, err := oneJob(ctx, tx, id)
	if err != nil {
		return err
	}
	circuit, err := harness.Read([]byte(at.Source))
	if err != nil { // a log whose harness can no longer be read still has its entries
		circuit = &harness.Circuit{Title: at.Harness, States: []*harness.State{{}}}
	}
	sum := job.Summarise(circuit, job.Fold(circuit, entries))
	b, err := json.Marshal(sum)
	if err != nil {
		return fmt.Errorf("store: %w", err)
	}
	var closedAt *time.Time
	if sum.Closed {
		closedAt = &sum.ClosedAt
	}
	text := strings.Join(append([]string{at.Vehicle, at.Title, at.Harness, sum.Said, string(sum.Reason)}, sum.Found...), " ")
	_, err = tx.ExecContext(ctx, `
		UPDATE jobs SET summary = $2, closed = $3, closed_at = $4, last_seq = $5, words = to_tsvector('simple', $6) WHERE id = $1`,
		id, b, sum.Closed, closedAt, sum.Last, strings.Join(searchWordsOf(text), " "))
	return wrap("summing a job up", err)
}

// searchWordsOf are the words of a text as a search parts them.
func searchWordsOf(text string) []string {
	var list []string
	for _, part := range strings.Fields(text) {
		list = append(list, searchWords(part)...)
	}
	return list
}

// summariseOld sums up the jobs of a database from before summaries were kept.
func (s *Store) summariseOld(ctx context.Context) error {
	var ids []int64
	if err := s.db.SelectContext(ctx, &ids, `SELECT id FROM jobs WHERE last_seq = 0 ORDER BY id`); err != nil {
		return wrap("summing jobs up", err)
	}
	for _, id := range ids {
		err := s.inTx(ctx, "summing jobs up", func(ctx context.Context, tx *sqlx.Tx) error {
			entries, err := selectEntries(ctx, tx, id)
			if err != nil {
				return err
			}
			return summarise(ctx, tx, id, entries)
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// Entries reads a job's log, oldest first.
func (s *Store) Entries(ctx context.Context, id int64) ([]job.Entry, error) {
	ctx, cancel := s.within(ctx)
	defer cancel()
	return selectEntries(ctx, s.db, id)
}

// LastSeq is the newest entry of a job's log.
func (s *Store) LastSeq(ctx context.Context, id int64) (int, error) {
	ctx, cancel := s.within(ctx)
	defer cancel()
	var seq int
	err := s.db.GetContext(ctx, &seq, `SELECT coalesce(max(last_seq), 0) FROM jobs WHERE id = $1`, id)
	return seq, wrap("reading the log", err)
}

func selectEntries(ctx context.Context, q sqlx.QueryerContext, id int64) ([]job.Entry, error) {
	var rows []struct {
		Seq  int       `db:"seq"`
		At   time.Time `db:"at"`
		Who  string    `db:"who"`
		Kind string    `db:"kind"`
		Body []byte    `db:"body"`
	}
	err := sqlx.SelectContext(ctx, q, &rows, `SELECT seq, at, who, kind, body FROM entries WHERE job_id = $1 ORDER BY seq`, id)
	if err != nil {
		return nil, wrap("reading the log", err)
	}
	entries := make([]job.Entry, len(rows))
	for i, r := range rows {
		entries[i] = job.Entry{Seq: r.Seq, At: r.At, Who: r.Who, Kind: job.Kind(r.Kind)}
		if err := entries[i].Body.Unmarshal(r.Body); err != nil {
			return nil, fmt.Errorf("store: entry %d of job %d: %w", r.Seq, id, err)
		}
	}
	return entries, nil
}

// Imported is a job as another workshop kept it. Revisions are harness files by the numbers that the
// entries call them by, photographs JPEGs likewise; they get numbers of this store.
type Imported struct {
	Vehicle   string
	Title     string
	OpenedAt  time.Time
	Origin    string
	Harness   Harness // name, title and source of the one it was opened with
	Entries   []job.Entry
	Revisions map[int64]Harness
	Photos    map[int64][]byte
}

// ImportJob adds a job with its whole log. ErrAlready, with the number of the job that is here: it has been
// taken in before, or comes from here.
func (s *Store) ImportJob(ctx context.Context, in Imported) (int64, error) {
	var id int64
	err := s.inTx(ctx, "taking a job in", func(ctx context.Context, tx *sqlx.Tx) error {
		var here []int64
		if err := tx.SelectContext(ctx, &here, `SELECT id FROM jobs WHERE origin = $1`, in.Origin); err != nil {
			return wrap("taking a job in", err)
		}
		if len(here) > 0 {
			id = here[0]
			return ErrAlready
		}
		var vehicle int64
		if err := tx.GetContext(ctx, &vehicle, putVehicle, in.Vehicle, ""); err != nil {
			return wrap("taking a job in", err)
		}
		opened, err := findRevision(ctx, tx, in.Harness)
		if err != nil {
			return err
		}
		err = tx.GetContext(ctx, &id, `INSERT INTO jobs (vehicle_id, opened_with, revision_id, title, opened_at, origin) VALUES ($1, $2, $2, $3, $4, $5) RETURNING id`,
			vehicle, opened, in.Title, in.OpenedAt, in.Origin)
		if isCode(err, taken) {
			return ErrAlready // by another at the same moment
		}
		if err != nil {
			return wrap("taking a job in", err)
		}
		if err := renumber(ctx, tx, id, &in); err != nil {
			return err
		}
		for _, e := range in.Entries {
			if err := insert(ctx, tx, id, e); err != nil {
				return err
			}
		}
		return summarise(ctx, tx, id, in.Entries)
	})
	return id, err
}

// renumber gives photographs and revisions the numbers of this store.
func renumber(ctx context.Context, tx *sqlx.Tx, id int64, in *Imported) error {
	photos, revisions := map[int64]int64{}, map[int64]int64{}
	for theirs, jpeg := range in.Photos {
		var ours int64
		if err := tx.GetContext(ctx, &ours, insertPhoto, id, jpeg); err != nil {
			return wrap("taking a photograph in", err)
		}
		photos[theirs] = ours
	}
	for theirs, h := range in.Revisions {
		ours, err := findRevision(ctx, tx, h)
		if err != nil {
			return err
		}
		revisions[theirs] = ours
	}
	for k := range in.Entries {
		b := &in.Entries[k].Body
		b.Photo, b.Revision = photos[b.Photo], revisions[b.Revision]
	}
	return nil
}

// findRevision finds the revision with just this text, of whichever harness, or adds a harness for it:
// this workshop's own stays as it is beside it.
func findRevision(ctx context.Context, tx *sqlx.Tx, h Harness) (int64, error) {
	var ids []int64
	if err := tx.SelectContext(ctx, &ids, `SELECT id FROM harness_revisions WHERE source = $1 ORDER BY id DESC LIMIT 1`,
		h.Source); err != nil {
		return 0, wrap("finding a harness", err)
	}
	if len(ids) > 0 {
		return ids[0], nil
	}
	for k := 1; k < mostOfName; k++ {
		free := h.Name
		if k > 1 {
			free = fmt.Sprintf("%s-%d", h.Name, k)
		}
		id, taken, err := newHarness(ctx, tx, free, h.Title, h.Source, false)
		if err != nil {
			return 0, err
		}
		if !taken {
			var revision int64
			err := tx.GetContext(ctx, &revision, `SELECT revision_id FROM harnesses WHERE id = $1`, id)
			return revision, wrap("finding a harness", err)
		}
	}
	return 0, fmt.Errorf("store: there are too many harnesses named %q", h.Name)
}
