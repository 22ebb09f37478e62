package store

import (
	"context"
	"fmt"
	"time"

	"github.com/jmoiron/sqlx"

	"ironthread/core/job"
)

// Imported is a job as another workshop kept it. Revisions are harness files by the numbers that the
// entries call them by, photographs JPEGs likewise; they get numbers of this store.
type Imported struct {
	By        string // who takes it in
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
		err = tx.GetContext(ctx, &id, `INSERT INTO jobs (vehicle_id, opened_with, revision_id, title, opened_at, origin,
				imported_by, imported_at, imported_seq)
			VALUES ($1, $2, $2, $3, $4, $5, $6, now(), $7) RETURNING id`,
			vehicle, opened, in.Title, in.OpenedAt, in.Origin, in.By, len(in.Entries))
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
		switch b := in.Entries[k].Body.(type) {
		case job.Picture:
			b.Photo = photos[b.Photo]
			in.Entries[k].Body = b
		case job.Closing:
			b.Page = photos[b.Page]
			in.Entries[k].Body = b
		case job.Move:
			b.Revision = revisions[b.Revision]
			in.Entries[k].Body = b
		}
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
		id, taken, err := newHarness(ctx, tx, free, revision{title: h.Title, source: h.Source})
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
