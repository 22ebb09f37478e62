-- +goose Up
-- Pages are kept with the revision of the harness that they were laid on, so that a job which goes by an older one keeps the page that it
-- had. What is there already was laid on the first.
ALTER TABLE harness_pages ADD COLUMN revision_id bigint REFERENCES harness_revisions ON DELETE CASCADE;
UPDATE harness_pages SET revision_id = (SELECT min(r.id) FROM harness_revisions r WHERE r.harness_id = harness_pages.harness_id);
ALTER TABLE harness_pages ALTER COLUMN revision_id SET NOT NULL;
ALTER TABLE harness_pages DROP CONSTRAINT harness_pages_pkey;
ALTER TABLE harness_pages ADD PRIMARY KEY (harness_id, revision_id, number);
ALTER TABLE harness_places ADD COLUMN revision_id bigint REFERENCES harness_revisions ON DELETE CASCADE;
UPDATE harness_places SET revision_id = (SELECT min(r.id) FROM harness_revisions r WHERE r.harness_id = harness_places.harness_id);
ALTER TABLE harness_places ALTER COLUMN revision_id SET NOT NULL;
ALTER TABLE harness_places DROP CONSTRAINT harness_places_pkey;
ALTER TABLE harness_places ADD PRIMARY KEY (harness_id, revision_id);

-- +goose Down
DELETE FROM harness_pages p WHERE revision_id <> (SELECT max(revision_id) FROM harness_pages o WHERE o.harness_id = p.harness_id);
DELETE FROM harness_places p WHERE revision_id <> (SELECT max(revision_id) FROM harness_places o WHERE o.harness_id = p.harness_id);
ALTER TABLE harness_pages DROP CONSTRAINT harness_pages_pkey;
ALTER TABLE harness_pages DROP COLUMN revision_id;
ALTER TABLE harness_pages ADD PRIMARY KEY (harness_id, number);
ALTER TABLE harness_places DROP CONSTRAINT harness_places_pkey;
ALTER TABLE harness_places DROP COLUMN revision_id;
ALTER TABLE harness_places ADD PRIMARY KEY (harness_id);
