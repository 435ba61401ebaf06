// Package raster turns a cover's outlines into its matte: exact-area coverage
// per pixel, grown, softened and combined, 0 to 1.
package raster

import (
	"image"
	"math"

	"golang.org/x/image/vector"

	"celator/core/cover"
	"celator/core/filter"
	"celator/core/frame"
	"celator/core/geom"
)

// tolerance is how far, in pixels, a flattened curve may stray from the path.
const tolerance = 0.05

// least is the softened coverage below which a sample counts as outside: it
// would change no code of a 10-bit picture.
const least = 1. / 2048

// Bounds returns a rectangle that holds every luma sample that a live cover can
// change in a picture of that size. It begins and ends on even coordinates, so
// that chroma samples are whole, or at the picture's edge; it is empty when the
// cover lies wholly outside.
func Bounds(l cover.Form, width, height int) image.Rectangle {
	if l.Inverted {
		return image.Rect(0, 0, width, height)
	}
	if l.Found != nil {
		return l.Found.Bounds().Intersect(image.Rect(0, 0, width, height))
	}
	var b geom.Rect
	for _, p := range l.Paths {
		b = b.Union(p.Bounds())
	}
	if b.Empty() {
		return image.Rectangle{}
	}
	// Two samples more for the flattening and the tail of the softness.
	b = b.Grow(l.Grow+l.Soften.X+2, l.Grow+l.Soften.Y+2)
	return pixels(b).Intersect(image.Rect(0, 0, width, height))
}

// Matte returns the matte of a live cover on its Bounds. Growing and softening
// go from what is hidden towards what is shown: inside the grown outline, or of
// an inverted cover outside its outlines, the matte is 1.
//
// A holdout takes away what it outlines. Its softness goes inward, so that what is
// hidden beside it stays hidden: it is the matte of the inverted form.
func Matte(l cover.Live, width, height int) frame.Plane {
	r := Bounds(l.Form, width, height)
	if r.Empty() {
		return frame.Plane{}
	}
	matte := shape(l.Form, r)
	for _, h := range l.Holdouts {
		if Bounds(h, width, height).Intersect(r).Empty() {
			continue
		}
		for i, v := range open(h, r).Pix {
			matte.Pix[i] *= v
		}
	}
	if l.Transparency > 0 {
		k := float32(1 - l.Transparency)
		for i := range matte.Pix {
			matte.Pix[i] *= k
		}
	}
	return matte
}

// open returns what a holdout leaves of what lies behind it: 0 where all of it is
// hidden by the foreground.
func open(h cover.Form, r image.Rectangle) frame.Plane {
	if h.Found != nil {
		return found(h.Found, r)
	}
	h.Inverted = !h.Inverted
	return shape(h, r)
}

// found is one minus a proposed matte with its strokes.
func found(f *cover.Found, r image.Rectangle) frame.Plane {
	out := frame.NewPlane(r)
	for i := range out.Pix {
		out.Pix[i] = 1
	}
	m := f.Matte()
	for y := max(r.Min.Y, m.Rect.Min.Y); y < min(r.Max.Y, m.Rect.Max.Y); y++ {
		row, from := out.Row(y), m.Row(y)
		for x := max(r.Min.X, m.Rect.Min.X); x < min(r.Max.X, m.Rect.Max.X); x++ {
			row[x-r.Min.X] = 1 - from[x-m.Rect.Min.X]
		}
	}
	for _, s := range f.Strokes {
		for i, v := range brush(s, r).Pix {
			if s.Add {
				out.Pix[i] *= 1 - v
			} else {
				out.Pix[i] = max(out.Pix[i], v)
			}
		}
	}
	return out
}

