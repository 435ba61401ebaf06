package track

import (
	"math"
	"slices"

	"gonum.org/v1/gonum/mat"

	"celator/core/geom"
)

// Model is how a surface may move.
type Model string

const (
	Translation Model = "translation"
	Similarity  Model = "similarity"
	Affine      Model = "affine"
	Perspective Model = "perspective"
	Cloth       Model = "cloth" // in perspective, and bending
)

// basis lists the model's ways to move, each as the eight numbers of a small
// projective map [[1+a, b, c], [d, 1+e, f], [g, h, 1]].
func (m Model) basis() [][8]float64 {
	move := [][8]float64{{2: 1}, {5: 1}}
	switch m {
	case Translation:
		return move
	case Similarity:
		return append(move, [8]float64{0: 1, 4: 1}, [8]float64{1: -1, 3: 1})
	}
	all := append(move, [8]float64{0: 1}, [8]float64{1: 1}, [8]float64{3: 1}, [8]float64{4: 1})
	if m == Affine {
		return all
	}
	return append(all, [8]float64{6: 1}, [8]float64{7: 1}) // of cloth too, beside its bend
}

// Models are all of them, by how much they allow.
var Models = []Model{Translation, Similarity, Affine, Perspective, Cloth}

// Valid reports whether there is such a model.
func (m Model) Valid() bool { return slices.Contains(Models, m) }

// alignment is what comparing the surface under a map with a frame gives.
type alignment struct {
	m      geom.Map      // reference to frame
	firm   float64       // of them, those that agree closely
	share  float64       // of the textured places in the picture, those that agree
	seen   float64       // share of the textured places that lie in the picture
	mean   float64       // mean local correlation where there is texture
	spread float64       // standard deviation of the corners that the noise explains, px of the frame
	centre float64       // the same of the middle
	fit    float64       // of the samples that tell most, how many are as they should be, each by how nearly
	rim    float64       // share of the outline's places whose edge lies where it should; 0 where it was not asked
	sharp  bool          // the frame is not smeared by the surface's motion
	told   [36]float64   // the normal equations of the samples alone, at the end
	noise  float64       // and their variance
	by     *patch        // that it was compared with at last
	info   *mat.SymDense // of the model's numbers, in that patch's coordinates; nil where too little is told
	cov    *mat.SymDense // of the corners, by that
}

// better reports which of two places is the surface's: where more of its samples are as they should be (Torr and
// Zisserman, "MLESAC", CVIU 78(1), 2000, whose outliers all cost the same).
func (a alignment) better(b alignment) bool { return b.share < 0 || a.fit > b.fit }

// work is memory that alignments share: of the last look, the frame's samples,
// their local mean and one over the local contrast, what lies in the picture, and
// how well each place agrees.
type work struct {
	view, mean, inv, inside, agree, aa, bb []float32

	within float64    // how far a sample may be off that is as it should be; 0 where that is not known
	hidden *Gray      // what passes in front, or nil
	only   []bool     // the samples that count, by patch; nil for all
	smear  geom.Point // along which the frame's samples are averaged, px

	bend  *geom.Bend   // of the surface, or nil
	loose float64      // how well it is known: see loose
	off   []geom.Point // by it, in samples of a patch; nil where there is none
	of    struct {     // what off was made for
		bend  *geom.Bend
		scale float64
	}
}

// bent displaces the samples of a patch as the surface bends.
func (w *work) bent(p *patch) {
	if w.of.bend == w.bend && w.of.scale == p.scale {
		return
	}
	w.of.bend, w.of.scale, w.off = w.bend, p.scale, nil
	if w.bend != nil {
		w.off = p.offsets(w.bend)
	}
}

func (w *work) size(n int) {
	for _, v := range []*[]float32{&w.view, &w.mean, &w.inv, &w.inside, &w.agree, &w.aa, &w.bb} {
		if cap(*v) < n {
			*v = make([]float32, n)
		}
		*v = (*v)[:n]
	}
}

