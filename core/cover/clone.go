package cover

import "slices"

// Clone returns a deep copy: nothing that can be changed is shared. Poses, mattes and the
// pictures of graphics are never changed in place, and are shared.
func (d *Document) Clone() *Document {
	n := *d
	n.Covers = slices.Clone(d.Covers)
	for i := range n.Covers {
		n.Covers[i] = n.Covers[i].clone()
	}
	n.Tracks = slices.Clone(d.Tracks)
	for i := range n.Tracks {
		t := &n.Tracks[i]
		t.Surface, t.Anchors = slices.Clone(t.Surface), cloneAnchors(t.Anchors)
		if t.Trim != nil {
			trim := *t.Trim
			t.Trim = &trim
		}
	}
	n.Labels, n.Graphics = slices.Clone(d.Labels), slices.Clone(d.Graphics)
	n.Markers, n.Passages = slices.Clone(d.Markers), slices.Clone(d.Passages)
	for i := range n.Passages {
		p := &n.Passages[i]
		p.Tracks, p.Channels = slices.Clone(p.Tracks), slices.Clone(p.Channels)
	}
	n.link()
	return &n
}

func (c Cover) clone() Cover {
	c.Outlines = slices.Clone(c.Outlines)
	for i := range c.Outlines {
		c.Outlines[i] = c.Outlines[i].clone()
	}
	c.Motion.Keys = slices.Clone(c.Motion.Keys)
	c.Treatments = slices.Clone(c.Treatments)
	for i := range c.Treatments {
		c.Treatments[i] = c.Treatments[i].clone()
	}
	c.HoldsOut = slices.Clone(c.HoldsOut)
	if c.Crossing != nil {
		x := *c.Crossing
		c.Crossing = &x
	}
	if c.Proposed != nil {
		p := *c.Proposed
		p.Accepted, p.Strokes = slices.Clone(p.Accepted), slices.Clone(p.Strokes)
		for i := range p.Strokes {
			p.Strokes[i].Points = slices.Clone(p.Strokes[i].Points)
		}
		c.Proposed = &p
	}
	for _, v := range []*Value{&c.Grow, &c.Soften.Across, &c.Soften.Down, &c.Transparency} {
		v.Keys = slices.Clone(v.Keys)
	}
	return c
}

func (o Outline) clone() Outline {
	o.Keys = slices.Clone(o.Keys)
	for i := range o.Keys {
		o.Keys[i].Knots = slices.Clone(o.Keys[i].Knots)
	}
	return o
}

func (t Treatment) clone() Treatment {
	for _, name := range numbers {
		v := t.number(name)
		v.Keys = slices.Clone(v.Keys)
	}
	return t
}

func cloneAnchors(all []TrackAnchor) []TrackAnchor {
	out := append([]TrackAnchor{}, all...)
	for i := range out {
		out[i].Points = slices.Clone(out[i].Points)
	}
	return out
}
