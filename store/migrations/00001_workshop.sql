-- +goose Up
CREATE TABLE harnesses (
    id       bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    name     text        NOT NULL UNIQUE,
    title    text        NOT NULL,
    source   text        NOT NULL, -- the harness file
    added_at timestamptz NOT NULL DEFAULT now()
);

CREATE TABLE vehicles (
    id    bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    name  text NOT NULL UNIQUE,
    notes text NOT NULL DEFAULT ''
);

CREATE TABLE jobs (
    id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    vehicle_id bigint      NOT NULL REFERENCES vehicles (id),
    harness_id bigint      NOT NULL REFERENCES harnesses (id),
    title      text        NOT NULL,
    opened_at  timestamptz NOT NULL DEFAULT now()
);

-- The log. Entries are only ever added; what a job's state is, is folded from them.
CREATE TABLE entries (
    job_id bigint      NOT NULL REFERENCES jobs (id),
    seq    integer     NOT NULL CHECK (seq > 0),
    at     timestamptz NOT NULL DEFAULT now(),
    who    text        NOT NULL,
    kind   text        NOT NULL,
    body   jsonb       NOT NULL,
    PRIMARY KEY (job_id, seq)
);

-- +goose Down
DROP TABLE entries;
DROP TABLE jobs;
DROP TABLE vehicles;
DROP TABLE harnesses;
