-- +goose Up
-- A delivery is of a range of the shot's frames, and of its pictures or its matte.
ALTER TABLE delivery ADD COLUMN first integer NOT NULL DEFAULT 0 CHECK (first >= 0);
ALTER TABLE delivery ADD COLUMN matte boolean NOT NULL DEFAULT false;

-- +goose Down
ALTER TABLE delivery DROP COLUMN matte;
ALTER TABLE delivery DROP COLUMN first;
