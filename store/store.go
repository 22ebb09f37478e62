// Package store keeps jobs, their append-only logs, harnesses and vehicles in PostgreSQL.
//
// The one idea: what is recorded never changes. A log entry, once written, is never changed or removed;
// a harness is kept in revisions, and a job goes by the one it is pinned to; and whether an entry may be
// written is decided under the job's row lock, by what the log holds at that moment, so that two people
// at one job lose nothing and nothing slips past a decision. Every call has a deadline.
package store

import (
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net"
	"strings"
	"time"

	"github.com/jackc/pgx/v5/pgconn"
	_ "github.com/jackc/pgx/v5/stdlib" // the driver
	"github.com/jmoiron/sqlx"
	"github.com/pressly/goose/v3"
	"github.com/pressly/goose/v3/lock"
)

//go:embed migrations/*.sql
var migrations embed.FS

// ErrNotFound says that there is no such job, harness or vehicle.
var ErrNotFound = errors.New("not found")

// ErrChanged says that somebody else has changed what was to be saved over.
var ErrChanged = errors.New("changed meanwhile")

// ErrUnreachable says that the database cannot be reached now, or does not answer.
var ErrUnreachable = errors.New("the database cannot be reached")

// ErrFull says that the database has no room left.
var ErrFull = errors.New("the database's disk is full")

// ErrBusy says that no more can be begun just now.
var ErrBusy = errors.New("too much is being worked out just now")

// ErrAlready says that this form has been taken before: what it says is recorded, once.
var ErrAlready = errors.New("taken already")

// Store is a pool of connections to one database. It is safe for use by many goroutines.
type Store struct {
	db      *sqlx.DB
	dsn     string // for the connection that listens
	patient time.Duration
}

// Deadlines. A statement has its own beside the request's; bringing the schema up to date may wait for
// another instance that is doing so.
const (
	connectTimeout = 10 * time.Second
	migrateTimeout = 2 * time.Minute
	callTimeout    = 8 * time.Second
	healthTimeout  = time.Second
	lockEverySec   = 1
	lockTries      = 100

	maxConnections = 16
	idleTime       = 5 * time.Minute
	formsKept      = "7 days"
)

// Open connects, brings the schema up to date and returns the store.
func Open(ctx context.Context, dsn string) (*Store, error) {
	if dsn == "" {
		return nil, fmt.Errorf("store: the address of the database is empty")
	}
	db, err := sqlx.Open("pgx", dsn)
	if err != nil {
		return nil, fmt.Errorf("store: %w", err)
	}
	db.SetMaxOpenConns(maxConnections)
	db.SetMaxIdleConns(maxConnections)
	db.SetConnMaxIdleTime(idleTime)
	s := &Store{db: db, dsn: dsn, patient: callTimeout}
	if err := s.begin(ctx); err != nil {
		db.Close()
		return nil, err
	}
	return s, nil
}

func (s *Store) begin(ctx context.Context) error {
	reaching, cancel := context.WithTimeout(ctx, connectTimeout)
	defer cancel()
	if err := s.db.PingContext(reaching); err != nil {
		return wrap("connecting", err)
	}
	migrating, done := context.WithTimeout(ctx, migrateTimeout)
	defer done()
	if err := migrate(migrating, s.db.DB); err != nil {
		return err
	}
	if err := s.summariseOld(migrating); err != nil {
		return err
	}
	_, err := s.Housekeep(migrating, 0)
	return err
}

// migrate brings the schema up to date. Several instances may start at once: one migrates, under a lock
// of its session, the others wait for it.
func migrate(ctx context.Context, db *sql.DB) error {
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return fmt.Errorf("store: %w", err)
	}
	locker, err := lock.NewPostgresSessionLocker(lock.WithLockTimeout(lockEverySec, lockTries),
		lock.WithUnlockTimeout(lockEverySec, lockTries))
	if err != nil {
		return fmt.Errorf("store: %w", err)
	}
	provider, err := goose.NewProvider(goose.DialectPostgres, db, files, goose.WithSessionLocker(locker))
	if err != nil {
		return fmt.Errorf("store: %w", err)
	}
	_, err = provider.Up(ctx)
	return wrap("bringing the schema up to date", err)
}

// Hurry shortens how long a call may take; it is for tests of what happens when the database does not answer.
func (s *Store) Hurry(most time.Duration) { s.patient = most }

// Close ends the connections.
func (s *Store) Close() error { return s.db.Close() }

// Healthy asks the database for an answer; the error says that there is none.
func (s *Store) Healthy(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, healthTimeout)
	defer cancel()
	var one int
	return wrap("asking for an answer", s.db.GetContext(ctx, &one, `SELECT 1`))
}

