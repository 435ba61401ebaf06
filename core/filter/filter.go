// Package filter smooths grids of samples: box filters of any half-width, and Gaussians
// made of them (Gwosdek, Grewenig, Bruhn, Weickert: "Theoretical Foundations of Gaussian
// Convolution by Extended Box Filtering", SSVM 2011). A grid is w samples across and h
// down, row by row, and is smoothed in place; beyond its edges its last samples are
// repeated. Widths are in samples.
package filter

import "math"

// Soften convolves with a kernel that is close to a Gaussian and zero beyond half, across
// and down, but for a tail of under two samples: three boxes after one another.
func Soften(pix []float32, w, h int, across, down float64) {
	for range 3 {
		BoxAcross(pix, w, h, across/3)
		BoxDown(pix, w, h, down/3)
	}
}

// Gauss convolves with a Gaussian of those sigmas, in samples: below one by the three
// samples that have its variance, above by three boxes. Edge samples are repeated.
func Gauss(pix []float32, w, h int, across, down float64) {
	const small = .75
	if across < small {
		threeAcross(pix, w, h, float32(across*across/2))
	}
	if down < small {
		threeDown(pix, w, h, float32(down*down/2))
	}
	const boxes = 3
	for range boxes {
		if across >= small {
			BoxAcross(pix, w, h, BoxRadius(boxes, across))
		}
		if down >= small {
			BoxDown(pix, w, h, BoxRadius(boxes, down))
		}
	}
}

// BoxRadius returns the half-width r of the extended box of which so many in a row have
// variance sigma². With n = floor(r) whole samples a side and share s of the next, one
// box has variance (n(n+1)(2n+1)/3 + 2s(n+1)²) / (2r+1).
func BoxRadius(boxes int, sigma float64) float64 {
	want := sigma * sigma / float64(boxes)
	n := math.Floor((math.Sqrt(12*want+1) - 1) / 2)
	s := (want*(2*n+1) - n*(n+1)*(2*n+1)/3) / (2 * ((n+1)*(n+1) - want))
	return n + min(max(s, 0), 1)
}

// threeAcross takes (k, 1-2k, k) along rows.
func threeAcross(pix []float32, w, h int, k float32) {
	if k < 1e-3 || w == 0 {
		return
	}
	for y := range h {
		row := pix[y*w:][:w]
		last := row[0]
		for x, v := range row {
			next := v
			if x+1 < w {
				next = row[x+1]
			}
			row[x] = v + k*(last+next-2*v)
			last = v
		}
	}
}

// threeDown does so along columns.
func threeDown(pix []float32, w, h int, k float32) {
	if k < 1e-3 || w == 0 || h == 0 {
		return
	}
	last := append([]float32(nil), pix[:w]...)
	for y := range h {
		row := pix[y*w:][:w]
		next := row
		if y+1 < h {
			next = pix[(y+1)*w:][:w]
		}
		for x, v := range row {
			row[x] = v + k*(last[x]+next[x]-2*v)
			last[x] = v
		}
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
	// Rows are done four at a time: each running sum waits for itself alone.
	size := w + 2*n + 2
	lines := make([]float32, 4*size)
	for y := 0; y < h; y += 4 {
		var in [4][]float32
		var out [4][]float32
		for j := range in {
			in[j], out[j] = lines[j*size:(j+1)*size], pix[min(y+j, h-1)*w:][:w]
			line, row := in[j], out[j]
			for i := range n + 1 {
				line[i], line[size-1-i] = row[0], row[w-1]
			}
			copy(line[n+1:], row)
		}
		across(in, out, n, float32(share), float32(norm))
	}
}

func across(in, out [4][]float32, n int, share, norm float32) {
	var s [4]float32
	for j, line := range in {
		for _, v := range line[1 : 2*n+2] {
			s[j] += v
		}
	}
	w := len(out[0])
	o0, o1, o2, o3 := out[0][:w], out[1][:w], out[2][:w], out[3][:w]
	// The samples before the window, its first, and after it.
	a0, a1, a2, a3 := in[0][:w], in[1][:w], in[2][:w], in[3][:w]
	f0, f1, f2, f3 := in[0][1:w+1], in[1][1:w+1], in[2][1:w+1], in[3][1:w+1]
	b0, b1, b2, b3 := in[0][2*n+2:][:w], in[1][2*n+2:][:w], in[2][2*n+2:][:w], in[3][2*n+2:][:w]
	s0, s1, s2, s3 := s[0], s[1], s[2], s[3]
	for i := range w {
		o0[i] = (s0 + share*(a0[i]+b0[i])) * norm
		o1[i] = (s1 + share*(a1[i]+b1[i])) * norm
		o2[i] = (s2 + share*(a2[i]+b2[i])) * norm
		o3[i] = (s3 + share*(a3[i]+b3[i])) * norm
		s0 += b0[i] - f0[i]
		s1 += b1[i] - f1[i]
		s2 += b2[i] - f2[i]
		s3 += b3[i] - f3[i]
	}
}

// BoxDown does the same along columns, all columns of a row at a time.
func BoxDown(pix []float32, w, h int, r float64) {
	if r <= 0 || h == 0 {
		return
	}
	n, share := window(r)
	norm, part := float32(1/(2*r+1)), float32(share)
	// Rows that the window still needs after they are overwritten.
	keep := make([][]float32, n+2)
	for i := range keep {
		keep[i] = make([]float32, w)
	}
	row := func(y int) []float32 { y = min(max(y, 0), h-1); return pix[y*w : (y+1)*w] }
	old := func(y int) []float32 { // row y as it was, y at most the one being written
		return keep[max(y, 0)%len(keep)]
	}
	sum := make([]float32, w)
	for k := -n; k <= n; k++ {
		for x, v := range row(k) {
			sum[x] += v
		}
	}
	for y := range h {
		out := row(y)
		copy(old(y), out)
		before, first, after := old(y-n-1), old(y-n), row(y+n+1)
		if y+n+1 >= h && h-1 <= y {
			after = old(h - 1)
		}
		before, first, after, out, sum := before[:w], first[:w], after[:w], out[:w], sum[:w] // no bounds to check below
		for x := range w {
			out[x] = (sum[x] + part*(before[x]+after[x])) * norm
			sum[x] += after[x] - first[x]
		}
	}
}

// window splits half-width r (beyond the half sample of the centre) into whole
// samples on each side and the share of the next one.
func window(r float64) (n int, share float64) {
	n = int(r)
	return n, r - float64(n)
}
