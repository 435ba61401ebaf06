package track

import (
	"math"
	"slices"

	"celator/core/geom"
)

// A jersey, a flag or a banner bends. It is followed as a plane, seen through the bend of the frame before; what is
// then left between the reference and the frame is taken away by bending on: the controls of a spline that displaces
// the surface's places are found by Gauss-Newton steps over the same samples, with what is expected of a sheet beside
// them (direct non-rigid registration: Bartoli and Zisserman, "Direct estimation of non-rigid registrations", BMVC
// 2004, with the spline of Rueckert et al., "Nonrigid registration using free-form deformations", IEEE TMI 18(8),
// 1999).

// flexing are the looks by which a frame's bend is found: how many levels above the finest, steps at most, and whether
// what disagrees counts a little.
var flexing = []flexes{{4, 2, true}, {2, 3, true}, {0, 3, false}}

// trying are those by which a plane is tried as cloth: at half the size, where a look takes a quarter of the time.
var trying = []flexes{{4, 2, true}, {2, 3, true}, {2, 2, false}}

type flexes struct {
	up, steps int
	lenient   bool
}

// sureSheet is how far, px, the places of a sheet may be off by the covariance of its bend to be surely found. On
// sheets from photographs it is under .55 where they were right; on stripes and where much is plain it is .58 and more,
// and a third of them were not.
const sureSheet = .55

// bent bends cloth on, so that it looks more like the frame under the place that was found. A plane is tried as cloth
// now and then.
func (t *Planar) bent(pyr pyramid, a alignment) alignment {
	if t.sheet == nil {
		t.tries(pyr, a)
		return a
	}
	was := t.w.bend
	shutter := t.smear.shutter()
	if a.sharp {
		shutter = 0
	}
	p := t.look(pyr, a.m, t.sheet, shutter, flexing)
	b := p.align(pyr, a.m, nil, t.model, 3, .004, false, &t.w)
	if !t.plausible(b.m) || !b.better(a) {
		t.w.bend = was
		return a
	}
	t.weighed(&b, p)
	b.sharp = a.sharp
	return b
}

// look bends on what is seen under a place, from coarse to fine, and returns the patch it was compared with at last.
func (t *Planar) look(pyr pyramid, m geom.Map, s *sheet, shutter float64, looks []flexes) (p *patch) {
	levels, fine := t.ref.levels, t.finest(m)
	was := t.w.bend
	for _, f := range looks {
		p, t.w.smear = t.alike(levels[min(fine+f.up, len(levels)-1)], m, shutter)
		for range f.steps {
			t.w.bend = p.flex(pyr, m, was, f.lenient, s, &t.w)
		}
	}
	return p
}

// anchorLooks is how often all looks are taken at a frame of which no bend is known.
const anchorLooks = 3

// BendAt returns how the surface bends on a frame on which its place is given: of cloth.
func (t *Planar) BendAt(f Frame, m geom.Map) *geom.Bend {
	t.w.hidden = f.hidden
	bend, _ := t.bendFrom(f.pyr, m, t.sheet, flexing, anchorLooks)
	return bend
}

// bendFrom finds, without one that is known, the bend of a surface under a place, and by how much more of it correlates
// with it.
func (t *Planar) bendFrom(pyr pyramid, m geom.Map, s *sheet, by []flexes, looks int) (bend *geom.Bend, better float64) {
	was, smear, flat := t.w.bend, t.w.smear, geom.NewBend(s.box, clothCells)
	defer func() { t.w.bend, t.w.smear = was, smear }()
	t.w.bend, t.w.smear = flat, geom.Point{}
	before := t.seenAs(pyr, m)
	for range looks {
		t.look(pyr, m, s, 0, by)
	}
	if better = t.seenAs(pyr, m) - before; better < 0 {
		return flat, 0
	}
	return t.w.bend, better
}

// seenAs is the mean correlation under a place and the bend that is thought of.
func (t *Planar) seenAs(pyr pyramid, m geom.Map) float64 {
	p := t.ref.levels[t.finest(m)]
	p.correlate(pyr, m, &t.w)
	return p.judge(m, &t.w).mean
}

// BendsFrom is how far, px, a surface must seem to bend to be followed as cloth. Of trials from photographs the six
// sheets seem to bend by 2.0 to 3.1 px, of 24 stiff ones none by as much.
const BendsFrom = 1.8

const (
	fewestTries = 2    // frames that tell whether it bends
	bendsEvery  = 6    // frames, at which a plane that is seen whole is tried as cloth: it takes as long as to follow it
	bendsFirst  = 18   // frames, after which it is tried more seldom:
	bendsLater  = 24   // at every such one
	bendsAll    = .9   // of the surface, that must agree as cloth for the frame to tell; or
	bendsMore   = .2   // as much more than as a plane
	bendsTells  = .005 // of the mean correlation, that must be gained for a bend to be one
)

// tries looks whether a surface that is followed as a plane would be followed better as cloth.
func (t *Planar) tries(pyr pyramid, a alignment) {
	every := bendsEvery
	if t.steps > bendsFirst {
		every = bendsLater
	}
	if t.model != Perspective || t.point || t.steps == 0 || t.steps%every != 0 || a.seen < .98 {
		return
	}
	bend, better := t.bendFrom(pyr, a.m, newSheet(t.ref.quad[:]), trying, 1)
	p, far := t.ref.levels[t.finest(a.m)], 0.
	if share := p.judge(a.m, &t.w).share; share < bendsAll && share < a.share+bendsMore { // something passes
		return
	}
	if better > bendsTells {
		n := 0.
		for _, i := range p.steep {
			d := bend.At(p.to.Apply(geom.Pt(float64(int(i)%p.w)+.5, float64(int(i)/p.w)+.5)))
			far, n = far+d.Dot(d), n+1
		}
		far = math.Sqrt(far/n) * scaleOf(a.m, p)
	}
	t.bends = append(t.bends, far)
}

// Bends is by how much a surface that was followed as a plane seems to bend, px of the picture: the root mean square
// over its texture, in the median of the frames on which that was tried; 0 where it was hardly tried.
func (t *Planar) Bends() float64 {
	if len(t.bends) < fewestTries {
		return 0
	}
	all := slices.Sorted(slices.Values(t.bends))
	return all[(len(all)-1)/2]
}