// within bounds one call.
func (s *Store) within(ctx context.Context) (context.Context, context.CancelFunc) {
	return context.WithTimeout(ctx, s.patient)
}

// inTx runs work in one transaction, within the deadline of a call; an error of work undoes it.
func (s *Store) inTx(ctx context.Context, doing string, work func(ctx context.Context, tx *sqlx.Tx) error) error {
	ctx, cancel := s.within(ctx)
	defer cancel()
	tx, err := s.db.BeginTxx(ctx, nil)
	if err != nil {
		return wrap(doing, err)
	}
	defer func() { _ = tx.Rollback() }() // a no-op once committed
	if err := work(ctx, tx); err != nil {
		return err
	}
	return wrap(doing, tx.Commit())
}

// Classes of PostgreSQL's error codes.
const (
	classOperator  = "57" // shutting down, starting up
	classResources = "53"
	diskFull       = "53100"
	cannotWrite    = "58030"
	foreignKey     = "23503"
	taken          = "23505"
)

// wrap names what was being done, and tells a database that cannot be reached, or has no room, from
// other faults.
func wrap(doing string, err error) error {
	if err == nil {
		return nil
	}
	var network net.Error
	var refused *pgconn.ConnectError
	var server *pgconn.PgError
	closed := strings.Contains(err.Error(), "sql: database is closed") || // database/sql has no value for these
		strings.Contains(err.Error(), "conn closed")
	switch {
	case errors.As(err, &server) && (server.Code == diskFull || server.Code == cannotWrite):
		return fmt.Errorf("store: %s: %w: %w", doing, ErrFull, err)
	case closed, errors.Is(err, context.DeadlineExceeded), errors.Is(err, sql.ErrConnDone),
		errors.Is(err, io.ErrUnexpectedEOF), errors.Is(err, io.EOF), // the connection ended under the question
		errors.As(err, &server) && (server.Code[:2] == classOperator || server.Code[:2] == classResources),
		errors.As(err, &refused), errors.As(err, &network):
		return fmt.Errorf("store: %s: %w: %w", doing, ErrUnreachable, err)
	}
	return fmt.Errorf("store: %s: %w", doing, err)
}

// isCode tells whether PostgreSQL refused for this reason.
func isCode(err error, code string) bool {
	var server *pgconn.PgError
	return errors.As(err, &server) && server.Code == code
}

// use takes a form's token; ErrAlready where it has been taken before. A form without one is none of a
// page's.
func use(ctx context.Context, tx *sqlx.Tx, token string) error {
	if token == "" {
		return nil
	}
	done, err := tx.ExecContext(ctx, `INSERT INTO used_forms (token) VALUES ($1) ON CONFLICT DO NOTHING`, token)
	if err != nil {
		return wrap("taking a form", err)
	}
	if n, err := done.RowsAffected(); err != nil || n == 0 {
		return ErrAlready
	}
	return nil
}

// Vehicle is one vehicle of the workshop.
type Vehicle struct {
	ID    int64  `db:"id"`
	Name  string `db:"name"`
	Notes string `db:"notes"`
	Had   int64  `db:"had"` // the harness of its last job, where that is still in the library; 0: none
}

const putVehicle = `
	INSERT INTO vehicles (name, notes) VALUES ($1, $2)
	ON CONFLICT (name) DO UPDATE SET name = EXCLUDED.name
	RETURNING id`

// PutVehicle adds a vehicle, or finds the one of that name.
func (s *Store) PutVehicle(ctx context.Context, name, notes string) (int64, error) {
	ctx, cancel := s.within(ctx)
	defer cancel()
	var id int64
	err := s.db.GetContext(ctx, &id, putVehicle, name, notes)
	return id, wrap("writing a vehicle", err)
}

// Vehicles lists the vehicles by name.
func (s *Store) Vehicles(ctx context.Context) ([]Vehicle, error) {
	ctx, cancel := s.within(ctx)
	defer cancel()
	var list []Vehicle
	err := s.db.SelectContext(ctx, &list, `
		SELECT v.id, v.name, v.notes, coalesce((
			SELECT h.id FROM jobs j JOIN harness_revisions r ON r.id = j.revision_id JOIN harnesses h ON h.id = r.harness_id
			WHERE j.vehicle_id = v.id AND h.deleted_at IS NULL ORDER BY j.id DESC LIMIT 1), 0) AS had
		FROM vehicles v ORDER BY v.name`)
	return list, wrap("listing vehicles", err)
}
