-- +goose Up
-- What was found in front of a surface, a row for each frame of a run (an attempt that
-- looks for the foreground). Rows never change; documents point at the run.
CREATE TABLE matte (
    attempt text NOT NULL REFERENCES attempt ON DELETE CASCADE,
    frame   integer NOT NULL,
    x       integer NOT NULL,          -- of the matte's first sample, px
    y       integer NOT NULL,
    share   double precision NOT NULL, -- of the surface that is held out
    dx      double precision,          -- motion since the frame before, px; absent where not seen
    dy      double precision,
    png     bytea NOT NULL,            -- 8 bit grey, white in front; empty where nothing is
    PRIMARY KEY (attempt, frame)
);

-- +goose Down
DROP TABLE matte;
