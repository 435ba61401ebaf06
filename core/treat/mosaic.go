package treat

import (
	"image"
	"math"

	"celator/core/cover"
	"celator/core/frame"
	"celator/core/geom"
)

// mosaic replaces each cell of a grid by its mean, taken over the whole cell inside the
// picture, chroma included. A sample belongs to the cell in which its centre lies.
func mosaic(s *Site, t cover.LiveTreatment, plane int, r image.Rectangle) frame.Plane {
	if !t.Rides && (t.Form == "" || t.Form == "square") {
		return squares(s.Picture, plane, r, t.Cell)
	}
	return cells(s, t, plane, r)
}

// lattice says in which cell a place lies, in units of cells.
type lattice func(u, v float32) (i, j int)

// floor is fast for the sizes that pictures have.
func floor(v float32) int {
	i := int(v)
	if v < float32(i) {
		i--
	}
	return i
}

func square(u, v float32) (i, j int) { return floor(u), floor(v) }

// brick moves every other row by half a cell.
func brick(u, v float32) (i, j int) {
	j = floor(v)
	return floor(u + .5*float32(j&1)), j
}

// hexagon takes the nearest of the centres of a lattice whose rows lie √3/2 apart and
// are moved by half a cell in turn.
func hexagon(u, v float32) (i, j int) {
	const high = .8660254
	j = floor(v*(1/high) - .5)
	k := j + 1
	o, q := .5*float32(j&1), .5*float32(k&1)
	i = floor(u - o)
	n := floor(u - q)
	du, dv := u-(float32(i)+o+.5), v-(float32(j)+.5)*high
	eu, ev := u-(float32(n)+q+.5), v-(float32(k)+.5)*high
	if eu*eu+ev*ev < du*du+dv*dv {
		return n, k
	}
	return i, j
}

