package cover

import "fmt"

// Scope says which frames a change of something keyed is for. Without one, placements and
// knots change at this frame, numbers over the span.
type Scope string

const (
	ThisFrame  Scope = "frame"  // a key is added where there is none
	AroundHere Scope = "around" // this frame's change, which is nothing any more some frames away
	FromHere   Scope = "on"     // this frame and all keys after it, alike
	WholeSpan  Scope = "span"   // all keys, alike
)

func (s Scope) validate() error {
	switch s {
	case "", ThisFrame, AroundHere, FromHere, WholeSpan:
		return nil
	}
	return fmt.Errorf("edit: %q is no scope", s)
}

// at says of which frames a change was.
func (s Scope) at(frame Time) string {
	switch s {
	case WholeSpan:
		return " over the whole span"
	case FromHere:
		return fmt.Sprintf(" from f %v on", frame)
	case AroundHere:
		return fmt.Sprintf(" around f %v", frame)
	}
	return fmt.Sprintf(" at f %v", frame)
}

// moves reports whether a change at frame f moves the key at frame k along.
func (s Scope) moves(f, k Time) bool { return s == WholeSpan || s == FromHere && k >= f }

// reach is how far a change around a frame goes: so many frames to each side, 0 up to good
// ones; and how far apart the document's moments are.
type reach struct {
	frames int
	step   Time
}

// fence keeps what a lane has outside the reach of a change at frame f: keys with what is
// there now are set where the reach ends. A key that is nearer ends it already; beyond
// the span nothing needs keeping. A way that eases and is cut so eases to the cut;
// a new key goes on as the one before it does, for all its parts.
func (c *Cover) fence(l lane, f Time, s Scope, r reach) error {
	switch s {
	case FromHere:
		return c.fenceAt(l, f-r.step, f)
	case AroundHere:
		before, after := c.reach(f, r)
		if err := c.fenceAt(l, before, f); err != nil {
			return err
		}
		return c.fenceAt(l, after, f)
	}
	return nil
}

// fenceAt keys at a frame what is there, unless a key that fixes all lies between it and f.
func (c *Cover) fenceAt(l lane, at, f Time) error {
	for i := range l.len() {
		k, _ := l.key(i).timing()
		if min(at, f) <= *k && *k <= max(at, f) && *k != f && l.whole(i) {
			return nil
		}
	}
	if !c.Span.Holds(at) {
		return nil
	}
	return l.paste(at, l.copy(at))
}

// reach returns the frames at which a change around frame f is nothing any more: so many
// frames away, or, of a cover on a track, where none are given, the next ones to each
// side that are surely followed.
func (c *Cover) reach(f Time, r reach) (before, after Time) {
	if r.frames > 0 || c.on == nil {
		n := Time(max(r.frames, 1))
		return f - n, f + n
	}
	sure := func(f Time) bool { s := c.on.Poses.State(f); return s == 'a' || s == 'g' }
	for before = f - r.step; c.Span.Holds(before) && !sure(before); {
		before -= r.step
	}
	for after = f + r.step; c.Span.Holds(after) && !sure(after); {
		after += r.step
	}
	return before, after
}

// Corrected returns the stretches of the span on which a cover lies elsewhere on its track
// than where it was put on it.
func (c *Cover) Corrected() (out []Span) {
	if c.on == nil {
		return nil
	}
	for f := c.Span.First; f <= c.Span.Last; f++ {
		if !c.corrected(Time(f)) {
			continue
		}
		if n := len(out); n > 0 && out[n-1].Last == f-1 {
			out[n-1].Last = f
		} else {
			out = append(out, Span{f, f})
		}
	}
	return out
}

func (c *Cover) corrected(f Time) bool {
	if c.Motion.At(f).unchanged(c.Motion.At(c.From)) != (Parts{true, true, true}) {
		return true
	}
	for _, o := range c.Outlines {
		if len(o.Keys) == 1 {
			continue
		}
		p, q := o.At(f), o.At(c.From)
		for i := range p {
			if p[i].P.Sub(q[i].P).Len() >= sameWithin {
				return true
			}
		}
	}
	return false
}