// correlate samples the frame under m and finds for each sample how well its
// surroundings correlate with the reference.
func (p *patch) correlate(pyr pyramid, m geom.Map, w *work) {
	w.size(p.w * p.h)
	w.bent(p)
	warp(pyr, p, m.Mul(p.to), w, w.view, w.inside)
	p.local(w.view, w.mean, w.inv)
	for i, a := range p.norm { // 0 outside the mask
		b := (w.view[i] - w.mean[i]) * w.inv[i] * p.mask[i] * w.inside[i]
		w.agree[i], w.aa[i], w.bb[i] = a*b, a*a*w.inside[i], b*b
	}
	p.box(w.agree, w.aa, w.bb)
	for _, i := range p.points {
		d := w.aa[i] * w.bb[i]
		if d < 1e-6 {
			w.agree[i] = 0
			continue
		}
		// Under the true map two noisy views correlate by what is not noise in them, at most.
		w.agree[i] = min(w.agree[i]/(float32(math.Sqrt(float64(d)))*p.tells[i]), 1)
	}
}

const (
	agreesClosely = .8  // local correlation above which a sample counts as followed closely
	agrees        = .55 // local correlation above which a place shows the surface
	doubted       = .15 // and below which it certainly does not

	looksAnew  = 5    // times what is near enough, by which a map has moved on before the frame is looked at anew
	stillNoise = 1e-6 // of the samples' variance: what a picture has at least that is the reference's very copy
)

// judge measures how well the surface is seen under m, from the last look.
func (p *patch) judge(m geom.Map, w *work) alignment {
	a := alignment{m: m}
	var n, in, ok, firm, sum float64
	for _, k := range p.points {
		counts := float64(p.weight[k])
		if counts == 0 {
			continue
		}
		n += counts
		if w.inside[k] == 0 {
			continue
		}
		in += counts
		c := float64(w.agree[k])
		sum += counts * max(c, 0)
		if c > agrees {
			ok += counts
		}
		if c > agreesClosely {
			firm += counts
		}
	}
	if n > 0 && in > 0 {
		a.seen, a.share, a.firm, a.mean = in/n, ok/in, firm/in, sum/in
	}
	return a
}

// align improves a map by Gauss-Newton steps of the inverse-compositional kind
// (Baker and Matthews, "Lucas-Kanade 20 years on", IJCV 56(3), 2004) on locally
// normalised samples, so that even and sloping changes of light do not matter.
// It ends when no corner moves by more than enough samples. Samples whose surroundings do
// not correlate with the reference, because something passes in front, count little. It
// returns the best map seen.
//
// Long: one iteration loop; its sums and weights belong together.
func (p *patch) align(pyr pyramid, m geom.Map, prior *prior, model Model, steps int, enough float64, lenient bool,
	w *work,
) alignment {
	basis := model.basis()
	fromUnit := p.fromUnit()
	toUnit, err := fromUnit.Inverse()
	if err != nil {
		return alignment{m: m}
	}
	p.correlate(pyr, m, w)
	best := p.judge(m, w)
	var spread, centre float64
	var told [36]float64 // the normal equations of the samples alone, the last time
	var noise, fit float64
	least := 1. // fit on the way
	within := w.within
	if within == 0 {
		within = huber
	}
	scale := 1. // of the residuals that are believed
	since := 0. // how far the map has moved since the last look, in samples
	for range steps {
		if since > 1 {
			p.correlate(pyr, m, w)
			since = 0
			if a := p.judge(m, w); a.seen > .7*best.seen && a.mean > best.mean {
				best = a
			}
		}
		g := p.gather(pyr, m.Mul(p.to), within, scale, lenient, w)
		if g.total < 12 {
			break
		}
		n := g.sums.equations()
		told, noise, fit = n.h, g.square/g.total, g.near/g.all
		least = min(least, fit)
		scale = g.errs.scale()
		if prior != nil {
			prior.add(p, m.Mul(fromUnit), fromUnit, noise, &n)
		}
		delta, cov, ok := solve(n, basis, g.total)
		if !ok {
			break
		}
		if delta == ([8]float64{}) { // nothing moved: the map stays what it is, exactly
			break
		}
		inc, err := small(delta).Inverse()
		if err != nil {
			break
		}
		far := 0.
		spread = 0
		for _, q := range [4]geom.Point{{X: -1, Y: -1}, {X: 1, Y: -1}, {X: 1, Y: 1}, {X: -1, Y: 1}} {
			q = geom.Pt(q.X*float64(p.w)/2/p.unit, q.Y*float64(p.h)/2/p.unit)
			far = max(far, inc.Apply(q).Sub(q).Len()*p.unit)
			spread += moved(q, basis, cov) / 4
		}
		// Neighbouring samples err alike: as many are independent as windows of three by three.
		px := math.Sqrt(noise*9*underrated) * p.unit / p.scale * scaleOf(m, p)
		spread, centre = math.Sqrt(spread)*px, math.Sqrt(moved(geom.Point{}, basis, cov))*px
		m = scaled(m.Mul(fromUnit.Mul(inc).Mul(toUnit)))
		since += far
		if far < enough || far > float64(max(p.w, p.h)) || math.IsNaN(far) {
			break
		}
	}
	if since > looksAnew*enough {
		p.correlate(pyr, m, w)
	}
	// Correlation hardly tells one place from another nearby where there are stripes; the samples do.
	if a := p.judge(m, w); a.seen > .7*best.seen &&
		(a.mean >= best.mean-.003 || a.mean >= best.mean-.03 && fit > least+.005) {
		best = a
	}
	best.spread, best.centre = spread, centre
	best.told, best.noise, best.fit = told, noise, fit
	return best
}

