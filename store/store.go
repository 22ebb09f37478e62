// Package store keeps jobs, their append-only logs, harnesses and vehicles in PostgreSQL.
//
// The one idea: a log entry, once written, is never changed or removed, and writing one
// takes the job's row lock, so that two people at one job lose nothing and each is told what
// the other wrote.
package store

import (
	"context"
	"embed"
	"errors"
	"fmt"
	"net"
	"strings"
	"time"

	"github.com/jackc/pgx/v5/pgconn"
	_ "github.com/jackc/pgx/v5/stdlib" // the driver
	"github.com/jmoiron/sqlx"
	"github.com/pressly/goose/v3"

	"ironthread/core/job"
)

//go:embed migrations/*.sql
var migrations embed.FS

// ErrNotFound says that there is no such job, harness or vehicle.
var ErrNotFound = errors.New("not found")

// ErrChanged says that somebody else has changed what was to be saved over.
var ErrChanged = errors.New("changed meanwhile")

// ErrUnreachable says that the database cannot be reached now.
var ErrUnreachable = errors.New("the database cannot be reached")

// Store is a pool of connections to one database. It is safe for use by many goroutines.
type Store struct{ db *sqlx.DB }

const connectTimeout = 10 * time.Second

// Open connects, brings the schema up to date and returns the store.
func Open(ctx context.Context, dsn string) (*Store, error) {
	if dsn == "" {
		return nil, fmt.Errorf("store: the address of the database is empty")
	}
	db, err := sqlx.Open("pgx", dsn)
	if err != nil {
		return nil, fmt.Errorf("store: %w", err)
	}
	db.SetMaxOpenConns(16)
	db.SetConnMaxIdleTime(5 * time.Minute)
	ctx, cancel := context.WithTimeout(ctx, connectTimeout)
	defer cancel()
	if err := db.PingContext(ctx); err != nil {
		db.Close()
		return nil, wrap("connecting", err)
	}
	if err := migrate(ctx, db); err != nil {
		db.Close()
		return nil, err
	}
	return &Store{db: db}, nil
}

func migrate(ctx context.Context, db *sqlx.DB) error {
	goose.SetBaseFS(migrations)
	goose.SetLogger(goose.NopLogger())
	if err := goose.SetDialect("postgres"); err != nil {
		return fmt.Errorf("store: %w", err)
	}
	if err := goose.UpContext(ctx, db.DB, "migrations"); err != nil {
		return wrap("bringing the schema up to date", err)
	}
	return nil
}

// Close ends the connections.
func (s *Store) Close() error { return s.db.Close() }

// wrap names what was being done, and tells an unreachable database from other faults.
func wrap(doing string, err error) error {
	if err == nil {
		return nil
	}
	var network net.Error
	var refused *pgconn.ConnectError
	var server *pgconn.PgError
	closed := strings.Contains(err.Error(), "sql: database is closed") // database/sql has no value for it
	switch {
	case closed, errors.As(err, &server) && server.Code[:2] == "57", errors.As(err, &refused), errors.As(err, &network):
		return fmt.Errorf("store: %s: %w: %w", doing, ErrUnreachable, err)
	}
	return fmt.Errorf("store: %s: %w", doing, err)
}

// Harness is a harness file as kept.
type Harness struct {
	ID     int64  `db:"id"`
	Name   string `db:"name"`
	Title  string `db:"title"`
	Source string `db:"source"`
}

// Vehicle is one vehicle of the workshop.
type Vehicle struct {
	ID    int64  `db:"id"`
	Name  string `db:"name"`
	Notes string `db:"notes"`
}

// Job is one job with the names a list needs.
type Job struct {
	ID       int64     `db:"id"`
	Title    string    `db:"title"`
	OpenedAt time.Time `db:"opened_at"`
	Vehicle  string    `db:"vehicle"`
	Harness  string    `db:"harness"` // title
	Sheet    string    `db:"sheet"`   // the harness's name, in addresses
	Source   string    `db:"source"`  // the harness file
}

