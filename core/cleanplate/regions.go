package cleanplate

import (
	"cmp"
	"math/bits"
	"slices"
)

// gaps are how far apart places are compared: across those, too, where both things happen to look alike.
var gaps = [...]int{1, 2, 4, 8}

const (
	same   = .7 // of all looks of two places, those that they have in common, where one thing was seen at both
	fewest = 40 // places in a region that is settled
)

// regions finds places near each other that change their looks at the same times: those of the surface first, and the
// largest. A thing that walks changes one place after another, and which of two ways of being seen a place shows is
// handed from place to place, along the surest links there are (a maximum spanning tree: Kruskal, "On the shortest
// spanning subtree of a graph and the traveling salesman problem", Proc. AMS 7, 1956).
func regions(places []place, w, h int) (out [][]int) {
	var all links
	for i := range places {
		places[i].root, places[i].turned = i, false
		for _, far := range gaps {
			if i%w < w-far {
				all.add(places, i, i+far)
			}
			if i/w < h-far {
				all.add(places, i, i+far*w)
			}
		}
	}
	for _, sure := range slices.Backward(all[:]) {
		for _, l := range sure {
			r, t := root(places, int(l.i))
			s, u := root(places, int(l.j))
			if r != s {
				places[s].root, places[s].turned = r, (t != u) != l.turned
			}
		}
	}
	of := map[int]int{}
	for i := range places {
		if !places[i].inDoubt() {
			continue
		}
		r, _ := root(places, i)
		k, known := of[r]
		if !known {
			k = len(out)
			of[r], out = k, append(out, nil)
		}
		out[k] = append(out[k], i)
	}
	out = slices.DeleteFunc(out, func(r []int) bool { return len(r) < fewest })
	slices.SortStableFunc(out, func(a, b []int) int {
		switch on := places[a[0]].on; {
		case on == places[b[0]].on:
			return cmp.Compare(len(b), len(a))
		case on:
			return -1
		}
		return 1
	})
	return out
}

// link is of two places that are in doubt at the same times.
type link struct {
	i, j   int32
	turned bool // the one shows what most of its looks show when the other shows the other
}

// links are told apart by how sure they are, in 32nds.
type links [33][]link

// add links two places if they are in doubt at the same times. What is around the surface is another thing: nothing
// keeps still on the surface there, and much that moves would hand on what it is not.
func (l *links) add(places []place, i, j int) {
	a, b := &places[i], &places[j]
	if !a.inDoubt() || !b.inDoubt() || a.on != b.on {
		return
	}
	straight := max(common(a.is.of, b.is.of), common(a.other.of, b.other.of))
	across := max(common(a.is.of, b.other.of), common(a.other.of, b.is.of))
	if max(straight, across) >= same {
		sure := int(abs(straight-across) * float32(len(l)-1))
		l[sure] = append(l[sure], link{int32(i), int32(j), across > straight})
	}
}

// common is the share of looks in both sets of all in one.
func common(a, b uint32) float32 {
	return float32(bits.OnesCount32(a&b)) / float32(max(bits.OnesCount32(a|b), 1))
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
