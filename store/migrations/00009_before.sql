-- +goose Up
-- A vehicle's closed jobs, the latest first: a comeback is shown what the last ones came to.
CREATE INDEX jobs_of_vehicle ON jobs (vehicle_id, closed_at DESC) WHERE closed;

-- +goose Down
DROP INDEX jobs_of_vehicle;
