package track

import (
	"cmp"
	"errors"
	"math"
	"slices"

	"celator/core/filter"
	"celator/core/geom"
)

// Errors of a surface that cannot be followed; each is for people.
var (
	ErrSmall = errors.New("the surface is smaller than 12 pixels across; draw it larger or begin on a frame " +
		"where it is nearer")
	ErrFlat    = errors.New("the surface has too little texture to be followed; include some of what moves with it")
	ErrOutside = errors.New("the surface lies outside the picture on this frame")
	ErrTiny    = errors.New("the picture is too small to follow anything in it")
	ErrMask    = errors.New("what passes in front is given for a picture of another size")
	ErrCrossed = errors.New("the surface's outline crosses itself or has no area")
)

const (
	patchSide  = 160 // samples on the longest side of the finest patch
	coarsest   = 14  // samples on the shortest side of the coarsest
	noiseFloor = 3.  // codes added to the contrast, so that noise in flat places counts for little
	textured   = 3.5 // contrast, in codes, above which a place can be compared
	leastTold  = .3  // share of its variance that is no noise, below which it cannot
)

// patch is the reference surface at one scale: what it looks like, locally
// normalised, and how that changes with place.
type patch struct {
	scale           float64  // samples for a reference pixel
	to              geom.Map // patch samples (continuous) to reference coordinates
	w, h            int
	raw             []float32 // as in the picture
	means, contrast []float32 // around each sample, codes
	mask            []float32 // 1 inside the surface, 0 outside and on its rim
	norm            []float32 // (raw - local mean) / local contrast
	gx,
	gy []float32 // derivatives of norm, per sample
	tells  []float32 // of the contrast around a sample, the share that is not noise (of its variance)
	weight []float32 // how much a place counts that is compared; 0 where there is no texture above the noise
	noise  *noise    // of the reference frame at this scale
	reach  float64   // half-width of what local means
	area   []float32 // share of the mask around each sample
	points []int32   // the samples inside the mask
	steep  []int32   // those of them that tell most about place
	unit   float64   // samples that make 1 in the solver's coordinates
}

// reference is the surface on its anchor frame, at scales half an octave apart.
type reference struct {
	outline []geom.Point
	quad    [4]geom.Point // the box around it, whose corners measure motion
	size    float64       // longest side, reference pixels
	levels  []*patch      // finest first
	grain   *noise        // of the frame
	rim     *rim          // of a surface whose outline shows, or nil
	frame   Frame         // of such a surface, the picture
}

func newReference(f Frame, outline []geom.Point) (*reference, error) {
	pyr := f.pyr
	g := pyr[0]
	if len(outline) < 3 || math.Abs(geom.Area(outline)) < 1 || geom.Crosses(outline) {
		return nil, ErrCrossed
	}
	b := geom.Bounds(outline)
	w, h := b.Max.X-b.Min.X, b.Max.Y-b.Min.Y
	if min(w, h) < 8 || max(w, h) < 12 {
		return nil, ErrSmall
	}
	if b.Max.X <= 0 || b.Max.Y <= 0 || b.Min.X >= float64(g.W) || b.Min.Y >= float64(g.H) {
		return nil, ErrOutside
	}
	r := &reference{
		outline: outline, size: max(w, h),
		quad: [4]geom.Point{b.Min, {X: b.Max.X, Y: b.Min.Y}, b.Max, {X: b.Min.X, Y: b.Max.Y}},
	}
	grain := noiseOf(pyr)
	r.grain = &grain[0]
	for s := min(patchSide/r.size, 1); ; s /= math.Sqrt2 {
		if len(r.levels) > 0 && (min(w, h)*s < coarsest || len(r.levels) >= 9) {
			break
		}
		r.levels = append(r.levels, newPatch(f, outline, b, s, &grain[pyr.level(1/s)]))
	}
	seen := 0
	for _, v := range r.levels[0].weight {
		if v > 0 {
			seen++
		}
	}
	if len(r.levels[0].points) == 0 {
		return nil, ErrOutside
	}
	if float64(seen) < max(.03*float64(len(r.levels[0].points)), 24) {
		return r, ErrFlat
	}
	return r, nil
}

// coarsest is the patch with which whole pictures are searched.
func (r *reference) coarsest() *patch { return r.levels[len(r.levels)-1] }

