// Package track follows surfaces and points through pictures: which map takes
// the reference frame's coordinates to each other frame's, and how well that is
// known. It sees pictures one after another and does no I/O.
package track

import (
	"errors"
	"math"
	"slices"

	"gonum.org/v1/gonum/mat"

	"celator/core/geom"
)

// Planar follows one surface away from its reference frame, in one direction.
type Planar struct {
	ref        *reference
	model      Model
	now        geom.Map      // the last known pose
	before     geom.Map      // and the one before it
	sure       geom.Map      // the last good one
	rate       [4]geom.Point // px a frame that the corners move about the middle
	missed     int           // frames since it was known
	usual      float64       // share that agrees of late
	quiet      float64       // variance of the samples that count, where the surface is plainly seen; 0 where it never was
	plain      int           // frames on which it was plainly seen
	surely     int           // frames on which its samples told where it is
	crisp      float64       // share of what agrees whose samples are as they should be, where it is good
	smear      smear
	clean      map[*patch]*patch // the reference's patches without their moving rim
	cleanAt    float64           // the shutter they were made for
	grain      []noise           // by level: the least difference from the reference so far
	steps      int               // frames followed without a break since the reference
	first      *geom.Point       // motion of the reference frame itself, px a frame, once it is known
	turn       int               // which sizes and turns a search tries next
	point      bool              // only its middle counts
	sheet      *sheet            // of cloth, or nil
	bends      []float64         // px, of a plane where it was tried as cloth
	cov        *mat.SymDense     // of the last step
	left       bool              // something on the reference was left out, that had led the track astray
	suspicions suspicions
	w          work
}

// NewPlanar begins on the reference frame with the surface's outline there, in
// picture coordinates. One without texture is followed by its outline where that shows.
// The errors are ErrSmall, ErrFlat, ErrOutside, ErrCrossed.
func NewPlanar(f Frame, outline []geom.Point, model Model) (*Planar, error) {
	ref, err := newReference(f, outline)
	if ref != nil && model != Cloth { // whose outline bends
		ref.rim, ref.frame = newRim(f, outline, ref.grain), f
	}
	if err != nil && !(errors.Is(err, ErrFlat) && ref.rim.shows()) {
		return nil, err
	}
	return begun(ref, model), nil
}

func begun(ref *reference, model Model) *Planar {
	t := &Planar{ref: ref, model: model, now: geom.Identity, before: geom.Identity, sure: geom.Identity, usual: 1}
	if model == Cloth {
		t.sheet = newSheet(ref.quad[:])
		t.w.bend = geom.NewBend(t.sheet.box, clothCells)
	}
	return t
}

// Fork returns a tracker that begins anew on the same reference, for the other
// direction.
func (t *Planar) Fork() Tracker {
	n := begun(t.ref, t.model)
	n.point = t.point
	return n
}

const (
	roughFrom = 6. // times the usual variance of the samples, of a leap that is not believed
	strays    = 9. // times it, where a sample is no longer as it should be: three deviations
	// stillest is of what is usual at least: a frame that is coded otherwise than the one before errs by as much.
	stillest = leastScale * leastScale / strays
	// accustomed is how many frames tell what is usual: the first are more like the reference than any later one.
	accustomed = 4
	lostBelow  = .3  // share that must agree to count as found
	backAbove  = .45 // and to be found again after loss
	goodAbove  = .6
	GoodWithin = .8 // px that the noise may explain of where a point is
	// sureWithin is how far, px, the corners may be off by the samples' covariance. On photographs, of 488 frames
	// below it one was off by over 2 px, of 70 up to 1 px 17 %, all of them of a surface with stripes one way only.
	sureWithin = .7
)

// Resume goes on from a pose found earlier, as if it had just been found.
func (t *Planar) Resume(at geom.Warp) {
	t.now, t.before, t.sure = at.Map, at.Map, at.Map
	if t.sheet != nil && at.Bend != nil {
		t.w.bend = at.Bend
	}
}

// Rewind returns a tracker that goes back the way this one came, from a pose that it found; after is the one it found
// on the frame past that.
func (t *Planar) Rewind(from, after geom.Map) *Planar {
	n := *t
	n.now, n.before, n.sure, n.missed, n.rate, n.w = from, after, from, 0, [4]geom.Point{}, work{}
	n.w.bend = t.w.bend
	n.clean, n.steps, n.left, n.suspicions = nil, calibrates, false, suspicions{}
	return &n
}

