-- +goose Up
-- What must be hidden may be something said.
ALTER TABLE item DROP CONSTRAINT item_kind;
ALTER TABLE item
    ADD CONSTRAINT item_kind CHECK (kind IN ('plate', 'logo', 'sign', 'number', 'text', 'face', 'speech', 'other'));

-- +goose Down
UPDATE item SET kind = 'other' WHERE kind = 'speech';
ALTER TABLE item DROP CONSTRAINT item_kind;
ALTER TABLE item
    ADD CONSTRAINT item_kind CHECK (kind IN ('plate', 'logo', 'sign', 'number', 'text', 'face', 'other'));
