package cleanplate

import "celator/core/geom"

// place is what a place of the surface may look like.
type place struct {
	is, other look      // as most looks show it, and as most of the rest
	on        bool      // the surface, not around it
	root      int       // another place of the same region, or itself
	turned    bool      // what is other here is what is at root, in the same looks
	looks     [2]uint32 // in which is seen around it what is at root, and what is other there
	left      bool      // out of regions: it is vague
	clear     uint32    // looks at it in which nothing stands in front; 0 where that is not known
}

const (
	doubtful = .25 // share of looks that agree on something else
	shakier  = 1.4 // times the spread of another's looks that something's are, where both are seen
	plain    = 10  // codes by which one thing goes on more smoothly than another, to say so
	few      = 12  // votes that are not enough
	plainly  = .65 // share of the looks that agree at a place which is a measure for others
	fewLooks = 3   // that are enough to know what a place looks like
)

func (l *looked) place() (p place) {
	if p.is = l.mode(nil); p.is.share < 1-doubtful {
		p.other = l.mode(&p.is.colour)
	}
	return p
}

func (p *place) inDoubt() bool { return p.other.share >= doubtful && !p.left }

// settle decides between what places in doubt may look like. Something may stand in front of the surface as long as it
// is clear, or longer, and most looks agree on it. Places near each other that change their looks at the same times
// are a region. What it looks like at those times or at the others is kept: that which keeps still on the surface, for
// what stands in front does not move as it does; where both do, or neither, that which goes on with the lesser seam
// beyond the region's rim, for the outline of what stands in front is a seam (the second after Colombari, Cristani,
// Murino and Fusiello, "Exemplar-based background model initialization", VSSN 2005, which lets the background grow so).
func (g *Gather) settle(places []place, gain []float32) {
	for i := range places {
		places[i].on = geom.Within(g.Outline, g.To.Apply(geom.Pt(float64(i%g.W)+.5, float64(i/g.W)+.5)))
	}
	for _, r := range regions(places, g.W, g.H) {
		tell(places, r, g.W)
		for _, i := range r {
			places[i].left = places[i].vague()
		}
	}
	settled := map[int]bool{}
	for _, r := range regions(places, g.W, g.H) {
		tell(places, r, g.W)
		own, _ := root(places, r[0])
		keep, sure := g.still(places, r, gain).most(2)
		if !sure && places[own].on {
			keep, sure = g.smooth(places, r, settled).most(1.5)
		}
		if sure {
			settled[own] = true
			take(places, r, keep, g.W)
		}
	}
}

// still counts the places of a region at which what is at its root keeps still on the surface and the other does not,
// and those at which it is the other way round. Around the surface nothing keeps still on it; but what stands in front
// of both is clear of both in the same looks.
func (g *Gather) still(places []place, region []int, gain []float32) (v votes) {
	var l looked
	for _, i := range region {
		p := &places[i]
		_, turned := root(places, i)
		is, other := p.is.of, p.other.of
		if !p.on {
			for _, far := range gaps {
				beside4(i, far, g.W, g.H, func(j int) {
					if clear := places[j].clear; places[j].on && clear != 0 {
						straight, across := common(is, clear), common(other, clear)
						v.say(max(straight, across) > same, (straight > across) != turned)
					}
				})
			}
			continue
		}
		if turned {
			is, other = other, is
		}
		l.read(g, i, gain)
		first, second := l.still(is, p.looks[0]), l.still(other, p.looks[1])
		v.say(first != second, first > second)
	}
	return v
}

// smooth counts the pairs of places at a region's rim over which what is at its root goes on more smoothly than the
// other, and those over which it is the other way round.
func (g *Gather) smooth(places []place, region []int, settled map[int]bool) (v votes) {
	own, _ := root(places, region[0])
	for _, i := range region {
		p := &places[i]
		_, turned := root(places, i)
		beside4(i, 1, g.W, g.H, func(j int) {
			q := &places[j]
			if s, _ := root(places, j); s == own || q.is.share < plainly && !settled[s] {
				return
			}
			if q.is.spread+1 > shakier*(min(p.is.spread, p.other.spread)+1) { // both are seen there, and much alike
				return
			}
			is, other := apart(&p.is.colour, &q.is.colour), apart(&p.other.colour, &q.is.colour)
			v.say(abs(is-other) > plain, (is < other) != turned)
		})
	}
	return v
}

// take makes a region's places show what is at its root, or what is other there, and tells in what looks nothing stands
// in front of them; also of places that are in no doubt, between two of the region in a row or a column that say nearly
// the same.
func take(places []place, region []int, keep, w int) {
	left, above := -1, map[int]int{}
	fill := func(from, to, step int) {
		a, b := places[from].clear, places[to].clear
		if common(a, b) < same {
			return
		}
		for i := from + step; i < to; i += step {
			if p := &places[i]; p.clear == 0 && p.on == places[from].on && !p.inDoubt() {
				p.clear = a & b
			}
		}
	}
	for _, i := range region {
		p := &places[i]
		if _, turned := root(places, i); turned != (keep == 1) {
			p.is, p.other = p.other, p.is
		}
		p.clear = p.looks[keep]
		if left >= 0 && left/w == i/w {
			fill(left, i, 1)
		}
		if j, ok := above[i%w]; ok {
			fill(j, i, w)
		}
		left, above[i%w] = i, i
	}
}

// clear goes by the looks alone in which nothing stands in front of a place, if these agree.
func (l *looked) clear(p *place) {
	if p.clear == 0 {
		return
	}
	all := *l
	l.only(p.clear)
	if is := l.mode(nil); l.n >= fewLooks && is.share > plainly {
		p.is, p.other = is, look{}
		return
	}
	*l = all
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
func (v votes) most(times float64) (k int, sure bool) {
	if v[1] > v[0] {
		k = 1
	}
	return k, v[k] >= few+times*v[1-k]
}

// apart is how far two colours are apart, codes of all channels together.
func apart(a, b *[3]float32) float32 { return abs(a[0]-b[0]) + abs(a[1]-b[1]) + abs(a[2]-b[2]) }

// beside4 visits the places so far from one to the left, the right, above and below.
func beside4(i, far, w, h int, visit func(j int)) {
	if i%w >= far {
		visit(i - far)
	}
	if i%w < w-far {
		visit(i + far)
	}
	if i >= far*w {
		visit(i - far*w)
	}
	if i < w*(h-far) {
		visit(i + far*w)
	}
}
