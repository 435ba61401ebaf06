package store

import (
	"context"
	"database/sql"

	"github.com/jmoiron/sqlx"

	"celator/core/cover"
)

// Replace adds a revision with another document, which check has held against the
// head's. Poses and mattes that it carries are kept as attempts of the shot.
func (s *Store) Replace(ctx context.Context, shot string, on On, doc *cover.Document,
	check func(head *cover.Document) error,
) (Revision, error) {
	return s.change(ctx, shot, on, func(tx *sqlx.Tx, head Revision) (Revision, error) {
		r := Revision{
			Parent: sql.NullInt64{Int64: int64(head.State), Valid: true}, Label: "replaced the document",
			Document: doc,
		}
		if err := check(head.Document); err != nil {
			return r, err
		}
		for i := range doc.Tracks {
			if t := &doc.Tracks[i]; t.Poses != nil {
				a := posed(shot, *t, on.Author)
				if err := s.addAttempt(ctx, tx, a); err != nil {
					return r, err
				}
				t.Attempt = a.ID
			}
		}
		for i := range doc.Covers {
			if err := s.adoptMattes(ctx, tx, shot, &doc.Covers[i], on.Author); err != nil {
				return r, err
			}
		}
		return r, nil
	})
}

// Adopt keeps a track's poses, which were made elsewhere, as an attempt.
func (s *Store) Adopt(ctx context.Context, shot string, t cover.Track, author string) (Attempt, error) {
	a := posed(shot, t, author)
	if err := s.AddAttempt(ctx, a); err != nil {
		return a, err
	}
	return s.Attempt(ctx, a.ID)
}

// posed is an attempt that has ended with a track's poses.
func posed(shot string, t cover.Track, author string) Attempt {
	n := len(t.Poses.States)
	a := Attempt{ID: NewID(), Shot: shot, Track: t.ID, State: Done, Frames: n, Done: n}
	a.Poses.V = t.Poses
	a.Spec.V = AttemptSpec{Track: t, From: t.Poses.First, To: t.Poses.First + n - 1, Author: author}
	a.Spec.V.Track.Poses = nil
	return a
}

// adoptMattes keeps the mattes that a holdout brings with it as a run.
func (s *Store) adoptMattes(ctx context.Context, tx *sqlx.Tx, shot string, c *cover.Cover, author string) error {
	if c.Proposed == nil || c.Proposed.Mattes == nil {
		return nil
	}
	p := *c.Proposed
	m := p.Mattes
	n := len(m.Frames)
	a := Attempt{ID: NewID(), Shot: shot, Track: p.Surface, State: Done, Frames: n, Done: n}
	a.Spec.V = AttemptSpec{
		From: m.First, To: m.First + n - 1, Author: author,
		Foreground: &ForegroundSpec{Cover: c.ID, Name: c.Name, For: c.HoldsOut},
	}
	if err := s.addAttempt(ctx, tx, a); err != nil {
		return err
	}
	for i, g := range m.Frames {
		if err := addMatte(ctx, tx, a.ID, m.First+i, g); err != nil {
			return err
		}
	}
	p.Run = a.ID
	c.Proposed = &p
	return nil
}
