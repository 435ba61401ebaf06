package check

import (
	"image"
	"math"
	"math/rand"
	"slices"
	"sync"

	"celator/core/cover"
	"celator/core/frame"
	"celator/core/geom"
	"celator/core/raster"
	"celator/core/treat"
)

// Fused is what came out where concealed frames were laid over each other, of which the check's measure says that it
// cannot be read.
type Fused struct {
	Cover     string
	Of        int        // frames
	Frames    cover.Span // that they are from
	Frame     int        // one of them
	Place     image.Rectangle
	Recovered *Recovered
}

// attacked is a frame that is kept to be laid over others.
type attacked struct {
	f    int
	live cover.Live
	m    geom.Warp // target to frame
	sure bool
	part sight // as it would be delivered
	was  sight // as it is
}

// most frames that are laid over each other, and recoveryRounds of the recovery.
const (
	attackMost     = 48
	attackLeast    = 6
	attackArea     = 16_000. // px², up to which all of them are taken
	recoveryRounds = 28
	// receivedNoise is the noise, in codes of 8 bit, that a picture has when it is received.
	receivedNoise = .7
)

// attackFrames are those that tell most together: of the frames on which the cover is
// largest, even ones.
func attackFrames(d *cover.Document, c *cover.Cover) []int {
	size := map[int]float64{}
	most := 0.
	for f := c.Span.First; f <= c.Span.Last; f++ {
		b := bounds(c, f, 0)
		in := b.Intersect(image.Rect(0, 0, d.Width, d.Height))
		if in.Dx()*in.Dy() > b.Dx()*b.Dy()*9/10 {
			size[f] = float64(b.Dx() * b.Dy())
			most = math.Max(most, size[f])
		}
	}
	var all []int
	for f := c.Span.First; f <= c.Span.Last; f++ {
		if size[f] > .5*most {
			all = append(all, f)
		}
	}
	if len(all) < 2 {
		return nil
	}
	// Of a large surface each frame tells much, and costs as much.
	var out []int
	n := min(attackMost, len(all), max(attackLeast, int(attackMost*attackArea/math.Max(most, 1))))
	for k := range n {
		if f := all[k*(len(all)-1)/max(n-1, 1)]; len(out) == 0 || f > out[len(out)-1] {
			out = append(out, f)
		}
	}
	return out
}

// attacked keeps a frame for the attack.
func (w *watch) attacked(f int, live cover.Live, hides bool, m geom.Warp, sure bool, was, now *frame.Picture) {
	if len(w.attack) == 0 || w.attack[0] != f {
		return
	}
	w.attack = w.attack[1:]
	if !hides {
		return
	}
	for _, l := range w.d.At(cover.Time(f)) { // with its holdouts
		if l.Cover == w.c.ID {
			live = l
		}
	}
	r := raster.Bounds(live.Form, w.width, w.height).Inset(-24)
	a, ok := cropAt(f, now, r)
	b, ok2 := cropAt(f, was, r)
	if ok && ok2 {
		w.shots = append(w.shots, attacked{f, live, m, sure, a, b})
	}
}

