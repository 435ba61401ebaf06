package cover

import (
	"strings"

	"celator/core/geom"
)

// ByField returns the document of the same covers in which each field is a frame of its own,
// for what goes through pictures one by one: frame 2f is the first field of f and 2f+1 its
// second. Covers are on each of them as they were at that time.
func (d *Document) ByField() *Document {
	n := d.Clone()
	n.Frames, n.Fields = 2*d.Frames, false
	for i := range n.Tracks {
		n.Tracks[i] = d.Tracks[i].ByField()
	}
	n.link()
	for i := range n.Covers {
		c := &n.Covers[i]
		c.Span.double()
		c.From *= 2
		for _, l := range c.lanes() {
			for k := range l.len() {
				t, _ := l.key(k).timing()
				*t *= 2
			}
		}
		if c.Crossing != nil {
			for k, f := range c.Crossing {
				c.Crossing[k] = max(2*f, -1)
			}
		}
		if p := c.Proposed; p != nil {
			for k := range p.Accepted {
				p.Accepted[k].double()
			}
			for k := range p.Strokes {
				p.Strokes[k].Frame *= 2
				p.Strokes[k].Span.double()
			}
			p.Mattes = p.Mattes.byField()
		}
	}
	for i := range n.Markers {
		n.Markers[i].Frame *= 2
	}
	return n
}

// double makes of frames the fields of them.
func (s *Span) double() { s.First, s.Last = 2*s.First, 2*s.Last+1 }

// ByField returns the track among fields that are frames of their own, with its poses.
func (t Track) ByField() Track {
	t.Poses, t.whole = t.byField(), nil
	t.Frame *= 2
	t.Anchors = cloneAnchors(t.Anchors)
	for k := range t.Anchors {
		t.Anchors[k].Frame *= 2
	}
	if t.Trim != nil {
		trim := *t.Trim
		trim.double()
		t.Trim = &trim
	}
	return t
}

// byField returns a track's poses with one for each field.
func (t *Track) byField() *Poses {
	p := t.Poses
	if p == nil {
		return nil
	}
	q := &Poses{First: 2 * p.First}
	n := len(p.States)
	if !p.Fields {
		n *= 2
	}
	for i := range n {
		at := Time(p.First) + Time(i)/2
		k := p.Index(at)
		corners, _ := t.Corners(at)
		var flat [8]float64
		for c, v := range corners {
			flat[2*c], flat[2*c+1] = v.X, v.Y
		}
		q.Corners, q.Confidence = append(q.Corners, flat), append(q.Confidence, p.Confidence[k])
		q.States += p.States[k : k+1]
		if p.Places != nil {
			q.Places = append(q.Places, p.Places[k])
		}
		if p.Bends != nil {
			q.Bends = append(q.Bends, FlatBend(t.Warp(at).Bend))
		}
	}
	return q
}

// byField returns mattes with one for each field; of a frame that was looked at as a whole
// both are the same, and nothing moves from the one to the other.
func (m *Mattes) byField() *Mattes {
	if m == nil {
		return nil
	}
	q := &Mattes{First: 2 * m.First}
	for _, f := range m.Frames {
		q.Frames = append(q.Frames, f)
		if !m.Fields {
			f.Move = &geom.Point{}
			q.Frames = append(q.Frames, f)
		}
	}
	return q
}

// better orders states, the best first.
const better = "agwol-"

// ByFrame returns poses with one for each frame, as people look through them: a frame's
// first field's, in the worse of both fields' states.
func (p *Poses) ByFrame() *Poses {
	if p == nil || !p.Fields {
		return p
	}
	q := &Poses{First: p.First}
	for i := 0; i < len(p.States); i += 2 {
		state, sure := p.States[i], p.Confidence[i]
		if i+1 < len(p.States) {
			if s := p.States[i+1]; strings.IndexByte(better, s) > strings.IndexByte(better, state) && state != 'a' {
				state = s
			}
			sure = min(sure, p.Confidence[i+1])
		}
		q.Corners, q.Confidence = append(q.Corners, p.Corners[i]), append(q.Confidence, sure)
		q.States += string(rune(state))
		if p.Places != nil {
			q.Places = append(q.Places, p.Places[i])
		}
		if p.Bends != nil {
			q.Bends = append(q.Bends, p.Bends[i])
		}
	}
	return q
}
