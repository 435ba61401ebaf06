package store

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"github.com/jmoiron/sqlx"
	"github.com/riverqueue/river"

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
var ErrWorked = errors.New("a shot of this source has covers, followed surfaces or deliveries already; its frames cannot be counted anew")

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
		var old []Shot
		if err := tx.SelectContext(ctx, &old, shots+` WHERE shot.source = $1 ORDER BY shot.first`, source); err != nil {
			return err
		}
		starts := []int{0}
		for _, b := range all {
			starts = append(starts, b.Frame)
		}
		type place struct {
			item, assignee, state, note string
			first, last                 int // of the source
		}
		var places []place
		keep := map[int]Shot{}
		for _, o := range old {
			i := slices.Index(starts, o.First)
			end := src.Frames - 1
			if i >= 0 && i+1 < len(starts) {
				end = starts[i+1] - 1
			}
			if i >= 0 && end == o.Last() {
				keep[o.First] = o
				continue
			}
			var n int
			if err := tx.GetContext(ctx, &n, `SELECT (SELECT count(*) FROM revision WHERE shot = $1) + (SELECT count(*) FROM attempt WHERE shot = $1) + (SELECT count(*) FROM delivery WHERE shot = $1)`, o.ID); err != nil {
				return err
			}
			if n > 0 {
				return fmt.Errorf("%s: %w", o.Name, ErrWorked)
			}
			var seen []struct {
				Item     string `db:"item"`
				First    int    `db:"first"`
				Last     int    `db:"last"`
				Assignee string `db:"assignee"`
				State    string `db:"state"`
				Note     string `db:"note"`
			}
			if err := tx.SelectContext(ctx, &seen, `SELECT item, first, last, assignee, state, note FROM appearance WHERE shot = $1`, o.ID); err != nil {
				return err
			}
			for _, v := range seen {
				p := place{v.Item, v.Assignee, v.State, v.Note, o.First, o.Last()}
				if v.First >= 0 {
					p.first, p.last = o.First+v.First, o.First+v.Last
				}
				places = append(places, p)
			}
			if _, err := tx.ExecContext(ctx, `DELETE FROM shot WHERE id = $1`, o.ID); err != nil {
				return err
			}
		}
		for i, first := range starts {
			if _, ok := keep[first]; ok {
				continue
			}
			last := src.Frames - 1
			if i+1 < len(starts) {
				last = starts[i+1] - 1
			}
			name := src.Name
			if len(starts) > 1 {
				name = fmt.Sprintf("%s %0*d", src.Name, len(fmt.Sprint(len(starts))), i+1)
			}
			id := NewID()
			if _, err := tx.ExecContext(ctx, `INSERT INTO shot (id, programme, source, name, first, last) VALUES ($1,$2,$3,$4,$5,$6)`, id, src.Programme, source, name, first, last); err != nil {
				return err
			}
			for _, p := range places {
				a, b := max(p.first, first), min(p.last, last)
				if a > b {
					continue
				}
				if _, err := tx.ExecContext(ctx, `INSERT INTO appearance (item, shot, first, last, assignee, state, note) VALUES ($1,$2,$3,$4,$5,$6,$7)`, p.item, id, a-first, b-first, p.assignee, p.state, p.note); err != nil {
					return err
				}
			}
		}
		if err := tx.SelectContext(ctx, &out, shots+` WHERE shot.source = $1 ORDER BY shot.first`, source); err != nil {
			return err
		}
		return errors.Join(notify(ctx, tx, "source", source), notify(ctx, tx, "programme", src.Programme))
	})
	return out, err
}

// wantSearch asks for a source's boundaries.
func (s *Store) wantSearch(ctx context.Context, tx *sqlx.Tx, source string) error {
	_, err := s.queue.InsertTx(ctx, tx.Tx, SearchArgs{source}, nil)
	return err
}
