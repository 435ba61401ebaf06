-- +goose Up
-- How far a source was looked through for text, plates and faces.
CREATE TABLE find_run (
    source  text PRIMARY KEY REFERENCES source ON DELETE CASCADE,
    state   text NOT NULL DEFAULT 'queued' CHECK (state IN ('queued', 'running', 'done', 'failed', 'stopped')),
    done    integer NOT NULL DEFAULT 0 CHECK (done >= 0),   -- frames of which what was found is kept
    reached integer NOT NULL DEFAULT 0 CHECK (reached >= 0), -- by the work that is under way
    looked  integer NOT NULL DEFAULT 0 CHECK (looked >= 0), -- at so many of them
    error   text NOT NULL DEFAULT '',
    waiting text NOT NULL DEFAULT '',
    by      text NOT NULL DEFAULT '',                       -- who asked; empty: it came after the import
    at      timestamptz NOT NULL DEFAULT now()
);

-- What was found, and what became of it. Frames are the source's.
CREATE TABLE proposal (
    id     text PRIMARY KEY,
    source text NOT NULL REFERENCES source ON DELETE CASCADE,
    piece  integer NOT NULL,                -- the first frame of the stretch that was looked through at once
    kind   text NOT NULL,                   -- proposal.Kind
    text   text NOT NULL,                   -- what it reads
    sure   double precision NOT NULL,
    first  integer NOT NULL,
    last   integer NOT NULL CHECK (last >= first),
    frame  integer NOT NULL,                -- on which it is seen best
    height double precision NOT NULL,       -- there, px
    sights jsonb NOT NULL,                  -- proposal.Sight, in order
    still  bytea,                           -- PNG
    state  text NOT NULL DEFAULT 'open' CHECK (state IN ('open', 'later', 'accepted', 'unneeded')),
    item   text REFERENCES item ON DELETE SET NULL,
    shot   text REFERENCES shot ON DELETE SET NULL, -- in which it was covered
    cover  text NOT NULL DEFAULT '',
    reason text NOT NULL DEFAULT '',
    by     text NOT NULL DEFAULT '',
    at     timestamptz,
    found  timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX proposal_source ON proposal (source, first);

-- What is not offered again: what read so needs no cover, in one programme or in all.
CREATE TABLE unneeded (
    id        text PRIMARY KEY,
    programme text REFERENCES programme ON DELETE CASCADE, -- null: in all
    kind      text NOT NULL,
    text      text NOT NULL,
    reason    text NOT NULL,
    by        text NOT NULL,
    at        timestamptz NOT NULL DEFAULT now()
);

ALTER TABLE appearance ADD drafts integer NOT NULL DEFAULT 0; -- of the covers that hide it, to which nobody said yes
ALTER TABLE programme ADD offers jsonb NOT NULL DEFAULT '{}'; -- proposal.Rules

-- +goose Down
ALTER TABLE programme DROP offers;
ALTER TABLE appearance DROP drafts;
DROP TABLE unneeded, proposal, find_run;
