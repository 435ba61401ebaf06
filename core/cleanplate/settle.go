package cleanplate

import (
	"math/bits"
	"slices"
)

// looked are the looks at one place, each in the light of all.
type looked struct {
	vals [MaxViews + 8][3]float32
	ws   [MaxViews + 8]float32 // their weights
	at   [MaxViews + 8]int     // their numbers
	n    int
	all  float32 // weight

	g    *Gather
	here int // the place
}

func (l *looked) read(g *Gather, i int, gain []float32) {
	l.n, l.all, l.g, l.here = 0, 0, g, i
	for j := range min(len(g.looks), len(l.vals)) { // each has its bit in look.of
		if g.looks[j][0][i] == beside {
			continue
		}
		k := gain[j]
		l.vals[l.n] = [3]float32{
			Black + (float32(g.looks[j][0][i])/16-Black)*k,
			128 + (float32(g.looks[j][1][i])/16-128)*k, 128 + (float32(g.looks[j][2][i])/16-128)*k,
		}
		l.ws[l.n], l.at[l.n] = g.weight[j], j
		l.all += g.weight[j]
		l.n++
	}
}

// steep is how steep a look is around the place, codes of luma over four places across and down.
func (l *looked) steep(look int) float32 {
	p, w, h := l.g.looks[look][0], l.g.W, l.g.H
	x, y := l.here%w, l.here/w
	if x < 2 || y < 2 || x >= w-2 || y >= h-2 {
		return 0
	}
	a, b, c, d := p[l.here-2], p[l.here+2], p[l.here-2*w], p[l.here+2*w]
	if min(a, b, c, d) == beside {
		return 0
	}
	return (abs(float32(b)-float32(a)) + abs(float32(d)-float32(c))) / 16
}

// near reports whether two looks may be of the same thing, in luma and in chroma.
func near(a, b *[3]float32, times float32) bool {
	const luma, chroma = 12, 7
	return abs(a[0]-b[0]) < luma*times && abs(a[1]-b[1]) < chroma*times && abs(a[2]-b[2]) < chroma*times
}

// look is a colour that some of the looks at a place agree on.
type look struct {
	colour [3]float32
	share  float32 // of the looks' weight
	of     uint32  // the looks that agree on it, a bit each
	spread float32 // of their luma, standard deviation
	still  int     // 1 where it has texture that keeps still on the surface, -1 where it has some that moves, else 0
}

// mode is what most looks agree on, of those that are clearly not like another colour.
func (l *looked) mode(besides *[3]float32) (m look) {
	at := 0
	for a := range l.n {
		if besides != nil && near(besides, &l.vals[a], 2) {
			continue
		}
		var s float32
		var of uint32
		for b := range l.n {
			if near(&l.vals[a], &l.vals[b], 1) {
				s += l.ws[b]
				of |= 1 << l.at[b]
			}
		}
		if s > m.share*l.all {
			m, at = look{colour: l.vals[a], share: s / l.all, of: of}, l.at[a]
		}
		if 2*s > l.all { // nothing else can have more
			break
		}
	}
	if m.share == 0 {
		return m
	}
	var n, sum, sq float32
	for a := range l.n {
		if m.of>>l.at[a]&1 == 1 {
			d := l.vals[a][0] - m.colour[0]
			n, sum, sq = n+1, sum+d, sq+d*d
		}
	}
	m.spread = sqrt(max(sq/n-sum*sum/(n*n), 0))
	switch steep := l.steep(at); {
	case steep > still*(m.spread+1):
		m.still = 1
	case steep > textured && steep < moving*(m.spread+1):
		m.still = -1
	}
	return m
}

// place is what a place of the surface may look like.
type place struct {
	is, other look // as most looks show it, and as most of the rest
	root      int  // another place of the same region, or itself
	turned    bool // what is other here is what is at root, in the same looks
}

const (
	doubtful = .25 // share of looks that agree on something else
	same     = .7  // of all looks of two places, those that they have in common, where one thing was seen at both
	fewest   = 40  // places in a region that is settled
	still    = 6   // codes of steepness to one of spread, at least, of texture that keeps still on the surface
	moving   = 3   // and at most, of texture that does not
	textured = 12  // codes of steepness, at least, of what can be seen to move
	shakier  = 1.4 // times the spread of another's looks that something's are, where both are seen
	plain    = 10  // codes by which one thing goes on more smoothly than another, to say so
	few      = 12  // votes that are not enough
	plainly  = .65 // share of the looks that agree at a place which is a measure for others
)

func (l *looked) place() (p place) {
	if p.is = l.mode(nil); p.is.share < 1-doubtful {
		p.other = l.mode(&p.is.colour)
	}
	return p
}

func (p *place) inDoubt() bool { return p.other.share >= doubtful }

