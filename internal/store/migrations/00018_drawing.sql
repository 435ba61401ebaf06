-- +goose Up
-- Footage of the demo programme that the queue draws.
CREATE TABLE drawing (
    id        text PRIMARY KEY,
    programme text NOT NULL REFERENCES programme ON DELETE CASCADE,
    footage   text NOT NULL, -- its name in internal/demo
    title     text NOT NULL,
    frames    integer NOT NULL CHECK (frames >= 0),
    done      integer NOT NULL DEFAULT 0 CHECK (done >= 0),
    state     text NOT NULL DEFAULT 'queued' CHECK (state IN ('queued', 'drawing', 'failed')),
    waiting   text NOT NULL DEFAULT '',
    error     text NOT NULL DEFAULT '',
    created   timestamptz NOT NULL,
    UNIQUE (programme, footage)
);

-- +goose Down
DROP TABLE drawing;