// PutHarness adds a shipped harness, or brings the one of that name up to date. One that has
// been edited in the workshop since it was shipped is left as it is.
func (s *Store) PutHarness(ctx context.Context, name, title, source string) (int64, error) {
	var id int64
	err := s.db.GetContext(ctx, &id, `
		INSERT INTO harnesses AS h (name, title, source, shipped) VALUES ($1, $2, $3, $3)
		ON CONFLICT (name) DO UPDATE SET
			title = CASE WHEN h.source = h.shipped THEN EXCLUDED.title ELSE h.title END,
			source = CASE WHEN h.source = h.shipped THEN EXCLUDED.source ELSE h.source END,
			shipped = EXCLUDED.shipped
		RETURNING id`, name, title, source)
	return id, wrap("writing a harness", err)
}

// Harnesses lists the harnesses by title.
func (s *Store) Harnesses(ctx context.Context) ([]Harness, error) {
	var list []Harness
	err := s.db.SelectContext(ctx, &list, `SELECT id, name, title, source FROM harnesses ORDER BY title`)
	return list, wrap("listing harnesses", err)
}

// HarnessNamed finds a harness by name; ErrNotFound if there is none.
func (s *Store) HarnessNamed(ctx context.Context, name string) (Harness, error) {
	var list []Harness
	if err := s.db.SelectContext(ctx, &list, `SELECT id, name, title, source FROM harnesses WHERE name = $1`, name); err != nil {
		return Harness{}, wrap("finding a harness", err)
	}
	if len(list) == 0 {
		return Harness{}, fmt.Errorf("harness %q: %w", name, ErrNotFound)
	}
	return list[0], nil
}

// AddHarness adds a harness under a name that is not taken yet: a number is put behind it
// where it is.
func (s *Store) AddHarness(ctx context.Context, name, title, source string) (string, error) {
	for k := 1; k < 1000; k++ {
		free := name
		if k > 1 {
			free = fmt.Sprintf("%s-%d", name, k)
		}
		tag, err := s.db.ExecContext(ctx, `INSERT INTO harnesses (name, title, source) VALUES ($1, $2, $3) ON CONFLICT (name) DO NOTHING`, free, title, source)
		if err != nil {
			return "", wrap("writing a harness", err)
		}
		if n, err := tag.RowsAffected(); err == nil && n == 1 {
			return free, nil
		}
	}
	return "", fmt.Errorf("store: there are too many harnesses named %q", name)
}

// ReviseHarness replaces a harness's text, if it still is what the editor saw. ErrChanged: it
// is not, somebody else has saved meanwhile; ErrNotFound: there is no harness of that name.
func (s *Store) ReviseHarness(ctx context.Context, name, saw, title, source string) error {
	done, err := s.db.ExecContext(ctx, `UPDATE harnesses SET title = $3, source = $4 WHERE name = $1 AND source = $2`, name, saw, title, source)
	if err != nil {
		return wrap("saving the harness", err)
	}
	if n, err := done.RowsAffected(); err != nil || n == 1 {
		return wrap("saving the harness", err)
	}
	if _, err := s.HarnessNamed(ctx, name); err != nil {
		return err
	}
	return ErrChanged
}

// PutVehicle adds a vehicle, or finds the one of that name.
func (s *Store) PutVehicle(ctx context.Context, name, notes string) (int64, error) {
	var id int64
	err := s.db.GetContext(ctx, &id, `
		INSERT INTO vehicles (name, notes) VALUES ($1, $2)
		ON CONFLICT (name) DO UPDATE SET name = EXCLUDED.name
		RETURNING id`, name, notes)
	return id, wrap("writing a vehicle", err)
}

// Vehicles lists the vehicles by name.
func (s *Store) Vehicles(ctx context.Context) ([]Vehicle, error) {
	var list []Vehicle
	err := s.db.SelectContext(ctx, &list, `SELECT id, name, notes FROM vehicles ORDER BY name`)
	return list, wrap("listing vehicles", err)
}

const selectJobs = `
	SELECT j.id, j.title, j.opened_at, v.name AS vehicle, h.title AS harness, h.name AS sheet, h.source
	FROM jobs j JOIN vehicles v ON v.id = j.vehicle_id JOIN harnesses h ON h.id = j.harness_id`

// Jobs lists the jobs, newest first.
func (s *Store) Jobs(ctx context.Context) ([]Job, error) {
	var list []Job
	err := s.db.SelectContext(ctx, &list, selectJobs+` ORDER BY j.opened_at DESC, j.id DESC`)
	return list, wrap("listing jobs", err)
}

