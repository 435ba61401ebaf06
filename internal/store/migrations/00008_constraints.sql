-- +goose Up
-- What the program holds for true is said to the database, so that no fault of the
-- program can write anything else.
ALTER TABLE source
    ADD CONSTRAINT source_place CHECK (place IN ('media', 'store')),
    ADD CONSTRAINT source_state CHECK (state IN ('queued', 'conforming', 'viewing', 'ready', 'failed')),
    ADD CONSTRAINT source_counts CHECK (frames >= 0 AND views >= 0);
ALTER TABLE shot
    ADD CONSTRAINT shot_range CHECK (first >= 0 AND (last IS NULL OR last >= first));
ALTER TABLE revision
    ADD CONSTRAINT revision_number CHECK (number > 0 AND state >= 0 AND state <= number),
    ADD CONSTRAINT revision_parent CHECK (parent IS NULL OR (parent >= 0 AND parent < number)),
    ADD CONSTRAINT revision_document CHECK ((document IS NOT NULL) = (state = number));
ALTER TABLE delivery
    ADD CONSTRAINT delivery_state CHECK (state IN
        ('queued', 'rendering', 'joining', 'verifying', 'done', 'failed', 'cancelled')),
    ADD CONSTRAINT delivery_counts CHECK (frames > 0 AND verified >= 0 AND size >= 0);
ALTER TABLE segment
    ADD CONSTRAINT segment_range CHECK (first >= 0 AND last >= first),
    ADD CONSTRAINT segment_done CHECK (done >= 0 AND done <= last - first + 1);
ALTER TABLE look ADD CONSTRAINT look_frame CHECK (frame >= 0);
ALTER TABLE attempt
    ADD CONSTRAINT attempt_state CHECK (state IN ('queued', 'running', 'stopping', 'done', 'stopped', 'failed')),
    ADD CONSTRAINT attempt_counts CHECK (frames >= 0 AND done >= 0);
ALTER TABLE matte ADD CONSTRAINT matte_share CHECK (frame >= 0 AND share >= 0 AND share <= 1);
ALTER TABLE item
    ADD CONSTRAINT item_kind CHECK (kind IN ('plate', 'logo', 'sign', 'number', 'text', 'face', 'other')),
    ADD CONSTRAINT item_due CHECK (due ~ '^(\d{4}-\d\d-\d\d)?$');
ALTER TABLE seen
    ADD CONSTRAINT seen_state CHECK (state IN ('todo', 'work', 'ready', 'back', 'approved', 'waived')),
    ADD CONSTRAINT seen_range CHECK (first >= -1 AND last >= -1);
ALTER TABLE decision
    ADD CONSTRAINT decision_frame CHECK (frame IS NULL OR frame >= 0),
    ADD CONSTRAINT decision_revision CHECK (revision >= 0);
ALTER TABLE finding
    ADD CONSTRAINT finding_state CHECK (state IN ('open', 'waived', 'mended')),
    ADD CONSTRAINT finding_severity CHECK (severity IN ('severe', 'minor')),
    ADD CONSTRAINT finding_waived CHECK (state <> 'waived' OR (reason <> '' AND by <> ''));
ALTER TABLE inspection
    ADD CONSTRAINT inspection_state CHECK (state IN ('queued', 'running', 'done', 'failed')),
    ADD CONSTRAINT inspection_counts CHECK (done >= 0 AND frames >= 0);

-- Every foreign key that rows are looked up or deleted by, and every filter in use.
CREATE INDEX source_programme ON source (programme, created);
CREATE INDEX shot_source ON shot (source);
CREATE INDEX revision_author ON revision (shot, author);
CREATE INDEX decision_shot ON decision (shot, id);

-- +goose Down
DROP INDEX source_programme, shot_source, revision_author, decision_shot;
ALTER TABLE inspection DROP CONSTRAINT inspection_state, DROP CONSTRAINT inspection_counts;
ALTER TABLE finding DROP CONSTRAINT finding_state, DROP CONSTRAINT finding_severity, DROP CONSTRAINT finding_waived;
ALTER TABLE decision DROP CONSTRAINT decision_frame, DROP CONSTRAINT decision_revision;
ALTER TABLE seen DROP CONSTRAINT seen_state, DROP CONSTRAINT seen_range;
ALTER TABLE item DROP CONSTRAINT item_kind, DROP CONSTRAINT item_due;
ALTER TABLE matte DROP CONSTRAINT matte_share;
ALTER TABLE attempt DROP CONSTRAINT attempt_state, DROP CONSTRAINT attempt_counts;
ALTER TABLE look DROP CONSTRAINT look_frame;
ALTER TABLE segment DROP CONSTRAINT segment_range, DROP CONSTRAINT segment_done;
ALTER TABLE delivery DROP CONSTRAINT delivery_state, DROP CONSTRAINT delivery_counts;
ALTER TABLE revision DROP CONSTRAINT revision_number, DROP CONSTRAINT revision_parent,
    DROP CONSTRAINT revision_document;
ALTER TABLE shot DROP CONSTRAINT shot_range;
ALTER TABLE source DROP CONSTRAINT source_place, DROP CONSTRAINT source_state, DROP CONSTRAINT source_counts;
