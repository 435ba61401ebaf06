-- +goose Up
-- Somebody asked for this check and waits for it: it lets nobody go first.
ALTER TABLE check_run ADD COLUMN awaited boolean NOT NULL DEFAULT false;

-- +goose Down
ALTER TABLE check_run DROP COLUMN awaited;