func newPatch(f Frame, outline []geom.Point, b geom.Rect, s float64, grain *noise) *patch {
	p := &patch{scale: s, w: int(math.Ceil((b.Max.X - b.Min.X) * s)), h: int(math.Ceil((b.Max.Y - b.Min.Y) * s))}
	p.to = geom.Map{1 / s, 0, b.Min.X, 0, 1 / s, b.Min.Y, 0, 0, 1}
	p.unit, p.noise = float64(max(p.w, p.h))/2, grain
	n := p.w * p.h
	p.raw, p.mask = make([]float32, n), make([]float32, n)
	pyr := f.pyr
	g := pyr[0]
	rim := min(1.5, float64(min(p.w, p.h))/20)
	for y := range p.h {
		for x := range p.w {
			q := p.to.Apply(geom.Pt(float64(x)+.5, float64(y)+.5))
			in := q.X > 1 && q.Y > 1 && q.X < float64(g.W)-1 && q.Y < float64(g.H)-1 && !f.hidden.covers(q.X, q.Y)
			if in && depth(outline, q)*s > rim {
				p.mask[y*p.w+x] = 1
				p.points = append(p.points, int32(y*p.w+x))
			}
		}
	}
	warp(pyr, p, p.to, &work{}, p.raw, nil)
	p.reach = max(2, float64(max(p.w, p.h))/14)
	p.area = append([]float32(nil), p.mask...)
	p.box(p.area)
	p.compare()
	p.choose()
	return p
}

// compare makes of the samples what frames are compared with.
func (p *patch) compare() {
	n := p.w * p.h
	p.norm, p.means, p.contrast = make([]float32, n), make([]float32, n), make([]float32, n)
	inv := make([]float32, n)
	p.local(p.raw, p.means, inv)
	for _, i := range p.points {
		p.norm[i], p.contrast[i] = (p.raw[i]-p.means[i])*inv[i], 1/inv[i]-noiseFloor
	}
	p.weigh()
	p.gradients()
}

// weigh finds what each place tells above the noise.
func (p *patch) weigh() {
	n := p.w * p.h
	p.weight, p.tells = make([]float32, n), make([]float32, n)
	for _, i := range p.points {
		contrast := p.contrast[i]
		above := 1 - float32(p.noise.at(p.means[i]))/(contrast*contrast)
		p.tells[i] = max(above, leastTold)
		if contrast > textured && above > leastTold {
			p.weight[i] = above * above
		}
	}
}

// box takes the mean around each sample.
func (p *patch) box(all ...[]float32) {
	for _, v := range all {
		filter.BoxAcross(v, p.w, p.h, p.reach)
		filter.BoxDown(v, p.w, p.h, p.reach)
	}
}

// local finds the mean around each sample, over the mask, and one over the
// contrast there.
func (p *patch) local(v, mean, inv []float32) {
	for i, m := range p.mask {
		x := m * v[i]
		mean[i], inv[i] = x, x*v[i]
	}
	p.box(mean, inv)
	for _, i := range p.points {
		mu := mean[i] / p.area[i]
		mean[i] = mu
		inv[i] = 1 / (float32(math.Sqrt(float64(max(inv[i]/p.area[i]-mu*mu, 0)))) + noiseFloor)
	}
}

// mostSamples is how many samples of a patch are used to find the motion.
const mostSamples = 6000

// choose takes the samples with the steepest slopes.
func (p *patch) choose() {
	p.steep = slices.Clone(p.points)
	slope := func(i int32) float32 { return p.gx[i]*p.gx[i] + p.gy[i]*p.gy[i] }
	slices.SortStableFunc(p.steep, func(a, b int32) int { return cmp.Compare(slope(b), slope(a)) })
	p.steep = p.steep[:min(len(p.steep), mostSamples)]
	for len(p.steep) > 0 && slope(p.steep[len(p.steep)-1]) == 0 {
		p.steep = p.steep[:len(p.steep)-1]
	}
	slices.Sort(p.steep) // neighbours in memory stay neighbours
}

