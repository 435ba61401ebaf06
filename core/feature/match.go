package feature

import (
	"cmp"
	"math"
	"slices"

	"gonum.org/v1/gonum/blas"
	"gonum.org/v1/gonum/blas/blas32"

	"celator/core/geom"
	"celator/core/track"
)

const (
	// alike is how much two descriptions must agree (the product of two unit vectors) to be of one place.
	alike = .85
	// perPlace is to how many features a place of the surface may be likened: letters come more than once.
	perPlace = 2
	// mostGuesses of where the surface may be are compared with the picture, those that most of its features speak for,
	// at least leastVotes of them; mostHere of them about one place.
	mostGuesses, leastVotes, mostHere = 6, 3, 2
	// strays is how far, of the surface's size there, a feature may lie from where a guess has it, and of a better
	// guess; no less than straysLeast px.
	strays, straysLeast = .1, 3.
	// sized and turned are by how much it may be of another size (octaves) and turn: a guess from one place is rough.
	sized, turned = .7, .6
)

// match is a place of the surface that looks like a feature of a picture.
type match struct {
	place   int
	feature int
	alike   float64
	guess   geom.Map // where the surface then is
}

// matches are the places that look alike, the most alike first.
func (m *Mark) matches(p *Picture) (out []match) {
	rows, cols := len(m.places), len(p.features)
	if rows == 0 || cols == 0 {
		return nil
	}
	all := make([]float32, rows*cols)
	blas32.Gemm(blas.NoTrans, blas.Trans, 1,
		blas32.General{Rows: rows, Cols: descriptor, Stride: descriptor, Data: m.desc},
		blas32.General{Rows: cols, Cols: descriptor, Stride: descriptor, Data: p.desc},
		0, blas32.General{Rows: rows, Cols: cols, Stride: cols, Data: all})
	for i := range rows {
		var best [perPlace]match
		for j, v := range all[i*cols : (i+1)*cols] {
			n := match{place: i, feature: j, alike: float64(v)}
			for k := range best {
				if n.alike > best[k].alike {
					n, best[k] = best[k], n
				}
			}
		}
		for _, b := range best {
			if b.alike >= alike {
				b.guess = m.guess(b, p)
				out = append(out, b)
			}
		}
	}
	slices.SortStableFunc(out, func(a, b match) int { return cmp.Compare(b.alike, a.alike) })
	return out
}

// guess is where the surface is if a place of it is a feature: its view moved, turned and sized onto that.
func (m *Mark) guess(n match, p *Picture) geom.Map {
	a, f := m.places[n.place], p.features[n.feature]
	k := f.Size / a.size
	return geom.Placement(a.feature, f.P.Sub(a.feature), (f.Turn-a.turn)*180/math.Pi, k, k).Mul(a.view)
}

// guesses are where a surface may be, by how many of its places speak for it.
func (m *Mark) guesses(p *Picture) []geom.Map {
	all := m.matches(p)
	type scored struct {
		at    geom.Map
		votes float64
	}
	var found []scored
	for _, n := range all[:min(len(all), mostTried)] {
		if !m.fits(n.guess) {
			continue
		}
		if of := m.speaking(n.guess, all, p, strays); len(of) >= leastVotes {
			found = append(found, scored{n.guess, weight(of)})
		}
	}
	byVotes := func(a, b scored) int { return cmp.Compare(b.votes, a.votes) }
	slices.SortStableFunc(found, byVotes)
	var begun []geom.Map
	var settled []scored
	for _, s := range found {
		if len(begun) == mostSettled || m.crowded(begun, s.at, mostBegun) {
			continue
		}
		begun = append(begun, s.at)
		at, of := m.settled(s.at, all, p)
		if len(of) >= leastVotes && m.fits(at) {
			settled = append(settled, scored{at, weight(of)})
		}
	}
	slices.SortStableFunc(settled, byVotes)
	var out []geom.Map
	for _, s := range settled {
		known := slices.ContainsFunc(out, func(o geom.Map) bool { return m.near(o, s.at) })
		if len(out) < mostGuesses && !known && !m.crowded(out, s.at, mostHere) {
			out = append(out, m.ahead(s.at))
		}
	}
	return out
}

// crowded reports whether so many guesses are of about the place of another.
func (m *Mark) crowded(all []geom.Map, at geom.Map, most int) bool {
	n := 0
	for _, o := range all {
		if m.beside(o, at) {
			n++
		}
	}
	return n >= most
}

// weight is how much matches say: those of what is there agree more closely than those of what only looks like it.
func weight(of []match) (sum float64) {
	for _, n := range of {
		sum += (n.alike - alike) * (n.alike - alike)
	}
	return sum
}

// ahead is a map scaled so that the surface lies before its horizon.
func (m *Mark) ahead(at geom.Map) geom.Map {
	c := m.quad.Centre()
	w := at[6]*c.X + at[7]*c.Y + at[8]
	for i := range at {
		at[i] /= w
	}
	return at
}

// mostTried are the matches, the most alike, of which each is a guess; mostSettled of these are made better,
// mostBegun of them about one place.
const mostTried, mostSettled, mostBegun = 300, 24, 4

