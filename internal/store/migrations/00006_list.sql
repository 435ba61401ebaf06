-- +goose Up
-- A shot is a range of its source's frames, both included; without a last one it goes to
-- the end.
ALTER TABLE shot ADD COLUMN first integer NOT NULL DEFAULT 0, ADD COLUMN last integer;
-- Where shots begin in a source: found, and corrected by hand.
ALTER TABLE source ADD COLUMN boundaries jsonb NOT NULL DEFAULT '[]', ADD COLUMN searched boolean NOT NULL DEFAULT false;

ALTER TABLE item
    ADD COLUMN description text NOT NULL DEFAULT '',
    ADD COLUMN reason      text NOT NULL DEFAULT '',
    ADD COLUMN requester   text NOT NULL DEFAULT '',
    ADD COLUMN due         text NOT NULL DEFAULT ''; -- a day, YYYY-MM-DD
CREATE INDEX item_programme ON item (programme, created);
CREATE INDEX shot_programme ON shot (programme, created);

-- An item in a shot in which it is seen, and how far it has come there.
CREATE TABLE seen (
    item     text NOT NULL REFERENCES item ON DELETE CASCADE,
    shot     text NOT NULL REFERENCES shot ON DELETE CASCADE,
    first    integer NOT NULL DEFAULT -1, -- frames of the shot; -1 where they are not known
    last     integer NOT NULL DEFAULT -1,
    state    text NOT NULL DEFAULT 'todo', -- clearance.State
    assignee text NOT NULL DEFAULT '',
    note     text NOT NULL DEFAULT '',     -- of the last decision
    by       text NOT NULL DEFAULT '',
    at       timestamptz NOT NULL DEFAULT now(),
    decides  text NOT NULL DEFAULT '',     -- cover.Document.DecidesItem of the newest revision
    added    timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (item, shot)
);
CREATE INDEX seen_shot ON seen (shot);
INSERT INTO seen (item, shot, added) SELECT id, shot, created FROM item;
ALTER TABLE item DROP COLUMN shot;

-- Every change of a state, and every note that was pinned to a picture.
CREATE TABLE decision (
    id       bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    item     text NOT NULL REFERENCES item ON DELETE CASCADE,
    shot     text NOT NULL REFERENCES shot ON DELETE CASCADE,
    was      text NOT NULL,
    state    text NOT NULL,
    by       text NOT NULL,
    at       timestamptz NOT NULL DEFAULT now(),
    note     text NOT NULL DEFAULT '',
    change   text NOT NULL DEFAULT '',     -- of the document that led to it; nobody decided then
    frame    integer,                     -- that the note is pinned to, and where, px
    x        double precision,
    y        double precision,
    revision integer NOT NULL             -- of the shot, that was looked at
);
CREATE INDEX decision_seen ON decision (item, shot, id);

-- What the check found. A finding stays the same row from check to check.
CREATE TABLE finding (
    id        text PRIMARY KEY,
    shot      text NOT NULL REFERENCES shot ON DELETE CASCADE,
    cover     text NOT NULL,
    item      text NOT NULL DEFAULT '',    -- that the cover hides
    kind      text NOT NULL,               -- check.Kind
    severity  text NOT NULL,
    figure    double precision NOT NULL,
    says      text NOT NULL,
    frames    jsonb NOT NULL,              -- cover.Span, in order
    frame     integer NOT NULL,            -- where it is worst
    place     jsonb,                       -- x, y, width, height on that frame, px
    evidence  text NOT NULL DEFAULT '',    -- what a machine read
    recovered bytea,                       -- PNG: the original above, what was made out below
    state     text NOT NULL DEFAULT 'open', -- open, waived, mended
    revision  integer NOT NULL,            -- of the shot, when it was found last
    found     timestamptz NOT NULL DEFAULT now(),
    reason    text NOT NULL DEFAULT '',    -- of a waiver
    by        text NOT NULL DEFAULT '',
    at        timestamptz                  -- waived or mended
);
CREATE INDEX finding_shot ON finding (shot, state);

-- How far the check of a shot has come, and as what each cover was checked.
CREATE TABLE inspection (
    shot     text PRIMARY KEY REFERENCES shot ON DELETE CASCADE,
    state    text NOT NULL,                -- queued, running, done, failed
    revision integer NOT NULL DEFAULT -1,  -- that was checked last
    done     integer NOT NULL DEFAULT 0,
    frames   integer NOT NULL DEFAULT 0,
    error    text NOT NULL DEFAULT '',
    covers   jsonb NOT NULL DEFAULT '{}',  -- by id: what decided it when it was checked
    items    jsonb NOT NULL DEFAULT '{}',  -- by id: what decided how it was hidden then
    at       timestamptz NOT NULL DEFAULT now()
);

-- +goose Down
DROP TABLE inspection, finding, decision;
ALTER TABLE item ADD COLUMN shot text REFERENCES shot ON DELETE CASCADE;
UPDATE item SET shot = (SELECT shot FROM seen WHERE seen.item = item.id LIMIT 1);
DELETE FROM item WHERE shot IS NULL;
ALTER TABLE item ALTER COLUMN shot SET NOT NULL;
DROP TABLE seen;
DROP INDEX item_programme, shot_programme;
ALTER TABLE item DROP COLUMN description, DROP COLUMN reason, DROP COLUMN requester, DROP COLUMN due;
ALTER TABLE source DROP COLUMN boundaries, DROP COLUMN searched;
ALTER TABLE shot DROP COLUMN first, DROP COLUMN last;
