package store

import (
	"context"
	"fmt"
	"time"

	"github.com/jmoiron/sqlx"

	"ironthread/core/harness"
)

// Harness is a harness file as kept: the newest of its revisions, or the one asked for.
type Harness struct {
	ID       int64     `db:"id"`
	Name     string    `db:"name"`
	Revision int64     `db:"revision"` // of this text, in the store
	Number   int       `db:"number"`   // of this text, counted from one
	Newest   int64     `db:"newest"`   // the newest revision
	Title    string    `db:"title"`
	Source   string    `db:"source"`
	MadeAt   time.Time `db:"made_at"`
	Shipped  bool      `db:"shipped"` // this text came with the application
	Record   Record    `db:"record"`
}

// Record is which revision of a harness is the one of record, and who made it that.
type Record struct {
	ID     int64      `db:"id"`     // the revision, in the store; zero: none is
	Number int        `db:"number"` // counted from one
	By     string     `db:"by"`
	At     *time.Time `db:"at"`
}

const selectHarness = `
	SELECT h.id, h.name, r.id AS revision, r.number, h.revision_id AS newest, r.title, r.source, r.made_at, r.shipped,
		coalesce(h.record_id, 0) AS "record.id", coalesce(o.number, 0) AS "record.number",
		h.record_by AS "record.by", h.record_at AS "record.at"
	FROM harnesses h LEFT JOIN harness_revisions o ON o.id = h.record_id JOIN harness_revisions r ON r.id = `

// newest is the end of selectHarness for the newest revision of what has not been deleted.
const newest = `h.revision_id WHERE h.deleted_at IS NULL`

// revision is what a revision of a harness says, and whether it came with the application.
type revision struct {
	title, source string
	shipped       bool
}

// addRevision adds the next revision of a harness, which its row lock protects, and makes it the newest.
func addRevision(ctx context.Context, tx *sqlx.Tx, of int64, r revision) error {
	var id int64
	err := tx.GetContext(ctx, &id, `
		INSERT INTO harness_revisions (harness_id, number, title, source, shipped)
		SELECT $1, coalesce(max(number), 0) + 1, $2, $3, $4 FROM harness_revisions WHERE harness_id = $1
		RETURNING id`, of, r.title, r.source, r.shipped)
	if err == nil {
		_, err = tx.ExecContext(ctx, `UPDATE harnesses SET revision_id = $2 WHERE id = $1`, of, id)
	}
	return wrap("writing a harness", err)
}

// newHarness adds a harness with its first revision; taken is true where the name is another's.
func newHarness(ctx context.Context, tx *sqlx.Tx, name string, r revision) (id int64, isTaken bool, err error) {
	var ids []int64
	err = tx.SelectContext(ctx, &ids, `INSERT INTO harnesses (name) VALUES ($1)
		ON CONFLICT (name) WHERE deleted_at IS NULL DO NOTHING RETURNING id`, name)
	if err != nil || len(ids) == 0 {
		return 0, err == nil, wrap("writing a harness", err)
	}
	err = addRevision(ctx, tx, ids[0], r)
	return ids[0], false, err
}

// PutHarness adds a shipped harness, or a newer revision of the one of that name. One that has been
// edited or deleted in the workshop since it was shipped is left as it is.
func (s *Store) PutHarness(ctx context.Context, name, title, source string) (int64, error) {
	var id int64
	err := s.inTx(ctx, "writing a harness", func(ctx context.Context, tx *sqlx.Tx) error {
		var list []struct {
			ID      int64  `db:"id"`
			Source  string `db:"source"`
			Shipped bool   `db:"shipped"`
			Deleted bool   `db:"deleted"`
		}
		err := tx.SelectContext(ctx, &list, `
			SELECT h.id, r.source, r.shipped, h.deleted_at IS NOT NULL AS deleted
			FROM harnesses h JOIN harness_revisions r ON r.id = h.revision_id WHERE h.name = $1
			ORDER BY h.deleted_at IS NOT NULL, h.id FOR UPDATE OF h`, name)
		if err != nil {
			return wrap("writing a harness", err)
		}
		if len(list) == 0 {
			var taken bool
			id, taken, err = newHarness(ctx, tx, name, revision{title, source, true})
			if taken {
				return fmt.Errorf("store: writing harness %q: %w", name, ErrChanged)
			}
			return err
		}
		h := list[0]
		id = h.ID
		if h.Deleted || !h.Shipped || h.Source == source {
			return nil
		}
		err = addRevision(ctx, tx, id, revision{title, source, true})
		return err
	})
	return id, err
}

// Harnesses lists the harnesses by title, each in its newest revision.
func (s *Store) Harnesses(ctx context.Context) ([]Harness, error) {
	ctx, cancel := s.within(ctx)
	defer cancel()
	var list []Harness
	err := s.db.SelectContext(ctx, &list, selectHarness+newest+` ORDER BY r.title, h.id`)
	return list, wrap("listing harnesses", err)
}

