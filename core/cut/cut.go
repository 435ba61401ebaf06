// Package cut finds the boundaries of shots in a clip: cuts, and dissolves and fades,
// from small pictures of its frames.
package cut

import (
	"math"
	"slices"

	"celator/core/frame"
)

// A thumb's size, samples.
const (
	Across = 32
	Down   = 18
)

// Thumb is a small picture of a frame: means of Y', Cb and Cr, on the scale of 8 bit.
type Thumb [3][Across * Down]float32

// Of makes the thumb of a picture, from some of its samples.
func Of(p *frame.Picture) *Thumb {
	var t Thumb
	unit := 1 / float32(int(1)<<(p.Depth-8))
	const taps = 4 // across and down, in each place
	for c := range t {
		w, h := p.PlaneSize(c)
		for y := range Down {
			for x := range Across {
				var sum float32
				for j := range taps {
					v := min(((y*taps+j)*h+h/2)/(Down*taps), h-1)
					for i := range taps {
						u := min(((x*taps+i)*w+w/2)/(Across*taps), w-1)
						b := p.Row(c, v, u, u+1)
						if p.Depth > 8 {
							sum += float32(int(b[0]) | int(b[1])<<8)
						} else {
							sum += float32(b[0])
						}
					}
				}
				t[c][y*Across+x] = sum * unit / (taps * taps)
			}
		}
	}
	return &t
}

// Boundary is where a shot begins.
type Boundary struct {
	Frame    int  `json:"frame" doc:"the first frame after it"`
	Dissolve bool `json:"dissolve" doc:"it is gradual, and should be looked at"`
	From     int  `json:"from" doc:"of a dissolve: its first frame"`
}

// Finder takes the thumbs of consecutive frames and finds the boundaries among them. A
// gap in the frames begins anew.
type Finder struct {
	runs []run
}

type run struct {
	first  int
	thumbs []*Thumb
}

// Add takes the next frame.
func (f *Finder) Add(n int, t *Thumb) {
	if k := len(f.runs); k > 0 && f.runs[k-1].first+len(f.runs[k-1].thumbs) == n {
		f.runs[k-1].thumbs = append(f.runs[k-1].thumbs, t)
		return
	}
	f.runs = append(f.runs, run{n, []*Thumb{t}})
}

// Boundaries returns them in order.
func (f *Finder) Boundaries() []Boundary {
	out := []Boundary{}
	for _, r := range f.runs {
		for _, b := range find(r.thumbs) {
			b.Frame += r.first
			b.From += r.first
			out = append(out, b)
		}
	}
	return out
}

const (
	// leastCut is the difference, in codes, below which nothing is a cut.
	leastCut = 9.
	// times is by how much a cut must exceed the differences around it.
	times = 3.2
	// around is how many frames on either side it is compared with.
	around = 8
	// gradual is the difference from one end of a dissolve to the other, and longest and
	// shortest how many frames it may take.
	gradual  = 20.
	shortest = 5
	longest  = 60
)

// find uses differences that are adapted to their surroundings for cuts, and for
// dissolves the twin comparison (Zhang, Kankanhalli and Smoliar, "Automatic partitioning
// of full-motion video", Multimedia Systems 1(1), 1993), with the further test that the
// frames between are mixtures of the two ends, which motion does not make.
func find(t []*Thumb) []Boundary {
	n := len(t)
	d := make([]float64, n) // from the frame before
	for i := 1; i < n; i++ {
		d[i] = differ(t[i-1], t[i])
	}
	var out []Boundary
	flash := func(i int) bool { // light that comes and goes is no cut
		for k := 1; k <= 4 && i+k < n; k++ {
			if differ(t[i-1], t[i+k]) < .45*d[i] {
				return true
			}
		}
		for k := 2; k <= 5 && i-k >= 0; k++ {
			if differ(t[i-k], t[i]) < .45*d[i] {
				return true
			}
		}
		return false
	}
	for i := 1; i < n; i++ {
		if d[i] < leastCut {
			continue
		}
		var near []float64
		for k := max(i-around, 1); k <= min(i+around, n-1); k++ {
			if k != i {
				near = append(near, d[k])
			}
		}
		slices.Sort(near)
		usual := 0.
		if len(near) > 0 {
			usual = near[len(near)*3/4]
		}
		if d[i] > times*usual+4 && !flash(i) {
			out = append(out, Boundary{Frame: i, From: i})
		}
	}
	cuts := slices.Clone(out)
	isCut := func(a, b int) bool {
		return slices.ContainsFunc(cuts, func(c Boundary) bool { return c.Frame > a && c.Frame <= b })
	}
	for a := 0; a+shortest < n; a++ {
		best, end := 0., 0
		for b := a + shortest; b <= min(a+longest, n-1); b++ {
			if isCut(a, b) {
				break
			}
			if shifted(t[a], t[b], 0, 0) < gradual {
				continue
			}
			if s := mixture(t, a, b); s > best {
				best, end = s, b
			}
		}
		if best > .86 {
			out = append(out, Boundary{Frame: (a + end + 1) / 2, Dissolve: true, From: a + 1})
			a = end
		}
	}
	slices.SortFunc(out, func(x, y Boundary) int { return x.Frame - y.Frame })
	return out
}

// differ is the mean difference of two thumbs, in codes, after the best small shift of
// the second: a pan is no cut.
func differ(a, b *Thumb) float64 {
	best := math.Inf(1)
	for dy := -1; dy <= 1; dy++ {
		for dx := -2; dx <= 2; dx++ {
			best = math.Min(best, shifted(a, b, dx, dy))
		}
	}
	return best
}

func shifted(a, b *Thumb, dx, dy int) float64 {
	var sum float32
	n := 0
	for y := max(0, -dy); y < min(Down, Down-dy); y++ {
		for x := max(0, -dx); x < min(Across, Across-dx); x++ {
			i, j := y*Across+x, (y+dy)*Across+x+dx
			sum += abs(a[0][i]-b[0][j]) + .5*(abs(a[1][i]-b[1][j])+abs(a[2][i]-b[2][j]))
			n++
		}
	}
	return float64(sum) / float64(n)
}

func abs(v float32) float32 { return max(v, -v) }

// mixture says how well the frames between a and b are mixtures of those two, in even
// steps: the share of their variance that this explains.
func mixture(t []*Thumb, a, b int) float64 {
	n := b - a
	var left, all float64
	last := -.05
	for _, k := range []int{n / 4, n / 2, n * 3 / 4} {
		m := t[a+k]
		// The share of b that fits best.
		var num, den float64
		for c := range m {
			for i := range m[c] {
				p, q := float64(t[b][c][i]-t[a][c][i]), float64(m[c][i]-t[a][c][i])
				num += p * q
				den += p * p
			}
		}
		s := num / math.Max(den, 1e-9)
		if s <= last || s < .05 || s > .95 || math.Abs(s-float64(k)/float64(n)) > .2 {
			return 0
		}
		last = s
		for c := range m {
			for i := range m[c] {
				p, q := float64(t[b][c][i]-t[a][c][i]), float64(m[c][i]-t[a][c][i])
				e := q - s*p
				left += e * e
				all += q * q * (1 - s) // against a itself, less where b is near
			}
		}
	}
	if all < 1 {
		return 0
	}
	return 1 - left/all
}
