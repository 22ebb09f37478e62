-- +goose Up
-- Until when a passphrase that another gave may be used; whoever has it chooses one of their own within that time.
ALTER TABLE people ADD COLUMN fresh_until timestamptz;

-- +goose Down
ALTER TABLE people DROP COLUMN fresh_until;
