package store

import (
	"context"
	"slices"

	"github.com/jmoiron/sqlx"

	"celator/core/cover"
	"celator/core/geom"
)

// ForegroundSpec is what a run looks for that passes in front of its track's surface.
type ForegroundSpec struct {
	Proposed cover.Proposed `json:"proposed"` // with the settings
	Cover    string         `json:"cover"`    // the holdout that takes the mattes, or a new one of that id
	Name     string         `json:"name"`
	For      []string       `json:"for"` // the covers that it passes before
	// IfAny says that the document takes them only where something was found.
	IfAny bool `json:"ifAny,omitempty"`
}

type matteRow struct {
	Attempt string   `db:"attempt"`
	State   string   `db:"state"`
	Fields  bool     `db:"fields"`
	Frame   int      `db:"frame"`
	X       int      `db:"x"`
	Y       int      `db:"y"`
	Share   float64  `db:"share"`
	DX      *float64 `db:"dx"`
	DY      *float64 `db:"dy"`
	PNG     []byte   `db:"png"`
}

// AddMatte enters what a run found on a frame, once.
func (s *Store) AddMatte(ctx context.Context, run string, f int, m cover.MatteFrame) error {
	return addMatte(ctx, s.db, run, f, m)
}

func addMatte(ctx context.Context, db sqlx.ExecerContext, run string, f int, m cover.MatteFrame) error {
	var dx, dy *float64
	if m.Move != nil {
		dx, dy = &m.Move.X, &m.Move.Y
	}
	if m.PNG == nil {
		m.PNG = []byte{}
	}
	_, err := db.ExecContext(ctx, `INSERT INTO matte (attempt, frame, x, y, share, dx, dy, png)
		VALUES ($1, $2, $3, $4, $5, $6, $7, $8) ON CONFLICT DO NOTHING`, run, f, m.X, m.Y, m.Share, dx, dy, m.PNG)
	return err
}

// Mattes returns what a run has found so far, nil where that is nothing.
func (s *Store) Mattes(ctx context.Context, run string, pictures bool) (*cover.Mattes, error) {
	all, err := s.mattes(ctx, s.db, []string{run}, pictures)
	return all[run], err
}

// mattes returns what each of several runs has found so far; with pictures they are
// remembered once the run has ended, for they never change.
func (s *Store) mattes(ctx context.Context, db sqlx.QueryerContext, runs []string, pictures bool) (
	map[string]*cover.Mattes, error,
) {
	all := map[string]*cover.Mattes{}
	unknown := slices.DeleteFunc(slices.Clone(runs), func(run string) bool {
		m, ok := s.held.Get(run)
		if ok && pictures {
			all[run] = m
		}
		return ok && pictures
	})
	if len(unknown) == 0 {
		return all, nil
	}
	png := `''::bytea`
	if pictures {
		png = "png"
	}
	var rows []matteRow
	if err := sqlx.SelectContext(ctx, db, &rows, `SELECT m.attempt, a.state,
		coalesce((a.spec->>'fields')::boolean, false) AS fields, m.frame, m.x, m.y, m.share, m.dx, m.dy, `+png+
		` AS png FROM matte m JOIN attempt a ON a.id = m.attempt WHERE m.attempt = ANY($1) ORDER BY m.attempt, m.frame`,
		unknown); err != nil {
		return nil, err
	}
	for len(rows) > 0 {
		run := rows[0].Attempt
		n := slices.IndexFunc(rows, func(r matteRow) bool { return r.Attempt != run })
		if n < 0 {
			n = len(rows)
		}
		all[run] = matteFrames(rows[:n])
		if pictures && slices.Contains([]string{Done, Stopped}, rows[0].State) {
			s.held.Add(run, all[run])
		}
		rows = rows[n:]
	}
	return all, nil
}

// matteFrames are one run's rows, in the order of frames; frames between that have none are empty.
func matteFrames(rows []matteRow) *cover.Mattes {
	first, last := rows[0].Frame, rows[len(rows)-1].Frame
	m := &cover.Mattes{Fields: rows[0].Fields, First: first}
	if m.Fields { // from the first field of a frame on
		first -= first % 2
		m.First = first / 2
	}
	m.Frames = make([]cover.MatteFrame, last-first+1)
	for _, r := range rows {
		g := cover.MatteFrame{X: r.X, Y: r.Y, Share: r.Share, PNG: r.PNG}
		if r.DX != nil && r.DY != nil {
			g.Move = &geom.Point{X: *r.DX, Y: *r.DY}
		}
		m.Frames[r.Frame-first] = g
	}
	return m
}
