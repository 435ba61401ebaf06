package draft

import (
	"context"

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

// Front has what passes in front of a cover's surface looked for, and returns the run; none where there is nothing to
// compare it with. What is found is proposed: nothing is held out before somebody accepts it.
func Front(ctx context.Context, st *store.Store, shot, id, by string) (attempt string, err error) {
	head, err := st.Head(ctx, shot)
	if err != nil {
		return "", err
	}
	c := head.Document.Find(id)
	if c == nil {
		return "", nil
	}
	t := head.Document.Track(c.Track)
	if t == nil || t.Poses == nil || t.Kind != cover.Surface {
		return "", nil
	}
	for _, o := range head.Document.Covers {
		if o.Proposed != nil && o.Proposed.Surface == t.ID {
			return "", nil // somebody looked already
		}
	}
	track := *t
	track.Poses = nil
	a := store.Attempt{
		ID: store.NewID(), Shot: shot, Track: t.ID, State: store.Queued, Frames: c.Span.Last - c.Span.First + 1,
	}
	a.Spec.V = store.AttemptSpec{
		Track: track, From: c.Span.First, To: c.Span.Last, Author: by, Fields: head.Document.Fields, Later: true,
		Foreground: &store.ForegroundSpec{
			Proposed: cover.Proposed{
				Surface: t.ID, Sensitivity: usualSensitivity, Edge: usualEdge, Least: usualLeast, Accepted: []cover.Span{},
				Strokes: []cover.Stroke{},
			},
			Cover: store.NewID(), Name: "In front of " + c.Name, For: []string{c.ID}, IfAny: true,
		},
	}
	return a.ID, st.AddAttempt(ctx, a)
}
