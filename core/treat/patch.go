package treat

import (
	"image"
	"math"

	"celator/core/cleanplate"
	"celator/core/cover"
	"celator/core/filter"
	"celator/core/frame"
	"celator/core/geom"
)

// shutter is the share of a frame's time that a shutter is usually open.
const shutter = .5

// patch lays a graphic on the surface: pinned to the corners, in the frame's light, as
// soft as the picture and as smeared as the surface's motion makes it, with the source's
// grain. Where the graphic is transparent the picture shows.
//
// Long: one pass that samples, shades and lays the graphic.
func patch(s *Site, t cover.LiveTreatment, plane int, r image.Rectangle) frame.Plane {
	g := s.graphic(t.Graphic)
	under := s.Read(plane, r)
	onto, err := s.Live.Pinned(t, g.w, g.h)
	if err != nil {
		return under
	}
	back, err := onto.Inverse()
	if err != nil {
		return under
	}
	bent := s.Live.Warp().Unbent(back.Mul(s.Live.Map))
	sx, sy := s.Sub(plane)
	kx, ky := float64(int(1)<<sx), float64(int(1)<<sy)
	m := back.Mul(geom.Map{kx, 0, 0, 0, ky, 0, 0, 0, 1})
	sigma := .6
	if s.CleanPlate != nil {
		sigma = s.CleanPlate.sharp
	}
	sigma = math.Sqrt(max(sigma*sigma-.09, 0)) // sampling softens too
	move := s.Live.Speed.Mul(shutter)
	mx, my := 2*sigma/kx+math.Abs(move.X)/2/kx+2, 2*sigma/ky+math.Abs(move.Y)/2/ky+2
	work := image.Rect(r.Min.X-int(mx), r.Min.Y-int(my), r.Max.X+int(mx), r.Max.Y+int(my))
	codes, alpha := frame.NewPlane(work), frame.NewPlane(work)
	whole := true // the graphic is everywhere, and opaque
	// R'G'B' to the plane's code is linear.
	base := s.Encode(0, 0, 0)[plane]
	red, green, blue := s.Encode(1, 0, 0)[plane]-base, s.Encode(0, 1, 0)[plane]-base, s.Encode(0, 0, 1)[plane]-base
	for y := work.Min.Y; y < work.Max.Y; y++ {
		fy := float64(y) + .5
		mid := float64(r.Min.X+r.Max.X) / 2
		l := g.level(step(m, mid, fy))
		k := 1 / float64(int(1)<<l)
		lv := &g.levels[l]
		a, c := alpha.Row(y), codes.Row(y)
		for x := range c {
			fx := float64(work.Min.X+x) + .5
			d := m[6]*fx + m[7]*fy + m[8]
			if d <= 0 {
				whole = false
				continue
			}
			d = k / d
			u, v := (m[0]*fx+m[1]*fy+m[2])*d, (m[3]*fx+m[4]*fy+m[5])*d
			if bent != nil {
				q := bent(geom.Pt(kx*fx, ky*fy))
				u, v = k*q.X, k*q.Y
			}
			qr, qg, qb, qa := lv.at(float32(u), float32(v))
			a[x] = qa
			whole = whole && qa > .9999
			c[x] = base*qa + red*qr + green*qg + blue*qb
		}
	}
	w, h := work.Dx(), work.Dy()
	soft := []frame.Plane{codes, alpha}
	if whole { // no rim of the graphic anywhere near
		soft = soft[:1]
	}
	for _, p := range soft {
		smear(p, geom.Pt(move.X/kx, move.Y/ky))
		if sigma/kx < .25 { // of a chroma sample: nothing to see
			continue
		}
		filter.Gauss(p.Pix, w, h, sigma/kx, sigma/ky)
	}
	out := frame.NewPlane(r)
	much := float32(t.Light)
	l := s.light
	gain, veil := 1+much*(l.gain-1), much*l.veil*s.unit
	none := float32(cleanplate.Black) * s.unit
	if plane > 0 {
		none, veil = 128*s.unit, much*l.cast[plane-1]*s.unit
	}
	for y := r.Min.Y; y < r.Max.Y; y++ {
		a, c := alpha.Row(y)[r.Min.X-work.Min.X:], codes.Row(y)[r.Min.X-work.Min.X:]
		row := out.Row(y)
		for x := range row { // the graphic's own code, where there is any of it
			row[x] = none + veil
			if a[x] > 1e-3 {
				row[x] = none + gain*(c[x]/a[x]-none) + veil
			}
		}
	}
	s.finish(out, plane, t, false)
	for y := r.Min.Y; y < r.Max.Y; y++ {
		a := alpha.Row(y)[r.Min.X-work.Min.X:]
		row, u := out.Row(y), under.Row(y)
		for x := range row {
			row[x] = u[x] + min(a[x], 1)*(row[x]-u[x])
		}
	}
	return out
}

