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
	Newest     int64     `db:"newest"`      // the revision of record of its harness, or else its newest
	Drawn      int64     `db:"drawn"`       // the newest revision, looked at by a lead or not
	Looked     bool      `db:"looked"`      // what is of record was made so by a lead
	Archived   bool      `db:"archived"`
	Harness    string    `db:"harness"` // title
	Sheet      string    `db:"sheet"`   // the harness's name, in addresses; empty where it has been deleted
	Source     string    `db:"source"`  // the harness file
	Imported   Import    `db:"imported"`
}

// Offered is the revision that the job could go by in the place of its own: the one of record, or, where no lead has made any
// that, what has been drawn since and nobody has looked at yet.
func (j *Job) Offered() (revision int64, unseen bool) {
	if j.Newest == j.Revision && !j.Looked {
		return j.Drawn, j.Drawn != j.Newest
	}
	return j.Newest, false
}

// Import is by whom and when a job was taken in from another workshop's file; the zero Import is of a job begun here.
type Import struct {
	By  string     `db:"by"`
	At  *time.Time `db:"at"`
	Seq int        `db:"seq"` // up to which entry its log came in
}

// Mark is what stands beside an entry that was taken in; empty where it was written here.
func (i Import) Mark(seq int) string {
	if i.At == nil || seq > i.Seq {
		return ""
	}
	return "imported by " + i.By + ", " + i.At.Format("2 Jan 2006")
}