// brush returns the coverage of r by a stroke.
func brush(s cover.PlacedBrush, r image.Rectangle) frame.Plane {
	part := pixels(geom.Bounds(s.Points).Grow(s.Radius+1, s.Radius+1)).Intersect(r)
	out := frame.NewPlane(r)
	if part.Empty() {
		return out
	}
	var polys [][]geom.Point
	round := enlarge(s.Radius, geom.Point{})
	for i := range max(len(s.Points)-1, 1) {
		ends := distinct([]geom.Point{s.Points[i], s.Points[min(i+1, len(s.Points)-1)]})
		if len(ends) < 2 { // a dot
			ends = []geom.Point{ends[0], ends[0].Add(geom.Pt(1e-3, 0))}
		}
		polys = append(polys, sweep(ends, round))
	}
	c := coverage(polys, part)
	for y := part.Min.Y; y < part.Max.Y; y++ {
		copy(out.Row(y)[part.Min.X-r.Min.X:], c.Row(y))
	}
	return out
}

// Foreground returns the matte of what passes in front: 1 where a holdout hides
// nothing at all.
func Foreground(holdouts []cover.Form, width, height int) frame.Plane {
	r := image.Rect(0, 0, width, height)
	out := frame.NewPlane(r)
	for _, h := range holdouts {
		for i, v := range open(h, r).Pix {
			out.Pix[i] = max(out.Pix[i], 1-v)
		}
	}
	return out
}

// sided is the matte of a form whose soft edge lies inside the outline or on both sides
// of it: the hard matte smoothed, and for inside the upper half of that, eased at the
// outline.
func sided(l cover.Form, r image.Rectangle) frame.Plane {
	half := l.Soften
	if l.Side == cover.SoftenBoth {
		half = half.Mul(.5)
	}
	l.Soften = geom.Point{}
	mx, my := int(math.Ceil(half.X)), int(math.Ceil(half.Y))
	work := image.Rect(r.Min.X-mx, r.Min.Y-my, r.Max.X+mx, r.Max.Y+my)
	soft := shape(l, work)
	filter.Soften(soft.Pix, soft.Rect.Dx(), soft.Rect.Dy(), half.X, half.Y)
	out := frame.NewPlane(r)
	for y := r.Min.Y; y < r.Max.Y; y++ {
		row, from := out.Row(y), soft.Row(y)[mx:]
		for x := range row {
			v := from[x]
			if l.Side == cover.SoftenInside {
				v = max(2*v-1, 0)
				v *= v * (3 - 2*v)
			}
			if v > least {
				row[x] = v
			}
		}
	}
	return out
}

// shape returns the matte of a form on a rectangle.
func shape(l cover.Form, r image.Rectangle) frame.Plane {
	if l.Side != cover.SoftenOutside && l.Soften != (geom.Point{}) {
		return sided(l, r)
	}
	polys := make([][]geom.Point, len(l.Paths))
	for i, p := range l.Paths {
		polys[i] = p.Flatten(tolerance)
	}
	matte := frame.NewPlane(r)
	if l.Inverted {
		for i := range matte.Pix {
			matte.Pix[i] = 1
		}
	}
	for _, poly := range polys {
		if !l.Inverted {
			// Outlines add, so that two that share an edge leave no seam.
			for i, v := range softened(r, l, func(half geom.Point, r image.Rectangle) frame.Plane {
				return coverage(offset(poly, l.Grow, half), r)
			}).Pix {
				matte.Pix[i] = min(matte.Pix[i]+v, 1)
			}
			continue
		}
		hole := pixels(geom.Bounds(poly).Grow(2, 2)).Intersect(r)
		if hole.Empty() {
			continue
		}
		part := softened(hole, l, func(half geom.Point, r image.Rectangle) frame.Plane {
			return complement(poly, l.Grow, half, r)
		})
		for y := hole.Min.Y; y < hole.Max.Y; y++ {
			all := matte.Row(y)[hole.Min.X-r.Min.X:]
			for x, v := range part.Row(y) {
				all[x] = min(all[x], v)
			}
		}
	}
	return matte
}

