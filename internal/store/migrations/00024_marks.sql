-- +goose Up
-- What things that are looked for by their picture look like: an item's surface where it was covered, or a picture of
-- it that was given.
CREATE TABLE mark (
    id      text PRIMARY KEY,
    item    text NOT NULL REFERENCES item ON DELETE CASCADE,
    name    text NOT NULL,                                -- of the shot or the file that it is from
    picture bytea NOT NULL,                               -- PNG
    quad    jsonb NOT NULL,                               -- the surface's corners on it
    shot    text REFERENCES shot ON DELETE CASCADE,       -- where it was covered; null: it was given
    cover   text NOT NULL DEFAULT '',
    frame   integer NOT NULL DEFAULT 0,                   -- of the shot
    at      jsonb NOT NULL DEFAULT '[1,0,0,0,1,0,0,0,1]', -- the frame's places to the picture's
    by      text NOT NULL,
    made    timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX mark_item ON mark (item);
CREATE UNIQUE INDEX mark_cover ON mark (shot, cover) WHERE cover <> '';

-- How far a source was looked through for them.
CREATE TABLE seek (
    mark    text NOT NULL REFERENCES mark ON DELETE CASCADE,
    source  text NOT NULL REFERENCES source ON DELETE CASCADE,
    state   text NOT NULL DEFAULT 'queued' CHECK (state IN ('queued', 'running', 'done', 'failed', 'stopped')),
    done    integer NOT NULL DEFAULT 0 CHECK (done >= 0), -- frames of which what was found is kept
    error   text NOT NULL DEFAULT '',
    waiting text NOT NULL DEFAULT '',
    at      timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (mark, source)
);
CREATE INDEX seek_source ON seek (source);

ALTER TABLE proposal ADD mark text REFERENCES mark ON DELETE CASCADE; -- by which it was found

-- A programme's drafts: made of what the list asks for, one after the other.
CREATE TABLE draft_run (
    programme text PRIMARY KEY REFERENCES programme ON DELETE CASCADE,
    items     jsonb NOT NULL DEFAULT '[]',                -- that drafts are made for; none: all
    state     text NOT NULL DEFAULT 'queued' CHECK (state IN ('queued', 'running', 'done', 'failed', 'stopped')),
    error     text NOT NULL DEFAULT '',
    waiting   text NOT NULL DEFAULT '',
    by        text NOT NULL,
    at        timestamptz NOT NULL DEFAULT now()
);
CREATE TABLE draft (
    proposal  text PRIMARY KEY REFERENCES proposal ON DELETE CASCADE,
    programme text NOT NULL REFERENCES programme ON DELETE CASCADE,
    stage     text NOT NULL DEFAULT 'making' CHECK (stage IN ('making', 'following', 'front', 'done')),
    attempt   text NOT NULL DEFAULT '', -- that the stage waits for
    shot      text NOT NULL DEFAULT '',
    cover     text NOT NULL DEFAULT '',
    note      text NOT NULL DEFAULT '', -- why it came no further
    made      timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX draft_programme ON draft (programme);

ALTER TABLE appearance ADD doubtful integer NOT NULL DEFAULT 0; -- frames on which what follows it is weak, or lost it

-- +goose Down
ALTER TABLE appearance DROP doubtful;
DROP TABLE draft, draft_run;
ALTER TABLE proposal DROP mark;
DROP TABLE seek, mark;
