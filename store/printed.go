package store

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"github.com/jmoiron/sqlx"

	"ironthread/core/printed"
)

// PrintedPage is one page of a circuit: its picture as JPEG, filled only where it is asked for.
type PrintedPage struct {
	Number int    `db:"number"`
	Width  int    `db:"width"`
	Height int    `db:"height"`
	JPEG   []byte `db:"jpeg"`
	Taken  []byte `db:"taken"` // as it was taken in, before it was straightened
}

// Traced is a circuit that is being traced.
type Traced struct {
	ID    int64
	State []byte // a printed.Trace
	Who   string
	At    time.Time
	Pages []PrintedPage // without their pictures
}

// Bounds of what is being traced at once: the oldest gives way.
const mostTraces = 60

// BeginTrace keeps a new trace and gives its number. The oldest beyond what is kept are dropped.
func (s *Store) BeginTrace(ctx context.Context, state []byte, who string) (id int64, err error) {
	err = s.inTx(ctx, "beginning to trace", func(ctx context.Context, tx *sqlx.Tx) error {
		if err := tx.GetContext(ctx, &id, `INSERT INTO traces (state, who) VALUES ($1, $2) RETURNING id`, string(state), who); err != nil {
			return wrap("beginning to trace", err)
		}
		_, err := tx.ExecContext(ctx, `DELETE FROM traces WHERE id NOT IN (SELECT id FROM traces ORDER BY changed_at DESC, id DESC LIMIT $1)`,
			mostTraces)
		return wrap("beginning to trace", err)
	})
	return id, err
}

// PutTrace keeps how far a trace is; ErrNotFound where it has gone.
func (s *Store) PutTrace(ctx context.Context, id int64, state []byte) error {
	ctx, cancel := s.within(ctx)
	defer cancel()
	done, err := s.db.ExecContext(ctx, `UPDATE traces SET state = $2, changed_at = now() WHERE id = $1`, id, string(state))
	if err != nil {
		return wrap("keeping a trace", err)
	}
	if n, err := done.RowsAffected(); err != nil || n == 0 {
		return fmt.Errorf("trace %d: %w", id, ErrNotFound)
	}
	return nil
}

// Trace gives one with its pages, without their pictures.
func (s *Store) Trace(ctx context.Context, id int64) (*Traced, error) {
	ctx, cancel := s.within(ctx)
	defer cancel()
	t := &Traced{ID: id}
	err := s.db.QueryRowContext(ctx, `SELECT state, who, changed_at FROM traces WHERE id = $1`, id).Scan(&t.State, &t.Who, &t.At)
	if noRows(err) {
		return nil, fmt.Errorf("trace %d: %w", id, ErrNotFound)
	}
	if err != nil {
		return nil, wrap("reading a trace", err)
	}
	err = s.db.SelectContext(ctx, &t.Pages, `SELECT number, width, height FROM trace_pages WHERE trace_id = $1 ORDER BY number`, id)
	return t, wrap("reading a trace", err)
}

// PutTracePage keeps a page of a trace: the next one where its number is nothing. It gives its number.
func (s *Store) PutTracePage(ctx context.Context, id int64, p PrintedPage) (number int, err error) {
	err = s.inTx(ctx, "keeping a page", func(ctx context.Context, tx *sqlx.Tx) error {
		var locked []int64
		if err := tx.SelectContext(ctx, &locked, `SELECT id FROM traces WHERE id = $1 FOR UPDATE`, id); err != nil {
			return wrap("keeping a page", err)
		}
		if len(locked) == 0 {
			return fmt.Errorf("trace %d: %w", id, ErrNotFound)
		}
		if number = p.Number; number == 0 {
			if err := tx.GetContext(ctx, &number, `SELECT coalesce(max(number), 0) + 1 FROM trace_pages WHERE trace_id = $1`, id); err != nil {
				return wrap("keeping a page", err)
			}
		}
		if number > printed.MostPages {
			return fmt.Errorf("a circuit has up to %d pages", printed.MostPages)
		}
		_, err := tx.ExecContext(ctx, `
			INSERT INTO trace_pages (trace_id, number, taken, jpeg, width, height) VALUES ($1, $2, $3, $4, $5, $6)
			ON CONFLICT (trace_id, number) DO UPDATE SET jpeg = EXCLUDED.jpeg, width = EXCLUDED.width, height = EXCLUDED.height`,
			id, number, p.Taken, p.JPEG, p.Width, p.Height)
		return wrap("keeping a page", err)
	})
	return number, err
}

// TracePage gives a page's picture.
func (s *Store) TracePage(ctx context.Context, id int64, number int) (PrintedPage, error) {
	ctx, cancel := s.within(ctx)
	defer cancel()
	var p PrintedPage
	err := s.db.GetContext(ctx, &p, `SELECT number, width, height, jpeg, taken FROM trace_pages WHERE trace_id = $1 AND number = $2`, id,
		number)
	if noRows(err) {
		return p, fmt.Errorf("page %d of trace %d: %w", number, id, ErrNotFound)
	}
	return p, wrap("reading a page", err)
}