// softened returns a shape's coverage of r with the cover's softness going
// outward. shape returns the coverage of a rectangle by the shape enlarged by an
// ellipse of radii half.
func softened(r image.Rectangle, l cover.Form, shape func(half geom.Point, r image.Rectangle) frame.Plane) frame.Plane {
	inner := shape(geom.Point{}, r)
	half := geom.Pt(l.Soften.X/2, l.Soften.Y/2)
	if half.X <= 0 && half.Y <= 0 {
		return inner
	}
	// The kernel reaches beyond the picture's edge, so the coverage must too.
	work := image.Rect(r.Min.X-int(math.Ceil(half.X)), r.Min.Y-int(math.Ceil(half.Y)),
		r.Max.X+int(math.Ceil(half.X)), r.Max.Y+int(math.Ceil(half.Y)))
	outer := shape(half, work)
	filter.Soften(outer.Pix, outer.Rect.Dx(), outer.Rect.Dy(), half.X, half.Y)
	for y := r.Min.Y; y < r.Max.Y; y++ {
		in, out := inner.Row(y), outer.Row(y)[r.Min.X-work.Min.X:]
		for x := range in {
			if out[x] > least {
				in[x] = max(in[x], out[x])
			}
		}
	}
	return inner
}

// complement returns the coverage of r by everything outside the polygon,
// enlarged into it by a disc of radius grow and an ellipse of radii half: what
// lies outside, and a band along each edge.
func complement(poly []geom.Point, grow float64, half geom.Point, r image.Rectangle) frame.Plane {
	poly = distinct(poly)
	out := coverage([][]geom.Point{poly}, r)
	for i, v := range out.Pix {
		out.Pix[i] = 1 - v
	}
	if grow == 0 && half == (geom.Point{}) {
		return out
	}
	var bands [][]geom.Point
	for i, p := range poly {
		bands = append(bands, sweep([]geom.Point{p, poly[(i+1)%len(poly)]}, enlarge(grow, half)))
	}
	for i, v := range coverage(bands, r).Pix {
		out.Pix[i] = max(out.Pix[i], v)
	}
	return out
}

// enlarge returns how far the boundary moves along its outward unit normal n
// when a shape is enlarged by a disc of radius grow and an ellipse of radii half.
func enlarge(grow float64, half geom.Point) func(n geom.Point) geom.Point {
	return func(n geom.Point) geom.Point {
		d := n.Mul(grow)
		if l := math.Hypot(half.X*n.X, half.Y*n.Y); l > 0 {
			d = d.Add(geom.Pt(half.X*half.X*n.X/l, half.Y*half.Y*n.Y/l))
		}
		return d
	}
}

// pixels returns the pixels that a continuous rectangle touches, on even
// coordinates.
func pixels(r geom.Rect) image.Rectangle {
	clamp := func(v float64) int { return int(min(max(v, -1<<20), 1<<20)) }
	return image.Rect(clamp(math.Floor(r.Min.X))&^1, clamp(math.Floor(r.Min.Y))&^1,
		(clamp(math.Ceil(r.Max.X))+1)&^1, (clamp(math.Ceil(r.Max.Y))+1)&^1)
}

// coverage returns the exact area of each pixel of r that lies inside the
// polygons (the largest of them where they overlap).
func coverage(polys [][]geom.Point, r image.Rectangle) frame.Plane {
	out := frame.NewPlane(r)
	w, h := r.Dx(), r.Dy()
	alpha := image.NewAlpha(image.Rect(0, 0, w, h))
	z := vector.NewRasterizer(w, h)
	for i, poly := range polys {
		z.Reset(w, h)
		poly = clip(poly, r)
		if len(poly) < 3 {
			continue
		}
		for j, p := range poly {
			x, y := float32(p.X-float64(r.Min.X)), float32(p.Y-float64(r.Min.Y))
			if j == 0 {
				z.MoveTo(x, y)
			} else {
				z.LineTo(x, y)
			}
		}
		z.ClosePath()
		if i > 0 {
			clear(alpha.Pix)
		}
		z.DrawOp = 1 // draw.Src
		z.Draw(alpha, alpha.Rect, image.Opaque, image.Point{})
		for k, a := range alpha.Pix {
			out.Pix[k] = max(out.Pix[k], float32(a)/255)
		}
	}
	return out
}