// Step finds the surface on the next frame: one pose.
func (t *Planar) Step(f Frame) []Pose { return []Pose{t.step(f)} }

// Cov is the covariance of the corners of the box around the surface, x and y of one after the other, px², as the last
// step's samples alone told them; nil where the surface was not found.
func (t *Planar) Cov() *mat.SymDense { return t.cov }

// Box is the box around the surface on the reference frame, whose corners the covariances are of.
func (t *Planar) Box() [4]geom.Point { return t.ref.quad }

// Model is how the surface may move.
func (t *Planar) Model() Model { return t.model }

func (t *Planar) step(f Frame) Pose {
	pyr := f.pyr
	t.cov = nil
	t.w.hidden, t.w.within = f.hidden, math.Sqrt(strays*t.quiet)
	guess := t.predict()
	best := alignment{share: -1}
	searched := t.missed > 0
	try := func(m geom.Map) bool {
		shutter := t.smear.shutter()
		a, ok := t.attempt(pyr, m, searched, shutter)
		if shutter > 0 && t.missed == 0 && (!ok || a.fit < .9*t.crisp*a.share || t.jolts(a.m)) {
			// a jolt between frames smears nothing
			if b, sharp := t.attempt(pyr, m, searched, 0); sharp && (!ok || b.better(a)) {
				a, ok = b, true
				a.sharp = true
			}
		}
		if ok && t.far(a.m, guess) && (a.share < backAbove || a.mean < .5 || t.rough(a)) {
			return false // a leap needs more to be believed
		}
		if ok && a.better(best) {
			best = a
		}
		return best.share > .88*t.usual && best.share > goodAbove
	}
	done := try(guess)
	if t.steps < calibrates && t.missed == 0 && best.mean < clearly {
		m := guess
		if best.share >= 0 {
			m = best.m
		}
		if ref := t.calibrated(pyr, m); ref != nil {
			t.ref, t.clean, best = ref, nil, alignment{share: -1}
			done = try(guess)
		}
	}
	if !done && t.missed == 0 {
		done = try(t.now)
	}
	if !done {
		reach := nearReach(t.extent(guess))
		done = slices.ContainsFunc(t.ref.coarsest().find(pyr, guess, geom.Pt(reach, reach), nearTried), try)
	}
	need := lostBelow
	if t.missed > 0 {
		need = backAbove
	}
	if !done && (best.share < need || t.missed > 0) {
		searched = true
		t.recover(pyr, try)
	}
	// What is partly hidden is as it should be where it is seen, to its samples or, in a frame that was coded worse, to
	// what is around each place; a wrong place is so a little everywhere.
	if t.plain >= accustomed && max(best.fit/t.crisp, best.firm) < .6*best.share {
		best.share = 0
	}
	best = t.rimmed(f, guess, best)
	if best.rim > 0 || best.share >= need && best.seen > .12 {
		best = t.bent(pyr, t.slid(pyr, t.contest(f, guess, best)))
		if t.missed == 0 {
			if best.seen > .9 && best.share > .8 {
				t.learn(pyr, best.m)
			}
			t.begin(best.m)
		}
		return t.found(best)
	}
	t.missed++
	t.steps = 2
	p := Pose{Map: t.now, Bend: t.w.bend, State: Lost}
	if t.visible(pyr[0], t.now) < .1 {
		p.State = Outside
	}
	return p
}

// apart is how far the corners lie from where they are, by their covariance, in the mean.
func apart(cov *mat.SymDense) float64 { return math.Sqrt(mat.Trace(cov) / 4) }

func (t *Planar) found(a alignment) Pose {
	p := Pose{Map: a.m, Bend: t.w.bend, Confidence: min(max(a.mean, 0), 1) * min(1, .4+.6*a.share), State: Good}
	t.cov = a.cov
	vague := a.cov == nil || apart(a.cov) > sureWithin
	if t.point {
		vague = a.centre > GoodWithin
	}
	if t.sheet != nil {
		vague = vague || t.w.loose*scaleOf(a.m, t.ref.levels[0]) > sureSheet
	}
	plain := a.share >= goodAbove && a.mean >= .6 && a.seen >= .5 && a.rim == 0
	if !plain || vague {
		p.State = Weak
	}
	if plain && !t.rough(a) {
		t.accustom(a)
	}
	t.form(p)
	if t.missed > 0 {
		t.before = a.m
	} else {
		t.before = t.now
	}
	t.now, t.missed = a.m, 0
	if p.State == Good {
		t.sure = a.m
		t.surely++
	}
	t.usual += .25 * (a.share - t.usual)
	return p
}

