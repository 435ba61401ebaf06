package track

import (
	"cmp"
	"slices"

	"celator/core/geom"
)

const (
	nearTried = 2 // places that a search near where the surface should be gives, and
	farSeen   = 3 // one in the whole picture, which are looked at to the sample in the order in which they look from afar
)

// recover searches the whole picture for the surface, at the size and turn it was last seen and, in turn from frame to
// frame, at others.
func (t *Planar) recover(pyr pyramid, try func(geom.Map) bool) {
	mid := t.ref.quad[0].Lerp(t.ref.quad[2], .5)
	at := t.sure.Apply(mid)
	middle := geom.Pt(float64(pyr[0].W), float64(pyr[0].H)).Mul(.5)
	variants := [][2]float64{{1, 0}, {.8, 0}, {1.25, 0}, {1, 14}, {1, -14}, {.64, 0}, {1.5, 0}, {1, 30}, {1, -30}}
	t.turn = t.turn%(len(variants)-1) + 1
	for _, v := range [2][2]float64{variants[0], variants[t.turn]} {
		m := geom.Placement(at, geom.Point{}, v[1], v[0], v[0]).Mul(t.sure)
		// From the middle of the picture everything is in reach.
		m = geom.Translate(middle.Sub(m.Apply(mid))).Mul(m)
		if slices.ContainsFunc(t.promising(pyr, t.ref.coarsest().find(pyr, m, middle, farSeen)), try) {
			return
		}
	}
}

// promising are the places at which the surface looks most like the reference from afar, the best first.
func (t *Planar) promising(pyr pyramid, all []geom.Map) (out []geom.Map) {
	type seen struct {
		at   geom.Map
		mean float64
	}
	var found []seen
	first := &stages[0]
	for _, m := range all {
		if !t.plausible(m) {
			continue
		}
		p := t.ref.levels[min(t.finest(m)+first.up, len(t.ref.levels)-1)]
		t.w.smear = geom.Point{} // how it moves is not known where it was lost
		if a := p.align(pyr, m, nil, t.allowed(first.model), first.steps, first.near, first.lenient, &t.w); t.plausible(a.m) {
			found = append(found, seen{a.m, a.mean})
		}
	}
	slices.SortStableFunc(found, func(a, b seen) int { return cmp.Compare(b.mean, a.mean) })
	for _, f := range found {
		out = append(out, f.at)
	}
	return out
}
