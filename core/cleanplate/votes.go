package cleanplate

const (
	few   = 12 // votes that are not enough
	reach = 24 // samples to each side within which votes are counted around a place
)

// votes are counted for one thing and another.
type votes [2]float64

func (v *votes) say(first bool) {
	if first {
		v[0]++
	} else {
		v[1]++
	}
}

// poll counts the votes of places, and tells them for all or for those around one.
type poll struct {
	w    int        // of its rows
	sums [2][]int32 // one place to the right and below; once closed, of all places above and to the left
}

func newPoll(w, h int) *poll {
	n := (w + 1) * (h + 1)
	return &poll{w: w + 1, sums: [2][]int32{make([]int32, n), make([]int32, n)}}
}

func (p *poll) say(i int, first bool) {
	k := 1
	if first {
		k = 0
	}
	w := p.w - 1
	p.sums[k][(i/w+1)*p.w+i%w+1]++
}

// close ends it (a summed-area table: Crow, "Summed-area tables for texture mapping", SIGGRAPH 1984).
func (p *poll) close() {
	for _, s := range p.sums {
		for i := p.w + 1; i < len(s); i++ {
			if i%p.w > 0 {
				s[i] += s[i-1] + s[i-p.w] - s[i-p.w-1]
			}
		}
	}
}

func (p *poll) all() (v votes) {
	for k, s := range p.sums {
		v[k] = float64(s[len(s)-1])
	}
	return v
}

// around are the votes within reach of a place.
func (p *poll) around(i int) (v votes) {
	w, h := p.w-1, len(p.sums[0])/p.w-1
	x, y := i%w, i/w
	left, right := max(x-reach, 0), min(x+reach+1, w)
	above, below := max(y-reach, 0)*p.w, min(y+reach+1, h)*p.w
	for k, s := range p.sums {
		v[k] = float64(s[below+right] - s[above+right] - s[below+left] + s[above+left])
	}
	return v
}

// most returns which has most votes, and whether these are at least times those of the other.
func (v votes) most(times float64) (k int, sure bool) {
	if v[1] > v[0] {
		k = 1
	}
	return k, v[k] >= few+times*v[1-k]
}