// speaking are the matches that say about the same as a guess, one for each feature and each place.
func (m *Mark) speaking(at geom.Map, all []match, p *Picture, strays float64) (out []match) {
	q := m.quad.Under(at)
	far := max(strays*math.Sqrt(math.Abs(geom.Area(q[:]))), straysLeast)
	said := map[int]bool{}
	var where []geom.Point
	for _, n := range all {
		f := p.features[n.feature]
		d := at.Apply(m.places[n.place].p).Sub(f.P)
		if said[n.feature] || d.Len() > far || !m.agree(at, n.guess) {
			continue
		}
		if slices.ContainsFunc(where, func(o geom.Point) bool { return o.Sub(f.P).Len() < 1 }) {
			continue
		}
		said[n.feature] = true
		where = append(where, f.P)
		out = append(out, n)
	}
	return out
}

// agree reports whether two guesses size and turn the surface about alike.
func (m *Mark) agree(a, b geom.Map) bool {
	s, t := m.quad.Under(a), m.quad.Under(b)
	if math.Abs(math.Log2(math.Abs(geom.Area(s[:])/geom.Area(t[:]))))/2 > sized {
		return false
	}
	u, v := s[1].Add(s[2]).Sub(s[0]).Sub(s[3]), t[1].Add(t[2]).Sub(t[0]).Sub(t[3])
	return math.Abs(math.Atan2(u.Cross(v), u.Dot(v))) <= turned
}

// settled is a guess made better by all that speak for it, ever more strictly, and those that do in the end.
func (m *Mark) settled(at geom.Map, all []match, p *Picture) (_ geom.Map, of []match) {
	for _, far := range settling {
		of = m.speaking(at, all, p, far)
		if len(of) < leastVotes {
			return at, of
		}
		var from, to []geom.Point
		for _, n := range of {
			from, to = append(from, at.Apply(m.places[n.place].p)), append(to, p.features[n.feature].P)
		}
		model := track.Similarity
		switch {
		case len(of) >= forPerspective:
			model = track.Perspective
		case len(of) >= forAffine:
			model = track.Affine
		}
		next := track.Fit(from, to, model).Mul(at)
		if !m.fits(next) {
			return at, of
		}
		at = next
	}
	return at, of
}

// settling are the strays with which a guess is made better, one after the other.
var settling = []float64{.1, .07, .05, .035, .025, .025}

// forAffine and forPerspective are how many places it takes to know more of how a surface is turned.
const forAffine, forPerspective = 5, 14

// fits reports whether a surface can be so: neither mirrored nor far too small or large.
func (m *Mark) fits(at geom.Map) bool {
	q := m.quad.Under(at)
	for _, c := range q {
		if !c.Finite() {
			return false
		}
	}
	k := geom.Area(q[:]) / geom.Area(m.quad[:])
	return k > 1./36 && k < 36
}

// near reports whether two guesses are of about one place.
func (m *Mark) near(a, b geom.Map) bool {
	s, t := m.quad.Under(a), m.quad.Under(b)
	far := .15 * math.Sqrt(math.Abs(geom.Area(s[:])))
	for i := range s {
		if s[i].Sub(t[i]).Len() > far {
			return false
		}
	}
	return true
}

// beside reports whether two guesses share most of their places.
func (m *Mark) beside(a, b geom.Map) bool {
	s, t := m.quad.Under(a).Bounds(), m.quad.Under(b).Bounds()
	return s.Common(t) > .5*min(s.Area(), t.Area())
}

// What a look at a guess must say to be believed. A plate is like another in all but its letters: of those that were
// right in trials at least firmly agreed closely, of those that were wrong no more than .37. Where a part is hidden,
// what agrees does so closely nearly everywhere, and tells to half a pixel where it lies: two words with letters in
// common agree in part as well, but more loosely (.8 px). What lies as it should all over may lie a little off: few
// slopes tell where. A mark of few plain forms is mostly noise to the sample, and as it should be at half the size.
const (
	mostShare, firmly   = .85, .42
	mostWithin          = 1.5 // px, of the corners as noise explains them
	partShare, partFirm = .4, .75
	partWithin          = .5
	allShare, allFirm   = .8, .7
	allWithin           = 2.5
	leastInside         = .3
)

// believed compares the surface with the picture at a guess, to the sample.
func (m *Mark) believed(p *Picture, at geom.Map) (Sight, bool) {
	s := m.look.Near(p.frame, []geom.Map{at}, geom.Point{}, 0)
	ok := s.Share >= mostShare && s.Firm >= firmly && s.Spread <= mostWithin ||
		s.Share >= partShare && s.Firm >= partFirm*s.Share && s.Spread <= partWithin ||
		s.Share >= allShare && s.Firm >= allFirm && s.Spread <= allWithin
	if !ok && s.Spread <= track.GoodWithin {
		half, seen := m.look.Half(p.frame, s.Map)
		ok = seen && half.Share >= mostShare && half.Firm >= allFirm
	}
	return Sight{Quad: m.quad.Under(s.Map), Sure: s.Share * s.Mean, Map: s.Map}, ok && s.Inside >= leastInside
}