const putPlaces = `INSERT INTO harness_places (harness_id, revision_id, places) VALUES ($1, $2, $3)
	ON CONFLICT (harness_id, revision_id) DO UPDATE SET places = EXCLUDED.places`

const dropPages = `DELETE FROM harness_pages WHERE harness_id = $1 AND revision_id = $2`

// EndTrace lays a trace's pages on the revision of a circuit that is given, in place of those that it had, and drops the trace.
func (s *Store) EndTrace(ctx context.Context, id int64, h Harness, places printed.Places) error {
	kept, err := json.Marshal(places)
	if err != nil {
		return fmt.Errorf("store: places: %w", err)
	}
	return s.inTx(ctx, "keeping pages", func(ctx context.Context, tx *sqlx.Tx) error {
		for _, do := range []struct {
			query string
			args  []any
		}{
			{dropPages, []any{h.ID, h.Revision}},
			{`INSERT INTO harness_pages (harness_id, revision_id, number, jpeg, width, height)
				SELECT $1, $2, number, jpeg, width, height FROM trace_pages WHERE trace_id = $3`, []any{h.ID, h.Revision, id}},
			{putPlaces, []any{h.ID, h.Revision, string(kept)}},
			{`DELETE FROM traces WHERE id = $1`, []any{id}},
		} {
			if _, err := tx.ExecContext(ctx, do.query, do.args...); err != nil {
				return wrap("keeping pages", err)
			}
		}
		return nil
	})
}

// PutPages lays pages with their places on the revision of a circuit that is given.
func (s *Store) PutPages(ctx context.Context, h Harness, pages []PrintedPage, places printed.Places) error {
	kept, err := json.Marshal(places)
	if err != nil {
		return fmt.Errorf("store: places: %w", err)
	}
	return s.inTx(ctx, "keeping pages", func(ctx context.Context, tx *sqlx.Tx) error {
		if _, err := tx.ExecContext(ctx, dropPages, h.ID, h.Revision); err != nil {
			return wrap("keeping pages", err)
		}
		for _, p := range pages {
			if _, err := tx.ExecContext(ctx, `INSERT INTO harness_pages (harness_id, revision_id, number, jpeg, width, height)
				VALUES ($1, $2, $3, $4, $5, $6)`, h.ID, h.Revision, p.Number, p.JPEG, p.Width, p.Height); err != nil {
				return wrap("keeping pages", err)
			}
		}
		_, err := tx.ExecContext(ctx, putPlaces, h.ID, h.Revision, string(kept))
		return wrap("keeping pages", err)
	})
}

// Printing is what is printed of a circuit: its pages, without their pictures, and where its pins stand on them.
type Printing struct {
	On     int64 // the revision that they were laid on
	Pages  []PrintedPage
	Places printed.Places
}

// Printed gives the pages that hold for a revision of a circuit: those laid on it or on the last one before; where there are none, those
// that were laid first. There are no pages in it where the circuit has none.
func (s *Store) Printed(ctx context.Context, harness, revision int64) (*Printing, error) {
	ctx, cancel := s.within(ctx)
	defer cancel()
	of := &Printing{Places: printed.Places{}}
	var kept []struct {
		On     int64  `db:"revision_id"`
		Places []byte `db:"places"`
	}
	err := s.db.SelectContext(ctx, &kept, `SELECT revision_id, places FROM harness_places WHERE harness_id = $1
		ORDER BY revision_id <= $2 DESC, abs(revision_id - $2) LIMIT 1`, harness, revision)
	if err != nil || len(kept) == 0 {
		return of, wrap("reading pages", err)
	}
	of.On = kept[0].On
	err = s.db.SelectContext(ctx, &of.Pages, `SELECT number, width, height FROM harness_pages WHERE harness_id = $1 AND revision_id = $2
		ORDER BY number`, harness, of.On)
	if err != nil {
		return of, wrap("reading pages", err)
	}
	if err := json.Unmarshal(kept[0].Places, &of.Places); err != nil {
		return of, fmt.Errorf("store: places: %w", err)
	}
	return of, nil
}

// PageOf gives the picture of a page that was laid on a revision of a circuit; on 0, on the last one that has pages.
func (s *Store) PageOf(ctx context.Context, harness, on int64, number int) (PrintedPage, error) {
	ctx, cancel := s.within(ctx)
	defer cancel()
	var p PrintedPage
	err := s.db.GetContext(ctx, &p, `SELECT number, width, height, jpeg FROM harness_pages
		WHERE harness_id = $1 AND (revision_id = $2 OR $2 = 0) AND number = $3 ORDER BY revision_id DESC LIMIT 1`, harness, on, number)
	if noRows(err) {
		return p, fmt.Errorf("page %d: %w", number, ErrNotFound)
	}
	return p, wrap("reading a page", err)
}