// settle decides between what places in doubt may look like. Something may stand in front of the surface as long as it
// is clear, or longer, and most looks agree on it. Places near each other that change their looks at the same times
// are a region. What it looks like at those times or at the others is kept: that which keeps still on the surface, for
// what stands in front does not move as it does; where both do, or neither, that which goes on with the lesser seam
// beyond the region's rim, for the outline of what stands in front is a seam (the second after Colombari, Cristani,
// Murino and Fusiello, "Exemplar-based background model initialization", VSSN 2005, which lets the background grow so).
func settle(places []place, w, h int) {
	for i := range places {
		places[i].root = i
	}
	for i := range places {
		if !places[i].inDoubt() {
			continue
		}
		for _, far := range [...]int{1, 2, 4, 8} { // across gaps where both happen to look alike
			if i%w < w-far {
				join(places, i, i+far)
			}
			if i/w < h-far {
				join(places, i, i+far*w)
			}
		}
	}
	regions := map[int][]int{}
	var order []int
	for i := range places {
		if places[i].inDoubt() {
			r, _ := root(places, i)
			if regions[r] == nil {
				order = append(order, r)
			}
			regions[r] = append(regions[r], i)
		}
	}
	slices.SortStableFunc(order, func(a, b int) int { return len(regions[b]) - len(regions[a]) })
	settled := map[int]bool{}
	for _, r := range order {
		if len(regions[r]) >= fewest {
			settleRegion(places, regions[r], w, h, settled)
		}
	}
}

// root finds the place that stands for a place's region, and whether the two are turned against each other.
func root(places []place, i int) (r int, turned bool) {
	for r = i; places[r].root != r; r = places[r].root {
		turned = turned != places[r].turned
	}
	for t := turned; places[i].root != r; { // shorten the way
		next, was := places[i].root, places[i].turned
		places[i].root, places[i].turned = r, t
		i, t = next, t != was
	}
	return r, turned
}

// join makes two places of one region if they are in doubt at the same times.
func join(places []place, i, j int) {
	a, b := &places[i], &places[j]
	if !a.inDoubt() || !b.inDoubt() {
		return
	}
	common := func(a, b uint32) float64 {
		return float64(bits.OnesCount32(a&b)) / float64(max(bits.OnesCount32(a|b), 1))
	}
	straight := max(common(a.is.of, b.is.of), common(a.other.of, b.other.of))
	across := max(common(a.is.of, b.other.of), common(a.other.of, b.is.of))
	if max(straight, across) < same {
		return
	}
	r, t := root(places, i)
	s, u := root(places, j)
	if r != s {
		places[s].root, places[s].turned = r, (t != u) != (across > straight)
	}
}

// settleRegion keeps one way for a region's places, if that is plain.
func settleRegion(places []place, region []int, w, h int, settled map[int]bool) {
	r, _ := root(places, region[0])
	// Places, and pairs of places at the rim, that speak for what is at the root, and for what is other there.
	var stiller, smoother votes
	for _, i := range region {
		p := &places[i]
		_, turned := root(places, i)
		is, other := p.is.still, p.other.still
		stiller.say(is != other, (is > other) != turned)
		beside4(i, w, h, func(j int) {
			q := &places[j]
			if s, _ := root(places, j); s == r || q.is.share < plainly && !settled[s] {
				return
			}
			if q.is.spread+1 > shakier*(min(p.is.spread, p.other.spread)+1) { // both are seen there, and much alike
				return
			}
			is, other := apart(&p.is.colour, &q.is.colour), apart(&p.other.colour, &q.is.colour)
			smoother.say(abs(is-other) > plain, (is < other) != turned)
		})
	}
	keep, sure := stiller.most(2)
	if !sure {
		keep, sure = smoother.most(1.5)
	}
	if !sure {
		return
	}
	settled[r] = true
	for _, i := range region {
		if _, turned := root(places, i); turned != (keep == 1) {
			places[i].is, places[i].other = places[i].other, places[i].is
		}
	}
}

// votes are counted for one thing and another.
type votes [2]float64

func (v *votes) say(plainly, first bool) {
	switch {
	case plainly && first:
		v[0]++
	case plainly:
		v[1]++
	}
}

// most returns which has most votes, and whether these are at least times those of the other.
func (v *votes) most(times float64) (k int, sure bool) {
	if v[1] > v[0] {
		k = 1
	}
	return k, v[k] >= few+times*v[1-k]
}

// apart is how far two colours are apart, codes of all channels together.
func apart(a, b *[3]float32) float32 { return abs(a[0]-b[0]) + abs(a[1]-b[1]) + abs(a[2]-b[2]) }

// beside4 visits the places next to one.
func beside4(i, w, h int, visit func(j int)) {
	if x := i % w; x > 0 {
		visit(i - 1)
	}
	if i%w < w-1 {
		visit(i + 1)
	}
	if i >= w {
		visit(i - w)
	}
	if i < w*(h-1) {
		visit(i + w)
	}
}
