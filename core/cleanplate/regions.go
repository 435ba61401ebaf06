package cleanplate

import (
	"math/bits"
	"slices"
)

// region are places in doubt that change their looks at the same times.
type region struct {
	at    []int
	looks [2]uint32 // in which they are seen one way, and the other
}

const (
	same        = .7 // of all looks of two places, those that they have in common, where one thing was seen at both
	together    = .5 // of a place's looks, by which more go with a region's than against
	rounds      = 8  // in which a region finds its looks
	mostRegions = 12 // of places that hang together
	fewest      = 40 // places in a region that is settled
)

// regions finds them, the largest first.
func regions(places []place, w, h int) (out []region) {
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
	connected := map[int][]int{}
	var order []int
	for i := range places {
		if places[i].inDoubt() {
			r := root(places, i)
			if connected[r] == nil {
				order = append(order, r)
			}
			connected[r] = append(connected[r], i)
		}
	}
	for _, r := range order {
		out = append(out, split(places, connected[r])...)
	}
	slices.SortStableFunc(out, func(a, b region) int { return len(b.at) - len(a.at) })
	return out
}

// root finds the place that stands for a place's region.
func root(places []place, i int) int {
	for places[i].root != i {
		places[i].root = places[places[i].root].root // shorten the way
		i = places[i].root
	}
	return i
}

// join makes a place in doubt and another of one region if they are so at the same times, whichever of the two most
// looks show.
func join(places []place, i, j int) {
	a, b := &places[i], &places[j]
	if !b.inDoubt() {
		return
	}
	common := func(a, b uint32) float64 {
		return float64(bits.OnesCount32(a&b)) / float64(max(bits.OnesCount32(a|b), 1))
	}
	straight := max(common(a.is.of, b.is.of), common(a.other.of, b.other.of))
	across := max(common(a.is.of, b.other.of), common(a.other.of, b.is.of))
	if max(straight, across) >= same {
		places[root(places, j)].root = root(places, i)
	}
}

// split takes places that hang together apart into regions: what stands changes all its places at once, what walks
// changes one after another. Each region is that of places that go with two sets of looks, in which they are seen one
// way and the other; these are what most of its places say (means of clusters, after Lloyd, "Least squares quantization
// in PCM", IEEE Trans. IT-28, 1982, with outliers left aside). Places in which the first set is not what most looks
// show are turned.
func split(places []place, rest []int) (out []region) {
	for len(rest) >= fewest && len(out) < mostRegions {
		told := func(i int) int { return bits.OnesCount32(places[i].is.of | places[i].other.of) }
		seed := slices.MaxFunc(rest, func(a, b int) int { return told(a) - told(b) })
		r := region{looks: [2]uint32{places[seed].is.of, places[seed].other.of}}
		for range rounds {
			r.gather(places, rest)
			r.vote(places)
		}
		for _, i := range rest {
			places[i].root = i
		}
		for _, i := range r.at {
			places[i].root = r.at[0]
		}
		rest = slices.DeleteFunc(rest, func(i int) bool { return i == seed || len(r.at) > 0 && places[i].root == r.at[0] })
		if len(r.at) >= fewest {
			out = append(out, r)
		}
	}
	return out
}

// gather takes the places that go with the region's looks.
func (r *region) gather(places []place, of []int) {
	r.at = r.at[:0]
	for _, i := range of {
		goes := places[i].goes(r.looks)
		places[i].turned = goes < 0
		if max(goes, -goes) >= together {
			r.at = append(r.at, i)
		}
	}
}

// vote takes the looks in which more than half of its places are seen one way, and the other.
func (r *region) vote(places []place) {
	var votes [32]int
	for _, i := range r.at {
		p := &places[i]
		for look := range votes {
			if v := int(p.is.of>>look&1) - int(p.other.of>>look&1); p.turned {
				votes[look] -= v
			} else {
				votes[look] += v
			}
		}
	}
	r.looks = [2]uint32{}
	for look, v := range votes {
		switch {
		case 2*v > len(r.at):
			r.looks[0] |= 1 << look
		case 2*v < -len(r.at):
			r.looks[1] |= 1 << look
		}
	}
}

// goes tells how well a place's looks go with two sets, 1 where all do, -1 where all do the other way round.
func (p *place) goes(sets [2]uint32) float32 {
	with := bits.OnesCount32(p.is.of&sets[0]) + bits.OnesCount32(p.other.of&sets[1])
	against := bits.OnesCount32(p.is.of&sets[1]) + bits.OnesCount32(p.other.of&sets[0])
	return float32(with-against) / float32(max(bits.OnesCount32(p.seen&(sets[0]|sets[1])), 1))
}
