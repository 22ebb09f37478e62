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

const putPlaces = `INSERT INTO harness_places (harness_id, places) VALUES ($1, $2)
	ON CONFLICT (harness_id) DO UPDATE SET places = EXCLUDED.places`

// EndTrace gives a trace's pages and places to a circuit of the library, in place of those that it had, and drops the trace.
func (s *Store) EndTrace(ctx context.Context, id, harness int64, places printed.Places) error {
	kept, err := json.Marshal(places)
	if err != nil {
		return fmt.Errorf("store: places: %w", err)
	}
	return s.inTx(ctx, "keeping pages", func(ctx context.Context, tx *sqlx.Tx) error {
		for _, do := range []struct {
			query string
			args  []any
		}{
			{`DELETE FROM harness_pages WHERE harness_id = $1`, []any{harness}},
			{`INSERT INTO harness_pages (harness_id, number, jpeg, width, height)
				SELECT $1, number, jpeg, width, height FROM trace_pages WHERE trace_id = $2`, []any{harness, id}},
			{putPlaces, []any{harness, string(kept)}},
			{`DELETE FROM traces WHERE id = $1`, []any{id}},
		} {
			if _, err := tx.ExecContext(ctx, do.query, do.args...); err != nil {
				return wrap("keeping pages", err)
			}
		}
		return nil
	})
}

// PutPages gives pages and places to a circuit of the library.
func (s *Store) PutPages(ctx context.Context, harness int64, pages []PrintedPage, places printed.Places) error {
	kept, err := json.Marshal(places)
	if err != nil {
		return fmt.Errorf("store: places: %w", err)
	}
	return s.inTx(ctx, "keeping pages", func(ctx context.Context, tx *sqlx.Tx) error {
		if _, err := tx.ExecContext(ctx, `DELETE FROM harness_pages WHERE harness_id = $1`, harness); err != nil {
			return wrap("keeping pages", err)
		}
		for _, p := range pages {
			if _, err := tx.ExecContext(ctx, `INSERT INTO harness_pages (harness_id, number, jpeg, width, height) VALUES ($1, $2, $3, $4, $5)`,
				harness, p.Number, p.JPEG, p.Width, p.Height); err != nil {
				return wrap("keeping pages", err)
			}
		}
		_, err := tx.ExecContext(ctx, putPlaces, harness, string(kept))
		return wrap("keeping pages", err)
	})
}

// Printed gives a circuit's pages without their pictures, and where its pins stand on them; nothing where it has none.
func (s *Store) Printed(ctx context.Context, harness int64) (pages []PrintedPage, places printed.Places, err error) {
	ctx, cancel := s.within(ctx)
	defer cancel()
	err = s.db.SelectContext(ctx, &pages, `SELECT number, width, height FROM harness_pages WHERE harness_id = $1 ORDER BY number`, harness)
	if err != nil || len(pages) == 0 {
		return nil, nil, wrap("reading pages", err)
	}
	var kept [][]byte
	if err := s.db.SelectContext(ctx, &kept, `SELECT places FROM harness_places WHERE harness_id = $1`, harness); err != nil {
		return nil, nil, wrap("reading pages", err)
	}
	places = printed.Places{}
	if len(kept) > 0 {
		if err := json.Unmarshal(kept[0], &places); err != nil {
			return nil, nil, fmt.Errorf("store: places: %w", err)
		}
	}
	return pages, places, nil
}

// PageOf gives the picture of a circuit's page.
func (s *Store) PageOf(ctx context.Context, harness int64, number int) (PrintedPage, error) {
	ctx, cancel := s.within(ctx)
	defer cancel()
	var p PrintedPage
	err := s.db.GetContext(ctx, &p, `SELECT number, width, height, jpeg FROM harness_pages WHERE harness_id = $1 AND number = $2`, harness,
		number)
	if noRows(err) {
		return p, fmt.Errorf("page %d: %w", number, ErrNotFound)
	}
	return p, wrap("reading a page", err)
}
