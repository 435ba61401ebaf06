package store

import (
	"cmp"
	"context"
	"errors"
	"slices"

	"github.com/jmoiron/sqlx"

	"celator/core/clearance"
)

// Refused says that an item cannot be moved on; it is for people.
type Refused struct{ Why error }

func (r *Refused) Error() string { return r.Why.Error() }

// Decide moves an item on in a shot, as the rules allow (clearance.Standing). Without a
// state it is a note, which leaves the item where it is.
func (s *Store) Decide(ctx context.Context, d Decision) (out Appearance, err error) {
	err = s.tx(ctx, func(tx *sqlx.Tx) error {
		if out, err = s.decide(ctx, tx, d); err != nil {
			return err
		}
		return listChanged(ctx, tx, []Row{{d.Item, d.Shot}})
	})
	return out, err
}

// DecideAll moves rows of the list on, those that may be, all or on a fault none.
func (s *Store) DecideAll(ctx context.Context, all []Decision) (changed int, refused []RefusedRow, err error) {
	all = slices.Clone(all)
	slices.SortFunc(all, func(a, b Decision) int { // locked in one order by all
		return cmp.Or(cmp.Compare(a.Item, b.Item), cmp.Compare(a.Shot, b.Shot))
	})
	err = s.tx(ctx, func(tx *sqlx.Tx) error {
		var done []Row
		for _, d := range all {
			row := Row{d.Item, d.Shot}
			var no *Refused
			switch _, err := s.decide(ctx, tx, d); {
			case err == nil:
				done = append(done, row)
			case errors.As(err, &no), errors.Is(err, ErrNone):
				refused = append(refused, RefusedRow{row, err})
			default:
				return err
			}
		}
		changed = len(done)
		return listChanged(ctx, tx, done)
	})
	return changed, refused, err
}

// decide does so in a transaction. What it refuses it has not begun to write.
func (s *Store) decide(ctx context.Context, tx *sqlx.Tx, d Decision) (out Appearance, err error) {
	var locked string
	if err := tx.GetContext(ctx, &locked, `SELECT item FROM appearance WHERE item = $1 AND shot = $2 FOR UPDATE`, d.Item,
		d.Shot); err != nil {
		return out, none(err)
	}
	standing := func() error {
		return none(tx.GetContext(ctx, &out, `SELECT `+appearanceColumns+appearanceFrom+
			` WHERE appearance.item = $1 AND appearance.shot = $2`,
			d.Item, d.Shot))
	}
	if err := standing(); err != nil {
		return out, err
	}
	err = tx.GetContext(ctx, &d.Revision, `SELECT coalesce(max(number), 0) FROM revision WHERE shot = $1`, d.Shot)
	if err != nil {
		return out, err
	}
	d.Was = out.State
	if d.State == "" {
		d.State = out.State
		if err := clearance.Note(d.By, d.Note); err != nil {
			return out, &Refused{err}
		}
		return out, said(ctx, tx, d)
	}
	now := clearance.Standing{
		State: out.State, Covered: out.Covered, Drafts: out.Drafts, Checked: out.Checked,
		Severe: out.Severe,
	}
	if d.State == clearance.Approved {
		if now.Editors, err = editors(ctx, tx, d.Shot, d.Item); err != nil {
			return out, err
		}
	}
	if err := now.Move(d.State, d.By, d.Note); err != nil {
		return out, &Refused{err}
	}
	if err := decided(ctx, tx, d); err != nil {
		return out, err
	}
	return out, standing()
}

func said(ctx context.Context, tx *sqlx.Tx, d Decision) error {
	_, err := tx.NamedExecContext(ctx, `INSERT INTO decision (item, shot, was, state, by, note, change, frame, x, y,
		revision) VALUES (:item,:shot,:was,:state,:by,:note,:change,:frame,:x,:y,:revision)`, d)
	return err
}

// decided enters a decision and what it leads to.
func decided(ctx context.Context, tx *sqlx.Tx, d Decision) error {
	if err := said(ctx, tx, d); err != nil {
		return err
	}
	_, err := tx.ExecContext(ctx, `UPDATE appearance SET state = $3, note = $4, by = $5, at = now() WHERE item = $1
		AND shot = $2`, d.Item, d.Shot, d.State, d.Note, d.By)
	return err
}

// Editors are those who changed the shot since the item was approved last.
func (s *Store) Editors(ctx context.Context, shot, item string) ([]string, error) {
	return editors(ctx, s.db, shot, item)
}

func editors(ctx context.Context, db sqlx.QueryerContext, shot, item string) (out []string, err error) {
	return out, sqlx.SelectContext(ctx, db, &out, `SELECT DISTINCT author FROM revision
		WHERE shot = $1 AND number > coalesce(
		(SELECT max(revision) FROM decision
			WHERE shot = $1 AND item = $2 AND state = 'approved'), 0)`, shot, item)
}

// Decisions lists what was decided about an item in a shot, the newest first.
func (s *Store) Decisions(ctx context.Context, shot string) (out []Decision, err error) {
	out = []Decision{}
	return out, s.db.SelectContext(ctx, &out, `SELECT * FROM decision WHERE shot = $1 ORDER BY id DESC`, shot)
}

// ProgrammeDecisions lists those of a whole programme, the oldest first.
func (s *Store) ProgrammeDecisions(ctx context.Context, programme string) (out []Decision, err error) {
	out = []Decision{}
	return out, s.db.SelectContext(ctx, &out, `SELECT decision.* FROM decision JOIN item ON item.id = decision.item
		WHERE item.programme = $1 ORDER BY decision.id`, programme)
}

// edited moves the items of a shot on after its document changed: what hides some of
// them may not be what it was.
func (s *Store) edited(ctx context.Context, tx *sqlx.Tx, shot, author string, r Revision) error {
	var rows []struct {
		Item        string          `db:"item"`
		State       clearance.State `db:"state"`
		Fingerprint string          `db:"fingerprint"`
		Drafts      int             `db:"drafts"`
		Doubtful    int             `db:"doubtful"`
	}
	if err := tx.SelectContext(ctx, &rows, `SELECT item, state, fingerprint, drafts, doubtful FROM appearance
		WHERE shot = $1`, shot); err != nil {
		return err
	}
	moved := false
	for _, row := range rows {
		now, drafts, doubtful := r.Document.ItemFingerprint(row.Item), r.Document.Drafts(row.Item),
			r.Document.Doubtful(row.Item)
		if now == row.Fingerprint && drafts == row.Drafts && doubtful == row.Doubtful {
			continue
		}
		if _, err := tx.ExecContext(ctx, `UPDATE appearance SET fingerprint = $3, drafts = $4, doubtful = $5
			WHERE item = $1 AND shot = $2`, row.Item, shot, now, drafts, doubtful); err != nil {
			return err
		}
		moved = true
		if now == row.Fingerprint {
			continue
		}
		if next := row.State.Edited(); next != row.State {
			if err := decided(ctx, tx, Decision{
				Item: row.Item, Shot: shot, Was: row.State, State: next, By: author,
				Change: r.Label, Revision: r.Number,
			}); err != nil {
				return err
			}
		}
	}
	if moved {
		var programme string
		if err := tx.GetContext(ctx, &programme, `SELECT programme FROM shot WHERE id = $1`, shot); err != nil {
			return err
		}
		if err := notify(ctx, tx, "programme", programme); err != nil {
			return err
		}
	}
	return s.wantCheck(ctx, tx, shot, s.checkAfter)
}
