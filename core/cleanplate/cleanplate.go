// Package cleanplate finds what a surface looks like with nothing in front of it.
//
// A Gather takes looks at the surface from frames in which it was found and makes the
// Plate of them: each place as most of them agree on. Frames are given with the map
// that takes the reference frame's coordinates to theirs. Nothing here does I/O.
//
// All code values are on the scale of 8 bit.
package cleanplate

import (
	"errors"
	"image"
	"math"
	"slices"

	"celator/core/filter"
	"celator/core/frame"
	"celator/core/geom"
)

// Errors for people.
var (
	ErrNoView  = errors.New("the surface is not clear enough in any frame to know what it looks like")
	ErrOutline = errors.New("the surface has no area")
)

const (
	maxSamples = 200_000 // of a plate, and of a frame's part that is worked on
	MaxViews   = 24      // frames that make a plate; more tell nothing new
	Black      = 16.     // code of no light, to which gains refer
	// anchorWeight is how much looks at frames count that the editor has seen: a little more, to decide what is even.
	// Something may stand in front there, too.
	anchorWeight = 1.25
	enough       = .35 // share of the looks that agree on what is sure, where nothing else is seen as often
)

// Grid lays samples over the surface and a margin around it: sample (i, j) stands at
// to(i+½, j+½) in reference coordinates.
type Grid struct {
	Outline []geom.Point
	To, Of  geom.Map
	W, H    int
	Box     geom.Rect // of the outline with its margin
}

// margin is how far around the surface is looked, in its own pixels: covers reach
// beyond what they hide.
func margin(b geom.Rect) float64 {
	return min(max(.1*max(b.Max.X-b.Min.X, b.Max.Y-b.Min.Y), 10), 60)
}

func newGrid(outline []geom.Point, scale float64) (Grid, error) {
	if len(outline) < 3 || math.Abs(geom.Area(outline)) < 16 {
		return Grid{}, ErrOutline
	}
	b := geom.Bounds(outline)
	m := margin(b)
	b = b.Grow(m, m)
	w, h := b.Max.X-b.Min.X, b.Max.Y-b.Min.Y
	scale = min(max(scale, .05), math.Sqrt(maxSamples/(w*h)))
	g := Grid{Outline: outline, W: max(int(w*scale), 2), H: max(int(h*scale), 2), Box: b}
	sx, sy := w/float64(g.W), h/float64(g.H)
	g.To = geom.Map{sx, 0, b.Min.X, 0, sy, b.Min.Y, 0, 0, 1}
	g.Of = geom.Map{1 / sx, 0, -b.Min.X / sx, 0, 1 / sy, -b.Min.Y / sy, 0, 0, 1}
	return g, nil
}

// Part returns the rectangle of a picture that the Grid covers under a map, on even
// coordinates, and the binning that keeps the work on it bounded.
func (g *Grid) Part(w geom.Warp, width, height int) (r image.Rectangle, bin int) {
	var b geom.Rect
	m, far := w.Map, w.Bend.Most()
	box := g.Box.Grow(far, far)
	for _, p := range []geom.Point{box.Min, {X: box.Max.X, Y: box.Min.Y}, box.Max, {X: box.Min.X, Y: box.Max.Y}} {
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
		r = image.Rect(clamp(math.Floor(b.Min.X))/step*step, clamp(math.Floor(b.Min.Y))/step*step,
			clamp(math.Ceil(b.Max.X)), clamp(math.Ceil(b.Max.Y)))
		r = r.Intersect(image.Rect(0, 0, width, height))
		if r.Empty() || r.Dx()/bin*(r.Dy()/bin) <= 3*maxSamples/2 {
			return r, bin
		}
	}
}

// View is a part of a picture as three channels of the same size, binned.
type View struct {
	Rect image.Rectangle
	Bin  int
	W, H int
	C    [3][]float32 // Y', Cb, Cr
}

