// Package holdout finds what passes in front of a followed surface: the places where
// the picture differs from the surface as it looks when nothing is in front of it.
//
// A Gather takes looks at the surface from frames in which it was found and makes the
// Plate of them: each place as most of them agree on. A Finder then compares frames
// with the plate and returns a soft matte for each. Frames are given with the map that
// takes the reference frame's coordinates to theirs. Nothing here does I/O.
//
// All code values are on the scale of 8 bit.
package holdout

import (
	"errors"
	"image"
	"math"
	"slices"

	"celator/core/frame"
	"celator/core/geom"
	"celator/core/raster"
)

// Errors for people.
var (
	ErrNoLook  = errors.New("the surface is not clear enough in any frame to know what it looks like")
	ErrOutline = errors.New("the surface has no area")
)

const (
	maxSamples = 200_000 // of a plate, and of a frame's part that is worked on
	MaxLooks   = 24      // frames that make a plate; more tell nothing new
	black      = 16.     // code of no light, to which gains refer
)

// grid lays samples over the surface and a margin around it: sample (i, j) stands at
// to(i+½, j+½) in reference coordinates.
type grid struct {
	outline []geom.Point
	to, of  geom.Map
	w, h    int
	box     geom.Rect // of the outline with its margin
}

// margin is how far around the surface is looked, in its own pixels: covers reach
// beyond what they hide.
func margin(b geom.Rect) float64 {
	return min(max(.1*max(b.Max.X-b.Min.X, b.Max.Y-b.Min.Y), 10), 60)
}

func newGrid(outline []geom.Point, scale float64) (grid, error) {
	if len(outline) < 3 || math.Abs(geom.Area(outline)) < 16 {
		return grid{}, ErrOutline
	}
	b := geom.Bounds(outline)
	m := margin(b)
	b = b.Grow(m, m)
	w, h := b.Max.X-b.Min.X, b.Max.Y-b.Min.Y
	scale = min(max(scale, .05), math.Sqrt(maxSamples/(w*h)))
	g := grid{outline: outline, w: max(int(w*scale), 2), h: max(int(h*scale), 2), box: b}
	sx, sy := w/float64(g.w), h/float64(g.h)
	g.to = geom.Map{sx, 0, b.Min.X, 0, sy, b.Min.Y, 0, 0, 1}
	g.of = geom.Map{1 / sx, 0, -b.Min.X / sx, 0, 1 / sy, -b.Min.Y / sy, 0, 0, 1}
	return g, nil
}

// part returns the rectangle of a picture that the grid covers under a map, on even
// coordinates, and the binning that keeps the work on it bounded.
func (g *grid) part(m geom.Map, width, height int) (r image.Rectangle, bin int) {
	var b geom.Rect
	for _, p := range []geom.Point{g.box.Min, {X: g.box.Max.X, Y: g.box.Min.Y}, g.box.Max, {X: g.box.Min.X, Y: g.box.Max.Y}} {
		if m[6]*p.X+m[7]*p.Y+m[8] <= 0 {
			return image.Rectangle{}, 1
		}
		q := m.Apply(p)
		if !q.Finite() {
			return image.Rectangle{}, 1
		}
		b = b.Union(geom.Rect{Min: q, Max: q.Add(geom.Pt(1e-6, 1e-6))})
	}
	clamp := func(v float64) int { return int(min(max(v, -1<<20), 1<<20)) }
	bin = 1
	for b = b.Grow(2, 2); ; bin *= 2 {
		step := 2 * bin
		r = image.Rect(clamp(math.Floor(b.Min.X))/step*step, clamp(math.Floor(b.Min.Y))/step*step, clamp(math.Ceil(b.Max.X)), clamp(math.Ceil(b.Max.Y)))
		r = r.Intersect(image.Rect(0, 0, width, height))
		if r.Empty() || r.Dx()/bin*(r.Dy()/bin) <= 3*maxSamples/2 {
			return r, bin
		}
	}
}

// view is a part of a picture as three channels of the same size, binned.
type view struct {
	rect image.Rectangle
	bin  int
	w, h int
	c    [3][]float32 // Y', Cb, Cr
}