// Titles lists the harnesses by title for choosing among them, without their files.
func (s *Store) Titles(ctx context.Context) ([]Harness, error) {
	ctx, cancel := s.within(ctx)
	defer cancel()
	var list []Harness
	err := s.db.SelectContext(ctx, &list, `
		SELECT h.id, h.name, r.title FROM harnesses h JOIN harness_revisions r ON r.id = `+newest+` ORDER BY r.title, h.id`)
	return list, wrap("listing harnesses", err)
}

// HarnessNamed finds a harness by name in its newest revision; ErrNotFound if there is none.
func (s *Store) HarnessNamed(ctx context.Context, name string) (Harness, error) {
	return s.oneHarness(ctx, fmt.Sprintf("harness %q", name), selectHarness+newest+` AND h.name = $1`, name)
}

// Revision finds one revision of a harness, deleted or not; ErrNotFound if there is none.
func (s *Store) Revision(ctx context.Context, id int64) (Harness, error) {
	return s.oneHarness(ctx, fmt.Sprintf("revision %d of a harness", id), selectHarness+`$1 AND r.harness_id = h.id`, id)
}

func (s *Store) oneHarness(ctx context.Context, what, query string, key any) (Harness, error) {
	ctx, cancel := s.within(ctx)
	defer cancel()
	var list []Harness
	if err := s.db.SelectContext(ctx, &list, query, key); err != nil {
		return Harness{}, wrap("finding a harness", err)
	}
	if len(list) == 0 {
		return Harness{}, fmt.Errorf("%s: %w", what, ErrNotFound)
	}
	return list[0], nil
}

// mostOfName bounds the numbers that are put behind a name that is taken.
const mostOfName = 1000

// AddHarness adds a harness under a name that is not taken yet: a number is put behind it
// where it is.
func (s *Store) AddHarness(ctx context.Context, name, title, source string) (Harness, error) {
	free := name
	err := s.inTx(ctx, "writing a harness", func(ctx context.Context, tx *sqlx.Tx) error {
		for k := 1; k < mostOfName; k++ {
			if k > 1 {
				free = fmt.Sprintf("%s-%d", name, k)
			}
			if _, taken, err := newHarness(ctx, tx, free, revision{title: title, source: source}); err != nil || !taken {
				return err
			}
		}
		return fmt.Errorf("store: there are too many harnesses named %q", name)
	})
	if err != nil {
		return Harness{}, err
	}
	return s.HarnessNamed(ctx, free)
}

// ReviseHarness adds a revision of a harness, if the newest still is the one that the editor saw.
// ErrChanged: it is not, somebody else has saved meanwhile; ErrNotFound: there is no harness of that
// name. Every job stays with the revision it is pinned to.
func (s *Store) ReviseHarness(ctx context.Context, name string, saw int64, title, source string) error {
	return s.ReviseAs(ctx, Reviser{}, Revised{name, saw, title, source})
}

// Reviser is who saves a revision, in a workshop in which people sign in; the zero Reviser is nobody in particular, in one
// where they do not.
type Reviser struct {
	Name string
	Lead bool
}

// Revised is what a harness is to say from now on, and which of its revisions the editor saw.
type Revised struct {
	Name          string
	Saw           int64
	Title, Source string
}

// ReviseAs is ReviseHarness by somebody. What a lead saves is of record at once. What a technician saves is not: jobs go by the
// revision that was there before, until a lead makes the new one that of record.
func (s *Store) ReviseAs(ctx context.Context, by Reviser, to Revised) error {
	name, saw, title, source := to.Name, to.Saw, to.Title, to.Source
	return s.inTx(ctx, "saving the harness", func(ctx context.Context, tx *sqlx.Tx) error {
		var h struct {
			ID     int64  `db:"id"`
			Newest int64  `db:"revision_id"`
			Source string `db:"source"`
		}
		err := tx.GetContext(ctx, &h, `
			SELECT h.id, h.revision_id, r.source FROM harnesses h JOIN harness_revisions r ON r.id = h.revision_id
			WHERE h.name = $1 AND h.deleted_at IS NULL FOR UPDATE OF h`, name)
		switch {
		case noRows(err):
			return fmt.Errorf("harness %q: %w", name, ErrNotFound)
		case err != nil:
			return wrap("saving the harness", err)
		case h.Newest != saw:
			return ErrChanged
		case h.Source == source:
			return nil
		}
		if err := addRevision(ctx, tx, h.ID, revision{title: title, source: source}); err != nil {
			return err
		}
		before, _ := harness.SplitPlaces(h.Source)
		after, _ := harness.SplitPlaces(source)
		switch {
		case before != after && by.Lead:
			_, err = tx.ExecContext(ctx, `UPDATE harnesses SET record_id = revision_id, record_by = $2, record_at = now() WHERE id = $1`, h.ID,
				by.Name)
			return wrap("saving the harness", err)
		case before != after && by.Name != "":
			_, err = tx.ExecContext(ctx, `UPDATE harnesses SET record_id = coalesce(record_id, $2) WHERE id = $1`, h.ID, saw)
			return wrap("saving the harness", err)
		case before != after:
			return nil
		}
		// Only parts of the drawing have been moved: what was of record still is.
		_, err = tx.ExecContext(ctx, `UPDATE harnesses SET record_id = revision_id WHERE id = $1 AND record_id = $2`, h.ID, saw)
		return wrap("saving the harness", err)
	})
}