// clip cuts a polygon to a rectangle a little larger than r, so that the
// rasteriser sees no far-away coordinates; the edges this adds lie outside r.
func clip(poly []geom.Point, r image.Rectangle) []geom.Point {
	x0, y0, x1, y1 := float64(r.Min.X-2), float64(r.Min.Y-2), float64(r.Max.X+2), float64(r.Max.Y+2)
	for _, side := range []func(geom.Point) float64{
		func(p geom.Point) float64 { return p.X - x0 },
		func(p geom.Point) float64 { return x1 - p.X },
		func(p geom.Point) float64 { return p.Y - y0 },
		func(p geom.Point) float64 { return y1 - p.Y },
	} {
		poly = geom.Clip(poly, side)
	}
	return poly
}

// offset returns polygons whose union is poly enlarged by a disc of radius grow
// and then by an ellipse of radii half: the boundary of the Minkowski sum, got
// by moving each edge along its outward normal and turning the normal at each
// corner, backwards at hollow ones (Guibas, Ramshaw and Stolfi, "A kinetic
// framework for computational geometry", FOCS 1983: the winding number of that
// curve is positive exactly inside the sum). A polygon that crosses itself has
// no single outside; there each edge is enlarged on its own.
func offset(poly []geom.Point, grow float64, half geom.Point) [][]geom.Point {
	poly = distinct(poly)
	if len(poly) < 3 || grow == 0 && half == (geom.Point{}) {
		return [][]geom.Point{poly}
	}
	move := enlarge(grow, half)
	if geom.Crosses(poly) {
		polys := [][]geom.Point{poly}
		for i, p := range poly {
			q := poly[(i+1)%len(poly)]
			polys = append(polys, sweep([]geom.Point{p, q}, move))
		}
		return polys
	}
	if geom.Area(poly) < 0 {
		rev := make([]geom.Point, len(poly))
		for i, p := range poly {
			rev[len(poly)-1-i] = p
		}
		poly = rev
	}
	return [][]geom.Point{sweep(poly, move)}
}

// arcStep is the largest turn of the normal, in radians, that one chord of a
// rounded corner takes.
const arcStep = math.Pi / 24

// sweep offsets a clockwise (on screen) closed polygon by move(normal).
func sweep(poly []geom.Point, move func(geom.Point) geom.Point) []geom.Point {
	n := len(poly)
	angle := func(i int) float64 { // of the outward normal of edge i, i+1
		d := poly[(i+1)%n].Sub(poly[i%n])
		return math.Atan2(-d.X, d.Y)
	}
	var out []geom.Point
	for i := range n {
		a, b := angle(i+n-1), angle(i)
		turn := math.Remainder(b-a, 2*math.Pi)
		if n == 2 {
			turn = math.Pi // a segment's two ends are half circles
		}
		steps := int(math.Ceil(math.Abs(turn) / arcStep))
		for s := 0; s <= steps; s++ {
			t := a
			if steps > 0 {
				t += turn * float64(s) / float64(steps)
			}
			sin, cos := math.Sincos(t)
			out = append(out, poly[i].Add(move(geom.Pt(cos, sin))))
		}
	}
	return out
}

func distinct(poly []geom.Point) []geom.Point {
	out := make([]geom.Point, 0, len(poly))
	for _, p := range poly {
		if len(out) == 0 || p.Sub(out[len(out)-1]).Len() > 1e-9 {
			out = append(out, p)
		}
	}
	for len(out) > 1 && out[0].Sub(out[len(out)-1]).Len() <= 1e-9 {
		out = out[:len(out)-1]
	}
	return out
}

// Fill returns the exact coverage of each pixel of r by a polygon.
func Fill(poly []geom.Point, r image.Rectangle) frame.Plane {
	return coverage([][]geom.Point{poly}, r)
}