func (v *view) read(p *frame.Picture, r image.Rectangle, bin int) {
	v.rect, v.bin = r, bin
	v.w, v.h = (r.Dx()+bin-1)/bin, (r.Dy()+bin-1)/bin
	unit := 1 / float32(int(1)<<(p.Depth-8))
	for c := range v.c {
		v.c[c] = resize(v.c[c], v.w*v.h)
		sx, sy := p.Sub(c)
		pr := p.PlaneRect(c, r)
		src := p.Read(c, pr)
		w, h := pr.Dx(), pr.Dy()
		for y := range v.h {
			dst := v.c[c][y*v.w:][:v.w]
			y0, y1 := y*bin>>sy, ((y+1)*bin-1)>>sy
			for x := range dst {
				x0, x1 := x*bin>>sx, ((x+1)*bin-1)>>sx
				if x0 == x1 && y0 == y1 {
					dst[x] = src.Pix[min(y0, h-1)*w+min(x0, w-1)] * unit
					continue
				}
				var s, n float32
				for yy := y0; yy <= min(y1, h-1); yy++ {
					for xx := x0; xx <= min(x1, w-1); xx++ {
						s += src.Pix[yy*w+xx]
						n++
					}
				}
				if n > 0 {
					dst[x] = s / n * unit
				}
			}
		}
		if sx > 0 && bin == 1 { // chroma has steps of two samples else
			raster.BoxAcross(v.c[c], v.w, v.h, .5)
			if sy > 0 {
				raster.BoxDown(v.c[c], v.w, v.h, .5)
			}
		}
	}
}

func resize(v []float32, n int) []float32 {
	if cap(v) < n {
		return make([]float32, n)
	}
	return v[:n]
}

// A Gather collects looks at a surface.
type Gather struct {
	grid
	looks  [][3][]int16 // in 16ths of a code; beside the picture: beside
	weight []float32
	v      view
}

const beside = math.MinInt16

// NewGather begins to collect looks at a surface: its outline on the reference frame,
// and how much larger than there it is seen in most frames. The error is ErrOutline.
func NewGather(outline []geom.Point, scale float64) (*Gather, error) {
	g, err := newGrid(outline, scale)
	return &Gather{grid: g}, err
}

// Add takes a look: a picture and the map from the reference frame's coordinates to
// its own. On an anchor the editor has seen the surface; such looks count for more.
func (g *Gather) Add(p *frame.Picture, m geom.Map, anchor bool) {
	r, bin := g.part(m, p.Width, p.Height)
	if r.Empty() {
		return
	}
	g.v.read(p, r, bin)
	var look [3][]int16
	for c := range look {
		look[c] = make([]int16, g.w*g.h)
	}
	v := &g.v
	f := 1 / float64(bin)
	g.walk(m.Mul(g.to), func(i int, x, y float64) {
		x, y = (x-float64(r.Min.X))*f, (y-float64(r.Min.Y))*f
		if !(x > .5 && y > .5 && x < float64(v.w)-.5 && y < float64(v.h)-.5) {
			look[0][i] = beside
			return
		}
		a := tap(x, y, v.w, v.h)
		for c := range look {
			look[c][i] = int16(a.of(v.c[c])*16 + .5)
		}
	})
	w := float32(1)
	if anchor {
		w = 3
	}
	g.looks, g.weight = append(g.looks, look), append(g.weight, w)
}

// walk visits all samples with their places under m.
func (g *grid) walk(m geom.Map, do func(i int, x, y float64)) {
	for j := range g.h {
		fy := float64(j) + .5
		ax, ay, aw := m[1]*fy+m[2], m[4]*fy+m[5], m[7]*fy+m[8]
		for i := range g.w {
			fx := float64(i) + .5
			w := 1 / (m[6]*fx + aw)
			do(j*g.w+i, (m[0]*fx+ax)*w, (m[3]*fx+ay)*w)
		}
	}
}

// taps are the four samples around a place and their weights.
type taps struct {
	i, right, down     int
	w00, w10, w01, w11 float32
}

func tap(x, y float64, w, h int) (t taps) {
	x, y = min(max(x-.5, 0), float64(w-1)), min(max(y-.5, 0), float64(h-1))
	i, j := int(x), int(y)
	u, v := float32(x-float64(i)), float32(y-float64(j))
	t.i = j*w + i
	if i < w-1 {
		t.right = 1
	}
	if j < h-1 {
		t.down = w
	}
	t.w00, t.w10, t.w01, t.w11 = (1-u)*(1-v), u*(1-v), (1-u)*v, u*v
	return t
}