// MakeRecord makes a revision the one of record, or none where revision is zero. ErrNotFound: the harness has no such revision.
func (s *Store) MakeRecord(ctx context.Context, name string, revision int64, who string, at time.Time) error {
	ctx, cancel := s.within(ctx)
	defer cancel()
	done, err := s.db.ExecContext(ctx, `UPDATE harnesses h SET record_id = nullif($2::bigint, 0), record_by = $3, record_at = $4
		WHERE name = $1 AND deleted_at IS NULL
			AND ($2 = 0 OR EXISTS (SELECT 1 FROM harness_revisions r WHERE r.id = $2 AND r.harness_id = h.id))`, name, revision, who, at)
	if err != nil {
		return wrap("making a revision the one of record", err)
	}
	if n, err := done.RowsAffected(); err != nil || n == 0 {
		return fmt.Errorf("revision %d of harness %q: %w", revision, name, ErrNotFound)
	}
	return nil
}

// SetAside takes a harness out of the library, from where it can be put back. Jobs keep the revision that they are pinned to,
// and drills find it all the same.
func (s *Store) SetAside(ctx context.Context, name string) error {
	ctx, cancel := s.within(ctx)
	defer cancel()
	done, err := s.db.ExecContext(ctx, `UPDATE harnesses SET deleted_at = now() WHERE name = $1 AND deleted_at IS NULL`, name)
	if err != nil {
		return wrap("setting a harness aside", err)
	}
	if n, err := done.RowsAffected(); err != nil || n == 0 {
		return fmt.Errorf("harness %q: %w", name, ErrNotFound)
	}
	return nil
}

// Aside is a harness that has been set aside.
type Aside struct {
	ID    int64     `db:"id"`
	Name  string    `db:"name"`
	Title string    `db:"title"`
	At    time.Time `db:"at"`
}

// mostAside bounds how many that were set aside are listed, the latest first; the others stay in the database.
const mostAside = 30

// SetAsides lists harnesses that have been set aside, the latest first.
func (s *Store) SetAsides(ctx context.Context) ([]Aside, error) {
	ctx, cancel := s.within(ctx)
	defer cancel()
	var list []Aside
	err := s.db.SelectContext(ctx, &list, `SELECT h.id, h.name, r.title, h.deleted_at AS at FROM harnesses h
		JOIN harness_revisions r ON r.id = h.revision_id WHERE h.deleted_at IS NOT NULL ORDER BY h.deleted_at DESC,
			h.id DESC LIMIT $1`, mostAside)
	return list, wrap("listing what was set aside", err)
}

// PutBack puts a harness that was set aside back into the library; ErrChanged where another goes by its name now.
func (s *Store) PutBack(ctx context.Context, id int64) error {
	ctx, cancel := s.within(ctx)
	defer cancel()
	done, err := s.db.ExecContext(ctx, `UPDATE harnesses SET deleted_at = NULL WHERE id = $1 AND deleted_at IS NOT NULL`, id)
	switch {
	case isCode(err, taken):
		return ErrChanged
	case err != nil:
		return wrap("putting a harness back", err)
	}
	if n, err := done.RowsAffected(); err != nil || n == 0 {
		return fmt.Errorf("harness %d: %w", id, ErrNotFound)
	}
	return nil
}

// HarnessEver finds a harness by name, one that has been set aside too: what is in the library goes before.
func (s *Store) HarnessEver(ctx context.Context, name string) (Harness, error) {
	return s.oneHarness(ctx, fmt.Sprintf("harness %q", name),
		selectHarness+`h.revision_id WHERE h.name = $1 ORDER BY h.deleted_at IS NOT NULL, h.id DESC LIMIT 1`, name)
}

// JobsOn counts the jobs that go by each harness, of whichever revision, by the harness's number.
func (s *Store) JobsOn(ctx context.Context) (map[int64]int, error) {
	ctx, cancel := s.within(ctx)
	defer cancel()
	var list []struct {
		ID   int64 `db:"harness_id"`
		Jobs int   `db:"jobs"`
	}
	err := s.db.SelectContext(ctx, &list, `SELECT r.harness_id, count(*) AS jobs FROM jobs j JOIN harness_revisions r ON r.id = j.revision_id
		GROUP BY r.harness_id`)
	of := make(map[int64]int, len(list))
	for _, l := range list {
		of[l.ID] = l.Jobs
	}
	return of, wrap("counting jobs", err)
}