func (s *Site) graphic(id string) *Graphic { return s.graphics[id] }

// step is how many pixels of the graphic lie in a sample's width at a place.
func step(m geom.Map, x, y float64) float64 {
	o := m.Apply(geom.Pt(x, y))
	return math.Sqrt(math.Abs(m.Apply(geom.Pt(x+1, y)).Sub(o).Cross(m.Apply(geom.Pt(x, y+1)).Sub(o))))
}

// level chooses the half at which a sample stands for about a pixel.
func (g *Graphic) level(step float64) int {
	l := 0
	for step > 1.4 && l < len(g.levels)-1 {
		step, l = step/2, l+1
	}
	return l
}

// at is the colour at a place, bilinear; transparent beyond the rim.
func (l *level) at(u, v float32) (r, g, b, a float32) {
	u, v = u-.5, v-.5
	if !(u > -1 && v > -1 && u < float32(l.w) && v < float32(l.h)) {
		return
	}
	i, j := floor(u), floor(v)
	s, t := u-float32(i), v-float32(j)
	if i >= 0 && j >= 0 && i < l.w-1 && j < l.h-1 {
		p := l.pix[j*l.w+i:]
		a00, a10, a01, a11 := &p[0], &p[1], &p[l.w], &p[l.w+1]
		w00, w10, w01, w11 := (1-s)*(1-t), s*(1-t), (1-s)*t, s*t
		return w00*a00[0] + w10*a10[0] + w01*a01[0] + w11*a11[0], w00*a00[1] + w10*a10[1] + w01*a01[1] + w11*a11[1],
			w00*a00[2] + w10*a10[2] + w01*a01[2] + w11*a11[2], w00*a00[3] + w10*a10[3] + w01*a01[3] + w11*a11[3]
	}
	for k, w := range [4]float32{(1 - s) * (1 - t), s * (1 - t), (1 - s) * t, s * t} {
		if x, y := i+k%2, j+k/2; x >= 0 && y >= 0 && x < l.w && y < l.h {
			p := &l.pix[y*l.w+x]
			r, g, b, a = r+w*p[0], g+w*p[1], b+w*p[2], a+w*p[3]
		}
	}
	return
}

// smear takes the mean along a way, in samples.
func smear(p frame.Plane, way geom.Point) {
	n := min(int(math.Ceil(way.Len())), 64)
	if n < 2 {
		return
	}
	w, h := p.Rect.Dx(), p.Rect.Dy()
	in := append([]float32(nil), p.Pix...)
	clear(p.Pix)
	norm := 1 / float32(n)
	for k := range n {
		d := way.Mul((float64(k)+.5)/float64(n) - .5)
		dx, dy := int(math.Round(d.X)), int(math.Round(d.Y))
		for y := range h {
			from, to := in[min(max(y+dy, 0), h-1)*w:][:w], p.Pix[y*w:][:w]
			lo, hi := min(max(-dx, 0), w), max(min(w-dx, w), 0)
			for x := range to[:lo] {
				to[x] += norm * from[0]
			}
			for x := hi; x < w; x++ {
				to[x] += norm * from[w-1]
			}
			if lo < hi {
				to, from := to[lo:hi], from[lo+dx:][:hi-lo]
				for x, v := range from {
					to[x] += norm * v
				}
			}
		}
	}
}
