-- +goose Up
-- A harness is kept in revisions that never change. An edit, or a newer shipped file, is a new one;
-- a job goes by the one that it is pinned to.
CREATE TABLE harness_revisions (
    id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    harness_id bigint      NOT NULL REFERENCES harnesses (id),
    number     integer     NOT NULL CHECK (number > 0),
    title      text        NOT NULL,
    source     text        NOT NULL, -- the harness file
    shipped    boolean     NOT NULL DEFAULT false,
    made_at    timestamptz NOT NULL DEFAULT now(),
    UNIQUE (harness_id, number)
);
INSERT INTO harness_revisions (harness_id, number, title, source, shipped, made_at)
SELECT id, 1, title, source, source = shipped, added_at FROM harnesses;

ALTER TABLE harnesses ADD COLUMN revision_id bigint REFERENCES harness_revisions (id);
ALTER TABLE harnesses ADD COLUMN deleted_at timestamptz;
UPDATE harnesses h SET revision_id = r.id FROM harness_revisions r WHERE r.harness_id = h.id;
ALTER TABLE harnesses DROP CONSTRAINT harnesses_name_key;
CREATE UNIQUE INDEX harnesses_name ON harnesses (name) WHERE deleted_at IS NULL;

ALTER TABLE jobs ADD COLUMN opened_with bigint REFERENCES harness_revisions (id);
ALTER TABLE jobs ADD COLUMN revision_id bigint REFERENCES harness_revisions (id);
UPDATE jobs j SET opened_with = h.revision_id, revision_id = h.revision_id FROM harnesses h WHERE h.id = j.harness_id;
ALTER TABLE jobs ALTER COLUMN opened_with SET NOT NULL;
ALTER TABLE jobs ALTER COLUMN revision_id SET NOT NULL;
ALTER TABLE jobs DROP COLUMN harness_id;
ALTER TABLE harnesses DROP COLUMN source;
ALTER TABLE harnesses DROP COLUMN shipped;
ALTER TABLE harnesses DROP COLUMN title;

-- What lists need of a job, written in the same transaction as each entry of its log; and how it stands
-- by the guide, as of the entry for which that was worked out last.
ALTER TABLE jobs ADD COLUMN origin text NOT NULL DEFAULT gen_random_uuid()::text; -- the same in every workshop that takes it in
ALTER TABLE jobs ADD COLUMN summary jsonb NOT NULL DEFAULT '{}';
ALTER TABLE jobs ADD COLUMN closed boolean NOT NULL DEFAULT false;
ALTER TABLE jobs ADD COLUMN closed_at timestamptz;
ALTER TABLE jobs ADD COLUMN last_seq integer NOT NULL DEFAULT 0;
ALTER TABLE jobs ADD COLUMN words tsvector NOT NULL DEFAULT '';
ALTER TABLE jobs ADD COLUMN standing jsonb;
ALTER TABLE jobs ADD COLUMN standing_seq integer NOT NULL DEFAULT 0;
CREATE UNIQUE INDEX jobs_origin ON jobs (origin);
CREATE INDEX jobs_listed ON jobs (closed, opened_at DESC, id DESC);
CREATE INDEX jobs_closed ON jobs (closed_at DESC, id DESC) WHERE closed;
CREATE INDEX jobs_words ON jobs USING gin (words);

-- A form is taken once, however often it is sent.
CREATE TABLE used_forms (
    token   text        PRIMARY KEY,
    used_at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX used_forms_at ON used_forms (used_at);

-- +goose StatementBegin
CREATE FUNCTION never_changes() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    RAISE EXCEPTION '% are never changed or removed', TG_TABLE_NAME;
END $$;
-- +goose StatementEnd
CREATE TRIGGER entries_never_change BEFORE UPDATE OR DELETE ON entries FOR EACH ROW EXECUTE FUNCTION never_changes();
CREATE TRIGGER revisions_never_change BEFORE UPDATE OR DELETE ON harness_revisions FOR EACH ROW EXECUTE FUNCTION never_changes();

-- +goose Down
DROP TRIGGER revisions_never_change ON harness_revisions;
DROP TRIGGER entries_never_change ON entries;
DROP FUNCTION never_changes;
DROP TABLE used_forms;
ALTER TABLE harnesses ADD COLUMN title text NOT NULL DEFAULT '';
ALTER TABLE harnesses ADD COLUMN shipped text NOT NULL DEFAULT '';
ALTER TABLE harnesses ADD COLUMN source text NOT NULL DEFAULT '';
UPDATE harnesses h SET title = r.title, source = r.source, shipped = CASE WHEN r.shipped THEN r.source ELSE '' END
FROM harness_revisions r WHERE r.id = h.revision_id;
ALTER TABLE jobs ADD COLUMN harness_id bigint REFERENCES harnesses (id);
UPDATE jobs j SET harness_id = r.harness_id FROM harness_revisions r WHERE r.id = j.revision_id;
ALTER TABLE jobs DROP COLUMN standing_seq, DROP COLUMN standing, DROP COLUMN words, DROP COLUMN last_seq, DROP COLUMN closed_at,
    DROP COLUMN closed, DROP COLUMN summary, DROP COLUMN origin, DROP COLUMN revision_id, DROP COLUMN opened_with;
DROP INDEX harnesses_name;
DELETE FROM harnesses WHERE deleted_at IS NOT NULL AND id NOT IN (SELECT harness_id FROM jobs);
UPDATE harnesses SET name = name || '-' || id WHERE deleted_at IS NOT NULL;
ALTER TABLE harnesses ADD CONSTRAINT harnesses_name_key UNIQUE (name);
ALTER TABLE harnesses DROP COLUMN deleted_at, DROP COLUMN revision_id;
DROP TABLE harness_revisions;