// Read takes the part of a picture.
func (v *View) Read(p *frame.Picture, r image.Rectangle, bin int) {
	v.Rect, v.Bin = r, bin
	v.W, v.H = (r.Dx()+bin-1)/bin, (r.Dy()+bin-1)/bin
	unit := 1 / float32(int(1)<<(p.Depth-8))
	for c := range v.C {
		v.C[c] = Resize(v.C[c], v.W*v.H)
		sx, sy := p.Sub(c)
		pr := p.PlaneRect(c, r)
		src := p.Read(c, pr)
		w, h := pr.Dx(), pr.Dy()
		for y := range v.H {
			dst := v.C[c][y*v.W:][:v.W]
			y0, y1 := y*bin>>sy, ((y+1)*bin-1)>>sy
			if bin == 1 { // a sample stands for itself, or for two
				row := src.Pix[min(y0, h-1)*w:][:w]
				for x := range dst {
					dst[x] = row[min(x>>sx, w-1)] * unit
				}
				continue
			}
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
			filter.BoxAcross(v.C[c], v.W, v.H, .5)
			if sy > 0 {
				filter.BoxDown(v.C[c], v.W, v.H, .5)
			}
		}
	}
}

// Sample takes of each bin the mean of the luma samples at its middle alone: where many
// bins are measured together, that is as good as the whole.
func (v *View) Sample(p *frame.Picture, r image.Rectangle, bin int) {
	if bin == 1 {
		v.Read(p, r, bin)
		return
	}
	v.Rect, v.Bin = r, bin
	v.W, v.H = r.Dx()/bin, r.Dy()/bin
	unit := 1 / float32(int(1)<<(p.Depth-8))
	for c := range v.C {
		v.C[c] = Resize(v.C[c], v.W*v.H)
		sx, sy := p.Sub(c)
		for y := range v.H {
			dst := v.C[c][y*v.W:][:v.W]
			clear(dst)
			for k := range 2 {
				at := (r.Min.Y + y*bin + bin/2 - 1 + k) >> sy
				x0, x1 := r.Min.X>>sx, (r.Max.X-1)>>sx+1
				row := p.Row(c, at, x0, x1)
				for x := range dst {
					i := (r.Min.X+x*bin+bin/2-1)>>sx - x0
					j := (r.Min.X+x*bin+bin/2)>>sx - x0
					if p.Depth > 8 {
						dst[x] += float32(int(row[2*i])|int(row[2*i+1])<<8) + float32(int(row[2*j])|int(row[2*j+1])<<8)
					} else {
						dst[x] += float32(row[i]) + float32(row[j])
					}
				}
			}
			for x := range dst {
				dst[x] *= unit / 4
			}
		}
	}
}

// Resize returns a slice of n numbers, v where it is long enough.
func Resize(v []float32, n int) []float32 {
	if cap(v) < n {
		return make([]float32, n)
	}
	return v[:n]
}

// A Gather collects looks at a surface.
type Gather struct {
	Grid
	looks   [][3][]int16 // in 16ths of a code; beside the picture: beside
	weight  []float32
	offered [][3][]int16
	v       View
}

const beside = math.MinInt16

// NewGather begins to collect looks at a surface: its outline on the reference frame,
// and how much larger than there it is seen in most frames. The error is ErrOutline.
func NewGather(outline []geom.Point, scale float64) (*Gather, error) {
	g, err := newGrid(outline, scale)
	return &Gather{Grid: g}, err
}

// Add takes a look: a picture and the warp from the reference frame's coordinates to
// its own. On an anchor the editor has seen the surface; such looks count for more.
func (g *Gather) Add(p *frame.Picture, w geom.Warp, anchor bool) {
	weight := float32(1)
	if anchor {
		weight = anchorWeight
	}
	if look, ok := g.look(p, w); ok {
		g.add(look, weight)
	}
}

func (g *Gather) add(look [3][]int16, weight float32) {
	g.looks, g.weight = append(g.looks, look), append(g.weight, weight)
}

// look reads the surface from a picture; false where it lies beside.
func (g *Gather) look(p *frame.Picture, w geom.Warp) (look [3][]int16, ok bool) {
	r, bin := g.Part(w, p.Width, p.Height)
	if r.Empty() {
		return look, false
	}
	g.v.Read(p, r, bin)
	for c := range look {
		look[c] = make([]int16, g.W*g.H)
	}
	v := &g.v
	f := 1 / float64(bin)
	g.walk(w, func(i int, x, y float64) {
		x, y = (x-float64(r.Min.X))*f, (y-float64(r.Min.Y))*f
		if !(x > .5 && y > .5 && x < float64(v.W)-.5 && y < float64(v.H)-.5) {
			look[0][i] = beside
			return
		}
		a := Tap(x, y, v.W, v.H)
		for c := range look {
			look[c][i] = int16(a.Of(v.C[c])*16 + .5)
		}
	})
	return look, true
}