const selectJobs = `
	SELECT j.id, j.title, j.opened_at, j.origin, v.name AS vehicle, j.opened_with, j.revision_id AS revision, r.number,
		coalesce(h.record_id, h.revision_id) AS newest, h.revision_id AS drawn, h.record_by <> '' AS looked, j.archived, r.title AS harness,
		CASE WHEN h.deleted_at IS NULL THEN h.name ELSE '' END AS sheet, r.source,
		j.imported_by AS "imported.by", j.imported_at AS "imported.at", j.imported_seq AS "imported.seq"
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

// Find says which jobs to list: those in the Bay, open ones first; of these the open ones or the closed ones; or those in the
// archive; or the closed ones wherever they are. Of these, those that hold all words of a search, so many from so many on.
type Find struct {
	Open, Closed bool // neither: both
	Archived     bool // in the archive, instead of in the Bay
	Anywhere     bool // in both
	Words        string
	Limit, From  int
}

// where is the condition, and the order.
func (f Find) where() (condition, order string) {
	order = "j.closed, j.opened_at DESC, j.id DESC"
	condition = "NOT j.archived"
	switch {
	case f.Anywhere:
		condition = "true"
	case f.Archived:
		condition, order = "j.archived", "j.closed_at DESC, j.id DESC"
	}
	switch {
	case f.Open:
		condition += " AND NOT j.closed"
	case f.Closed:
		condition, order = condition+" AND j.closed", "j.closed_at DESC, j.id DESC"
	}
	return condition, order
}

// holding is the condition that all words of a search are held, each matched from its beginning.
func (f Find) holding() (condition string, args []any) {
	if q := searchQuery(f.Words); q != "" {
		return " AND j.words @@ to_tsquery('simple', $1)", []any{q}
	}
	return "", nil
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
const Ahead = 200

// probed is among how many of the first jobs of a list it is seen whether many hold the words of a search.
const probed = 2000

// page finds the numbers of the jobs of a page, and counts how many jobs fit, up to Ahead beyond the page's begin. Words that many
// jobs hold are looked for along the order, which soon finds enough of them; those that few hold are found by their index, and
// the few are put in order.
func (s *Store) page(ctx context.Context, f Find) (ids []int64, of int, err error) {
	condition, order := f.where()
	words, args := f.holding()
	from, limit := max(0, f.From), max(1, f.Limit)
	if words != "" {
		err := s.db.SelectContext(ctx, &ids, fmt.Sprintf(`
			SELECT j.id FROM (SELECT j.id, j.words FROM jobs j WHERE %s ORDER BY %s LIMIT %d) j WHERE true%s LIMIT %d`,
			condition, order, from+probed, words, from+Ahead), args...)
		if err != nil {
			return nil, 0, err
		}
		if len(ids) == from+Ahead {
			return ids[from:min(len(ids), from+limit)], len(ids), nil
		}
	}
	err = s.db.GetContext(ctx, &of, fmt.Sprintf(`SELECT count(*) FROM (SELECT FROM jobs j WHERE %s%s LIMIT %d) counted`,
		condition, words, from+Ahead), args...)
	if err != nil || of <= from {
		return nil, of, err
	}
	ids = nil
	err = s.db.SelectContext(ctx, &ids, fmt.Sprintf(`SELECT j.id FROM jobs j WHERE %s%s ORDER BY %s LIMIT %d OFFSET %d`,
		condition, words, order, limit, from), args...)
	return ids, of, err
}

// Jobs lists jobs, and tells how many there are that fit, counted up to Ahead beyond the page's begin.
func (s *Store) Jobs(ctx context.Context, find Find) (list []Line, of int, err error) {
	ctx, cancel := s.within(ctx)
	defer cancel()
	ids, of, err := s.page(ctx, find)
	if err != nil || len(ids) == 0 {
		return nil, of, wrap("counting jobs", err)
	}
	_, order := find.where()
	var rows []struct {
		ID       int64  `db:"id"`
		Vehicle  string `db:"vehicle"`
		Title    string `db:"title"`
		Harness  string `db:"harness"`
		Summary  []byte `db:"summary"`
		Standing []byte `db:"standing"`
	}
	// The page is found by the index first; names are looked up for its lines alone.
	err = s.db.SelectContext(ctx, &rows, fmt.Sprintf(`
		SELECT j.id, v.name AS vehicle, j.title, r.title AS harness, j.summary,
			CASE WHEN j.standing_seq = j.last_seq THEN j.standing END AS standing
		FROM jobs j JOIN vehicles v ON v.id = j.vehicle_id JOIN harness_revisions r ON r.id = j.revision_id
		WHERE j.id = ANY($1) ORDER BY %s`, order), ids)
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

// ClosedJobs reads the summaries of all closed jobs, for counting.
func (s *Store) ClosedJobs(ctx context.Context) ([]Line, error) {
	ctx, cancel := s.within(ctx)
	defer cancel()
	var rows [][]byte
	if err := s.db.SelectContext(ctx, &rows, `SELECT summary FROM jobs WHERE closed`); err != nil {
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

// mostBefore bounds how many earlier jobs of a vehicle are shown.
const mostBefore = 3

// Before are the closed jobs that the vehicle of a job had before it was opened, the latest first, drills left out; at most
// three.
func (s *Store) Before(ctx context.Context, id int64) ([]Line, error) {
	ctx, cancel := s.within(ctx)
	defer cancel()
	var rows []struct {
		ID      int64  `db:"id"`
		Title   string `db:"title"`
		Summary []byte `db:"summary"`
	}
	err := s.db.SelectContext(ctx, &rows, `SELECT b.id, b.title, b.summary FROM jobs j JOIN jobs b ON b.vehicle_id = j.vehicle_id
		WHERE j.id = $1 AND b.closed AND b.id <> j.id AND b.opened_at <= j.opened_at AND NOT b.summary ? 'practice'
		ORDER BY b.closed_at DESC, b.id DESC LIMIT $2`, id, mostBefore)
	if err != nil {
		return nil, wrap("reading a vehicle's earlier jobs", err)
	}
	list := make([]Line, len(rows))
	for k, r := range rows {
		list[k] = Line{ID: r.ID, Title: r.Title}
		if err := json.Unmarshal(r.Summary, &list[k].Summary); err != nil {
			return nil, fmt.Errorf("store: the summary of job %d: %w", r.ID, err)
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
	err := s.db.GetContext(ctx, &version, `SELECT count(*) || ' ' || coalesce(max(id), 0) || ' ' || coalesce(max(closed_at)::text, '')
		FROM jobs WHERE closed`)
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

// NewJob is a job to be opened.
type NewJob struct {
	Vehicle, Harness int64
	Title            string // the complaint
	Who              string // takes it on
	At               time.Time
	Token            string // of the form; empty for none
	Drill            bool   // it may go by a circuit that has been set aside
}

// OpenJob adds a job and the first entry of its log, the complaint; the job goes by the harness's revision of record, or by its newest.
func (s *Store) OpenJob(ctx context.Context, n NewJob) (int64, error) {
	var id int64
	err := s.inTx(ctx, "opening a job", func(ctx context.Context, tx *sqlx.Tx) error {
		if err := use(ctx, tx, n.Token); err != nil {
			return err
		}
		var revision int64
		err := tx.GetContext(ctx, &revision, `SELECT coalesce(record_id, revision_id) FROM harnesses
			WHERE id = $1 AND (deleted_at IS NULL OR $2) FOR SHARE`, n.Harness, n.Drill)
		if noRows(err) {
			return fmt.Errorf("the harness of the job: %w", ErrNotFound)
		}
		if err == nil {
			err = tx.GetContext(ctx, &id, `INSERT INTO jobs (vehicle_id, opened_with, revision_id, title, opened_at)
				VALUES ($1, $2, $2, $3, $4) RETURNING id`,
				n.Vehicle, revision, n.Title, n.At)
		}
		if isCode(err, foreignKey) {
			return fmt.Errorf("the vehicle of the job: %w", ErrNotFound)
		}
		if err != nil {
			return wrap("opening a job", err)
		}
		entries := []job.Entry{{Seq: 1, At: n.At, Who: n.Who, Body: job.Complaint{Text: n.Title}}}
		if err := insert(ctx, tx, id, entries[0]); err != nil {
			return err
		}
		return summarise(ctx, tx, id, entries)
	})
	return id, err
}

func noRows(err error) bool { return errors.Is(err, sql.ErrNoRows) }
