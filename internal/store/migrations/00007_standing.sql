-- +goose Up
-- What names a change, so that one sent twice is made once.
ALTER TABLE revision ADD COLUMN key text;
CREATE UNIQUE INDEX revision_key ON revision (shot, key) WHERE key IS NOT NULL;
-- Why it does not go on for now, in words; empty while it does.
ALTER TABLE source ADD COLUMN waiting text NOT NULL DEFAULT '';
ALTER TABLE delivery ADD COLUMN waiting text NOT NULL DEFAULT '';
ALTER TABLE attempt ADD COLUMN waiting text NOT NULL DEFAULT '';
ALTER TABLE inspection ADD COLUMN waiting text NOT NULL DEFAULT '';
CREATE INDEX delivery_shot ON delivery (shot, created);

-- +goose Down
DROP INDEX delivery_shot;
ALTER TABLE inspection DROP COLUMN waiting;
ALTER TABLE attempt DROP COLUMN waiting;
ALTER TABLE delivery DROP COLUMN waiting;
ALTER TABLE source DROP COLUMN waiting;
DROP INDEX revision_key;
ALTER TABLE revision DROP COLUMN key;
