package track

import (
	"math"

	"celator/core/geom"
)

// Gray is one channel of a picture as code values of 8 bit. Sample (i, j) covers
// the unit square from (i, j), so its centre lies at (i+½, j+½).
type Gray struct {
	W, H int
	Pix  []float32 // row-major
}

// NewGray returns a picture of zeros.
func NewGray(w, h int) *Gray { return &Gray{w, h, make([]float32, w*h)} }

// At returns the picture at a continuous place, bilinearly; outside it its edge
// is repeated. The picture is at least two samples wide and high.
func (g *Gray) At(p geom.Point) float32 {
	x, y := p.X-.5, p.Y-.5
	if !(x > 0) {
		x = 0
	}
	if !(y > 0) {
		y = 0
	}
	i, j := int(x), int(y)
	if i > g.W-2 {
		i, x = g.W-2, float64(g.W-1)
	}
	if j > g.H-2 {
		j, y = g.H-2, float64(g.H-1)
	}
	u, v := float32(x-float64(i)), float32(y-float64(j))
	k := j*g.W + i
	a, b := g.Pix[k:k+2:k+2], g.Pix[k+g.W:k+g.W+2:k+g.W+2]
	top := a[0] + u*(a[1]-a[0])
	low := b[0] + u*(b[1]-b[0])
	return top + v*(low-top)
}

// Frame is a picture made ready to be searched.
type Frame struct {
	pyr    pyramid
	hidden *Gray // what is known to pass in front: 1, elsewhere 0; or nil
}

// Ready reports whether the frame holds a picture.
func (f Frame) Ready() bool { return f.pyr != nil }

// Samples is how many samples the frame holds, at all its scales.
func (f Frame) Samples() (n int) {
	for _, g := range f.pyr {
		n += len(g.Pix)
	}
	return n
}

// Except returns the frame with what passes in front of the surface left out: where
// hidden, of the picture's size, is over a half. Another size is an error.
func (f Frame) Except(hidden *Gray) (Frame, error) {
	if hidden != nil && (hidden.W != f.pyr[0].W || hidden.H != f.pyr[0].H) {
		return f, ErrMask
	}
	f.hidden = hidden
	return f, nil
}

// Prepare makes a picture ready; it may be done ahead, by another goroutine. A
// picture under two samples wide or high has nothing to follow: ErrTiny.
func Prepare(g *Gray) (Frame, error) {
	if g.W < 2 || g.H < 2 {
		return Frame{}, ErrTiny
	}
	return Frame{pyr: newPyramid(g)}, nil
}

// pyramid holds a picture and its halves: a place p of the picture lies at
// p/2^k of level k.
type pyramid []*Gray

const pyramidLevels = 5

func newPyramid(g *Gray) pyramid {
	p := pyramid{g}
	for len(p) < pyramidLevels && min(g.W, g.H) >= 16 {
		g = half(g)
		p = append(p, g)
	}
	return p
}

// half returns the picture at half the size, after a binomial filter of four
// taps (1 3 3 1), which keeps places where they are.
func half(g *Gray) *Gray {
	w, h := g.W/2, g.H/2
	out, mid := NewGray(w, h), NewGray(w, g.H)
	for y := range g.H {
		src, dst := g.Pix[y*g.W:(y+1)*g.W], mid.Pix[y*w:(y+1)*w]
		for x := 1; x < w-1; x++ {
			v := src[2*x-1 : 2*x+3 : 2*x+3]
			dst[x] = (v[0] + 3*(v[1]+v[2]) + v[3]) * .125
		}
		for _, x := range [2]int{0, w - 1} {
			a, d := max(2*x-1, 0), min(2*x+2, g.W-1)
			dst[x] = (src[a] + 3*(src[2*x]+src[2*x+1]) + src[d]) * .125
		}
	}
	for y := range h {
		a, b, c, d := mid.Pix[max(2*y-1, 0)*w:][:w], mid.Pix[2*y*w:][:w], mid.Pix[(2*y+1)*w:][:w],
			mid.Pix[min(2*y+2, g.H-1)*w:][:w]
		dst := out.Pix[y*w:][:w]
		for x := range dst {
			dst[x] = (a[x] + 3*(b[x]+c[x]) + d[x]) * .125
		}
	}
	return out
}

// level chooses the level whose samples lie about as close as those asked for:
// step is the distance in the full picture from one to the next.
func (p pyramid) level(step float64) int {
	k := int(math.Floor(math.Log2(max(step, 1e-6)) + .1))
	return min(max(k, 0), len(p)-1)
}