// fuse tries what somebody with the broadcast could do: lay the concealed frames over
// each other where the surface is, and look for the picture that, concealed in the same
// way, gives them all. This is iterative back-projection (Irani and Peleg, "Improving
// resolution by image registration", CVGIP 53(3), 1991) with the treatments themselves as
// the model of what was done. It returns what came out, beside the original, and how much
// of the detail that is.
//
// Long: one attack from its first picture to its verdict; every step changes what the next one uses.
func fuse(d *cover.Document, c *cover.Cover, shots []attacked, refs *treat.References, paths []geom.Path,
	pace func(),
) (*Recovered, Through) {
	if len(shots) < 2 {
		return nil, Through{}
	}
	var b geom.Rect
	largest := 0.
	for _, p := range paths {
		b = b.Union(p.Bounds())
	}
	for _, s := range shots {
		largest = math.Max(largest, scale(s.m.Map, b.Centre()))
	}
	b = b.Grow(2, 2)
	bw, bh := b.Max.X-b.Min.X, b.Max.Y-b.Min.Y
	pitch := math.Max(1/math.Max(largest, .05), math.Sqrt(bw*bh/maxRecovered))
	w, h := max(int(bw/pitch), 2), max(int(bh/pitch), 2)
	to := geom.Map{bw / float64(w), 0, b.Min.X, 0, bh / float64(h), b.Min.Y, 0, 0, 1}
	first := shots[0].part.pic
	full := first.Format
	full.Width, full.Height = d.Width, d.Height
	scratch := frame.New(full, nil)
	unit := float32(int(1) << (full.Depth - 8))
	fs := make([]fused, len(shots))
	x, truth, hits := make([]float32, w*h), make([]float32, w*h), make([]float32, w*h)
	for i := range shots {
		pace()
		s := &shots[i]
		f := &fs[i]
		f.map_ = s.m.Map.Mul(to)
		back, err := f.map_.Inverse()
		if err != nil {
			return nil, Through{}
		}
		f.back = back
		if sought, err := to.Inverse(); err == nil && s.m.Bend != nil {
			f.bent = func(p geom.Point) geom.Point { return s.m.Apply(to.Apply(p)) }
			f.unbent = s.m.Unbent(sought)
		}
		f.matte = raster.Matte(s.live, d.Width, d.Height)
		r := f.matte.Rect
		f.rect = r
		f.seen = read(&s.part, r, unit)
		// What is received has noise, and codes of 8 bit.
		rng := rand.New(rand.NewSource(int64(s.f)))
		for k := range f.seen {
			f.seen[k] = float32(math.Round(float64(f.seen[k]) + receivedNoise*rng.NormFloat64()))
		}
		was := read(&s.was, r, unit)
		f.gather(w, h, f.seen, x, hits)
		f.gather(w, h, was, truth, nil)
	}
	for i, n := range hits {
		if n > 0 {
			x[i] /= n
			truth[i] /= n
		}
	}
	mask := frame.NewPlane(image.Rect(0, 0, w, h))
	form := cover.Form{}
	if inv, err := to.Inverse(); err == nil {
		for _, p := range paths {
			form.Paths = append(form.Paths, p.Map(inv))
		}
	}
	m := raster.Matte(cover.Live{Form: form}, w, h)
	for y := m.Rect.Min.Y; y < m.Rect.Max.Y; y++ {
		for k, v := range m.Row(y) {
			if i := y*w + m.Rect.Min.X + k; hits[i] > 0 {
				mask.Pix[i] = v
			}
		}
	}
	t := see(slices.Clone(truth), slices.Clone(truth), mask, 0)
	if t.Stroke == 0 {
		return nil, Through{} // there is nothing that could be read
	}
	side, k := int(1.4*t.Stroke+.5), len(shots)/2
	// Where what comes out does not depend on what goes in, there is nothing to be had.
	if !fs[k].depends(&shots[k], scratch, refs, x, w, h, side, unit) {
		return nil, Through{}
	}
	const hands = 2
	var sums [hands][]float32
	scratches := [hands]*frame.Picture{scratch, frame.New(full, nil)}
	for i := range sums {
		sums[i] = make([]float32, w*h)
	}
	ahead, was := slices.Clone(x), make([]float32, w*h)
	for round := range recoveryRounds {
		var wg sync.WaitGroup
		for hand := range hands {
			wg.Go(func() {
				clear(sums[hand])
				for i := hand; i < len(fs); i += hands {
					pace()
					made := fs[i].model(&shots[i], scratches[hand], refs, ahead, w, h, unit)
					for k, v := range fs[i].seen {
						made[k] = v - made[k]
					}
					fs[i].gather(w, h, made, sums[hand], nil)
				}
			})
		}
		wg.Wait()
		// Momentum makes of few rounds many (Beck and Teboulle, "A fast iterative
		// shrinkage-thresholding algorithm", SIAM J. Imaging Sciences 2(1), 2009).
		copy(was, x)
		beta := float32(round) / float32(round+3)
		for i, k := range hits {
			if k > 0 {
				x[i] = min(max(ahead[i]+recoveryStep*(sums[0][i]+sums[1][i])/k, 0), 255)
				ahead[i] = x[i] + beta*(x[i]-was[i])
			}
		}
	}
	r := &Recovered{W: w, H: h, Original: slices.Clone(truth), Broken: slices.Clone(x)}
	r.trim(mask.Pix)
	return r, see(truth, x, mask, 0)
}

// trim takes the rim of the recovered picture, which nothing bounds, out of sight: beside
// the target it has the target's mean, and no code is beyond what most of it has.
func (r *Recovered) trim(mask []float32) {
	for _, v := range [][]float32{r.Original, r.Broken} {
		var in []float32
		for i, m := range mask {
			if m > .5 {
				in = append(in, v[i])
			}
		}
		if len(in) == 0 {
			return
		}
		slices.Sort(in)
		lo, mid, hi := in[len(in)/100], in[len(in)/2], in[len(in)-1-len(in)/100]
		for i, m := range mask {
			if v[i] = min(max(v[i], lo), hi); m <= .5 {
				v[i] = mid
			}
		}
	}
}

const (
	maxRecovered = 40_000 // samples
	recoveryStep = 1.     // of the correction that is taken in a round
)

// fused is a frame in the recovery.
type fused struct {
	map_, back   geom.Map                    // of the samples that are sought to the frame's, and back
	bent, unbent func(geom.Point) geom.Point // the same where the surface bends, else nil
	matte        frame.Plane
	rect         image.Rectangle
	seen         []float32
}

// read takes luma of a part of a picture, in codes of 8 bit; beside the part its edge.
func read(g *sight, r image.Rectangle, unit float32) []float32 {
	p := g.pic.Read(0, g.pic.Rect())
	out := make([]float32, r.Dx()*r.Dy())
	for y := range r.Dy() {
		v := min(max(r.Min.Y+y-g.at.Y, 0), g.pic.Height-1)
		for x := range r.Dx() {
			u := min(max(r.Min.X+x-g.at.X, 0), g.pic.Width-1)
			out[y*r.Dx()+x] = p.Pix[v*g.pic.Width+u] / unit
		}
	}
	return out
}

