package draft

import (
	"context"
	"errors"

	"celator/core/cover"
	"celator/internal/store"
)

// The settings by which what passes in front of a surface is looked for where nobody chose any: those that the bench
// begins with.
const (
	usualSensitivity = .5
	usualEdge        = 5
	usualLeast       = 60
)

// Front has what passes in front of a cover's surface looked for once that was followed, unless there is nothing to
// compare it with. What is found is proposed: nothing is held out before somebody accepts it.
func Front(ctx context.Context, st *store.Store, followed store.Attempt) error {
	spec := followed.Spec.V
	_, err := st.Attempt(ctx, spec.Then)
	if !errors.Is(err, store.ErrNone) {
		return err // a run that was killed began it
	}
	head, err := st.Head(ctx, followed.Shot)
	if err != nil {
		return err
	}
	c := head.Document.Find(spec.Ride)
	if c == nil {
		return nil
	}
	t := head.Document.Track(c.Track)
	if t == nil || t.Poses == nil || t.Kind != cover.Surface {
		return nil
	}
	for _, o := range head.Document.Covers {
		if o.Proposed != nil && o.Proposed.Surface == t.ID {
			return nil // somebody looked already
		}
	}
	track := *t
	track.Poses = nil
	a := store.Attempt{
		ID: spec.Then, Shot: followed.Shot, Track: t.ID, State: store.Queued, Frames: c.Span.Last - c.Span.First + 1,
	}
	a.Spec.V = store.AttemptSpec{
		Track: track, From: c.Span.First, To: c.Span.Last, Author: spec.Author, Fields: head.Document.Fields, Later: true,
		Foreground: &store.ForegroundSpec{
			Proposed: cover.Proposed{
				Surface: t.ID, Sensitivity: usualSensitivity, Edge: usualEdge, Least: usualLeast, Accepted: []cover.Span{},
				Strokes: []cover.Stroke{},
			},
			Cover: store.NewID(), Name: "In front of " + c.Name, For: []string{c.ID}, IfAny: true,
		},
	}
	return st.AddAttempt(ctx, a)
}
