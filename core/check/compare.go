package check

import (
	"image"

	"celator/core/cover"
	"celator/core/frame"
	"celator/core/geom"
	"celator/core/raster"
)

// whole is the target as it lies in a picture.
func (t *target) whole(w geom.Warp) frame.Plane {
	f := cover.Form{}
	for _, p := range t.paths {
		if w.Bend != nil {
			p = p.Through(w.Apply, cover.BentParts)
		} else {
			p = p.Map(w.Map)
		}
		f.Paths = append(f.Paths, p)
	}
	return raster.Matte(cover.Live{Form: f}, t.width, t.height)
}

// seen is what comparing a frame with the plate tells, sample by sample of its view.
type seen struct {
	rect  image.Rectangle // in the picture
	bin   int
	w, h  int
	like  []float32   // 1 where the target is seen, 0 where it surely is not
	shows float64     // share of the target's samples in the picture that show it
	n     int         // of samples in the picture, px²
	whole frame.Plane // the target as it lies there
}

// mostSamples are compared in one frame.
const mostSamples = 90_000

// compare says where in a frame the target itself is seen, given its place. blurred is
// how far, px, the picture is smeared or the place unsure.
func (t *target) compare(g *sight, m geom.Map, blurred float64) (seen, bool) {
	if t.plate == nil {
		return seen{}, false
	}
	here := t.bent(g.f, g.here(m))
	r, bin := t.plate.Part(here, g.pic.Width, g.pic.Height)
	if r.Empty() {
		return seen{}, false
	}
	for r.Dx()/bin*(r.Dy()/bin) > mostSamples {
		bin *= 2
	}
	r.Max = r.Min.Add(image.Pt(r.Dx()/bin*bin, r.Dy()/bin*bin))
	t.view.Sample(g.pic, r, bin)
	l := &t.smooth
	l.Lay(t.plate, here, &t.view)
	v := &t.view
	s := seen{rect: r.Add(g.at), bin: bin, w: v.W, h: v.H, like: make([]float32, v.W*v.H)}
	whole := t.whole(geom.Warp{Map: m, Bend: here.Bend})
	s.whole = whole
	gain, bias := t.light(&s, whole)
	var in, like float64
	for y := range v.H {
		for x := range v.W {
			i := y*v.W + x
			if l.Sure[i] <= 0 {
				continue
			}
			up, down, left, right := max(y-1, 0)*v.W+x, min(y+1, v.H-1)*v.W+x, y*v.W+max(x-1, 0), y*v.W+min(x+1, v.W-1)
			slope := max(abs32(l.Pix[0][right]-l.Pix[0][left]), abs32(l.Pix[0][down]-l.Pix[0][up])) / 2
			room := 9 + 2.5*l.SpreadY[i] + slope*float32(.7+blurred)
			d := abs32(v.C[0][i] - gain*l.Pix[0][i] - bias)
			dc := max(abs32(v.C[1][i]-128-gain*(l.Pix[1][i]-128)), abs32(v.C[2][i]-128-gain*(l.Pix[2][i]-128)))
			roomC := 7 + 2.5*l.SpreadC[i]
			switch {
			case d < room && dc < roomC:
				s.like[i] = 1
			case d < room+12 && dc < roomC+7:
				s.like[i] = .5
			}
			if at(whole, s.rect.Min.X+x*bin+bin/2, s.rect.Min.Y+y*bin+bin/2) > .5 {
				in++
				like += float64(s.like[i])
			}
		}
	}
	s.n = int(in) * bin * bin
	if in > 0 {
		s.shows = like / in
	}
	return s, true
}

// light is how the frame's luma goes with the plate's, by least squares over the
// samples that agree.
func (t *target) light(s *seen, whole frame.Plane) (gain, bias float32) {
	v, l := &t.view, &t.smooth
	gain = 1
	for round := range 4 {
		var n, x, y, xx, xy float64
		for j := 0; j < v.H; j++ {
			for k := 0; k < v.W; k++ {
				i := j*v.W + k
				if l.Sure[i] <= 0 || at(whole, s.rect.Min.X+k*s.bin, s.rect.Min.Y+j*s.bin) < .5 {
					continue
				}
				a, b := float64(l.Pix[0][i]), float64(v.C[0][i])
				if lim := []float32{60, 36, 24, 16}[round]; abs32(float32(b)-gain*float32(a)-bias) > lim {
					continue
				}
				n, x, y, xx, xy = n+1, x+a, y+b, xx+a*a, xy+a*b
			}
		}
		if n < 30 {
			break
		}
		if d := xx - x*x/n; d > 40*n {
			g := min(max((xy-x*y/n)/d, .3), 3)
			gain, bias = float32(g), float32((y-g*x)/n)
		} else {
			bias = float32(y/n) - gain*float32(x/n)
		}
	}
	return gain, bias
}

// at is a matte's value at a sample of the picture, 0 beside it.
func at(m frame.Plane, x, y int) float32 {
	if !image.Pt(x, y).In(m.Rect) {
		return 0
	}
	return m.Pix[(y-m.Rect.Min.Y)*m.Rect.Dx()+x-m.Rect.Min.X]
}

func abs32(v float32) float32 { return max(v, -v) }
