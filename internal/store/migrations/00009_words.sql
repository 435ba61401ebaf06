-- +goose Up
-- One word for one thing, here as in the program: an item appears in a shot, a check is
-- run, what decides how an item is hidden has a fingerprint, and what passes in front is
-- the foreground.
ALTER TABLE seen RENAME TO appearance;
ALTER TABLE appearance RENAME COLUMN decides TO fingerprint;
ALTER INDEX seen_shot RENAME TO appearance_shot;
ALTER INDEX decision_seen RENAME TO decision_appearance;
ALTER TABLE inspection RENAME TO check_run;
UPDATE attempt SET spec = (spec - 'front') || jsonb_build_object('foreground', spec -> 'front') WHERE spec ? 'front';

-- +goose Down
UPDATE attempt SET spec = (spec - 'foreground') || jsonb_build_object('front', spec -> 'foreground')
    WHERE spec ? 'foreground';
ALTER TABLE check_run RENAME TO inspection;
ALTER INDEX decision_appearance RENAME TO decision_seen;
ALTER INDEX appearance_shot RENAME TO seen_shot;
ALTER TABLE appearance RENAME COLUMN fingerprint TO decides;
ALTER TABLE appearance RENAME TO seen;