// walk visits all samples with their places under a warp.
func (g *Grid) walk(by geom.Warp, do func(i int, x, y float64)) {
	if by.Bend != nil {
		for i := range g.W * g.H {
			q := by.Apply(g.To.Apply(geom.Pt(float64(i%g.W)+.5, float64(i/g.W)+.5)))
			do(i, q.X, q.Y)
		}
		return
	}
	m := by.Map.Mul(g.To)
	for j := range g.H {
		fy := float64(j) + .5
		ax, ay, aw := m[1]*fy+m[2], m[4]*fy+m[5], m[7]*fy+m[8]
		for i := range g.W {
			fx := float64(i) + .5
			w := 1 / (m[6]*fx + aw)
			do(j*g.W+i, (m[0]*fx+ax)*w, (m[3]*fx+ay)*w)
		}
	}
}

// Taps are the four samples around a place and their weights.
type Taps struct {
	I, Right, Down     int
	W00, W10, W01, W11 float32
}

// Tap returns the samples around (x, y) of a plane of w x h; sample (i, j) stands at (i+½, j+½).
func Tap(x, y float64, w, h int) (t Taps) {
	x, y = min(max(x-.5, 0), float64(w-1)), min(max(y-.5, 0), float64(h-1))
	i, j := int(x), int(y)
	u, v := float32(x-float64(i)), float32(y-float64(j))
	t.I = j*w + i
	if i < w-1 {
		t.Right = 1
	}
	if j < h-1 {
		t.Down = w
	}
	t.W00, t.W10, t.W01, t.W11 = (1-u)*(1-v), u*(1-v), (1-u)*v, u*v
	return t
}

func (t *Taps) Of(p []float32) float32 {
	a, b := t.I, t.I+t.Down
	return t.W00*p[a] + t.W10*p[a+t.Right] + t.W01*p[b] + t.W11*p[b+t.Right]
}

// Plate is what a surface looks like with nothing in front of it.
type Plate struct {
	Grid
	Pix   []Sample
	Noise [3]float32 // standard deviation of one look, by channel
}

// Sample is a place of a plate: Y', Cb, Cr, how far the looks at it are apart in luma
// and in chroma (standard deviations), and how sure it is, 0 to 1.
type Sample [6]float32

// Plate makes the plate: for each place the colour that most looks agree on (the mode, so that what passes for less
// than half of the time leaves no trace), or the other one, where settle finds that more likely. The error is
// ErrNoView.
func (g *Gather) Plate() (*Plate, error) {
	g.take()
	if len(g.looks) == 0 {
		return nil, ErrNoView
	}
	gain := g.light()
	p := &Plate{Grid: g.Grid, Pix: make([]Sample, g.W*g.H)}
	var l looked
	places := make([]place, len(p.Pix))
	for i := range places {
		l.read(g, i, gain)
		places[i] = l.place()
	}
	g.settle(places, gain)
	var spreads [3][]float32
	for i := range places {
		l.read(g, i, gain)
		if l.n == 0 {
			continue
		}
		l.clear(&places[i])
		sd, looks := l.around(&places[i], &p.Pix[i])
		if i%7 == 0 && looks > 3 {
			for c := range sd {
				spreads[c] = append(spreads[c], sd[c])
			}
		}
	}
	for c := range p.Noise {
		p.Noise[c] = []float32{2, 1, 1}[c]
		if len(spreads[c]) > 50 {
			slices.Sort(spreads[c])
			p.Noise[c] = max(spreads[c][len(spreads[c])/2], []float32{.8, .5, .5}[c])
		}
	}
	return p, nil
}