// cells is the mosaic in any form, on the screen or on the surface in its perspective.
//
// Long: one pass over the samples with sums for each cell.
func cells(s *Site, t cover.LiveTreatment, plane int, r image.Rectangle) frame.Plane {
	out := frame.NewPlane(r)
	sx, sy := s.Sub(plane)
	kx, ky := float64(int(1)<<sx), float64(int(1)<<sy)
	back := geom.Identity
	if t.Rides {
		b, err := s.Live.Plane().Inverse()
		if err != nil {
			return squares(s.Picture, plane, r, t.Cell)
		}
		back = b
	}
	// From samples to cells.
	cx, cy := max(t.Cell.X, 2), max(t.Cell.Y, 2)
	onto := geom.Map{1 / cx, 0, 0, 0, 1 / cy, 0, 0, 0, 1}.Mul(back)
	m := onto.Mul(geom.Map{kx, 0, 0, 0, ky, 0, 0, 0, 1})
	var bent func(geom.Point) geom.Point
	if t.Rides {
		bent = s.Live.Warp().Unbent(onto.Mul(s.Live.Map))
	}
	cellOf := func(fx, fy float64) (u, v float64) {
		if bent != nil {
			q := bent(geom.Pt(kx*fx, ky*fy))
			return q.X, q.Y
		}
		d := 1 / (m[6]*fx + m[7]*fy + m[8])
		return (m[0]*fx + m[1]*fy + m[2]) * d, (m[3]*fx + m[4]*fy + m[5]) * d
	}
	in := map[string]lattice{"brick": brick, "hexagon": hexagon}[t.Form]
	if in == nil {
		in = square
	}
	w, h := s.PlaneSize(plane)
	whole := reach(m, r)
	if bent != nil { // a cell may reach farther, by twice what the surface bends
		l := &s.Live
		far := 2 * l.Bend.Most() * max(step(l.Map, l.Corners[0].X, l.Corners[0].Y), 1)
		whole = whole.Inset(-int(min(far, 1<<12)) - 1)
	}
	whole = whole.Intersect(image.Rect(0, 0, w, h))
	if whole.Empty() {
		return out
	}
	src := s.Read(plane, whole)
	// The cells' numbers lie in a small rectangle.
	var b image.Rectangle
	at := make([]int32, 2*len(src.Pix))
	k := 0
	for y := whole.Min.Y; y < whole.Max.Y; y++ {
		for x := whole.Min.X; x < whole.Max.X; x++ {
			u, v := cellOf(float64(x)+.5, float64(y)+.5)
			i, j := in(float32(u), float32(v))
			at[k], at[k+1] = int32(i), int32(j)
			if k == 0 {
				b = image.Rect(i, j, i+1, j+1)
			}
			b.Min.X, b.Min.Y, b.Max.X, b.Max.Y = min(b.Min.X, i), min(b.Min.Y, j), max(b.Max.X, i+1), max(b.Max.Y, j+1)
			k += 2
		}
	}
	if b.Dx()*b.Dy() > 1<<24 { // seen nearly from the side; nothing sensible can be made
		return squares(s.Picture, plane, r, t.Cell)
	}
	sums, n := make([]float32, b.Dx()*b.Dy()), make([]int32, b.Dx()*b.Dy())
	for k := range src.Pix {
		c := (int(at[2*k+1])-b.Min.Y)*b.Dx() + int(at[2*k]) - b.Min.X
		at[2*k] = int32(c)
		sums[c] += src.Pix[k]
		n[c]++
	}
	for c, v := range n {
		if v > 0 {
			sums[c] /= float32(v)
		}
	}
	gaps := sums
	if t.Form == "dot" {
		gaps = around(sums, n, b.Dx(), b.Dy())
	}
	part := r.Intersect(whole)
	for y := part.Min.Y; y < part.Max.Y; y++ {
		row := out.Row(y)
		for x := part.Min.X; x < part.Max.X; x++ {
			c := at[2*((y-whole.Min.Y)*whole.Dx()+x-whole.Min.X)]
			v := sums[c]
			if t.Form == "dot" {
				cu, cv := cellOf(float64(x)+.5, float64(y)+.5)
				a := dot(cu, cv, .7*max(kx/cx, ky/cy))
				v = gaps[c] + a*(v-gaps[c])
			}
			row[x-r.Min.X] = v
		}
	}
	return out
}

// dot is how far a place lies inside the dot of its cell: a square with round corners,
// with a soft edge of a sample.
func dot(u, v, edge float64) float32 {
	const half, round = .42, .3
	u, v = math.Abs(u-math.Floor(u)-.5), math.Abs(v-math.Floor(v)-.5)
	d := math.Hypot(max(u-half+round, 0), max(v-half+round, 0)) - round + min(max(u-half+round, v-half+round), 0)
	return float32(min(max(.5-d/edge, 0), 1))
}

// around is the mean of each cell with the eight next to it.
func around(sums []float32, n []int32, w, h int) []float32 {
	out := make([]float32, len(sums))
	for y := range h {
		for x := range w {
			var s, c float32
			for v := max(y-1, 0); v <= min(y+1, h-1); v++ {
				for u := max(x-1, 0); u <= min(x+1, w-1); u++ {
					if i := v*w + u; n[i] > 0 {
						s, c = s+sums[i], c+1
					}
				}
			}
			out[y*w+x] = s / max(c, 1)
		}
	}
	return out
}