// gathered is what the samples tell of where a map should be.
type gathered struct {
	sums          slopes
	errs          residuals
	total, square float64 // weights, and weighted squares of what is off
	all, near     float64 // what is in the picture, and what of it is as it should be
}

// gather compares the samples with the picture under a map of the patch's samples; mean, contrast and agreement around
// them are those of the last look.
func (p *patch) gather(pyr pyramid, to geom.Map, within, scale float64, lenient bool, w *work) *gathered {
	part := &gathered{}
	c := geom.Pt(float64(p.w)/2, float64(p.h)/2)
	level := pyr.level(stepOf(to, c))
	g, f := pyr[level], 1/float64(int(1)<<level)
	way, inv := newWay(w.smear, f), 1/p.unit
	right, low := float64(pyr[0].W)-.5, float64(pyr[0].H)-.5
	for _, idx := range p.steep {
		i := int(idx)
		if w.inside[i] == 0 || w.only != nil && !w.only[i] {
			continue
		}
		x, y := float64(i%p.w)+.5, float64(i/p.w)+.5
		if w.off != nil {
			x, y = x+w.off[i].X, y+w.off[i].Y
		}
		d := 1 / (to[6]*x + to[7]*y + to[8])
		px, py := (to[0]*x+to[1]*y+to[2])*d, (to[3]*x+to[4]*y+to[5])*d
		if !(px > .5 && py > .5 && px < right && py < low && d > 0) {
			continue
		}
		tells := float64(p.tells[i] * p.tells[i])
		part.all += tells
		weight := min(max(float64((w.agree[i]-doubted)/(agrees-doubted)), 0), 1)
		if lenient {
			weight = .15 + .85*weight
		} else if weight *= weight; weight < 1e-3 {
			continue
		}
		weight *= tells
		// Mean and contrast are those of the last look, a sample away at most.
		r := float64((way.mean(g, px*f, py*f)-w.mean[i])*w.inv[i] - p.norm[i])
		part.errs.add(r, weight)
		part.near += tells * max(1-r*r/(within*within), 0)
		if lenient {
			weight *= kept(r)
		} else {
			weight *= believed(r, scale)
		}
		part.sums.add(weight, float64(p.gx[i])*p.unit, float64(p.gy[i])*p.unit, (x-c.X)*inv, (y-c.Y)*inv, r)
		part.total += weight
		part.square += weight * r * r
	}
	return part
}

// fromUnit takes the solver's coordinates, of which the patch's middle is 0 and its longer half side 1, to the
// reference.
func (p *patch) fromUnit() geom.Map {
	return p.to.Mul(geom.Map{p.unit, 0, float64(p.w) / 2, 0, p.unit, float64(p.h) / 2, 0, 0, 1})
}

// moved is the variance of a place, along an axis, when the numbers of a map that basis
// leaves free have a covariance.
func moved(q geom.Point, basis [][8]float64, cov *mat.SymDense) (v float64) {
	for _, all := range ways(q) {
		row := mat.NewVecDense(len(basis), nil)
		for b, way := range basis {
			for i, v := range all {
				row.SetVec(b, row.AtVec(b)+way[i]*v)
			}
		}
		v += mat.Inner(row, cov, row) / 2
	}
	return v
}

