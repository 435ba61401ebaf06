-- +goose Up
-- Finished files that are given to a delivery intake.
CREATE TABLE handover (
    id       text PRIMARY KEY,
    delivery text NOT NULL REFERENCES delivery ON DELETE CASCADE,
    intake   text NOT NULL,              -- its name
    address  text NOT NULL,              -- as it was when it was ordered
    upload   text NOT NULL DEFAULT '',   -- where an earlier try had come to
    state    text NOT NULL DEFAULT 'queued'
             CHECK (state IN ('queued', 'sending', 'acknowledged', 'refused', 'failed', 'cancelled')),
    sent     bigint NOT NULL DEFAULT 0 CHECK (sent >= 0),
    reason   text NOT NULL DEFAULT '',
    waiting  text NOT NULL DEFAULT '',
    by       text NOT NULL DEFAULT '',
    created  timestamptz NOT NULL DEFAULT now(),
    finished timestamptz
);
CREATE INDEX handover_delivery ON handover (delivery, created);

-- +goose Down
DROP TABLE handover;
