package check

import (
	"image"
	"math"

	"celator/core/cover"
	"celator/core/frame"
	"celator/core/geom"
	"celator/core/raster"
	"celator/core/track"
)

// sight is the part of a picture around a cover.
type sight struct {
	f    int
	at   image.Point // of the part, in the picture
	pic  *frame.Picture
	gray track.Frame
}

// cropAt takes the part of a picture that holds a rectangle.
func cropAt(f int, p *frame.Picture, r image.Rectangle) (sight, bool) {
	r = image.Rect(r.Min.X&^1, r.Min.Y&^1, (r.Max.X+1)&^1, (r.Max.Y+1)&^1).Intersect(p.Rect())
	if r.Dx() < 16 || r.Dy() < 16 {
		return sight{}, false
	}
	g := sight{f: f, at: r.Min, pic: part(p, r)}
	luma := track.NewGray(r.Dx(), r.Dy())
	unit := 1 / float32(int(1)<<(p.Depth-8))
	for i, v := range g.pic.Read(0, g.pic.Rect()).Pix {
		luma.Pix[i] = v * unit
	}
	var err error
	g.gray, err = track.Prepare(luma)
	return g, err == nil
}

// part copies a rectangle, on even coordinates or the picture's edge.
func part(p *frame.Picture, r image.Rectangle) *frame.Picture {
	f := p.Format
	f.Width, f.Height = r.Dx(), r.Dy()
	out := frame.New(f, nil)
	for plane := range out.Planes {
		pr := p.PlaneRect(plane, r)
		for y := pr.Min.Y; y < pr.Max.Y; y++ {
			copy(out.Row(plane, y-pr.Min.Y, 0, pr.Dx()), p.Row(plane, y, pr.Min.X, pr.Max.X))
		}
	}
	return out
}

// here turns a map onto the picture into one onto the part.
func (g *sight) here(m geom.Map) geom.Map {
	return geom.Translate(geom.Pt(-float64(g.at.X), -float64(g.at.Y))).Mul(m)
}

func (g *sight) there(m geom.Map) geom.Map {
	return geom.Translate(geom.Pt(float64(g.at.X), float64(g.at.Y))).Mul(m)
}

// carried takes picture coordinates on frame a to where the cover has them on frame b.
// An outline that moves by its own keys is followed by its knots.
func carried(c *cover.Cover, a, b int) geom.Map {
	if a == b {
		return geom.Identity
	}
	still := true
	for _, o := range c.Outlines {
		still = still && len(o.Keys) == 1
	}
	if still {
		back, err := c.Map(cover.Time(a)).Inverse()
		if err != nil {
			return geom.Identity
		}
		return unit(c.Map(cover.Time(b)).Mul(back))
	}
	var p, q []geom.Point
	was, now := c.Paths(cover.Time(a)), c.Paths(cover.Time(b))
	for i := range was {
		for k := range was[i] {
			p, q = append(p, was[i][k].P), append(q, now[i][k].P)
		}
	}
	if len(p) == 4 {
		if m, err := geom.QuadToQuad([4]geom.Point(p), [4]geom.Point(q)); err == nil {
			return m
		}
	}
	return affine(p, q)
}

func unit(m geom.Map) geom.Map {
	for i := range m {
		m[i] /= m[8]
	}
	return m
}

// affine is the map that takes points p to q best, by least squares.
func affine(p, q []geom.Point) geom.Map {
	var mp, mq geom.Point
	for i := range p {
		mp, mq = mp.Add(p[i]), mq.Add(q[i])
	}
	n := 1 / float64(len(p))
	mp, mq = mp.Mul(n), mq.Mul(n)
	var xx, xy, yy, ax, ay, bx, by float64
	for i := range p {
		u, v := p[i].Sub(mp), q[i].Sub(mq)
		xx, xy, yy = xx+u.X*u.X, xy+u.X*u.Y, yy+u.Y*u.Y
		ax, ay, bx, by = ax+u.X*v.X, ay+u.Y*v.X, bx+u.X*v.Y, by+u.Y*v.Y
	}
	det := xx*yy - xy*xy
	if math.Abs(det) < 1e-9 {
		return geom.Translate(mq.Sub(mp))
	}
	a, b := (ax*yy-ay*xy)/det, (ay*xx-ax*xy)/det
	c, d := (bx*yy-by*xy)/det, (by*xx-bx*xy)/det
	return geom.Map{a, b, mq.X - a*mp.X - b*mp.Y, c, d, mq.Y - c*mp.X - d*mp.Y, 0, 0, 1}
}

// bounds is the rectangle around the cover's outlines on a frame, grown by some px.
func bounds(c *cover.Cover, f int, grow float64) image.Rectangle {
	var b geom.Rect
	for _, p := range c.Contours(cover.Time(f)) {
		b = b.Union(p.Bounds())
	}
	return pixels(b.Grow(grow, grow))
}

func pixels(b geom.Rect) image.Rectangle {
	clamp := func(v float64) int { return int(min(max(v, -1<<20), 1<<20)) }
	return image.Rect(clamp(math.Floor(b.Min.X)), clamp(math.Floor(b.Min.Y)), clamp(math.Ceil(b.Max.X)),
		clamp(math.Ceil(b.Max.Y)))
}

// clear leaves out of a look what the document holds out of the cover.
func (g *sight) clear(d *cover.Document, c *cover.Cover) {
	for _, l := range d.At(cover.Time(g.f)) {
		if l.Cover != c.ID || len(l.Holdouts) == 0 {
			continue
		}
		foreground := raster.Foreground(l.Holdouts, d.Width, d.Height)
		m := track.NewGray(g.pic.Width, g.pic.Height)
		for y := range m.H {
			for x := range m.W {
				m.Pix[y*m.W+x] = at(foreground, g.at.X+x, g.at.Y+y)
			}
		}
		if f, err := g.gray.Except(m); err == nil {
			g.gray = f
		}
	}
}

// motion is how far the cover moves on a frame, px a frame.
func motion(c *cover.Cover, f int) geom.Point {
	a, b := max(f-1, c.Span.First), min(f+1, c.Span.Last)
	if a >= b {
		return geom.Point{}
	}
	mid := bounds(c, a, 0)
	p := geom.Pt(float64(mid.Min.X+mid.Max.X)/2, float64(mid.Min.Y+mid.Max.Y)/2)
	return carried(c, a, b).Apply(p).Sub(p).Mul(1 / float64(b-a))
}

// scale is by how much a map enlarges around a place.
func scale(m geom.Map, at geom.Point) float64 {
	o := m.Apply(at)
	return math.Sqrt(math.Abs(m.Apply(at.Add(geom.Pt(1, 0))).Sub(o).Cross(m.Apply(at.Add(geom.Pt(0, 1))).Sub(o))))
}

func abs(i int) int { return max(i, -i) }
