package follow

import (
	"celator/core/geom"
	"celator/core/track"
)

// way is what a leg has found so far, and what of it may still become better: where things were not surely found, and,
// once all of it is followed, where a surface's motion over all of it says more than a single frame.
type way struct {
	run     *run
	leg     leg
	surface *track.Planar // nil for points
	to      geom.Map      // from the surface's own coordinates to those of the anchor it is compared with
	away    geom.Map      // and back
	steps   []track.Step  // of a surface, in the anchor's coordinates: where it begins, and each frame
	doubts  []stretch     // by thing
}

func (r *run) begins(t track.Tracker, l leg) *way {
	w := &way{run: r, leg: l, doubts: make([]stretch, max(len(r.job.Points), 1))}
	w.to = r.job.reference(l.anchor).Map
	if away, err := w.to.Inverse(); err == nil {
		w.surface, _ = t.(*track.Planar)
		w.away = away
	}
	for i := range w.doubts {
		w.doubts[i].quad, w.doubts[i].lost = r.job.around(i), w.surface == nil
	}
	if w.surface == nil {
		return w
	}
	start := track.Pose{Map: geom.Identity, Confidence: 1, State: track.Anchor}
	switch {
	case l.start != l.anchor.Frame:
		start.Map, start.Bend, start.State = l.from.Map.Mul(w.away), l.from.Bend, track.Good
		w.surface.Resume(start.Warp())
	case w.to != l.anchor.Map:
		r.mu.Lock()
		start.Map, start.Bend = l.anchor.Map.Mul(w.away), r.bends[l.anchor.Frame]
		r.mu.Unlock()
		w.surface.Resume(start.Warp())
	}
	w.steps = append(w.steps, track.Step{Pose: start})
	return w
}

// goes takes a frame's poses, and tells them and those of frames before it that are known better now.
func (w *way) goes(f int, g track.Frame, poses []track.Pose) {
	t := told{f: f, poses: poses}
	if w.surface != nil {
		t.cov = w.surface.Cov()
		w.steps = append(w.steps, track.Step{})
		w.keep(t)
	}
	w.run.tell(f, w.leg, poses)
	for i := range w.doubts {
		d := &w.doubts[i]
		if !d.next(t, i, g) {
			continue
		}
		if w.surface != nil {
			d.back(w.surface, w.to, w.away)
		}
		for _, b := range d.settled(i) {
			if p := &b.poses[i]; p.State == track.Lost && w.run.job.beside(p.Map, d.quad) {
				p.State = track.Outside // known now that it came back
			}
			w.keep(b)
			w.run.tell(b.f, w.leg, b.poses)
		}
	}
}

// keep puts what was told of a frame among the steps.
func (w *way) keep(t told) {
	if w.surface == nil {
		return
	}
	p := t.poses[0]
	p.Map = p.Map.Mul(w.away)
	w.steps[(t.f-w.leg.first)*w.leg.step+1] = track.Step{Pose: p, Cov: t.cov}
}

// ends looks at all of the way.
func (w *way) ends() {
	if w.surface == nil {
		return
	}
	if w.run.job.Bends != nil {
		w.run.mu.Lock()
		w.run.job.Bends(w.surface.Bends())
		w.run.mu.Unlock()
	}
	for k, m := range track.Smooth(w.steps, w.surface.Box(), w.surface.Model()) {
		if k == 0 || m == w.steps[k].Map {
			continue
		}
		p := w.steps[k].Pose
		p.Map = m.Mul(w.to)
		w.run.tell(w.leg.first+(k-1)*w.leg.step, w.leg, []track.Pose{p})
	}
}
