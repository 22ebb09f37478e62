-- +goose Up
-- A vehicle's jobs, the newest first: the next one begins with the circuit that the vehicle had last.
CREATE INDEX jobs_newest_of_vehicle ON jobs (vehicle_id, id DESC);

-- +goose Down
DROP INDEX jobs_newest_of_vehicle;