// gather adds to each sample that is sought what the frame has in its place, where that
// is hidden.
func (f *fused) gather(w, h int, v, sum, n []float32) {
	r := f.rect
	fw, fh := r.Dx(), r.Dy()
	m := f.map_
	for y := range h {
		fy := float64(y) + .5
		for x := range w {
			fx := float64(x) + .5
			k := 1 / (m[6]*fx + m[7]*fy + m[8])
			px, py := (m[0]*fx+m[1]*fy+m[2])*k, (m[3]*fx+m[4]*fy+m[5])*k
			if f.bent != nil {
				q := f.bent(geom.Pt(fx, fy))
				px, py = q.X, q.Y
			}
			px, py = px-float64(r.Min.X)-.5, py-float64(r.Min.Y)-.5
			i, j := int(math.Floor(px)), int(math.Floor(py))
			if i < 0 || j < 0 || i+1 >= fw || j+1 >= fh || f.matte.Pix[j*fw+i] < .98 {
				continue
			}
			a, b := float32(px-float64(i)), float32(py-float64(j))
			q := j*fw + i
			sum[y*w+x] += (1-b)*((1-a)*v[q]+a*v[q+1]) + b*((1-a)*v[q+fw]+a*v[q+fw+1])
			if n != nil {
				n[y*w+x]++
			}
		}
	}
}

// model conceals what is sought as the frame was, and returns the luma on its rectangle.
func (f *fused) model(s *attacked, scratch *frame.Picture, refs *treat.References, x []float32, w, h int,
	unit float32,
) []float32 {
	r := f.rect
	src := s.part.pic
	for plane := range src.Planes {
		pr := src.PlaneRect(plane, src.Rect())
		sx, sy := src.Sub(plane)
		for y := range pr.Dy() {
			copy(scratch.Row(plane, y+s.part.at.Y>>sy, s.part.at.X>>sx, s.part.at.X>>sx+pr.Dx()), src.Row(plane, y, 0, pr.Dx()))
		}
	}
	m := f.back
	one := frame.NewPlane(r)
	alpha := frame.NewPlane(r)
	fw := r.Dx()
	for y := range r.Dy() {
		fy := float64(r.Min.Y+y) + .5
		for px := range fw {
			fx := float64(r.Min.X+px) + .5
			k := 1 / (m[6]*fx + m[7]*fy + m[8])
			u, v := (m[0]*fx+m[1]*fy+m[2])*k-.5, (m[3]*fx+m[4]*fy+m[5])*k-.5
			if f.unbent != nil {
				q := f.unbent(geom.Pt(fx, fy))
				u, v = q.X-.5, q.Y-.5
			}
			if !(u > -1 && v > -1 && u < float64(w) && v < float64(h)) || f.matte.Pix[y*fw+px] <= 0 {
				continue
			}
			u, v = min(max(u, 0), float64(w-1)), min(max(v, 0), float64(h-1))
			i, j := min(int(u), w-2), min(int(v), h-2)
			a, b := float32(u-float64(i)), float32(v-float64(j))
			q := j*w + i
			one.Pix[y*fw+px] = ((1-b)*((1-a)*x[q]+a*x[q+1]) + b*((1-a)*x[q+w]+a*x[q+w+1])) * unit
			alpha.Pix[y*fw+px] = 1
		}
	}
	scratch.Mix(0, one, alpha)
	treat.Conceal(scratch, []cover.Live{s.live}, refs)
	out := scratch.Read(0, r).Pix
	for i := range out {
		out[i] /= unit
	}
	return out
}

// depends says whether the concealed picture tells anything of what it hides.
func (f *fused) depends(s *attacked, scratch *frame.Picture, refs *treat.References, x []float32, w, h, side int,
	unit float32,
) bool {
	a := f.model(s, scratch, refs, x, w, h, unit)
	y := slices.Clone(x)
	side = max(min(side, min(w, h)/3), 2)
	rng := rand.New(rand.NewSource(1)) // strewn, so that no regular treatment cancels it out
	marks := make([]bool, (w/side+1)*(h/side+1))
	for i := range marks {
		marks[i] = rng.Intn(2) == 0
	}
	for i := range y {
		if marks[i/w/side*(w/side+1)+i%w/side] {
			y[i] = min(y[i]+40, 255)
		} else {
			y[i] = max(y[i]-40, 0)
		}
	}
	b := f.model(s, scratch, refs, y, w, h, unit)
	// An even change is light, which says nothing of what is there.
	var sum, square, n float64
	for i := range a {
		if f.matte.Pix[i] > .98 {
			d := float64(a[i] - b[i])
			sum, square, n = sum+d, square+d*d, n+1
		}
	}
	return n > 0 && square/n-sum*sum/(n*n) > 1
}
