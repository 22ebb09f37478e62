package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"github.com/jmoiron/sqlx"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5/pgconn"
)

// Role is what a person may do.
type Role string

// The roles. A lead adds people, sets what the workshop has learnt back and deletes circuits; everything else both do.
const (
	Technician Role = "technician"
	Lead       Role = "lead"
)

// Person is somebody who may come in.
type Person struct {
	ID      int64     `db:"id"`
	Name    string    `db:"name"`
	Role    Role      `db:"role"`
	Secret  string    `db:"secret"`
	Active  bool      `db:"active"`
	Epoch   int       `db:"epoch"`
	AddedAt time.Time `db:"added_at"`
	Second  string    `db:"second"` // the secret of the second step; empty: there is none
	// FreshUntil is until when a passphrase that another gave may be used; nil: it is their own.
	FreshUntil *time.Time `db:"fresh_until"`
	Notice     string     `db:"notice"` // what was changed of theirs and not yet told, a line each
}

// ErrTaken says that somebody else has that name.
var ErrTaken = errors.New("store: somebody of that name is here already")

const personColumns = `id, name, role, secret, active, epoch, added_at, second, notice, fresh_until`

// People lists everybody, by name.
func (s *Store) People(ctx context.Context) ([]Person, error) {
	ctx, cancel := s.within(ctx)
	defer cancel()
	var list []Person
	err := s.db.SelectContext(ctx, &list, `SELECT `+personColumns+` FROM people ORDER BY lower(name)`)
	return list, wrap("listing people", err)
}

// Person finds somebody by number. ErrNotFound: there is nobody.
func (s *Store) Person(ctx context.Context, id int64) (Person, error) {
	return s.person(ctx, `id = $1`, id)
}

// PersonNamed finds somebody by name, however it is written. ErrNotFound: there is nobody.
func (s *Store) PersonNamed(ctx context.Context, name string) (Person, error) {
	return s.person(ctx, `lower(name) = lower($1)`, name)
}

func (s *Store) person(ctx context.Context, where string, key any) (Person, error) {
	ctx, cancel := s.within(ctx)
	defer cancel()
	var p Person
	err := s.db.GetContext(ctx, &p, `SELECT `+personColumns+` FROM people WHERE `+where, key)
	if errors.Is(err, sql.ErrNoRows) {
		return p, fmt.Errorf("a person: %w", ErrNotFound)
	}
	return p, wrap("finding a person", err)
}

// givenFor is how long a passphrase that another gave may be used.
const givenFor = `interval '7 days'`

// AddPerson adds somebody with a passphrase to begin with. ErrTaken: the name is taken.
func (s *Store) AddPerson(ctx context.Context, name string, role Role, secret string) (int64, error) {
	return s.addPerson(ctx,
		`INSERT INTO people (name, role, secret, fresh_until) VALUES ($1, $2, $3, now() + `+givenFor+`) RETURNING id`, name, role, secret)
}

// AddFirst adds the first lead, and nobody where there is somebody already: ErrTaken.
func (s *Store) AddFirst(ctx context.Context, name, secret string) (int64, error) {
	return s.addPerson(ctx,
		`INSERT INTO people (name, role, secret) SELECT $1, $2, $3 WHERE NOT EXISTS (SELECT 1 FROM people) RETURNING id`,
		name, Lead, secret)
}

func (s *Store) addPerson(ctx context.Context, query, name string, role Role, secret string) (int64, error) {
	ctx, cancel := s.within(ctx)
	defer cancel()
	var id int64
	err := s.db.GetContext(ctx, &id, query, name, string(role), secret)
	var pg *pgconn.PgError
	if errors.Is(err, sql.ErrNoRows) || errors.As(err, &pg) && pg.Code == "23505" {
		return 0, ErrTaken
	}
	return id, wrap("adding a person", err)
}

// ErrLastLead says that nobody would be left to lead.
var ErrLastLead = errors.New("store: somebody must remain who leads")

// SetPerson changes what somebody may do; whoever may no longer come in is signed out. ErrLastLead: nobody would lead.
func (s *Store) SetPerson(ctx context.Context, id int64, role Role, active bool) error {
	ctx, cancel := s.within(ctx)
	defer cancel()
	// The leads are locked in their order, so that two changes at once do not each leave the other.
	done, err := s.db.ExecContext(ctx, `WITH leads AS (SELECT id FROM people WHERE role = 'lead' AND active ORDER BY id FOR UPDATE)
		UPDATE people SET role = $2, active = $3, epoch = epoch + CASE WHEN $3 THEN 0 ELSE 1 END
		WHERE id = $1 AND (($2 = 'lead' AND $3) OR EXISTS (SELECT 1 FROM leads WHERE leads.id <> $1))`, id, string(role), active)
	if err != nil {
		return wrap("changing a person", err)
	}
	if n, err := done.RowsAffected(); err != nil || n == 0 {
		if _, missing := s.Person(ctx, id); missing != nil {
			return missing
		}
		return ErrLastLead
	}
	return nil
}

