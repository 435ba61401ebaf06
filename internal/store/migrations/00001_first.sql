-- +goose Up
CREATE TABLE programme (
    id      text PRIMARY KEY,
    name    text NOT NULL,
    created timestamptz NOT NULL DEFAULT now()
);

CREATE TABLE source (
    id        text PRIMARY KEY,
    programme text NOT NULL REFERENCES programme ON DELETE CASCADE,
    name      text NOT NULL,                 -- as people know it
    place     text NOT NULL,                 -- 'media' (in the media folder) or 'store' (uploaded)
    path      text NOT NULL,                 -- relative to that place
    state     text NOT NULL DEFAULT 'queued', -- queued, conforming, viewing, ready, failed
    error     text NOT NULL DEFAULT '',
    info      jsonb NOT NULL,                -- media.Info of the source as it came
    read_info jsonb,                         -- media.Info of what is read: the conformed copy where there is one
    frames    integer NOT NULL,
    views     integer NOT NULL DEFAULT 0,    -- view frames made so far
    digest    text NOT NULL DEFAULT '',      -- over all frames' checksums
    created   timestamptz NOT NULL DEFAULT now()
);

CREATE TABLE shot (
    id        text PRIMARY KEY,
    programme text NOT NULL REFERENCES programme ON DELETE CASCADE,
    source    text NOT NULL REFERENCES source ON DELETE CASCADE,
    name      text NOT NULL,
    created   timestamptz NOT NULL DEFAULT now()
);

CREATE TABLE item (
    id        text PRIMARY KEY,
    programme text NOT NULL REFERENCES programme ON DELETE CASCADE,
    shot      text NOT NULL REFERENCES shot ON DELETE CASCADE,
    name      text NOT NULL,
    kind      text NOT NULL,
    created   timestamptz NOT NULL DEFAULT now()
);

-- Every change of a shot's document is a row; nothing is ever overwritten. An
-- undo or redo is a row as well: it shows the state of an earlier one.
CREATE TABLE revision (
    shot     text NOT NULL REFERENCES shot ON DELETE CASCADE,
    number   integer NOT NULL,
    state    integer NOT NULL,               -- the revision whose document this shows; its own number for an edit
    parent   integer,                        -- of an edit: the state that it changed
    redo     jsonb NOT NULL DEFAULT '[]',   -- states undone and not yet redone, the last undone last
    label    text NOT NULL,
    author   text NOT NULL,
    at       timestamptz NOT NULL DEFAULT now(),
    document jsonb,                          -- of edits only
    PRIMARY KEY (shot, number)
);

CREATE TABLE delivery (
    id       text PRIMARY KEY,
    shot     text NOT NULL REFERENCES shot ON DELETE CASCADE,
    revision integer NOT NULL,
    preset   text NOT NULL,
    name     text NOT NULL,
    state    text NOT NULL DEFAULT 'queued', -- queued, rendering, joining, verifying, done, failed, cancelled
    frames   integer NOT NULL,
    verified integer NOT NULL DEFAULT 0,
    error    text NOT NULL DEFAULT '',
    proof    jsonb,
    size     bigint NOT NULL DEFAULT 0,
    sha256   text NOT NULL DEFAULT '',
    created  timestamptz NOT NULL DEFAULT now(),
    started  timestamptz,
    finished timestamptz
);

CREATE TABLE segment (
    delivery text NOT NULL REFERENCES delivery ON DELETE CASCADE,
    number   integer NOT NULL,
    first    integer NOT NULL,
    last     integer NOT NULL,
    key      text NOT NULL,                  -- of everything that determines the result; names its file
    done     integer NOT NULL DEFAULT 0,     -- frames
    reused   boolean NOT NULL DEFAULT false, -- found finished, from before
    finished boolean NOT NULL DEFAULT false,
    PRIMARY KEY (delivery, number)
);

-- Who works on the queue; a worker that stops saying so loses its jobs.
CREATE TABLE worker (
    id   text PRIMARY KEY,
    seen timestamptz NOT NULL DEFAULT now()
);

-- +goose Down
DROP TABLE worker, segment, delivery, revision, item, shot, source, programme;