// ways returns how a place moves across and down with each of the eight numbers of
// a small map.
func ways(q geom.Point) [2][8]float64 {
	return [2][8]float64{
		{q.X, q.Y, 1, 0, 0, 0, -q.X * q.X, -q.X * q.Y},
		{0, 0, 0, q.X, q.Y, 1, -q.X * q.Y, -q.Y * q.Y},
	}
}

// prior is the form the surface is expected to have, wherever it lies: what is
// hidden or out of the picture cannot have changed much since the frame before.
type prior struct {
	m     geom.Map // reference to frame
	sigma float64  // standard deviation of a corner from it, px of the frame
}

// add puts the expected form into the normal equations, as four corners that were
// measured: the maximum a posteriori estimate. Where the surface is well seen its
// samples tell far more. to and from take the solver's coordinates to the frame and
// to the reference; noise is the samples' variance.
func (r *prior) add(p *patch, to, from geom.Map, noise float64, n *normal) {
	back, err := to.Inverse()
	if err != nil {
		return
	}
	x, y := float64(p.w)/2/p.unit, float64(p.h)/2/p.unit
	quad := [4]geom.Point{{X: -x, Y: -y}, {X: x, Y: -y}, {X: x, Y: y}, {X: -x, Y: y}}
	var off, mid geom.Point
	var offs [4]geom.Point
	want := back.Mul(r.m).Mul(from)
	for i, q := range quad {
		offs[i] = q.Sub(want.Apply(q))
		mid = mid.Add(offs[i].Mul(.25))
	}
	step := stepOf(to, geom.Point{}) // px of the frame to 1 of the solver
	weight := 9 * noise * step * step / (r.sigma * r.sigma)
	var j [4][2][8]float64
	var mean [2][8]float64
	for i, q := range quad {
		j[i] = ways(q)
		for axis := range 2 {
			for a, v := range j[i][axis] {
				mean[axis][a] += v / 4
			}
		}
	}
	for i := range quad {
		off = offs[i].Sub(mid)
		for axis, r := range [2]float64{off.X, off.Y} {
			row := j[i][axis]
			for a := range row {
				row[a] -= mean[axis][a] // form only, not place
			}
			n.add(weight, &row, r)
		}
	}
}

// stepOf is how far apart in the frame a map lays neighbouring samples around c.
func stepOf(to geom.Map, c geom.Point) float64 {
	o := to.Apply(c)
	return math.Sqrt(math.Abs(to.Apply(c.Add(geom.Pt(1, 0))).Sub(o).Cross(to.Apply(c.Add(geom.Pt(0, 1))).Sub(o))))
}

// solve finds the small map, made of the model's ways to move, that takes the
// residual away: the weighted normal equations, a little damped. It returns the
// eight numbers and the inverse of the normal matrix.
func solve(n normal, basis [][8]float64, total float64) (delta [8]float64, cov *mat.SymDense, ok bool) {
	k, ways := len(basis), free(basis)
	sym := reduced(n.h, ways)
	for a := range k {
		sym.SetSym(a, a, sym.At(a, a)*(1+1e-4)+1e-6*total)
	}
	var rhs, x mat.VecDense
	rhs.MulVec(ways.T(), mat.NewVecDense(8, n.rhs[:]))
	var chol mat.Cholesky
	if !chol.Factorize(sym) {
		return delta, nil, false
	}
	if err := chol.SolveVecTo(&x, &rhs); err != nil {
		return delta, nil, false
	}
	cov = mat.NewSymDense(k, nil)
	if err := chol.InverseTo(cov); err != nil {
		return delta, nil, false
	}
	for j, way := range basis {
		for a := range 8 {
			delta[a] += way[a] * x.AtVec(j)
		}
	}
	return delta, cov, true
}

// small is the map that eight numbers make near none at all.
func small(d [8]float64) geom.Map {
	return geom.Map{1 + d[0], d[1], d[2], d[3], 1 + d[4], d[5], d[6], d[7], 1}
}

// scaled returns the map with its last number 1, or -1: the picture's origin may lie beyond the horizon of a surface
// that lies before it.
func scaled(m geom.Map) geom.Map {
	k := math.Abs(m[8])
	if k == 0 {
		return m
	}
	for i := range m {
		m[i] /= k
	}
	return m
}

// scaleOf is how much larger the map shows the patch's middle.
func scaleOf(m geom.Map, p *patch) float64 {
	return stepOf(m, p.to.Apply(geom.Pt(float64(p.w)/2, float64(p.h)/2)))
}