// SetSecond gives somebody a second step at signing in; an empty secret takes it away. A code that has been used stays used.
func (s *Store) SetSecond(ctx context.Context, id int64, secret string) error {
	ctx, cancel := s.within(ctx)
	defer cancel()
	_, err := s.db.ExecContext(ctx, `UPDATE people SET second = $2 WHERE id = $1`, id, secret)
	return wrap("setting a second step", err)
}

// UseStep uses up the code of a step of time; false where it, or a later one, has been used.
func (s *Store) UseStep(ctx context.Context, id, step int64) (bool, error) {
	ctx, cancel := s.within(ctx)
	defer cancel()
	done, err := s.db.ExecContext(ctx, `UPDATE people SET second_step = $2 WHERE id = $1 AND second_step < $2`, id, step)
	if err != nil {
		return false, wrap("using a code", err)
	}
	n, err := done.RowsAffected()
	return n == 1, wrap("using a code", err)
}

// Tell keeps a line that somebody is told at the next page of their account.
func (s *Store) Tell(ctx context.Context, id int64, line string) error {
	ctx, cancel := s.within(ctx)
	defer cancel()
	_, err := s.db.ExecContext(ctx, `UPDATE people SET notice = right(notice || $2 || E'\n', 2000) WHERE id = $1`, id, line)
	return wrap("telling somebody", err)
}

// Told forgets what has been told.
func (s *Store) Told(ctx context.Context, id int64) error {
	ctx, cancel := s.within(ctx)
	defer cancel()
	_, err := s.db.ExecContext(ctx, `UPDATE people SET notice = '' WHERE id = $1`, id)
	return wrap("telling somebody", err)
}

// SetSecret gives somebody another passphrase and ends every session of theirs; their devices forget their PINs. given says
// that another chose it, and that they are to choose their own.
func (s *Store) SetSecret(ctx context.Context, id int64, secret string, given bool) error {
	return s.endSessions(ctx, id, `UPDATE people SET secret = $2, epoch = epoch + 1,
		fresh_until = CASE WHEN $3 THEN now() + `+givenFor+` END WHERE id = $1`, id, secret, given)
}

// SignOut ends every session of somebody; their devices forget their PINs.
func (s *Store) SignOut(ctx context.Context, id int64) error {
	return s.endSessions(ctx, id, `UPDATE people SET epoch = epoch + 1 WHERE id = $1`, id)
}

func (s *Store) endSessions(ctx context.Context, id int64, query string, args ...any) error {
	ctx, cancel := s.within(ctx)
	defer cancel()
	if _, err := s.db.ExecContext(ctx, query, args...); err != nil {
		return wrap("ending sessions", err)
	}
	_, err := s.db.ExecContext(ctx, `DELETE FROM devices WHERE person_id = $1`, id)
	return wrap("forgetting devices", err)
}

// Limit is how many attempts of late are let through under a key.
type Limit struct {
	Key  string
	Most int
}

// attemptsKept is how long attempts are remembered.
const attemptsKept = "1 day"

// Attempt notes an attempt under every key before it is judged; false where there have been too many under one of them, and
// then nothing is noted. Of attempts at the same moment no more pass than the limit lets through: those of a key are counted
// one after the other. The numbers are for Forgive.
func (s *Store) Attempt(ctx context.Context, limits []Limit, since time.Duration) (noted []int64, ok bool, err error) {
	limits = slices.Clone(limits)
	slices.SortFunc(limits, func(a, b Limit) int { return strings.Compare(a.Key, b.Key) }) // one order, so that two never wait for each other
	err = s.inTx(ctx, "noting an attempt", func(ctx context.Context, tx *sqlx.Tx) error {
		noted = nil
		for _, l := range limits {
			var n int
			_, err := tx.ExecContext(ctx, `SELECT pg_advisory_xact_lock(hashtextextended($1, 0))`, l.Key)
			if err == nil {
				err = tx.GetContext(ctx, &n, `SELECT count(*) FROM attempts WHERE key = $1 AND at > now() - make_interval(secs => $2)`, l.Key,
					since.Seconds())
			}
			if err != nil {
				return wrap("counting attempts", err)
			}
			if n >= l.Most {
				ok = false
				return nil
			}
		}
		for _, l := range limits {
			var id int64
			if err := tx.GetContext(ctx, &id, `INSERT INTO attempts (key) VALUES ($1) RETURNING id`, l.Key); err != nil {
				return wrap("noting an attempt", err)
			}
			noted = append(noted, id)
		}
		ok = true
		return nil
	})
	return noted, ok && err == nil, err
}

