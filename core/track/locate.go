package track

import (
	"celator/core/geom"
)

// A Locator looks for a surface on any one frame, without regard to how it was followed
// there: what it finds speaks for or against a track. It is not for use by two
// goroutines at once.
type Locator struct {
	t     Planar
	speed geom.Point // of the surface on the reference frame, px a frame
}

// NewLocator keeps what a surface looks like on a frame: its outline there, in picture
// coordinates, and how it moves there, px a frame. The errors are those of NewPlanar.
func NewLocator(f Frame, outline []geom.Point, speed geom.Point) (*Locator, error) {
	ref, err := newReference(f, outline)
	if err != nil {
		return nil, err
	}
	return &Locator{t: Planar{ref: ref, model: Perspective}, speed: speed}, nil
}

// Bend says how the surface bends on the frames that are looked at from now on; nil where it does not.
func (l *Locator) Bend(b *geom.Bend) { l.t.w.bend = b }

// Sight is a surface as it was found on a frame. The numbers are about the places with
// texture.
type Sight struct {
	Map    geom.Map // reference coordinates to the frame's
	Inside float64  // share of them that lies in the picture
	Share  float64  // of those, the share whose surroundings look like the reference
	Firm   float64  // and closely so
	Mean   float64  // mean local correlation
	Spread float64  // standard deviation of the corners that noise explains, px
}

// Found reports whether the surface is there, at least in part.
func (s Sight) Found() bool { return s.Share >= lostBelow && s.Mean >= .4 && s.Inside > .12 }

// Sure reports whether its place is known to well under a pixel or so.
func (s Sight) Sure() bool {
	return s.Share >= goodAbove && s.Mean >= .6 && s.Inside >= .3 && s.Spread <= GoodWithin
}

// mostShutter is how long a shutter is taken to be open where frames are smeared.
const mostShutter = .5

// Near looks for the surface at each of some places and, where it is clearly at none of
// them, up to reach px around the first. speed is how it moves on this frame, px a
// frame: its picture is smeared by that.
func (l *Locator) Near(f Frame, guesses []geom.Map, speed geom.Point, reach float64) Sight {
	t := &l.t
	t.w.hidden = f.hidden
	var best alignment
	best.share = -1
	try := func(m geom.Map, searched bool) bool {
		still := []float64{0}
		if speed.Len() > 2 || l.speed.Len() > 2 {
			still = []float64{mostShutter, 0}
		}
		for _, shutter := range still {
			v := l.speed
			t.first = &v
			t.now, t.before = geom.Translate(speed.Mul(-1)).Mul(m), geom.Translate(speed.Mul(-2)).Mul(m)
			if a, ok := t.attempt(f.pyr, m, searched, shutter); ok && a.share*max(a.mean, 0) > best.share*max(best.mean, 0) {
				best = a
			}
			if best.share > goodAbove && best.mean > .75 {
				return true
			}
		}
		return best.share > .8 && best.mean > .65
	}
	done := false
	for _, g := range guesses {
		if done = done || try(g, false); done {
			break
		}
	}
	if !done && len(guesses) > 0 && reach > 0 {
		for _, m := range t.ref.coarsest().find(f.pyr, guesses[0], geom.Pt(reach, reach), 3) {
			if try(m, true) {
				break
			}
		}
	}
	return sight(best)
}

func sight(a alignment) Sight {
	return Sight{Map: a.m, Inside: a.seen, Share: max(a.share, 0), Firm: a.firm, Mean: max(a.mean, 0), Spread: a.spread}
}

// At says how a frame looks where the surface would be under a map.
func (l *Locator) At(f Frame, m geom.Map) Sight {
	t := &l.t
	if !t.plausible(m) {
		return Sight{Map: m}
	}
	t.w.hidden, t.w.smear = f.hidden, geom.Point{}
	finest := t.ref.levels[t.finest(m)]
	finest.correlate(f.pyr, m, &t.w)
	return sight(finest.judge(m, &t.w))
}

// halfSide is how many samples a surface has at least on its shorter side where it is looked at at half the size: fewer
// hold no letters.
const halfSide = 28

// Half is At by the picture at half the size, where noise that coding left here and not there drowns less: of a mark of
// few plain forms. ok is false where the surface is too small for that.
func (l *Locator) Half(f Frame, m geom.Map) (s Sight, ok bool) {
	t := &l.t
	const octave = 2 // levels
	at := t.finest(m) + octave
	if !t.plausible(m) || at >= len(t.ref.levels) {
		return s, false
	}
	p := t.ref.levels[at]
	if min(p.w, p.h) < halfSide {
		return s, false
	}
	t.w.hidden, t.w.smear = f.hidden, geom.Point{}
	p.correlate(f.pyr, m, &t.w)
	return sight(p.judge(m, &t.w)), true
}

// Grain is how large a sample of what the surface is compared by is on a frame, px: two
// places nearer to each other than that look much alike.
func (l *Locator) Grain(m geom.Map) float64 {
	finest := l.t.ref.levels[0]
	return max(scaleOf(m, finest)/finest.scale, 1)
}

// Reach is how far around a place a surface of this size is worth looking for, px.
func (l *Locator) Reach(m geom.Map) float64 { return nearReach(min(l.t.extent(m), 400)) }
