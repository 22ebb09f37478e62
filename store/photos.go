package store

import (
	"context"
	"encoding/json"
	"fmt"
)

// Photo is a photograph of a box, with where on it the parts sit. JPEG is filled only where it
// is asked for.
type Photo struct {
	Box           string
	Width, Height int
	Tags          []Tag
	JPEG          []byte
}

// Tag is where on a photograph a part's socket is: its middle and width in thousandths of the
// picture's width and height, and how far it is turned, quarter turns clockwise.
type Tag struct {
	Part string `json:"part"`
	X    int    `json:"x"`
	Y    int    `json:"y"`
	Wide int    `json:"wide"`
	Turn int    `json:"turn"`
}

// PutPhoto keeps a box's photograph in place of one there was; its tags stay.
func (s *Store) PutPhoto(ctx context.Context, harness int64, p Photo) error {
	ctx, cancel := s.within(ctx)
	defer cancel()
	_, err := s.db.ExecContext(ctx, `
		INSERT INTO box_photos (harness_id, box, jpeg, width, height) VALUES ($1, $2, $3, $4, $5)
		ON CONFLICT (harness_id, box) DO UPDATE SET jpeg = EXCLUDED.jpeg, width = EXCLUDED.width, height = EXCLUDED.height, taken_at = now()`,
		harness, p.Box, p.JPEG, p.Width, p.Height)
	return wrap("keeping a photograph", err)
}

// Photos lists a harness's photographs without their pictures.
func (s *Store) Photos(ctx context.Context, harness int64) ([]Photo, error) {
	ctx, cancel := s.within(ctx)
	defer cancel()
	rows, err := s.db.QueryContext(ctx, `SELECT box, width, height, tags FROM box_photos WHERE harness_id = $1 ORDER BY box`, harness)
	if err != nil {
		return nil, wrap("listing photographs", err)
	}
	defer rows.Close()
	var list []Photo
	for rows.Next() {
		var p Photo
		var tags []byte
		if err := rows.Scan(&p.Box, &p.Width, &p.Height, &tags); err != nil {
			return nil, wrap("reading a photograph", err)
		}
		if err := json.Unmarshal(tags, &p.Tags); err != nil {
			return nil, fmt.Errorf("store: a photograph's tags: %w", err)
		}
		list = append(list, p)
	}
	return list, wrap("listing photographs", rows.Err())
}

// Picture gives a box's photograph as JPEG; ErrNotFound if there is none.
func (s *Store) Picture(ctx context.Context, harness int64, box string) ([]byte, error) {
	ctx, cancel := s.within(ctx)
	defer cancel()
	var b []byte
	err := s.db.GetContext(ctx, &b, `SELECT jpeg FROM box_photos WHERE harness_id = $1 AND box = $2`, harness, box)
	if noRows(err) {
		return nil, fmt.Errorf("photograph of %s: %w", box, ErrNotFound)
	}
	return b, wrap("reading a photograph", err)
}

// TagPhoto sets where a part is on a box's photograph; a tag without a width takes it off.
func (s *Store) TagPhoto(ctx context.Context, harness int64, box string, tag Tag) error {
	kept, err := json.Marshal([]Tag{tag})
	if err != nil {
		return fmt.Errorf("store: a tag: %w", err)
	}
	if tag.Wide <= 0 {
		kept = []byte("[]")
	}
	ctx, cancel := s.within(ctx)
	defer cancel()
	done, err := s.db.ExecContext(ctx, `
		UPDATE box_photos SET tags = coalesce((SELECT jsonb_agg(t) FROM jsonb_array_elements(tags) AS t WHERE t->>'part' <> $3),
			'[]') || $4::jsonb
		WHERE harness_id = $1 AND box = $2`, harness, box, tag.Part, string(kept))
	if err != nil {
		return wrap("tagging a photograph", err)
	}
	if n, err := done.RowsAffected(); err != nil || n == 0 {
		return fmt.Errorf("photograph of %s: %w", box, ErrNotFound)
	}
	return nil
}

const insertPhoto = `INSERT INTO job_photos (job_id, jpeg) VALUES ($1, $2) RETURNING id`

// AddJobPhoto keeps a photograph of a job and gives its number.
func (s *Store) AddJobPhoto(ctx context.Context, jobID int64, jpeg []byte) (int64, error) {
	ctx, cancel := s.within(ctx)
	defer cancel()
	var id int64
	err := s.db.GetContext(ctx, &id, insertPhoto, jobID, jpeg)
	if isCode(err, foreignKey) {
		return 0, fmt.Errorf("job %d: %w", jobID, ErrNotFound)
	}
	return id, wrap("keeping a photograph", err)
}

// JobPhoto gives a photograph of a job; ErrNotFound if it has none of that number.
func (s *Store) JobPhoto(ctx context.Context, jobID, id int64) ([]byte, error) {
	ctx, cancel := s.within(ctx)
	defer cancel()
	var list [][]byte
	if err := s.db.SelectContext(ctx, &list, `SELECT jpeg FROM job_photos WHERE job_id = $1 AND id = $2`, jobID, id); err != nil {
		return nil, wrap("reading a photograph", err)
	}
	if len(list) == 0 {
		return nil, fmt.Errorf("photograph %d: %w", id, ErrNotFound)
	}
	return list[0], nil
}
