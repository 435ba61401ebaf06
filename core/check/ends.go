package check

import (
	"math"
	"slices"

	"celator/core/cover"
	"celator/core/frame"
	"celator/core/geom"
)

// visible says whether the target is to be seen on a frame outside the span.
func (w *watch) visible(g *sight, guesses []geom.Map) (m geom.Map, yes bool) {
	s := w.sight(g, guesses, 24)
	m = guesses[0]
	known := s.Found() && s.Share > .6 && s.Mean > .55
	if known {
		m = s.Map
	}
	seen, ok := w.compare(g, m, min(s.Spread+1, 3))
	if !ok {
		return m, false
	}
	shows := float64(seen.n) * seen.shows
	least := math.Max(math.Min(leastArea, leastShare*w.areaOn(m)), leastSample)
	if known {
		return m, seen.shows > .5 && shows > least
	}
	// Too little of it is in the picture to be found; where it is going it may be seen.
	inside := float64(seen.n) / w.areaOn(m)
	return m, inside < .3 && seen.shows > .85 && shows > 40
}

// step is how the target moved at one end of the span.
func (w *watch) end(f, other int) (at geom.Map, step geom.Point) {
	at = w.onto(f)
	if w.prev != nil && w.prevF == f {
		at = *w.prev
	}
	mid := geom.Bounds(cornersOf(w.corners())).Centre()
	if w.c.Span.Holds(cover.Time(other)) {
		step = w.onto(f).Apply(mid).Sub(w.onto(other).Apply(mid))
	}
	return at, step
}

// beforehand looks at the frames before the span, from its first one backwards.
func (w *watch) beforehand() {
	if w.unknown {
		return
	}
	at, step := w.end(w.c.Span.First, w.c.Span.First+1)
	for i := len(w.before) - 1; i >= 0; i-- {
		g := &w.before[i]
		m, yes := w.visible(g, []geom.Map{geom.Translate(step).Mul(at), w.onto(g.f), at})
		if !yes {
			break
		}
		w.bare = append(w.bare, g.f)
		mid := geom.Bounds(cornersOf(w.corners())).Centre()
		step, at = m.Apply(mid).Sub(at.Apply(mid)), m
	}
	slices.Reverse(w.bare)
	w.before = nil
}

// after looks at a frame after the span.
func (w *watch) after(f int, was *frame.Picture) {
	if w.unknown || w.dead {
		return
	}
	last := w.c.Span.Last
	at, step := w.end(last, last-1)
	if w.prev != nil && w.prevF == f-1 {
		at = *w.prev
	} else if f > last+1 {
		w.dead = true
		return
	}
	guess := geom.Translate(step).Mul(at)
	var b geom.Rect
	for _, p := range w.paths {
		b = b.Union(p.Map(guess).Bounds()).Union(p.Map(at).Bounds())
	}
	g, ok := cropAt(f, was, pixels(b.Grow(targetMargin, targetMargin)))
	if !ok {
		w.dead = true
		return
	}
	m, yes := w.visible(&g, []geom.Map{guess, w.onto(f), at})
	if !yes {
		w.dead = true
		return
	}
	w.bare = append(w.bare, f)
	w.prev, w.prevF = &m, f
}
