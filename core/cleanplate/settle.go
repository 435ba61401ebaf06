package cleanplate

// place is what a place of the surface may look like.
type place struct {
	is, other look   // as most looks show it, and as most of the rest
	root      int    // another place of the same region, or itself
	turned    bool   // what is other here is what the region's first set of looks shows
	seen      uint32 // looks that show it
	clear     uint32 // looks at it in which nothing stands in front of its region; 0 where that is not known
}

const (
	doubtful  = .25 // share of looks that agree on something else
	shakier   = 1.4 // times the spread of another's looks that something's are, where both are seen
	plain     = 10  // codes by which one thing goes on more smoothly than another, to say so
	otherwise = 8.  // times the votes that it takes around a place to be seen otherwise than its region
	plainly   = .65 // share of the looks that agree at a place which is a measure for others
	fewLooks  = 3   // that are enough to know what a place looks like
)

func (l *looked) place() (p place) {
	if p.is = l.mode(nil); p.is.share < 1-doubtful {
		p.other = l.mode(&p.is.colour)
	}
	for a := range l.n {
		p.seen |= 1 << l.at[a]
	}
	return p
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

func (p *place) inDoubt() bool { return p.other.share >= doubtful }

// settle decides between what places in doubt may look like. Something may stand in front of the surface as long as it
// is clear, or longer, and most looks agree on it. Places near each other that change their looks at the same times
// are a region. What it looks like at those times or at the others is kept: that which keeps still on the surface, for
// what stands in front does not move as it does; where both do, or neither, that which goes on with the lesser seam
// beyond the region's rim, for the outline of what stands in front is a seam (the second after Colombari, Cristani,
// Murino and Fusiello, "Exemplar-based background model initialization", VSSN 2005, which lets the background grow so).
func (g *Gather) settle(places []place, gain []float32) {
	w, h := g.W, g.H
	settled := map[int]bool{}
	for _, r := range regions(places, w, h) {
		r.settle(g, gain, places, settled)
	}
}

// settle keeps one way for a region's places, if that is plain in all of the region or, where that says otherwise much
// plainer, around a place.
func (r *region) settle(g *Gather, gain []float32, places []place, settled map[int]bool) {
	w, h := g.W, g.H
	own := r.at[0]
	// Places, and pairs of places at the rim, that speak for what the first set of looks shows, and for the other.
	stiller, smoother := newPoll(w, h), votes{}
	var l looked
	for _, i := range r.at {
		p := &places[i]
		a, b := p.is.of, p.other.of
		if p.turned {
			a, b = b, a
		}
		l.read(g, i, gain)
		if first, second := l.still(a, r.looks[0]), l.still(b, r.looks[1]); first != second {
			stiller.say(i, first > second)
		}
		beside4(i, w, h, func(j int) {
			q := &places[j]
			if s := root(places, j); s == own || q.is.share < plainly && !settled[s] {
				return
			}
			if q.is.spread+1 > shakier*(min(p.is.spread, p.other.spread)+1) { // both are seen there, and much alike
				return
			}
			is, other := apart(&p.is.colour, &q.is.colour), apart(&p.other.colour, &q.is.colour)
			if abs(is-other) > plain {
				smoother.say((is < other) != p.turned)
			}
		})
	}
	stiller.close()
	keep, sure := stiller.all().most(2)
	if !sure {
		keep, sure = smoother.most(1.5)
	}
	for _, i := range r.at {
		p := &places[i]
		keep, sure := keep, sure
		times := 2.
		if sure {
			times = otherwise
		}
		if here, known := stiller.around(i).most(times); known {
			keep, sure = here, true
		}
		if !sure {
			continue
		}
		settled[own] = true
		if p.turned != (keep == 1) {
			p.is, p.other = p.other, p.is
		}
		p.clear = r.looks[keep]
	}
	r.between(places, w)
}

// between carries what looks are clear to places that are in no doubt, between two of the region in a row or a column
// that say the same.
func (r *region) between(places []place, w int) {
	left, above := -1, map[int]int{}
	fill := func(from, to, step int) {
		if places[from].clear != places[to].clear {
			return
		}
		for i := from + step; i < to; i += step {
			if p := &places[i]; p.clear == 0 && !p.inDoubt() {
				p.clear = places[from].clear
			}
		}
	}
	for _, i := range r.at {
		if left >= 0 && left/w == i/w {
			fill(left, i, 1)
		}
		if j, ok := above[i%w]; ok {
			fill(j, i, w)
		}
		left, above[i%w] = i, i
	}
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