// around enters into a sample the mean of the looks that are like what a place is, how far they are apart, and their
// weight among all that are not known to show something else. It returns their standard deviations and how many there
// are.
func (l *looked) around(p *place, s *Sample) (sd [3]float32, looks int) {
	colour := p.is.colour
	var sum, sq [3]float32
	var m, like float32
	for a := range l.n {
		if alike(&colour, &l.vals[a], 1) {
			for c, v := range l.vals[a] {
				d := v - colour[c]
				sum[c] += d
				sq[c] += d * d
			}
			m++
			like += l.ws[a]
		}
	}
	if m == 0 {
		return sd, 0
	}
	for c := range sum {
		mu := sum[c] / m
		s[c] = colour[c] + mu
		sd[c] = sqrt(max(sq[c]/m-mu*mu, 0))
	}
	s[3], s[4] = sd[0], max(sd[1], sd[2])
	// What passes shows many colours; there is doubt as far as one of them is seen as often.
	often, other := min(like/(enough*l.all), 1), p.other.share*l.all
	s[5] = max(like/l.all, like/(like+other)*often*often)
	if p.is.share < p.other.share { // settled: the other is known to be something else
		s[5] = min(like/(l.all-other), 1)
	}
	if m < 2 {
		s[3], s[4], s[5] = 4, 2, min(s[5], .6)
	}
	return sd, int(m)
}

// light finds for each look by how much its light must change to be as the others':
// the median ratio to the first anchor, or to the first look.
func (g *Gather) light() []float32 {
	ref := max(slices.IndexFunc(g.weight, func(w float32) bool { return w > 1 }), 0)
	gain := make([]float32, len(g.looks))
	for j := range g.looks {
		gain[j] = 1
		var rs []float32
		for i := 0; i < g.W*g.H; i += 5 {
			a, b := g.looks[ref][0][i], g.looks[j][0][i]
			if a != beside && b != beside && a > 40*16 && b > 24*16 {
				rs = append(rs, (float32(a)/16-Black)/(float32(b)/16-Black))
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

// Laid is a plate as it lies on a frame, sample by sample of a View.
type Laid struct {
	Pix     [3][]float32 // Y', Cb, Cr
	SpreadY []float32    // how far its looks are apart
	SpreadC []float32
	Sure    []float32 // 0 beside the plate
}

// Lay puts the plate into its place on a view, given the warp from the reference frame's
// coordinates to the view's frame.
func (l *Laid) Lay(p *Plate, by geom.Warp, v *View) {
	n := v.W * v.H
	for c := range l.Pix {
		l.Pix[c] = Resize(l.Pix[c], n)
	}
	for _, s := range []*[]float32{&l.SpreadY, &l.SpreadC, &l.Sure} {
		*s = Resize(*s, n)
	}
	clear(l.Sure)
	back, err := by.Map.Mul(p.To).Inverse()
	if err != nil {
		return
	}
	bin := float64(v.Bin)
	flat := back[6] == 0 && back[7] == 0
	w := 1 / back[8]
	bent := by.Unbent(p.Of)
	for y := range v.H {
		fy := float64(v.Rect.Min.Y) + (float64(y)+.5)*bin
		for x := range v.W {
			fx := float64(v.Rect.Min.X) + (float64(x)+.5)*bin
			if !flat {
				w = 1 / (back[6]*fx + back[7]*fy + back[8])
			}
			gx, gy := (back[0]*fx+back[1]*fy+back[2])*w, (back[3]*fx+back[4]*fy+back[5])*w
			if bent != nil {
				q := bent(geom.Pt(fx, fy))
				gx, gy = q.X, q.Y
			}
			if !(gx > 0 && gy > 0 && gx < float64(p.W) && gy < float64(p.H)) {
				continue
			}
			t := Tap(gx, gy, p.W, p.H)
			s00, s10, s01, s11 := &p.Pix[t.I], &p.Pix[t.I+t.Right], &p.Pix[t.I+t.Down], &p.Pix[t.I+t.Down+t.Right]
			i := y*v.W + x
			l.Pix[0][i] = t.W00*s00[0] + t.W10*s10[0] + t.W01*s01[0] + t.W11*s11[0]
			l.Pix[1][i] = t.W00*s00[1] + t.W10*s10[1] + t.W01*s01[1] + t.W11*s11[1]
			l.Pix[2][i] = t.W00*s00[2] + t.W10*s10[2] + t.W01*s01[2] + t.W11*s11[2]
			// Their looks' spread needs no places between.
			l.SpreadY[i], l.SpreadC[i] = max(s00[3], s11[3]), max(s00[4], s11[4])
			l.Sure[i] = min(s00[5], s11[5])
		}
	}
}
