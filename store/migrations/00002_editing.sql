-- +goose Up
-- The text as shipped: one that still is what was shipped is brought up to date, one that has
-- been edited here is left alone.
ALTER TABLE harnesses ADD COLUMN shipped text NOT NULL DEFAULT '';
UPDATE harnesses SET shipped = source;

-- A photograph of a fuse and relay box, and where on it each part sits.
CREATE TABLE box_photos (
    harness_id bigint      NOT NULL REFERENCES harnesses (id),
    box        text        NOT NULL,
    jpeg       bytea       NOT NULL,
    width      integer     NOT NULL CHECK (width > 0),
    height     integer     NOT NULL CHECK (height > 0),
    tags       jsonb       NOT NULL DEFAULT '[]',
    taken_at   timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (harness_id, box)
);

-- +goose Down
DROP TABLE box_photos;
ALTER TABLE harnesses DROP COLUMN shipped;
