-- +goose Up
-- One run of a tracker over a shot. Once it has ended its poses never change, and
-- documents point at it.
CREATE TABLE attempt (
    id       text PRIMARY KEY,
    shot     text NOT NULL REFERENCES shot ON DELETE CASCADE,
    track    text NOT NULL,                  -- the document's track it is for
    spec     jsonb NOT NULL,                 -- store.AttemptSpec: what was asked for
    state    text NOT NULL DEFAULT 'queued', -- queued, running, stopping, done, stopped, failed
    note     text NOT NULL DEFAULT '',       -- why it failed, or where it ended before its time
    frames   integer NOT NULL,               -- to follow
    done     integer NOT NULL DEFAULT 0,
    at       integer NOT NULL DEFAULT 0,      -- the frame that a run has come to
    poses    json,                           -- cover.Poses
    figures  jsonb,                          -- track.Figures
    created  timestamptz NOT NULL DEFAULT now(),
    started  timestamptz,
    finished timestamptz
);
CREATE INDEX attempt_shot ON attempt (shot, created);

-- +goose Down
DROP TABLE attempt;
