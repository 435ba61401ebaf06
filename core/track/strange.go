package track

import (
	"slices"

	"celator/core/filter"
	"celator/core/geom"
)

// What led a track astray on the reference is told at the end also where no frame shows two motions at once: samples
// that agreed while the outline lay elsewhere, and disagree since it lies where the others say.

const (
	mostAsked = 200 // doubtful frames kept at most; then every second of them is, and so on
	// Of the most of the outline that lies where it should on any frame: as much does where samples and outline are of
	// one mind; so little where the samples are astray.
	ofOneMind, ofAnother = .85, .7
	leastOutline         = .5 // of the outline, that lies where it should on some of them
	fewestAsked          = 3  // frames of either kind, for anything to be said of a sample
	oftenStrange         = .8 // of those of one mind, on which what is strange disagrees
	oftenLed             = .3 // of the others, on which it agrees
	mostStrange          = .6 // share of the samples: of more nobody knows what the surface is
	strangeReach         = 2  // samples around one, by which it is decided
)

// asked is a doubtful frame: the share of the outline that lies where the samples say, and by sample of the finest
// patch, whether it is in sight and agrees.
type asked struct {
	outline    float64
	in, agreed []bool
}

// suspicions are the doubtful frames so far.
type suspicions struct {
	doubtful, every int // such frames, of which one is kept
	frames          []asked
}

// suspect keeps a doubtful frame.
func (t *Planar) suspect(f Frame, a alignment, outline float64) {
	s := &t.suspicions
	s.every = max(s.every, askedEvery)
	if s.doubtful%s.every != 0 {
		return
	}
	p, finest := t.ref.levels[t.finest(a.m)], t.ref.levels[0]
	now := asked{outline, make([]bool, len(finest.mask)), make([]bool, len(finest.mask))}
	agreed := p.sees(f, a.m, agrees, &t.w)
	for _, i := range finest.points {
		k := finest.like(int(i), p)
		now.in[i] = finest.weight[i] > 0 && p.mask[k] > 0 && t.w.inside[k] > 0
		now.agreed[i] = agreed[k]
	}
	if s.frames = append(s.frames, now); len(s.frames) > mostAsked {
		for i := range len(s.frames) / 2 {
			s.frames[i] = s.frames[2*i]
		}
		s.frames = s.frames[:len(s.frames)/2]
		s.every *= 2
	}
}

// like is the sample of another patch at the place of sample i.
func (p *patch) like(i int, q *patch) int { return i/p.w*q.h/p.h*q.w + i%p.w*q.w/p.w }

// told are the samples that enough is known of, and those of them that are not the surface's: 1 each. There are none
// where nothing was astray.
func (s *suspicions) told() (known, strange []float32) {
	var seen []float64
	for _, f := range s.frames {
		seen = append(seen, f.outline)
	}
	if len(seen) == 0 {
		return nil, nil
	}
	slices.Sort(seen)
	most := seen[len(seen)*9/10]
	if most < leastOutline {
		return nil, nil
	}
	n := len(s.frames[0].in)
	known, strange = make([]float32, n), make([]float32, n)
	all, not := 0., 0.
	for i := range n {
		var minded, off, led, with float64
		for _, f := range s.frames {
			switch {
			case !f.in[i]:
			case f.outline >= ofOneMind*most:
				minded++
				if !f.agreed[i] {
					off++
				}
			case f.outline <= ofAnother*most:
				led++
				if f.agreed[i] {
					with++
				}
			}
		}
		if minded < fewestAsked {
			continue
		}
		known[i] = 1
		all++
		if led >= fewestAsked && off >= oftenStrange*minded && with >= oftenLed*led {
			strange[i] = 1
			not++
		}
	}
	if not < leastStrange*all || not > mostStrange*all {
		return nil, nil
	}
	return known, strange
}

// marked is where on the reference the strange ones are most of the known samples around: 1, elsewhere 0; and what was
// hidden there before.
func (p *patch) marked(known, strange []float32, ref Frame) *Gray {
	g := NewGray(ref.pyr[0].W, ref.pyr[0].H)
	if ref.hidden != nil {
		copy(g.Pix, ref.hidden.Pix)
	}
	back, err := p.to.Inverse()
	if err != nil || known == nil {
		return g
	}
	for _, v := range [][]float32{known, strange} {
		filter.BoxAcross(v, p.w, p.h, strangeReach)
		filter.BoxDown(v, p.w, p.h, strangeReach)
	}
	for y := range g.H {
		for x := range g.W {
			q := back.Apply(geom.Pt(float64(x)+.5, float64(y)+.5))
			if q.X < 0 || q.Y < 0 || q.X >= float64(p.w) || q.Y >= float64(p.h) {
				continue
			}
			if i := int(q.Y)*p.w + int(q.X); strange[i] > known[i]/2 {
				g.Pix[y*g.W+x] = 1
			}
		}
	}
	return g
}

// Astray reports whether something that stood in front on the reference frame led the surface's track astray, as far as
// the frames tell that were followed.
func (t *Planar) Astray() bool {
	_, strange := t.suspicions.told()
	return t.left || strange != nil
}

// Without returns the reference frame, given anew, without what led the surface's track astray.
func (t *Planar) Without(ref Frame) Frame {
	known, strange := t.suspicions.told()
	g := t.ref.levels[0].marked(known, strange, t.ref.frame)
	if ref.hidden != nil {
		for i, v := range ref.hidden.Pix {
			g.Pix[i] = max(g.Pix[i], v)
		}
	}
	ref.hidden = g
	return ref
}
