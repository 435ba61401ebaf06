-- +goose Up
-- How far the search for cuts has come; and a check may be stopped.
ALTER TABLE source ADD COLUMN searching integer NOT NULL DEFAULT 0 CHECK (searching >= 0);
ALTER TABLE check_run DROP CONSTRAINT inspection_state, DROP CONSTRAINT inspection_counts;
ALTER TABLE check_run
    ADD CONSTRAINT check_run_state CHECK (state IN ('queued', 'running', 'done', 'failed', 'stopped')),
    ADD CONSTRAINT check_run_counts CHECK (done >= 0 AND frames >= 0);

-- +goose Down
UPDATE check_run SET state = 'failed' WHERE state = 'stopped';
ALTER TABLE check_run DROP CONSTRAINT check_run_state, DROP CONSTRAINT check_run_counts;
ALTER TABLE check_run
    ADD CONSTRAINT inspection_state CHECK (state IN ('queued', 'running', 'done', 'failed')),
    ADD CONSTRAINT inspection_counts CHECK (done >= 0 AND frames >= 0);
ALTER TABLE source DROP COLUMN searching;
