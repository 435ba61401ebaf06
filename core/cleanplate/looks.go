package cleanplate

import "slices"

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

// alike reports whether two looks may be of the same thing, in luma and in chroma.
func alike(a, b *[3]float32, times float32) bool {
	const luma, chroma = 12, 7
	return abs(a[0]-b[0]) < luma*times && abs(a[1]-b[1]) < chroma*times && abs(a[2]-b[2]) < chroma*times
}

// look is a colour that some of the looks at a place agree on.
type look struct {
	colour [3]float32
	share  float32 // of the looks' weight
	of     uint32  // the looks that agree on it, a bit each
	spread float32 // of their luma, standard deviation
}

// mode is what most looks agree on, of those that are clearly not like another colour.
func (l *looked) mode(besides *[3]float32) (m look) {
	for a := range l.n {
		if besides != nil && alike(besides, &l.vals[a], 2) {
			continue
		}
		var s float32
		var of uint32
		for b := range l.n {
			if alike(&l.vals[a], &l.vals[b], 1) {
				s += l.ws[b]
				of |= 1 << l.at[b]
			}
		}
		if s > m.share*l.all {
			m = look{colour: l.vals[a], share: s / l.all, of: of}
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
	return m
}

const (
	still  = 6 // codes of steepness to one of spread, at least, of texture that keeps still on the surface
	moving = 3 // and at most, of what moves
	shaky  = 6 // codes of spread, at least, of what moves
)

// still tells what the looks of a set show at a place, in which most agree on a colour: 1 for texture that keeps still
// on the surface, -1 for what moves, else 0.
func (l *looked) still(agree, set uint32) int {
	var all [MaxViews + 8]float32
	luma := all[:0]
	var steep float32
	for a := range l.n {
		if set>>l.at[a]&1 == 1 {
			luma = append(luma, l.vals[a][0])
			if agree>>l.at[a]&1 == 1 && steep == 0 {
				steep = l.steep(l.at[a])
			}
		}
	}
	if len(luma) < fewLooks {
		return 0
	}
	slices.Sort(luma)
	middle := luma[len(luma)/2]
	for k, v := range luma {
		luma[k] = abs(v - middle)
	}
	slices.Sort(luma)
	least := luma[:len(luma)-1] // one frame may have been smeared
	var spread float32
	for _, v := range least {
		spread += v
	}
	spread *= 1.4 / float32(len(least)) // to the deviation of normal errors
	switch {
	case steep > still*(spread+1):
		return 1
	case spread > shaky && steep < moving*(spread+1):
		return -1
	}
	return 0
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

// only leaves of the looks those of a set.
func (l *looked) only(of uint32) {
	n := 0
	l.all = 0
	for a := range l.n {
		if of>>l.at[a]&1 == 1 {
			l.vals[n], l.ws[n], l.at[n] = l.vals[a], l.ws[a], l.at[a]
			l.all += l.ws[a]
			n++
		}
	}
	l.n = n
}
