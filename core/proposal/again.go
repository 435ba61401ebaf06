package proposal

import (
	"slices"

	"celator/core/cover"
	"celator/core/geom"
)

// Reappeared makes proposals of the sights of one surface, on the frames of a stretch that were looked at. It may be in
// view from the frame after the last one on which it was not seen to the one before the next.
func Reappeared(looked []int, sights []Sight, first, last int) (out []Proposal) {
	slices.SortStableFunc(sights, func(a, b Sight) int { return a.Frame - b.Frame })
	var chains [][]Sight
	for _, s := range sights {
		best, far := -1, 0.
		for i, c := range chains {
			was := c[len(c)-1]
			between := 0 // looks at which it was not seen
			for _, f := range looked {
				if was.Frame < f && f < s.Frame {
					between++
				}
			}
			d := was.Quad.Centre().Sub(s.Quad.Centre()).Len()
			if was.Frame < s.Frame && between <= endures && d < strays*max(was.Quad.Height(), s.Quad.Height()) &&
				(best < 0 || d < far) {
				best, far = i, d
			}
		}
		if best < 0 {
			chains = append(chains, nil)
			best = len(chains) - 1
		}
		chains[best] = append(chains[best], s)
	}
	for _, c := range chains {
		from, to := first, last
		for _, f := range looked {
			if f < c[0].Frame {
				from = max(from, f+1)
			}
			if f > c[len(c)-1].Frame {
				to = min(to, f-1)
			}
		}
		p := Proposal{Kind: Mark, First: from, Last: to, Sights: c}
		best := -1.
		for _, s := range c {
			p.Sure = max(p.Sure, s.Sure)
			if g := s.Sure * min(s.Quad.Height(), clear); g > best {
				best, p.Best = g, s
			}
		}
		out = append(out, p)
	}
	return out
}

// hides is how much of a thing, or of its cover, both must share for the one to hide the other.
const hides = .6

// Hidden reports whether a cover of an item lies on what was seen on a frame of a shot.
func Hidden(d *cover.Document, item string, frame int, q geom.Quad) bool {
	b := q.Bounds()
	for _, c := range d.Hiding(item) {
		on := c.Bounds(cover.Time(frame))
		if c.Span.Holds(cover.Time(frame)) && on.Common(b) >= hides*min(on.Area(), b.Area()) {
			return true
		}
	}
	return false
}

// sameMoment is how many frames apart two sights may be to be compared by place.
const sameMoment = 8

// Within reports whether a proposal is of something that an outline on a frame hides: nearly all of it lies within,
// where it was seen about then.
func (p *Proposal) Within(outline geom.Quad, frame int) bool {
	i := -1
	for k, s := range p.Sights {
		if i < 0 || abs(s.Frame-frame) < abs(p.Sights[i].Frame-frame) {
			i = k
		}
	}
	if i < 0 || abs(p.Sights[i].Frame-frame) > sameMoment || p.Kind == Face {
		return false
	}
	q := p.Sights[i].Quad
	const n = 8
	in := 0
	for k := range n * n {
		u, v := (float64(k%n)+.5)/n, (float64(k/n)+.5)/n
		if outline.Holds(q[0].Lerp(q[1], u).Lerp(q[3].Lerp(q[2], u), v)) {
			in++
		}
	}
	return in >= n*n*9/10
}
