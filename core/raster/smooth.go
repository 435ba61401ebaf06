package raster

import (
	"celator/core/frame"
	"celator/core/geom"
)

// smooth convolves the plane with a kernel that is close to a Gaussian and zero
// beyond half (px, across and down) but for a tail of under two samples: three
// boxes after one another. Outside the plane its edge samples are repeated.
func smooth(p *frame.Plane, half geom.Point) {
	for range 3 {
		BoxAcross(p.Pix, p.Rect.Dx(), p.Rect.Dy(), half.X/3)
		BoxDown(p.Pix, p.Rect.Dx(), p.Rect.Dy(), half.Y/3)
	}
}

// BoxAcross replaces each sample by the mean over the window of half-width r
// around its centre, along rows; the two end samples of the window weigh by
// their share, so the result changes evenly with r (the extended box filter of
// Gwosdek et al., "Theoretical foundations of Gaussian convolution by extended
// box filtering", SSVM 2011). r = 0 changes nothing.
func BoxAcross(pix []float32, w, h int, r float64) {
	if r <= 0 || w == 0 {
		return
	}
	n, share := window(r)
	norm := 1 / (2*r + 1)
	line := make([]float64, w+2*n+2)
	for y := range h {
		row := pix[y*w : (y+1)*w]
		for i := range n + 1 {
			line[i], line[len(line)-1-i] = float64(row[0]), float64(row[w-1])
		}
		for i, v := range row {
			line[n+1+i] = float64(v)
		}
		var sum float64
		for _, v := range line[1 : 2*n+2] {
			sum += v
		}
		for i := range row {
			row[i] = float32((sum + share*(line[i]+line[i+2*n+2])) * norm)
			sum += line[i+2*n+2] - line[i+1]
		}
	}
}

// BoxDown does the same along columns, all columns of a row at a time.
func BoxDown(pix []float32, w, h int, r float64) {
	if r <= 0 || h == 0 {
		return
	}
	n, share := window(r)
	norm := 1 / (2*r + 1)
	// Rows that the window still needs after they are overwritten.
	keep := make([][]float32, n+2)
	for i := range keep {
		keep[i] = make([]float32, w)
	}
	row := func(y int) []float32 { y = min(max(y, 0), h-1); return pix[y*w : (y+1)*w] }
	old := func(y int) []float32 { // row y as it was, y at most the one being written
		return keep[max(y, 0)%len(keep)]
	}
	sum := make([]float64, w)
	for k := -n; k <= n; k++ {
		for x, v := range row(k) {
			sum[x] += float64(v)
		}
	}
	for y := range h {
		out := row(y)
		copy(old(y), out)
		before, first, after := old(y-n-1), old(y-n), row(y+n+1)
		if y+n+1 >= h && h-1 <= y {
			after = old(h - 1)
		}
		for x := range out {
			a := float64(after[x])
			out[x] = float32((sum[x] + share*(float64(before[x])+a)) * norm)
			sum[x] += a - float64(first[x])
		}
	}
}

// window splits half-width r (beyond the half sample of the centre) into whole
// samples on each side and the share of the next one.
func window(r float64) (n int, share float64) {
	n = int(r)
	return n, r - float64(n)
}