// gradients takes central differences of the normalised patch, inside the mask.
func (p *patch) gradients() {
	n := p.w * p.h
	p.gx, p.gy = make([]float32, n), make([]float32, n)
	slope := func(i, step int, low, high bool) float32 {
		a, b, d := i, i, float32(0)
		if !low && p.mask[i-step] > 0 {
			a, d = i-step, d+1
		}
		if !high && p.mask[i+step] > 0 {
			b, d = i+step, d+1
		}
		if d == 0 {
			return 0
		}
		return (p.norm[b] - p.norm[a]) / d
	}
	for _, k := range p.points {
		i := int(k)
		x, y := i%p.w, i/p.w
		p.gx[i] = slope(i, 1, x == 0, x == p.w-1)
		p.gy[i] = slope(i, p.w, y == 0, y == p.h-1)
	}
}

// warp samples the picture at m(sample centre) for every sample of the patch;
// inside, when given, gets 1 where that lies in the picture and not behind what is
// hidden, and 0 elsewhere. Each
// is the mean along the smear, in pixels of the picture, and displaced as the surface bends.
func warp(pyr pyramid, p *patch, m geom.Map, by *work, out, inside []float32) {
	k := pyr.level(stepOf(m, geom.Pt(float64(p.w)/2, float64(p.h)/2)))
	g, f := pyr[k], 1/float64(int(1)<<k)
	full := pyr[0]
	way := newWay(by.smear, f)
	left, top := .5+math.Abs(by.smear.X)/2, .5+math.Abs(by.smear.Y)/2
	right, low := float64(full.W)-left, float64(full.H)-top
	for y := range p.h {
		// The map along a row: numerators and denominator change evenly.
		fy := float64(y) + .5
		ax, ay, aw := m[1]*fy+m[2], m[4]*fy+m[5], m[7]*fy+m[8]
		for x := range p.w {
			fx := float64(x) + .5
			i := y*p.w + x
			w := 1 / (m[6]*fx + aw)
			px, py := (m[0]*fx+ax)*w, (m[3]*fx+ay)*w
			if by.off != nil {
				q := by.off[i].Add(geom.Pt(fx, fy))
				w = 1 / (m[6]*q.X + m[7]*q.Y + m[8])
				px, py = (m[0]*q.X+m[1]*q.Y+m[2])*w, (m[3]*q.X+m[4]*q.Y+m[5])*w
			}
			if inside != nil {
				inside[i] = 1
				if !(px > left && py > top && px < right && py < low && w > 0) || by.hidden.covers(px, py) {
					inside[i] = 0
				}
			}
			out[i] = way.mean(g, px*f, py*f)
		}
	}
}

// covers reports whether a place is hidden.
func (g *Gray) covers(x, y float64) bool {
	return g != nil && x >= 0 && y >= 0 && x < float64(g.W) && y < float64(g.H) && g.Pix[int(y)*g.W+int(x)] > .5
}

// depth is how far inside a polygon a place lies, in pixels; negative outside.
func depth(poly []geom.Point, q geom.Point) float64 {
	best, in := math.Inf(1), false
	for i, a := range poly {
		b := poly[(i+1)%len(poly)]
		ab := b.Sub(a)
		t := 0.
		if l := ab.Dot(ab); l > 0 {
			t = min(max(q.Sub(a).Dot(ab)/l, 0), 1)
		}
		best = min(best, q.Sub(a.Add(ab.Mul(t))).Len())
		if (a.Y > q.Y) != (b.Y > q.Y) && q.X < a.X+(q.Y-a.Y)/(b.Y-a.Y)*ab.X {
			in = !in
		}
	}
	if !in {
		return -best
	}
	return best
}

// way is a line of places around a sample whose mean is taken, each in the middle of
// its part of the line.
type way struct {
	step geom.Point
	n    int
	norm float32
}

func newWay(smear geom.Point, f float64) way {
	n := min(int(math.Ceil(smear.Len()*f/1.6)), 9)
	if n < 2 {
		return way{n: 1, norm: 1}
	}
	return way{smear.Mul(f / float64(n)), n, 1 / float32(n)}
}

func (w *way) mean(g *Gray, x, y float64) float32 {
	if w.n == 1 {
		return g.At(geom.Point{X: x, Y: y})
	}
	var sum float32
	x, y = x-w.step.X*float64(w.n-1)/2, y-w.step.Y*float64(w.n-1)/2
	for range w.n {
		sum += g.At(geom.Point{X: x, Y: y})
		x, y = x+w.step.X, y+w.step.Y
	}
	return sum * w.norm
}
