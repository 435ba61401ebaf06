package cleanplate

import "math/bits"

const (
	reach    = 24 // samples to each side within which places tell of each other's looks
	together = .5 // of a place's looks, by which more go with those around than against
)

// tell finds for each place of a region in what looks one thing is seen around it, and in what the other: those in
// which more than three quarters of the places near it say so.
func tell(places []place, region []int, w int) {
	left, right, top := w, 0, region[0]/w
	for _, i := range region {
		left, right = min(left, i%w), max(right, i%w+1)
		places[i].looks = [2]uint32{}
	}
	bottom := region[len(region)-1]/w + 1
	all, votes := newTable(right-left, bottom-top), newTable(right-left, bottom-top)
	for _, i := range region {
		all.add(i%w-left, i/w-top, 1)
	}
	all.close()
	for look := range MaxViews + 8 {
		clear(votes.sums)
		for _, i := range region {
			p := &places[i]
			v := int32(p.is.of>>look&1) - int32(p.other.of>>look&1)
			if _, turned := root(places, i); turned {
				v = -v
			}
			votes.add(i%w-left, i/w-top, v)
		}
		votes.close()
		for _, i := range region {
			x, y := i%w-left, i/w-top
			switch n, v := all.around(x, y), votes.around(x, y); {
			case 2*v > n:
				places[i].looks[0] |= 1 << look
			case 2*v < -n:
				places[i].looks[1] |= 1 << look
			}
		}
	}
}

// vague reports whether a place's looks do not go with those around it, or too little is told there. So it is behind
// something that walks and never leaves it clear: what it shows by turns are two parts of that.
func (p *place) vague() bool {
	if min(bits.OnesCount32(p.looks[0]), bits.OnesCount32(p.looks[1])) < fewLooks {
		return true
	}
	is, other := p.is.of, p.other.of
	with := bits.OnesCount32(is&p.looks[0]) + bits.OnesCount32(other&p.looks[1])
	against := bits.OnesCount32(is&p.looks[1]) + bits.OnesCount32(other&p.looks[0])
	told := bits.OnesCount32((is | other) & (p.looks[0] | p.looks[1]))
	return abs(float32(with-against)) < together*float32(max(told, 1))
}

// table tells sums over rectangles (a summed-area table: Crow, "Summed-area tables for texture mapping", SIGGRAPH
// 1984).
type table struct {
	w, h int
	sums []int32 // one to the right and below; once closed, of all above and to the left
}

func newTable(w, h int) table { return table{w, h, make([]int32, (w+1)*(h+1))} }

func (t *table) add(x, y int, v int32) { t.sums[(y+1)*(t.w+1)+x+1] += v }

func (t *table) close() {
	for i := t.w + 2; i < len(t.sums); i++ {
		if i%(t.w+1) > 0 {
			t.sums[i] += t.sums[i-1] + t.sums[i-t.w-1] - t.sums[i-t.w-2]
		}
	}
}

// around is the sum within reach.
func (t *table) around(x, y int) int32 {
	left, right := max(x-reach, 0), min(x+reach+1, t.w)
	above, below := max(y-reach, 0)*(t.w+1), min(y+reach+1, t.h)*(t.w+1)
	return t.sums[below+right] - t.sums[above+right] - t.sums[below+left] + t.sums[above+left]
}