// accustom takes how the surface looks where it is plainly seen for what is usual.
func (t *Planar) accustom(a alignment) {
	if t.plain++; t.plain == 1 {
		t.quiet, t.crisp = max(a.noise, stillest), a.fit/a.share
	}
	t.quiet += .25 * (max(a.noise, stillest) - t.quiet)
	t.crisp += .2 * (a.fit/a.share - t.crisp)
}

// predict moves the surface on as it moved last, and lets its form change as it has
// of late.
func (t *Planar) predict() geom.Map {
	if t.missed > 0 || t.now == t.before && t.rate == ([4]geom.Point{}) {
		return t.now
	}
	mid := t.ref.quad[0].Lerp(t.ref.quad[2], .5)
	d := t.now.Apply(mid).Sub(t.before.Apply(mid))
	var to [4]geom.Point
	for i, c := range t.corners(t.now) {
		to[i] = c.Add(d).Add(t.rate[i].Mul(.5))
	}
	m, err := geom.QuadToQuad(t.ref.quad, to)
	if err != nil || !t.plausible(m) {
		return t.now
	}
	return m
}

// form keeps how the corners move about the middle, from frame to frame. A weak
// pose says nothing new of it.
func (t *Planar) form(p Pose) {
	if t.missed > 0 {
		t.rate = [4]geom.Point{}
		return
	}
	d := t.motion(p.Map)
	was, now := t.corners(t.now), t.corners(p.Map)
	for i := range t.rate {
		v := now[i].Sub(was[i]).Sub(d)
		share := .4
		if p.State != Good {
			v, share = geom.Point{}, .2
		}
		t.rate[i] = t.rate[i].Lerp(v, share)
	}
}

// begin keeps the reference frame's own motion, which its first two steps tell.
func (t *Planar) begin(m geom.Map) {
	v := t.motion(m)
	switch t.steps {
	case 0:
		t.first = &v
	case 1:
		if more := v.Sub(*t.first); more.Len() < .3*t.first.Len() {
			w := t.first.Sub(more.Mul(.5))
			t.first, t.clean = &w, nil
		}
	}
	t.steps++
}

// motion is how far the surface's middle has moved since the last known pose.
func (t *Planar) motion(m geom.Map) geom.Point {
	mid := t.ref.quad[0].Lerp(t.ref.quad[2], .5)
	return m.Apply(mid).Sub(t.now.Apply(mid))
}

// far: the surface's middle lies elsewhere under a pose than was expected.
func (t *Planar) far(m, guess geom.Map) bool {
	mid := t.ref.quad[0].Lerp(t.ref.quad[2], .5)
	return m.Apply(mid).Sub(guess.Apply(mid)).Len() > 12+.1*t.extent(guess)
}

// rough: under a pose the surface looks far less like the reference than where it was surely found, though what is
// around each place correlates: stripes do so along their way.
func (t *Planar) rough(a alignment) bool { return t.quiet > 0 && a.noise > roughFrom*t.quiet }

// jolts: the surface moved otherwise than the frame before.
func (t *Planar) jolts(m geom.Map) bool {
	mid := t.ref.quad[0].Lerp(t.ref.quad[2], .5)
	v := t.motion(m)
	return v.Len() > 4 && v.Sub(t.now.Apply(mid).Sub(t.before.Apply(mid))).Len() > .5*v.Len()
}

// extent is the size of the surface under m, in frame pixels.
func (t *Planar) extent(m geom.Map) float64 {
	b := geom.Bounds(t.corners(m))
	return max(b.Max.X-b.Min.X, b.Max.Y-b.Min.Y)
}

func (t *Planar) corners(m geom.Map) []geom.Point {
	q := make([]geom.Point, 4)
	for i, c := range t.ref.quad {
		q[i] = m.Apply(c)
	}
	return q
}

// nearReach is how far around its place a surface of a size is searched, px.
func nearReach(extent float64) float64 { return 24 + .35*extent }

// plausible: the box around the surface stays convex, is not mirrored, and has a
// size that can be followed.
func (t *Planar) plausible(m geom.Map) bool {
	q := t.corners(m)
	for i := range q {
		a, b, c := q[i], q[(i+1)%4], q[(i+2)%4]
		if !a.Finite() || !(b.Sub(a).Cross(c.Sub(b)) > 0) {
			return false
		}
		if m[6]*t.ref.quad[i].X+m[7]*t.ref.quad[i].Y+m[8] <= 0 {
			return false
		}
	}
	area, was := geom.Area(q), geom.Area(t.ref.quad[:])
	return area > 40 && area > .02*was && area < 40*was
}