// Job finds one job; ErrNotFound if there is none.
func (s *Store) Job(ctx context.Context, id int64) (Job, error) {
	var list []Job
	if err := s.db.SelectContext(ctx, &list, selectJobs+` WHERE j.id = $1`, id); err != nil {
		return Job{}, wrap("finding a job", err)
	}
	if len(list) == 0 {
		return Job{}, fmt.Errorf("job %d: %w", id, ErrNotFound)
	}
	return list[0], nil
}

// OpenJob adds a job and the first entry of its log, the complaint.
func (s *Store) OpenJob(ctx context.Context, vehicle, harness int64, title, who string, at time.Time) (int64, error) {
	tx, err := s.db.BeginTxx(ctx, nil)
	if err != nil {
		return 0, wrap("opening a job", err)
	}
	defer func() { _ = tx.Rollback() }() // a no-op once committed
	var id int64
	err = tx.GetContext(ctx, &id, `INSERT INTO jobs (vehicle_id, harness_id, title, opened_at) VALUES ($1, $2, $3, $4) RETURNING id`,
		vehicle, harness, title, at)
	var broken *pgconn.PgError
	if errors.As(err, &broken) && broken.Code == "23503" { // foreign key
		return 0, fmt.Errorf("the vehicle or the harness of the job: %w", ErrNotFound)
	}
	if err != nil {
		return 0, wrap("opening a job", err)
	}
	opened := job.Entry{At: at, Who: who, Kind: job.Opened, Body: job.Body{Text: title}}
	if err := insert(ctx, tx, id, 1, opened); err != nil {
		return 0, err
	}
	return id, wrap("opening a job", tx.Commit())
}

func insert(ctx context.Context, tx *sqlx.Tx, id int64, seq int, e job.Entry) error {
	body, err := e.Body.Marshal()
	if err != nil {
		return fmt.Errorf("store: %w", err)
	}
	_, err = tx.ExecContext(ctx, `INSERT INTO entries (job_id, seq, at, who, kind, body) VALUES ($1, $2, $3, $4, $5, $6)`,
		id, seq, e.At, e.Who, string(e.Kind), body)
	return wrap("writing to the log", err)
}

// Append adds entries to a job's log. saw is the newest entry the writer had seen; what
// others have written since is returned, so that the writer can be told. Nothing is lost
// either way.
func (s *Store) Append(ctx context.Context, id int64, saw int, entries ...job.Entry) (meanwhile []job.Entry, err error) {
	tx, err := s.db.BeginTxx(ctx, nil)
	if err != nil {
		return nil, wrap("writing to the log", err)
	}
	defer func() { _ = tx.Rollback() }() // a no-op once committed
	var locked []int64
	if err := tx.SelectContext(ctx, &locked, `SELECT id FROM jobs WHERE id = $1 FOR UPDATE`, id); err != nil {
		return nil, wrap("writing to the log", err)
	}
	if len(locked) == 0 {
		return nil, fmt.Errorf("job %d: %w", id, ErrNotFound)
	}
	meanwhile, err = selectEntries(ctx, tx, id, saw)
	if err != nil {
		return nil, err
	}
	seq := saw
	if n := len(meanwhile); n > 0 {
		seq = meanwhile[n-1].Seq
	}
	for i, e := range entries {
		if err := insert(ctx, tx, id, seq+1+i, e); err != nil {
			return nil, err
		}
	}
	return meanwhile, wrap("writing to the log", tx.Commit())
}

// Entries reads a job's log, oldest first.
func (s *Store) Entries(ctx context.Context, id int64) ([]job.Entry, error) {
	return selectEntries(ctx, s.db, id, 0)
}

// LastSeq is the newest entry of a job's log.
func (s *Store) LastSeq(ctx context.Context, id int64) (int, error) {
	var seq int
	err := s.db.GetContext(ctx, &seq, `SELECT coalesce(max(seq), 0) FROM entries WHERE job_id = $1`, id)
	return seq, wrap("reading the log", err)
}

func selectEntries(ctx context.Context, q sqlx.QueryerContext, id int64, after int) ([]job.Entry, error) {
	var rows []struct {
		Seq  int       `db:"seq"`
		At   time.Time `db:"at"`
		Who  string    `db:"who"`
		Kind string    `db:"kind"`
		Body []byte    `db:"body"`
	}
	err := sqlx.SelectContext(ctx, q, &rows,
		`SELECT seq, at, who, kind, body FROM entries WHERE job_id = $1 AND seq > $2 ORDER BY seq`, id, after)
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
