package store

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5/pgconn"

	"ironthread/core/job"
)

const insertPhoto = `INSERT INTO job_photos (job_id, jpeg) VALUES ($1, $2) RETURNING id`

// AddJobPhoto keeps a photograph of a job and gives its number.
func (s *Store) AddJobPhoto(ctx context.Context, jobID int64, jpeg []byte) (int64, error) {
	var id int64
	err := s.db.GetContext(ctx, &id, insertPhoto, jobID, jpeg)
	var broken *pgconn.PgError
	if errors.As(err, &broken) && broken.Code == "23503" { // foreign key
		return 0, fmt.Errorf("job %d: %w", jobID, ErrNotFound)
	}
	return id, wrap("keeping a photograph", err)
}

// JobPhoto gives a photograph of a job; ErrNotFound if it has none of that number.
func (s *Store) JobPhoto(ctx context.Context, jobID, id int64) ([]byte, error) {
	var list [][]byte
	if err := s.db.SelectContext(ctx, &list, `SELECT jpeg FROM job_photos WHERE job_id = $1 AND id = $2`, jobID, id); err != nil {
		return nil, wrap("reading a photograph", err)
	}
	if len(list) == 0 {
		return nil, fmt.Errorf("photograph %d: %w", id, ErrNotFound)
	}
	return list[0], nil
}

// Setting reads what the workshop has set into value; found is false where it has set nothing.
func (s *Store) Setting(ctx context.Context, name string, value any) (found bool, err error) {
	var list [][]byte
	if err := s.db.SelectContext(ctx, &list, `SELECT value FROM settings WHERE name = $1`, name); err != nil {
		return false, wrap("reading a setting", err)
	}
	if len(list) == 0 {
		return false, nil
	}
	if err := json.Unmarshal(list[0], value); err != nil {
		return false, fmt.Errorf("store: setting %q: %w", name, err)
	}
	return true, nil
}

// Set keeps what the workshop has set.
func (s *Store) Set(ctx context.Context, name string, value any) error {
	b, err := json.Marshal(value)
	if err != nil {
		return fmt.Errorf("store: setting %q: %w", name, err)
	}
	_, err = s.db.ExecContext(ctx, `INSERT INTO settings (name, value) VALUES ($1, $2) ON CONFLICT (name) DO UPDATE SET value = EXCLUDED.value`, name, b)
	return wrap("keeping a setting", err)
}

// ImportJob adds a job with its whole log, as another workshop kept it. Photographs are JPEGs
// by the numbers that the entries call them by; they get numbers of this store.
func (s *Store) ImportJob(ctx context.Context, vehicle, harness int64, title string, opened time.Time, entries []job.Entry, photos map[int64][]byte) (int64, error) {
	tx, err := s.db.BeginTxx(ctx, nil)
	if err != nil {
		return 0, wrap("taking a job in", err)
	}
	defer func() { _ = tx.Rollback() }() // a no-op once committed
	var id int64
	if err := tx.GetContext(ctx, &id, `INSERT INTO jobs (vehicle_id, harness_id, title, opened_at) VALUES ($1, $2, $3, $4) RETURNING id`,
		vehicle, harness, title, opened); err != nil {
		return 0, wrap("taking a job in", err)
	}
	numbers := make(map[int64]int64, len(photos))
	for theirs, jpeg := range photos {
		var ours int64
		if err := tx.GetContext(ctx, &ours, insertPhoto, id, jpeg); err != nil {
			return 0, wrap("taking a photograph in", err)
		}
		numbers[theirs] = ours
	}
	for _, e := range entries {
		e.Body.Photo = numbers[e.Body.Photo]
		if err := insert(ctx, tx, id, e.Seq, e); err != nil {
			return 0, err
		}
	}
	return id, wrap("taking a job in", tx.Commit())
}

// AllEntries reads the logs of all jobs at once, by job.
func (s *Store) AllEntries(ctx context.Context) (map[int64][]job.Entry, error) {
	var rows []struct {
		Job  int64     `db:"job_id"`
		Seq  int       `db:"seq"`
		At   time.Time `db:"at"`
		Who  string    `db:"who"`
		Kind string    `db:"kind"`
		Body []byte    `db:"body"`
	}
	if err := s.db.SelectContext(ctx, &rows, `SELECT job_id, seq, at, who, kind, body FROM entries ORDER BY job_id, seq`); err != nil {
		return nil, wrap("reading the logs", err)
	}
	all := map[int64][]job.Entry{}
	for _, r := range rows {
		e := job.Entry{Seq: r.Seq, At: r.At, Who: r.Who, Kind: job.Kind(r.Kind)}
		if err := e.Body.Unmarshal(r.Body); err != nil {
			return nil, fmt.Errorf("store: entry %d of job %d: %w", r.Seq, r.Job, err)
		}
		all[r.Job] = append(all[r.Job], e)
	}
	return all, nil
}