// reach returns the samples that cells may have that r touches, given the map from
// samples to cells.
func reach(m geom.Map, r image.Rectangle) image.Rectangle {
	corners := func(a, b geom.Point) []geom.Point {
		return []geom.Point{a, {X: b.X, Y: a.Y}, b, {X: a.X, Y: b.Y}}
	}
	var b geom.Rect
	bound := func(m geom.Map, ps []geom.Point, grow float64) ([]geom.Point, bool) {
		b = geom.Rect{}
		for _, p := range ps {
			if m[6]*p.X+m[7]*p.Y+m[8] <= 0 {
				return nil, false
			}
			q := m.Apply(p)
			b = b.Union(geom.Rect{Min: q, Max: q.Add(geom.Pt(1e-9, 1e-9))})
		}
		b = b.Grow(grow, grow)
		return corners(b.Min, b.Max), true
	}
	back, err := m.Inverse()
	ps, ok := bound(m, corners(geom.Pt(float64(r.Min.X), float64(r.Min.Y)),
		geom.Pt(float64(r.Max.X), float64(r.Max.Y))), 1.5)
	if err == nil && ok {
		if _, ok = bound(back, ps, 1); ok {
			clamp := func(v float64) int { return int(min(max(v, -1<<20), 1<<20)) }
			big := image.Rect(clamp(math.Floor(b.Min.X)), clamp(math.Floor(b.Min.Y)), clamp(math.Ceil(b.Max.X)),
				clamp(math.Ceil(b.Max.Y))).Union(r)
			// Towards the horizon a cell reaches without end; two cells' size around is enough.
			cell := 2/step(m, float64(r.Min.X+r.Max.X)/2, float64(r.Min.Y+r.Max.Y)/2) + 1
			return big.Intersect(r.Inset(-int(min(max(cell, float64(max(r.Dx(), r.Dy())), 64), 1<<14))))
		}
	}
	return r
}

// squares replaces each cell of a grid fixed to the screen (its corner at the
// picture's) by its mean, taken over the whole cell inside the picture. A
// sample belongs to the cell in which its centre lies. Cells are whole pixels.
func squares(p *frame.Picture, plane int, r image.Rectangle, cell geom.Point) frame.Plane {
	sx, sy := p.Sub(plane)
	w, h := p.PlaneSize(plane)
	cx, cy := max(int(math.Round(cell.X)), 2), max(int(math.Round(cell.Y)), 2)
	xs := edges(r.Min.X, r.Max.X, cx, sx, w)
	ys := edges(r.Min.Y, r.Max.Y, cy, sy, h)
	out := frame.NewPlane(r)
	if len(xs) < 2 || len(ys) < 2 {
		return out
	}
	in := p.Read(plane, image.Rect(xs[0], ys[0], xs[len(xs)-1], ys[len(ys)-1]))
	sums := make([]float64, len(xs)-1)
	for j := range ys[1:] {
		clear(sums)
		for y := ys[j]; y < ys[j+1]; y++ {
			row := in.Row(y)
			for i := range sums {
				var s float64
				for _, v := range row[xs[i]-xs[0] : xs[i+1]-xs[0]] {
					s += float64(v)
				}
				sums[i] += s
			}
		}
		for i := range sums {
			mean := float32(sums[i] / float64((xs[i+1]-xs[i])*(ys[j+1]-ys[j])))
			c := image.Rect(xs[i], ys[j], xs[i+1], ys[j+1]).Intersect(r)
			for y := c.Min.Y; y < c.Max.Y; y++ {
				row := out.Row(y)[c.Min.X-r.Min.X : c.Max.X-r.Min.X]
				for x := range row {
					row[x] = mean
				}
			}
		}
	}
	return out
}

// edges returns the first samples of the cells that meet samples [from, to) of
// a line of n samples, and the end of the last cell. Sample i's centre lies at
// (i+½)·2^sub luma pixels.
func edges(from, to, cell, sub, n int) []int {
	from, to = max(from, 0), min(to, n)
	if from >= to {
		return nil
	}
	cellOf := func(i int) int { return ((2*i + 1) << sub) / (2 * cell) }
	first := func(c int) int { // the first sample of cell c: (2i+1)·2^sub >= 2·c·cell
		i := (2*c*cell - 1<<sub + (2 << sub) - 1) / (2 << sub)
		return min(max(i, 0), n)
	}
	var out []int
	for c := cellOf(from); c <= cellOf(to-1); c++ {
		if i := first(c); len(out) == 0 || i > out[len(out)-1] {
			out = append(out, i)
		}
	}
	return append(out, first(cellOf(to-1)+1))
}
