package store

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"github.com/jmoiron/sqlx"

	"ironthread/core/harness"
	"ironthread/core/job"
)

func insert(ctx context.Context, tx *sqlx.Tx, id int64, e job.Entry) error {
	body, err := json.Marshal(e.Body)
	if err != nil {
		return fmt.Errorf("store: %w", err)
	}
	_, err = tx.ExecContext(ctx, `INSERT INTO entries (job_id, seq, at, who, kind, body) VALUES ($1, $2, $3, $4, $5, $6)`,
		id, e.Seq, e.At, e.Who, string(e.Kind()), body)
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
		if err := notify(ctx, tx, id); err != nil {
			return err
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
		UPDATE jobs SET summary = $2, closed = $3, closed_at = $4, last_seq = $5, words = to_tsvector('simple', $6),
			archived = archived AND $3 WHERE id = $1`,
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
		body, err := job.ReadBody(job.Kind(r.Kind), r.Body)
		if err != nil {
			return nil, fmt.Errorf("store: entry %d of job %d: %w", r.Seq, id, err)
		}
		entries[i] = job.Entry{Seq: r.Seq, At: r.At, Who: r.Who, Body: body}
	}
	return entries, nil
}
