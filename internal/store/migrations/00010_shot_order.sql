-- +goose Up
-- Shots stand in the order of the master; those that somebody moved stand where they were put.
ALTER TABLE shot ADD COLUMN position integer NOT NULL DEFAULT 0 CHECK (position >= 0);

-- +goose Down
ALTER TABLE shot DROP COLUMN position;
