-- +goose Up
-- House presets are for all programmes. A delivery keeps the recipe that it was ordered by.
CREATE TABLE preset (
    name   text PRIMARY KEY,
    recipe jsonb NOT NULL,              -- media.Recipe
    by     text NOT NULL DEFAULT '',
    at     timestamptz NOT NULL DEFAULT now()
);
ALTER TABLE delivery ADD COLUMN recipe jsonb NOT NULL DEFAULT 'null';

-- +goose Down
ALTER TABLE delivery DROP COLUMN recipe;
DROP TABLE preset;
