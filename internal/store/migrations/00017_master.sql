-- +goose Up
-- A delivery is of a source, with its shots as they were at named revisions, or of one shot alone.
ALTER TABLE delivery ADD COLUMN source text REFERENCES source ON DELETE CASCADE;
UPDATE delivery SET source = shot.source FROM shot WHERE shot.id = delivery.shot;
ALTER TABLE delivery ALTER COLUMN source SET NOT NULL;
ALTER TABLE delivery ALTER COLUMN shot DROP NOT NULL;
ALTER TABLE delivery ADD COLUMN contents jsonb NOT NULL DEFAULT '[]'; -- store.Content, of a source's
CREATE INDEX delivery_source ON delivery (source, created);

-- +goose Down
DELETE FROM delivery WHERE shot IS NULL;
ALTER TABLE delivery DROP COLUMN contents;
ALTER TABLE delivery DROP COLUMN source;
ALTER TABLE delivery ALTER COLUMN shot SET NOT NULL;
