package track

import (
	"math"
	"math/cmplx"

	"celator/core/geom"
)

// Points of one thing move together from a frame to the next, nearly as a similarity
// does. A point that found its like elsewhere does not: it is put where the others
// went. The motion is that of the pair of points that most others go along with
// (Fischler and Bolles, Random sample consensus, 1981, with every pair tried).

const (
	// along is how far, px, a point may go astray between two frames and still move
	// with the others, and alongShare of how far it is from them: tilting is no similarity.
	along      = 2
	alongShare = .04
	// mostChange is how far size and turn may change between two frames: .2 is 20 % or 11°.
	mostChange = .2
	// apartEnough is how far two points must lie apart to tell size and turn, px.
	apartEnough = 4
	// most pairs are those of so many points; more are not asked.
	mostVoters = 16
)

// agree takes the maps of the frame before and the poses of this one; those that moved
// otherwise than most are lost, and put where the others went.
func (t *Points) agree(was []geom.Map, now []Pose) {
	var who []int
	for i, p := range now {
		if p.State == Good || p.State == Weak {
			who = append(who, i)
		}
	}
	if len(who) < 3 {
		return // two cannot tell which of them errs
	}
	from, to := make([]geom.Point, len(who)), make([]geom.Point, len(who))
	for k, i := range who {
		from[k], to[k] = was[i].Apply(t.at[i]), now[i].Map.Apply(t.at[i])
	}
	in := together(from, to)
	if 2*len(in) <= len(who) || len(in) == len(who) {
		return
	}
	var a, b []geom.Point
	with := map[int]bool{}
	for _, k := range in {
		a, b, with[who[k]] = append(a, from[k]), append(b, to[k]), true
	}
	m := Fit(a, b, Similarity)
	for _, i := range who {
		if with[i] {
			continue
		}
		p := t.each[i]
		p.now = m.Mul(was[i])
		p.before, p.sure = p.now, p.now
		p.missed = max(p.missed, 1)
		now[i] = Pose{Map: p.now, State: Lost}
	}
}

// together returns which points moved along with most of them.
func together(from, to []geom.Point) (best []int) {
	if len(from) == 0 {
		return nil
	}
	c := func(p geom.Point) complex128 { return complex(p.X, p.Y) }
	step := max(len(from)/mostVoters, 1)
	least := math.Inf(1)
	for i := 0; i < len(from); i += step {
		for j := i + step; j < len(from); j += step {
			d := c(from[j]) - c(from[i])
			if cmplx.Abs(d) < apartEnough {
				continue
			}
			turn := (c(to[j]) - c(to[i])) / d
			if cmplx.Abs(turn-1) > mostChange {
				continue
			}
			var in []int
			change := cmplx.Abs(turn - 1)
			for k := range from {
				d := c(from[k]) - c(from[i])
				if cmplx.Abs(c(to[k])-c(to[i])-turn*d) <= along+alongShare*cmplx.Abs(d) {
					in = append(in, k)
				}
			}
			if len(in) > len(best) || len(in) == len(best) && change < least { // of three, any two agree
				best, least = in, change
			}
		}
	}
	return best
}

// fitsWithin is how well, px, the points found must lie on one motion to be sure of it
// where some are not found.
const fitsWithin = 1

// Together makes one pose of points of one thing: the motion of a model that those found
// fit best. points are in the coordinates that the poses begin from. It is good where
// all are, and also where some are lost but more are surely found than the motion needs,
// and these lie on it.
func Together(points []geom.Point, poses []Pose, model Model) Pose {
	var from, to []geom.Point
	sum, sure := 0., true
	for i, q := range points {
		if s := poses[i].State; s != Lost && s != Outside {
			from, to, sum = append(from, q), append(to, poses[i].Map.Apply(q)), sum+poses[i].Confidence
			sure = sure && s != Weak
		}
	}
	if len(from) == 0 {
		return poses[0]
	}
	out := Pose{Map: Fit(from, to, model), Confidence: sum / float64(len(points)), State: Weak}
	worst := 0.
	for i := range from {
		worst = max(worst, out.Map.Apply(from[i]).Sub(to[i]).Len())
	}
	needs := map[Model]int{Translation: 1, Similarity: 2, Affine: 3, Perspective: 4}[model]
	switch {
	case len(from) == len(points) && allAnchors(poses):
		out.State = Anchor
	case sure && (len(from) == len(points) || len(from) > needs && worst < fitsWithin),
		!sure && len(from) > needs+1 && worst < fitsWithin: // what they agree on is surer than each of them
		out.State = Good
	}
	return out
}

func allAnchors(poses []Pose) bool {
	for _, p := range poses {
		if p.State != Anchor {
			return false
		}
	}
	return true
}
