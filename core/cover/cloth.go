package cover

import (
	"errors"
	"math"

	"celator/core/geom"
)

// What rides on a track of the model "cloth" bends with it: the track's poses carry, beside the corners of the plane,
// how the surface departs from it on each frame.

const (
	// mostCells is of a bend in a document.
	mostCells = 16
	// coverCells are the cells each way of the bend under a cover, which is that of two frames made one: finer than
	// either, so that nothing of them is lost.
	coverCells = 12
	// besideCover is how far around a cover its bend is known, in shares of its size: covers grow.
	besideCover = .15
	// BentParts is how many pieces a side of an outline is cut into that bends with its surface.
	BentParts = 6
)

// Bends reports whether the track's surface departs from its plane on any frame.
func (t *Track) Bends() bool { return t != nil && t.Poses != nil && t.Poses.Bends != nil }

// Warp takes the surface's coordinates to a frame's, as it bends there.
func (t *Track) Warp(f Time) geom.Warp {
	w := geom.Warp{Map: t.Map(f)}
	if !t.Bends() {
		return w
	}
	p := t.Poses
	q := t.Box()
	box := geom.Rect{Min: q[0], Max: q[2]}
	i := p.Index(f)
	if i < 0 || p.States[i] == '-' {
		if i = p.nearest(f); i >= 0 {
			w.Bend = p.bend(i, box)
		}
		return w
	}
	w.Bend = p.bend(i, box)
	if s := float64(f - p.Time(i)); s > 0 && i+1 < len(p.States) && p.States[i+1] != '-' {
		w.Bend = w.Bend.Lerp(p.bend(i+1, box), s)
	}
	return w
}

// bend is that of a pose, or nil.
func (p *Poses) bend(i int, box geom.Rect) *geom.Bend {
	net := p.Bends[i]
	if len(net) == 0 {
		return nil
	}
	b := &geom.Bend{Box: box, Net: make([]geom.Point, len(net)/2)}
	for k := range b.Net {
		b.Net[k] = geom.Pt(net[2*k], net[2*k+1])
	}
	return b
}

// FlatBend returns a bend as Poses have it, to a thousandth of a pixel.
func FlatBend(b *geom.Bend) []float64 {
	out := []float64{}
	if b.Flat() {
		return out
	}
	for _, q := range b.Net {
		out = append(out, math.Round(q.X*1e3)/1e3, math.Round(q.Y*1e3)/1e3)
	}
	return out
}

func (p *Poses) validateBends() error {
	if p.Bends == nil {
		return nil
	}
	if len(p.Bends) != len(p.States) {
		return errors.New("poses: as many bends as states are needed")
	}
	all := 0
	for _, net := range p.Bends {
		if len(net) > 0 && all > 0 && len(net) != all {
			return errors.New("poses: bends have different numbers of controls")
		}
		all = max(all, len(net))
		n := int(math.Sqrt(float64(len(net) / 2)))
		if len(net) != 0 && (2*n*n != len(net) || n < 4 || n > mostCells+3) {
			return errors.New("poses: a bend has two numbers for each control of a square of 4 to 19 of them")
		}
		for _, v := range net {
			if !(math.Abs(v) <= maxCoord) {
				return errors.New("poses: a bend reaches too far out")
			}
		}
	}
	return nil
}

// Warp takes the cover's outlines from where they were drawn to frame f, as Map does, and bends them with its surface.
func (c *Cover) Warp(f Time) geom.Warp {
	w := geom.Warp{Map: c.Map(f)}
	if !c.on.Bends() || f == c.From {
		return w
	}
	from, err := c.on.Warp(c.From).Back()
	if err != nil {
		return w
	}
	back, err := w.Map.Inverse()
	if err != nil {
		return w
	}
	now, placed := c.on.Warp(f), c.Motion.Map(f)
	box := c.RestBounds(f)
	reach := besideCover * max(box.Max.X-box.Min.X, box.Max.Y-box.Min.Y)
	w.Bend = geom.BendThrough(box.Grow(reach, reach), coverCells, func(p geom.Point) geom.Point {
		return back.Apply(now.Apply(from(placed.Apply(p)))).Sub(p)
	})
	return w
}

// CornersCarried is Carried for what is drawn on the box around the cover: on cloth, the map that takes the box's
// corners to where they lie.
func (c *Cover) CornersCarried(f Time) geom.Map {
	w := c.Warp(f)
	if w.Bend == nil {
		return c.Carried(f)
	}
	var from, to [4]geom.Point
	for i, k := range geom.Box(c.RestBounds(f)) {
		from[i], to[i] = c.Motion.Map(f).Apply(k.P), w.Apply(k.P)
	}
	m, err := geom.QuadToQuad(from, to)
	if err != nil {
		return c.Carried(f)
	}
	return m
}

// BendFrom returns how what lies inside a box of frame a is bent on frame b by the surface that the cover rides on,
// beside the plane's own motion; nil where it rides on nothing that bends.
func (c *Cover) BendFrom(a, b Time, box geom.Rect) *geom.Bend {
	if !c.on.Bends() || a == b {
		return nil
	}
	from, err := c.on.Warp(a).Back()
	if err != nil {
		return nil
	}
	plane, err := c.on.Map(b).Inverse()
	if err != nil {
		return nil
	}
	plane = c.on.Map(a).Mul(plane)
	now := c.on.Warp(b)
	return geom.BendThrough(box, coverCells, func(p geom.Point) geom.Point {
		return plane.Apply(now.Apply(from(p))).Sub(p)
	})
}

// Contours returns the cover's outlines as they lie on frame f in picture coordinates, whether or not the frame is
// inside its span. They are its Paths, cut into more knots where they bend with its surface.
func (c *Cover) Contours(f Time) []geom.Path {
	if !c.on.Bends() {
		return c.Paths(f)
	}
	w := c.Warp(f)
	paths := make([]geom.Path, len(c.Outlines))
	for i, o := range c.Outlines {
		paths[i] = o.At(f).Through(w.Apply, BentParts)
	}
	return paths
}
