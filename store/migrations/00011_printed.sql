-- +goose Up
-- A circuit that is being traced from somebody's page, and its pages: each a picture, as it was taken in and as it was straightened.
CREATE TABLE traces (
	id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	state jsonb NOT NULL,
	who text NOT NULL DEFAULT '',
	made_at timestamptz NOT NULL DEFAULT now(),
	changed_at timestamptz NOT NULL DEFAULT now()
);
CREATE TABLE trace_pages (
	trace_id bigint NOT NULL REFERENCES traces ON DELETE CASCADE,
	number int NOT NULL,
	taken bytea NOT NULL,
	jpeg bytea NOT NULL,
	width int NOT NULL,
	height int NOT NULL,
	PRIMARY KEY (trace_id, number)
);
-- The pages of a circuit of the library, and where its pins stand on them.
CREATE TABLE harness_pages (
	harness_id bigint NOT NULL REFERENCES harnesses ON DELETE CASCADE,
	number int NOT NULL,
	jpeg bytea NOT NULL,
	width int NOT NULL,
	height int NOT NULL,
	PRIMARY KEY (harness_id, number)
);
CREATE TABLE harness_places (
	harness_id bigint PRIMARY KEY REFERENCES harnesses ON DELETE CASCADE,
	places jsonb NOT NULL
);

-- +goose Down
DROP TABLE harness_places;
DROP TABLE harness_pages;
DROP TABLE trace_pages;
DROP TABLE traces;
