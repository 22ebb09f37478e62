-- +goose Up
-- Who may come in, where others than this machine's own user can reach the application. A person is never deleted: log
-- entries bear the name.
CREATE TABLE people (
    id       bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    name     text        NOT NULL CHECK (name <> ''),
    role     text        NOT NULL CHECK (role IN ('technician', 'lead')),
    secret   text        NOT NULL, -- argon2id, with its salt and parameters
    active   boolean     NOT NULL DEFAULT true,
    epoch    integer     NOT NULL DEFAULT 0, -- raised to end every session
    added_at timestamptz NOT NULL DEFAULT now()
);
CREATE UNIQUE INDEX people_name ON people (lower(name));

-- Devices on which a person may sign in with a PIN.
CREATE TABLE devices (
    token     text        NOT NULL, -- SHA-256 of what the device keeps
    person_id bigint      NOT NULL REFERENCES people (id),
    pin       text        NOT NULL, -- argon2id
    wrong     integer     NOT NULL DEFAULT 0,
    added_at  timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (token, person_id)
);

CREATE TABLE sessions (
    token  text PRIMARY KEY,
    data   bytea       NOT NULL,
    expiry timestamptz NOT NULL
);
CREATE INDEX sessions_expiry ON sessions (expiry);

-- Attempts to sign in that failed, by name and by address: too many, and one waits.
CREATE TABLE attempts (
    key text        NOT NULL,
    at  timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX attempts_key ON attempts (key, at);

-- +goose Down
DROP TABLE attempts;
DROP TABLE sessions;
DROP TABLE devices;
DROP TABLE people;
