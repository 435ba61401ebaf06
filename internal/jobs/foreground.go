package jobs

import (
	"context"
	"errors"
	"fmt"
	"time"

	"celator/core/cleanplate"
	"celator/core/cover"
	"celator/core/holdout"
	"celator/internal/follow"
	"celator/internal/media"
	"celator/internal/store"
)

// cleaned remembers what the last surface looks like, so that other settings and other
// stretches need no second look at the shot.
type cleaned struct {
	key   string
	plate *cleanplate.Plate
}

// leastPassing is on how many pictures something must be seen in front to be offered unasked.
const leastPassing = 3

// foreground runs over a stretch and keeps what passes in foreground of a surface; the document
// then has a holdout of it, of which nothing is accepted yet.
func (r *Runner) foreground(ctx context.Context, a store.Attempt, beat func(int)) error {
	spec := a.Spec.V
	j, v, key, err := r.searching(ctx, a)
	if err != nil {
		return err
	}
	if w, err := r.store.AttemptProgress(ctx, a.ID, 0, spec.From, nil); err != nil {
		return err
	} else if !w {
		return r.store.EndAttempt(ctx, a.ID, store.Stopped, "", a.Done, nil, nil)
	}
	work, cancel := context.WithCancel(ctx)
	defer cancel()
	wanted, done, any := true, 0, 0
	last := time.Now()
	j.Found = func(f int, found holdout.Found) error {
		m, err := follow.Matte(found)
		if err == nil {
			err = r.store.AddMatte(work, a.ID, f, m)
		}
		if err != nil {
			return err
		}
		done++
		if len(m.PNG) > 0 {
			any++
		}
		beat(done / v.Each)
		if now := time.Now(); now.Sub(last) >= shown {
			last = now
			if w, err := r.store.AttemptProgress(work, a.ID, done/v.Each, f/v.Each, nil); err == nil && !w {
				wanted = false
				cancel()
			}
		}
		return nil
	}
	begun := time.Now()
	plate, err := j.Find(work)
	if plate != nil {
		r.mu.Lock()
		r.clean = cleaned{key, plate}
		r.mu.Unlock()
	}
	state, note := store.Done, ""
	switch {
	case !wanted:
		state = store.Stopped
	case err != nil && (ctx.Err() != nil || passes(err)):
		return err // taken up again; what was found is kept
	case err != nil:
		state, note = store.Failed, sentence(err)
	}
	r.log.Info("looked for the foreground", "surface", spec.Track.Name, "frames", done/v.Each, "state", state,
		"note", note, "seconds", time.Since(begun).Seconds())
	if state != store.Failed && done > 0 && !(spec.Foreground.IfAny && any < leastPassing) {
		if err := r.propose(ctx, a); err != nil {
			return err
		}
	}
	return r.store.EndAttempt(ctx, a.ID, state, note, done/v.Each, nil, nil)
}

// searching is what a run looks through, and what its surface is remembered by.
func (r *Runner) searching(ctx context.Context, a store.Attempt) (
	j follow.Foreground, v media.Pictures, key string, err error,
) {
	spec := a.Spec.V
	sh, src, err := r.store.WithSource(ctx, a.Shot)
	if err != nil {
		return j, v, "", err
	}
	clip, id, err := r.lib.Shot(sh, src)
	if err != nil {
		return j, v, "", err
	}
	poses, err := r.store.Attempt(ctx, spec.Track.Attempt)
	if err != nil {
		return j, v, "", fmt.Errorf("the surface's track: %w", err)
	}
	track := spec.Track
	track.Poses = poses.Poses.V
	v = media.Pictures{Clip: clip, Each: 1}
	if spec.Fields {
		v = clip.Pictures()
	}
	from, to := v.Span(spec.From, spec.To)
	track = v.Track(track)
	p := spec.Foreground.Proposed
	j = follow.ForegroundOf(v.Clip, &track, cover.Span{First: from, Last: to},
		holdout.Settings{Sensitivity: p.Sensitivity, Edge: p.Edge, Least: p.Least})
	key = id + "/" + track.Attempt
	r.mu.Lock()
	if r.clean.key == key {
		j.Known = r.clean.plate
	}
	r.mu.Unlock()
	return j, v, key, nil
}

// propose enters a run's mattes into the document: as a new holdout, or instead of
// those that one had.
func (r *Runner) propose(ctx context.Context, a store.Attempt) error {
	spec := a.Spec.V
	p := spec.Foreground.Proposed
	p.Run, p.Surface, p.Accepted, p.Strokes, p.Mattes = a.ID, spec.Track.ID, []cover.Span{}, []cover.Stroke{}, nil
	for range 50 {
		head, err := r.store.Head(ctx, a.Shot)
		if err != nil {
			return err
		}
		span := cover.Span{First: spec.From, Last: spec.To}
		cmds := []cover.Command{
			cover.ProposeAgain{Cover: spec.Foreground.Cover, Proposed: p},
			cover.SetSpan{Cover: spec.Foreground.Cover, Span: span},
		}
		if c := head.Document.Find(spec.Foreground.Cover); c == nil {
			cmds = []cover.Command{cover.AddCover{New: cover.Cover{
				ID: spec.Foreground.Cover, Name: spec.Foreground.Name, Span: span, HoldsOut: spec.Foreground.For, Proposed: &p,
				Outlines: []cover.Outline{}, Treatments: []cover.Treatment{},
			}}}
		}
		_, err = r.store.Edit(ctx, a.Shot, store.On{Base: head.Number, Author: spec.Author, Key: "take-" + a.ID},
			func(d *cover.Document) (*cover.Document, string, error) {
				return d.Apply(cmds...)
			})
		var conflict *store.Conflict
		if !errors.As(err, &conflict) {
			return err
		}
	}
	return errors.New("the shot is changed too often to enter the holdout")
}