func (t *taps) of(p []float32) float32 {
	a, b := t.i, t.i+t.down
	return t.w00*p[a] + t.w10*p[a+t.right] + t.w01*p[b] + t.w11*p[b+t.right]
}

// Plate is what a surface looks like with nothing in front of it.
type Plate struct {
	grid
	// Samples: Y', Cb, Cr, how far the looks at it are apart in luma and in chroma
	// (standard deviations), and how sure it is, 0 to 1.
	pix   []sample
	noise [3]float32 // standard deviation of one look, by channel
}

type sample [6]float32

// Plate makes the plate: for each place the colour that most looks agree on, anchors
// counting for more (the mode, so that what passes for less than half of the time
// leaves no trace). The error is ErrNoLook.
func (g *Gather) Plate() (*Plate, error) {
	k := len(g.looks)
	if k == 0 {
		return nil, ErrNoLook
	}
	gain := g.light()
	p := &Plate{grid: g.grid, pix: make([]sample, g.w*g.h)}
	var vals [MaxLooks + 8][3]float32
	var ws [MaxLooks + 8]float32
	const nearY, nearC = 12, 7
	var spreads [3][]float32
	for i := range p.pix {
		n := 0
		var all float32
		for j := range g.looks {
			if g.looks[j][0][i] == beside || n == len(vals) {
				continue
			}
			vals[n] = [3]float32{black + (float32(g.looks[j][0][i])/16-black)*gain[j], 128 + (float32(g.looks[j][1][i])/16-128)*gain[j], 128 + (float32(g.looks[j][2][i])/16-128)*gain[j]}
			ws[n] = g.weight[j]
			all += ws[n]
			n++
		}
		if n == 0 {
			continue
		}
		close := func(a, b *[3]float32) bool {
			return abs(a[0]-b[0]) < nearY && abs(a[1]-b[1]) < nearC && abs(a[2]-b[2]) < nearC
		}
		best, most := 0, float32(-1)
		for a := range n {
			var s float32
			for b := range n {
				if close(&vals[a], &vals[b]) {
					s += ws[b]
				}
			}
			if s > most {
				best, most = a, s
			}
			if 2*s > all { // nothing else can have more
				break
			}
		}
		var sum, sq [3]float32
		var m float32
		centre := vals[best]
		for a := range n {
			if close(&centre, &vals[a]) {
				for c, v := range vals[a] {
					d := v - centre[c]
					sum[c] += d
					sq[c] += d * d
				}
				m++
			}
		}
		s := &p.pix[i]
		var sd [3]float32
		for c := range sum {
			mu := sum[c] / m
			s[c] = centre[c] + mu
			sd[c] = sqrt(max(sq[c]/m-mu*mu, 0))
		}
		s[3], s[4] = sd[0], max(sd[1], sd[2])
		s[5] = most / all
		if m < 2 {
			s[3], s[4], s[5] = 4, 2, min(s[5], .6)
		} else if i%7 == 0 && m > 3 {
			for c := range sd {
				spreads[c] = append(spreads[c], sd[c])
			}
		}
	}
	for c := range p.noise {
		p.noise[c] = []float32{2, 1, 1}[c]
		if len(spreads[c]) > 50 {
			slices.Sort(spreads[c])
			p.noise[c] = max(spreads[c][len(spreads[c])/2], []float32{.8, .5, .5}[c])
		}
	}
	return p, nil
}

// light finds for each look by how much its light must change to be as the others':
// the median ratio to the first anchor, or to the first look.
func (g *Gather) light() []float32 {
	ref := max(slices.IndexFunc(g.weight, func(w float32) bool { return w > 1 }), 0)
	gain := make([]float32, len(g.looks))
	for j := range g.looks {
		gain[j] = 1
		var rs []float32
		for i := 0; i < g.w*g.h; i += 5 {
			a, b := g.looks[ref][0][i], g.looks[j][0][i]
			if a != beside && b != beside && a > 40*16 && b > 24*16 {
				rs = append(rs, (float32(a)/16-black)/(float32(b)/16-black))
			}
		}
		if j != ref && len(rs) > 40 {
			slices.Sort(rs)
			gain[j] = min(max(rs[len(rs)/2], .4), 2.5)
		}
	}
	return gain
}

func abs(v float32) float32 { return math.Float32frombits(math.Float32bits(v) &^ (1 << 31)) }

func sqrt(v float32) float32 { return float32(math.Sqrt(float64(v))) }