// Forgive takes attempts back that turned out to be right.
func (s *Store) Forgive(ctx context.Context, noted []int64) error {
	ctx, cancel := s.within(ctx)
	defer cancel()
	_, err := s.db.ExecContext(ctx, `DELETE FROM attempts WHERE id = ANY($1)`, noted)
	return wrap("taking an attempt back", err)
}

// ClearAttempts forgets every attempt under keys that begin so.
func (s *Store) ClearAttempts(ctx context.Context, prefix string) error {
	ctx, cancel := s.within(ctx)
	defer cancel()
	_, err := s.db.ExecContext(ctx, `DELETE FROM attempts WHERE starts_with(key, $1)`, prefix)
	return wrap("forgetting attempts", err)
}

// KnowDevice notes that somebody has signed in on a device.
func (s *Store) KnowDevice(ctx context.Context, token string, person int64) error {
	ctx, cancel := s.within(ctx)
	defer cancel()
	_, err := s.db.ExecContext(ctx, `INSERT INTO known_devices (token, person_id) VALUES ($1, $2)
		ON CONFLICT (token, person_id) DO UPDATE SET seen_at = now()`, token, person)
	return wrap("knowing a device", err)
}

// KnowsDevice tells whether somebody of that name has signed in on a device.
func (s *Store) KnowsDevice(ctx context.Context, token, name string) (bool, error) {
	ctx, cancel := s.within(ctx)
	defer cancel()
	var known bool
	err := s.db.GetContext(ctx, &known, `SELECT EXISTS (SELECT 1 FROM known_devices k JOIN people p ON p.id = k.person_id
		WHERE k.token = $1 AND lower(p.name) = lower($2))`, token, name)
	return known, wrap("knowing a device", err)
}

// Change is what a lead, or whoever has the machine at hand, changes of a person, all of it or nothing.
type Change struct {
	Role   Role
	Active bool
	Secret string // another passphrase, hashed; empty: it stays. The second step goes with it, and whoever is signed in is signed out
	Tell   string // a line for them, where the passphrase was changed
}

// ChangePerson changes a person. ErrLastLead: nobody would lead, and nothing is changed; ErrNotFound: there is no such person.
func (s *Store) ChangePerson(ctx context.Context, id int64, c Change) error {
	return s.inTx(ctx, "changing a person", func(ctx context.Context, tx *sqlx.Tx) error {
		// The leads are locked in their order, so that two changes at once do not each leave the other.
		var leads []int64
		if err := tx.SelectContext(ctx, &leads, `SELECT id FROM people WHERE role = 'lead' AND active ORDER BY id FOR UPDATE`); err != nil {
			return wrap("changing a person", err)
		}
		others := slices.DeleteFunc(leads, func(l int64) bool { return l == id })
		if len(others) == 0 && (c.Role != Lead || !c.Active) {
			return ErrLastLead
		}
		done, err := tx.ExecContext(ctx, `UPDATE people SET role = $2, active = $3, epoch = epoch + CASE WHEN $3 THEN 0 ELSE 1 END WHERE id = $1`,
			id, string(c.Role), c.Active)
		if err != nil {
			return wrap("changing a person", err)
		}
		if n, err := done.RowsAffected(); err != nil || n == 0 {
			return fmt.Errorf("person %d: %w", id, ErrNotFound)
		}
		if c.Secret == "" {
			return nil
		}
		_, err = tx.ExecContext(ctx, `UPDATE people SET secret = $2, second = '', epoch = epoch + 1, fresh_until = now() + `+givenFor+`,
			notice = right(notice || $3 || E'\n', 2000) WHERE id = $1`, id, c.Secret, c.Tell)
		if err == nil {
			_, err = tx.ExecContext(ctx, `DELETE FROM devices WHERE person_id = $1`, id)
		}
		return wrap("changing a person", err)
	})
}

// Sessions keeps the sessions of people who have signed in, for package scs; every call has its deadline.
type Sessions struct{ s *Store }

