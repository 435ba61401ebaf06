-- +goose Up
-- Deliveries rest and go on, go before others or after them; a programme may let out only what is settled.
ALTER TABLE delivery
    ADD COLUMN priority integer NOT NULL DEFAULT 2 CHECK (priority BETWEEN 1 AND 3),
    ADD COLUMN paused timestamptz,                           -- since when it rests
    ADD COLUMN rested interval NOT NULL DEFAULT '0 seconds', -- how long it did so far
    DROP CONSTRAINT delivery_state,
    ADD CONSTRAINT delivery_state CHECK (state IN
        ('queued', 'rendering', 'joining', 'verifying', 'paused', 'done', 'failed', 'cancelled'));
ALTER TABLE programme ADD COLUMN settled_only boolean NOT NULL DEFAULT false;

-- +goose Down
ALTER TABLE programme DROP COLUMN settled_only;
UPDATE delivery SET state = 'cancelled' WHERE state = 'paused';
ALTER TABLE delivery
    DROP COLUMN priority, DROP COLUMN paused, DROP COLUMN rested,
    DROP CONSTRAINT delivery_state,
    ADD CONSTRAINT delivery_state CHECK (state IN
        ('queued', 'rendering', 'joining', 'verifying', 'done', 'failed', 'cancelled'));