// visible is the share of the surface under m that lies in the picture.
func (t *Planar) visible(g *Gray, m geom.Map) float64 {
	p := t.ref.coarsest()
	in := 0
	for _, i := range p.points {
		q := m.Apply(p.to.Apply(geom.Pt(float64(int(i)%p.w)+.5, float64(int(i)/p.w)+.5)))
		if q.X > 0 && q.Y > 0 && q.X < float64(g.W) && q.Y < float64(g.H) {
			in++
		}
	}
	return float64(in) / float64(max(len(p.points), 1))
}

// stages are how a map is improved, from coarse to fine: how many levels above the
// finest, steps at most, the closest model, how near is near enough, and the mean
// correlation below which nothing is there.
var stages = []struct {
	up, steps int
	model     Model
	near      float64
	lenient   bool
	least     float64 // after a search, where most candidates are wrong, twice that
}{
	{5, 10, Similarity, .05, true, .15},
	{3, 8, Affine, .03, true, .2},
	{1, 10, Perspective, .02, false, .2},
	{0, 10, Perspective, .004, false, 0},
}

// attempt aligns from coarse to fine, beginning at m.
// The reference is smeared by its motion since the last frame, over the share
// shutter of it.
func (t *Planar) attempt(pyr pyramid, m geom.Map, searched bool, shutter float64) (alignment, bool) {
	if !t.plausible(m) {
		return alignment{}, false
	}
	levels, fine := t.ref.levels, t.finest(m)
	a := alignment{m: m}
	var expected *prior
	if !searched {
		expected = &prior{m: m, sigma: 1.5 + .01*t.extent(m)}
	}
	var p *patch
	for _, s := range stages {
		model := t.allowed(s.model)
		p, t.w.smear = t.alike(levels[min(fine+s.up, len(levels)-1)], a.m, shutter)
		a = p.align(pyr, a.m, expected, model, s.steps, s.near, s.lenient, &t.w)
		if !t.plausible(a.m) || a.mean < s.least || searched && a.mean < 2*s.least {
			return a, false
		}
	}
	t.weighed(&a, p)
	return a, true
}

// weighed keeps what the samples of a patch tell of a place that was just found with it.
func (t *Planar) weighed(a *alignment, p *patch) {
	a.by, a.info = p, p.information(*a, t.model, &t.w)
	a.cov = p.corners(a.m, a.info, t.model)
}

// slid searches on from a found place along the ways in which its corners are hardly known.
func (t *Planar) slid(pyr pyramid, a alignment) alignment {
	if a.spread < slidesFrom {
		return a
	}
	shutter := t.smear.shutter()
	if a.sharp {
		shutter = 0
	}
	levels, fine := t.ref.levels, t.finest(a.m)
	coarse := min(fine+2, len(levels)-1) // is looked at in a quarter of the time
	for coarse > fine && min(levels[coarse].w, levels[coarse].h) < slideSide {
		coarse--
	}
	if min(levels[coarse].w, levels[coarse].h) < slideSide {
		return a // local agreement tells less there than the slopes do
	}
	p, smear := t.alike(levels[coarse], a.m, shutter)
	t.w.smear = smear
	m := p.slide(pyr, a.m, a.cov, t.ref.quad, t.model, &t.w)
	if m == a.m || !t.plausible(m) {
		return a
	}
	p, t.w.smear = t.alike(levels[fine], m, shutter)
	if b := p.align(pyr, m, nil, t.model, 3, .004, false, &t.w); t.plausible(b.m) && b.better(a) {
		t.weighed(&b, p)
		return b
	}
	return a
}

// finest is the finest of the reference's levels that a frame can be compared with in which it lies under m.
func (t *Planar) finest(m geom.Map) int {
	levels := t.ref.levels
	now, fine := scaleOf(m, levels[0]), 0
	for fine < len(levels)-1 && levels[fine].scale > 1.15*now {
		fine++
	}
	return fine
}

// allowed is a model, or what may move where that is less.
func (t *Planar) allowed(m Model) Model {
	if len(t.model.basis()) < len(m.basis()) {
		return t.model
	}
	return m
}
