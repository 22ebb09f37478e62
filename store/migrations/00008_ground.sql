-- +goose Up
-- Drawings of circuits, each as it was drawn once: the same text by the same rules is never drawn twice.
CREATE TABLE drawings (
    sum     text        NOT NULL, -- SHA-256 of the harness file
    version integer     NOT NULL, -- of the rules of drawing
    sheet   bytea       NOT NULL,
    used_at timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (sum, version)
);
CREATE INDEX drawings_used ON drawings (used_at);

-- Attempts to sign in are noted before they are judged, and one that was right is taken back by its number.
ALTER TABLE attempts ADD COLUMN id bigint GENERATED ALWAYS AS IDENTITY;

-- Devices on which somebody has signed in: strangers' guesses do not keep them out there.
CREATE TABLE known_devices (
    token     text        NOT NULL, -- SHA-256 of what the device keeps
    person_id bigint      NOT NULL REFERENCES people (id),
    seen_at   timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (token, person_id)
);
CREATE INDEX known_devices_seen ON known_devices (seen_at);

-- A job that came from another workshop's file: by whom, when, and up to which entry of its log.
ALTER TABLE jobs ADD COLUMN imported_by text NOT NULL DEFAULT '';
ALTER TABLE jobs ADD COLUMN imported_at timestamptz;
ALTER TABLE jobs ADD COLUMN imported_seq integer NOT NULL DEFAULT 0;

-- +goose Down
ALTER TABLE jobs DROP COLUMN imported_seq, DROP COLUMN imported_at, DROP COLUMN imported_by;
DROP TABLE known_devices;
ALTER TABLE attempts DROP COLUMN id;
DROP TABLE drawings;
