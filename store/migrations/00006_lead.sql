-- +goose Up
-- The revision of a harness that a lead has made the one of record: jobs go by it. None: they go by the newest.
ALTER TABLE harnesses ADD COLUMN record_id bigint REFERENCES harness_revisions (id);
ALTER TABLE harnesses ADD COLUMN record_by text NOT NULL DEFAULT '';
ALTER TABLE harnesses ADD COLUMN record_at timestamptz;

-- Closed jobs that have left the Bay. Nothing of what is recorded changes.
ALTER TABLE jobs ADD COLUMN archived boolean NOT NULL DEFAULT false;
CREATE INDEX jobs_in_bay ON jobs (closed, opened_at DESC, id DESC) WHERE NOT archived;
CREATE INDEX jobs_in_archive ON jobs (closed_at DESC, id DESC) WHERE archived;
CREATE INDEX jobs_to_archive ON jobs (closed_at) WHERE closed AND NOT archived;

-- Texts being typed in the editor, so that every instance can draw them.
CREATE TABLE drafts (
    sum  text        PRIMARY KEY, -- SHA-256 of the text
    text text        NOT NULL,
    at   timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX drafts_at ON drafts (at);

-- Studies of circuits, wherever they are played: whichever instance plays one says here how far it has come.
CREATE TABLE studies (
    sum     text        PRIMARY KEY, -- SHA-256 of the harness file
    kind    text        NOT NULL,
    playing boolean     NOT NULL DEFAULT true,
    stop    boolean     NOT NULL DEFAULT false, -- asked of whoever plays it
    done    integer     NOT NULL DEFAULT 0,
    total   integer     NOT NULL DEFAULT 0,
    reports jsonb       NOT NULL DEFAULT '[]',
    failed  text        NOT NULL DEFAULT '',
    beat    timestamptz NOT NULL DEFAULT now() -- the last sign of life of whoever plays it
);
CREATE INDEX studies_beat ON studies (beat);

-- What happened to a person's passphrase or devices, told at the next page they open.
ALTER TABLE people ADD COLUMN notice text NOT NULL DEFAULT '';

-- A second step at signing in: the secret of a code that changes with the time (RFC 6238), and the last step of time whose
-- code was used, so that none is of use twice.
ALTER TABLE people ADD COLUMN second text NOT NULL DEFAULT '';
ALTER TABLE people ADD COLUMN second_step bigint NOT NULL DEFAULT 0;

-- +goose Down
ALTER TABLE people DROP COLUMN second_step, DROP COLUMN second, DROP COLUMN notice;
DROP TABLE studies;
DROP TABLE drafts;
DROP INDEX jobs_to_archive;
DROP INDEX jobs_in_archive;
DROP INDEX jobs_in_bay;
ALTER TABLE jobs DROP COLUMN archived;
ALTER TABLE harnesses DROP COLUMN record_at, DROP COLUMN record_by, DROP COLUMN record_id;
