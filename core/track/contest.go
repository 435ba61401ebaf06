package track

import (
	"math"
	"slices"

	"celator/core/geom"
)

// Something that stands in front on the reference frame is taken for the surface. Where it tells more than the surface
// around it, it is followed in its stead, and no sample says so: only the outline is the surface's alone. Of two
// motions (Black and Anandan, "The robust estimation of multiple motions", CVIU 63(1), 1996) that is the surface's by
// which more of the outline lies where it shows.

const (
	doubtedFrom  = .9  // share of the samples that agree, up to which the outline is asked
	askedEvery   = 2   // of such frames one is asked
	loosely      = .3  // local correlation, above which a sample may agree with a place between that of two motions
	outlineHeld  = .7  // share of the outline that lies where they say, up to which another motion is looked for
	fewestOther  = .1  // of the samples, by which it is found
	outlineMore  = .2  // of the outline, that must lie better by it
	leastStrange = .03 // of the samples: fewer lead nothing astray
)

// contest looks for another motion than the one found, by the samples that do not go along. Where more of the outline
// goes with them they are the surface's, and what does not is left out from now on.
func (t *Planar) contest(f Frame, guess geom.Map, a alignment) alignment {
	if t.ref.rim == nil || t.point || t.sheet != nil || a.share < lostBelow || a.share > doubtedFrom {
		return a
	}
	s := &t.suspicions
	if s.doubtful++; s.doubtful%askedEvery != 0 {
		return a
	}
	shown := t.outlined(f, a.m)
	if shown < outlineHeld {
		for _, b := range t.others(f, guess, a) {
			if v := t.outlined(f, b.m); v > shown+outlineMore && t.leave(f, a, b) {
				a, shown = b, v
				break
			}
		}
	}
	t.suspect(f, a, shown)
	return a
}

// others are the places that the samples have which do not agree where the surface was found.
func (t *Planar) others(f Frame, guess geom.Map, a alignment) (out []alignment) {
	rest, n := t.rest(f, a)
	if n < fewestOther {
		return nil
	}
	from := []geom.Map{t.now, guess}
	q := *t.ref.coarsest()
	in := rest.among(&q)
	q.points = slices.DeleteFunc(slices.Clone(q.points), func(i int32) bool { return !in[i] })
	if len(q.points) > 0 {
		reach := nearReach(t.extent(a.m))
		from = append(from, q.find(f.pyr, a.m, geom.Pt(reach, reach), nearTried)...)
	}
	for _, m := range from {
		if b := t.other(f, m, rest); b.share >= lostBelow {
			out = append(out, b)
		}
	}
	return out
}

// chosen are some samples of a patch.
type chosen struct {
	of *patch
	in []bool
}

// among are those samples of another patch that lie where they do.
func (c chosen) among(p *patch) []bool {
	out := make([]bool, len(p.mask))
	for _, i := range p.points {
		out[i] = c.in[p.like(int(i), c.of)]
	}
	return out
}

// rest are the samples that do not agree where the surface was found, and their share.
func (t *Planar) rest(f Frame, a alignment) (rest chosen, share float64) {
	p := t.ref.levels[t.finest(a.m)]
	rest = chosen{p, p.sees(f, a.m, agrees, &t.w)}
	n := 0
	for i, agrees := range rest.in {
		if rest.in[i] = !agrees && p.weight[i] > 0 && t.w.inside[i] > 0; rest.in[i] {
			n++
		}
	}
	return rest, float64(n) / float64(max(len(p.points), 1))
}

// other finds where only those samples would have the surface, beginning at a place.
func (t *Planar) other(f Frame, from geom.Map, rest chosen) alignment {
	b := alignment{m: from, share: -1}
	if !t.plausible(from) {
		return b
	}
	w, fine := &t.w, t.finest(from)
	p := t.ref.levels[fine]
	for _, s := range stages[1:] {
		q := t.ref.levels[min(fine+s.up, len(t.ref.levels)-1)]
		w.only = rest.among(q)
		b = q.align(f.pyr, b.m, nil, t.allowed(s.model), s.steps, s.near, s.lenient, w)
		w.only = nil
		if !t.plausible(b.m) {
			return alignment{share: -1}
		}
	}
	if b = p.align(f.pyr, b.m, nil, t.model, 3, .004, false, w); !t.plausible(b.m) {
		return alignment{share: -1}
	}
	t.weighed(&b, p)
	return b
}

// sees tells which samples agree by more than from under a map.
func (p *patch) sees(f Frame, m geom.Map, from float32, w *work) []bool {
	w.smear = geom.Point{}
	p.correlate(f.pyr, m, w)
	out := make([]bool, len(p.mask))
	for _, i := range p.points {
		out[i] = w.agree[i] > from
	}
	return out
}

// leave leaves out of the reference what agrees where the surface is not and does not where it is. It reports whether
// that is worth it, and something is left.
func (t *Planar) leave(f Frame, not, is alignment) bool {
	p := t.ref.levels[t.finest(is.m)]
	there, here := p.sees(f, not.m, loosely, &t.w), p.sees(f, is.m, agrees, &t.w)
	strange, known := make([]float32, len(p.mask)), make([]float32, len(p.mask))
	n, all := 0., 0.
	for _, i := range p.points {
		if p.weight[i] > 0 && t.w.inside[i] > 0 {
			known[i] = 1
			all++
			if there[i] && !here[i] {
				strange[i] = 1
				n++
			}
		}
	}
	if n < leastStrange*all {
		return false
	}
	frame := t.ref.frame
	frame.hidden = p.marked(known, strange, frame)
	ref, err := newReference(frame, t.ref.outline)
	if err != nil {
		return false
	}
	ref.rim, ref.frame = t.ref.rim, frame
	t.ref, t.clean, t.left = ref, nil, true
	t.now, t.before, t.sure, t.rate = is.m, is.m, is.m, [4]geom.Point{}
	return true
}

// outlined is the share of the outline's places in sight whose edge lies where a map says.
func (t *Planar) outlined(f Frame, m geom.Map) float64 {
	look := rimLooks[len(rimLooks)-1]
	lines := t.ref.rim.lines(f, m, look.reach, t.speed(m).Mul(t.smear.shutter()))
	if lines == nil {
		return 0
	}
	n := 0
	for i := range lines {
		if lines[i].covered {
			continue
		}
		if s, _, ok := lines[i].near(0, look.near[0], true); ok && math.Abs(s) < rimGood {
			n++
		}
	}
	return float64(n) / float64(len(lines))
}
