package store

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"github.com/jmoiron/sqlx"
	"github.com/riverqueue/river"

	"celator/core/cover"
	"celator/core/cut"
)

// SearchArgs asks for a source's shot boundaries.
type SearchArgs struct {
	Source string `json:"source"`
}

func (SearchArgs) Kind() string { return "search" }

func (SearchArgs) InsertOpts() river.InsertOpts {
	return river.InsertOpts{Queue: IngestQueue, MaxAttempts: 3, Priority: 3}
}

// SetBoundaries enters where shots begin in a source.
func (s *Store) SetBoundaries(ctx context.Context, source string, all []cut.Boundary) error {
	_, err := s.db.ExecContext(ctx, `UPDATE source SET boundaries = $2, searched = true WHERE id = $1`, source,
		JSON[[]cut.Boundary]{all})
	if err != nil {
		return err
	}
	return notify(ctx, s.db, "source", source)
}

// ErrWorked says that shots cannot be cut anew: work was done in one.
var ErrWorked = errors.New("a shot of this source has covers, followed surfaces or deliveries already; its " +
	"frames cannot be counted anew")

// CutShots makes shots of a source, one from each boundary to the next. Shots whose
// frames are the same stay; of the others none may have been worked in, unless it is
// ErrWorked. Items stay in the shots that their frames fall into.
func (s *Store) CutShots(ctx context.Context, source string, all []cut.Boundary) ([]Shot, error) {
	var out []Shot
	err := s.tx(ctx, func(tx *sqlx.Tx) error {
		var src Source
		if err := tx.GetContext(ctx, &src, `SELECT * FROM source WHERE id = $1 FOR UPDATE`, source); err != nil {
			return none(err)
		}
		if _, err := tx.ExecContext(ctx, `UPDATE source SET boundaries = $2, searched = true WHERE id = $1`, source,
			JSON[[]cut.Boundary]{all}); err != nil {
			return err
		}
		ranges := shotRanges(all, src.Frames)
		kept, displaced, err := clearShots(ctx, tx, source, ranges)
		if err != nil {
			return err
		}
		for i, r := range ranges {
			if kept[r] {
				continue
			}
			name := src.Name
			if len(ranges) > 1 {
				name = fmt.Sprintf("%s %0*d", src.Name, len(fmt.Sprint(len(ranges))), i+1)
			}
			if err := addShot(ctx, tx, src, name, r, displaced); err != nil {
				return err
			}
		}
		if err := tx.SelectContext(ctx, &out, shots+` WHERE shot.source = $1 ORDER BY shot.first`, source); err != nil {
			return err
		}
		return errors.Join(notify(ctx, tx, "source", source), notify(ctx, tx, "programme", src.Programme))
	})
	return out, err
}

// shotRanges are the frames of the shots between boundaries, in order.
func shotRanges(all []cut.Boundary, frames int) []cover.Span {
	out := []cover.Span{{First: 0, Last: frames - 1}}
	for _, b := range all {
		out[len(out)-1].Last = b.Frame - 1
		out = append(out, cover.Span{First: b.Frame, Last: frames - 1})
	}
	return out
}

// displaced is an item of a shot that is cut anew, with the source's frames that it was in.
type displaced struct {
	Item     string `db:"item"`
	First    int    `db:"first"`
	Last     int    `db:"last"`
	Assignee string `db:"assignee"`
	State    string `db:"state"`
	Note     string `db:"note"`
}

// clearShots takes away a source's shots but those of the ranges, which it names, and
// returns the items that were in them.
func clearShots(ctx context.Context, tx *sqlx.Tx, source string, ranges []cover.Span) (kept map[cover.Span]bool,
	items []displaced, err error,
) {
	var old []Shot
	err = tx.SelectContext(ctx, &old, shots+` WHERE shot.source = $1 ORDER BY shot.first`, source)
	if err != nil {
		return nil, nil, err
	}
	kept = map[cover.Span]bool{}
	for _, o := range old {
		if r := (cover.Span{First: o.First, Last: o.Last()}); slices.Contains(ranges, r) {
			kept[r] = true
			continue
		}
		var work int
		if err := tx.GetContext(ctx, &work, `SELECT (SELECT count(*) FROM revision WHERE shot = $1) +
			(SELECT count(*) FROM attempt WHERE shot = $1) + (SELECT count(*) FROM delivery WHERE shot = $1) +
			(SELECT count(*) FROM delivery WHERE contents @> jsonb_build_array(jsonb_build_object('shot', $1::text)))`,
			o.ID); err != nil {
			return nil, nil, err
		}
		if work > 0 {
			return nil, nil, fmt.Errorf("%s: %w", o.Name, ErrWorked)
		}
		var in []displaced
		if err := tx.SelectContext(ctx, &in, `SELECT item, first, last, assignee, state, note FROM appearance
			WHERE shot = $1`, o.ID); err != nil {
			return nil, nil, err
		}
		for _, d := range in {
			if d.First < 0 { // its frames are not known: all of the shot's
				d.First, d.Last = 0, o.Last()-o.First
			}
			d.First, d.Last = o.First+d.First, o.First+d.Last
			items = append(items, d)
		}
		if _, err := tx.ExecContext(ctx, `DELETE FROM shot WHERE id = $1`, o.ID); err != nil {
			return nil, nil, err
		}
	}
	return kept, items, nil
}

// addShot enters a shot, with those of the items that are in its frames.
func addShot(ctx context.Context, tx *sqlx.Tx, src Source, name string, r cover.Span, items []displaced) error {
	id := NewID()
	if _, err := tx.ExecContext(ctx, `INSERT INTO shot (id, programme, source, name, first, last)
		VALUES ($1,$2,$3,$4,$5,$6)`, id, src.Programme, src.ID, name, r.First, r.Last); err != nil {
		return err
	}
	for _, d := range items {
		first, last := max(d.First, r.First), min(d.Last, r.Last)
		if first > last {
			continue
		}
		if _, err := tx.ExecContext(ctx, `INSERT INTO appearance (item, shot, first, last, assignee, state, note)
			VALUES ($1,$2,$3,$4,$5,$6,$7)`, d.Item, id, first-r.First, last-r.First, d.Assignee, d.State,
			d.Note); err != nil {
			return err
		}
	}
	return nil
}

// wantSearch asks for a source's boundaries.
func (s *Store) wantSearch(ctx context.Context, tx *sqlx.Tx, source string) error {
	_, err := s.queue.InsertTx(ctx, tx.Tx, SearchArgs{source}, nil)
	return err
}
