-- +goose Up
-- A photograph on an entry of a job's log.
CREATE TABLE job_photos (
    id       bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    job_id   bigint      NOT NULL REFERENCES jobs (id),
    jpeg     bytea       NOT NULL,
    added_at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX job_photos_job ON job_photos (job_id);

-- What the workshop has set, by name.
CREATE TABLE settings (
    name  text  PRIMARY KEY,
    value jsonb NOT NULL
);

-- +goose Down
DROP TABLE settings;
DROP TABLE job_photos;
