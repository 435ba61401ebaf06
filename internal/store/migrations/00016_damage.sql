-- +goose Up
-- A source whose pictures are spoilt or not all there is refused, until somebody takes it as it is.
ALTER TABLE source ADD COLUMN damage text NOT NULL DEFAULT '' CHECK (damage IN ('', 'found', 'taken'));

-- +goose Down
ALTER TABLE source DROP COLUMN damage;