// Sessions is where sessions are kept.
func (s *Store) Sessions() *Sessions { return &Sessions{s} }

// FindCtx finds what a session holds; false where it is over.
func (x *Sessions) FindCtx(ctx context.Context, token string) ([]byte, bool, error) {
	ctx, cancel := x.s.within(ctx)
	defer cancel()
	var data []byte
	err := x.s.db.GetContext(ctx, &data, `SELECT data FROM sessions WHERE token = $1 AND expiry > now()`, token)
	if noRows(err) {
		return nil, false, nil
	}
	return data, err == nil, wrap("finding a session", err)
}

// CommitCtx keeps what a session holds.
func (x *Sessions) CommitCtx(ctx context.Context, token string, data []byte, expiry time.Time) error {
	ctx, cancel := x.s.within(ctx)
	defer cancel()
	_, err := x.s.db.ExecContext(ctx, `INSERT INTO sessions (token, data, expiry) VALUES ($1, $2, $3)
		ON CONFLICT (token) DO UPDATE SET data = EXCLUDED.data, expiry = EXCLUDED.expiry`, token, data, expiry)
	return wrap("keeping a session", err)
}

// DeleteCtx forgets a session.
func (x *Sessions) DeleteCtx(ctx context.Context, token string) error {
	ctx, cancel := x.s.within(ctx)
	defer cancel()
	_, err := x.s.db.ExecContext(ctx, `DELETE FROM sessions WHERE token = $1`, token)
	return wrap("forgetting a session", err)
}

// Find, Commit and Delete are the same without a context, as the interface of package scs wants them too.
func (x *Sessions) Find(token string) ([]byte, bool, error) {
	return x.FindCtx(context.Background(), token)
}

// Commit is CommitCtx without a context.
func (x *Sessions) Commit(token string, data []byte, expiry time.Time) error {
	return x.CommitCtx(context.Background(), token, data, expiry)
}

// Delete is DeleteCtx without a context.
func (x *Sessions) Delete(token string) error { return x.DeleteCtx(context.Background(), token) }

// Device is a person's PIN on a device.
type Device struct {
	Token    string `db:"token"`
	PersonID int64  `db:"person_id"`
	Name     string `db:"name"`
	PIN      string `db:"pin"`
	Wrong    int    `db:"wrong"`
}

// KeepPIN keeps a PIN for a person on a device, by the hash of what the device keeps.
func (s *Store) KeepPIN(ctx context.Context, token string, person int64, pin string) error {
	ctx, cancel := s.within(ctx)
	defer cancel()
	_, err := s.db.ExecContext(ctx, `INSERT INTO devices (token, person_id, pin) VALUES ($1, $2, $3)
		ON CONFLICT (token, person_id) DO UPDATE SET pin = EXCLUDED.pin, wrong = 0`, token, person, pin)
	return wrap("keeping a PIN", err)
}

// Devices lists who has a PIN on a device.
func (s *Store) Devices(ctx context.Context, token string) ([]Device, error) {
	ctx, cancel := s.within(ctx)
	defer cancel()
	var list []Device
	err := s.db.SelectContext(ctx, &list, `SELECT d.token, d.person_id, d.pin, d.wrong, p.name
		FROM devices d JOIN people p ON p.id = d.person_id
		WHERE d.token = $1 AND p.active ORDER BY lower(p.name)`, token)
	return list, wrap("finding a device", err)
}

// WrongPIN counts a wrong PIN; at most so many, and the device forgets it.
func (s *Store) WrongPIN(ctx context.Context, token string, person int64, most int) error {
	ctx, cancel := s.within(ctx)
	defer cancel()
	if _, err := s.db.ExecContext(ctx, `UPDATE devices SET wrong = wrong + 1 WHERE token = $1 AND person_id = $2`, token,
		person); err != nil {
		return wrap("counting a PIN", err)
	}
	_, err := s.db.ExecContext(ctx, `DELETE FROM devices WHERE token = $1 AND person_id = $2 AND wrong >= $3`, token, person, most)
	return wrap("forgetting a PIN", err)
}

// RightPIN forgets the wrong ones before it.
func (s *Store) RightPIN(ctx context.Context, token string, person int64) error {
	ctx, cancel := s.within(ctx)
	defer cancel()
	_, err := s.db.ExecContext(ctx, `UPDATE devices SET wrong = 0 WHERE token = $1 AND person_id = $2`, token, person)
	return wrap("counting a PIN", err)
}

// DB is the connection itself, for what keeps sessions in it.
func (s *Store) DB() *sql.DB { return s.db.DB }
