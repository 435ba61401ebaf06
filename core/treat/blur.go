package treat

import (
	"image"
	"math"

	"celator/core/cover"
	"celator/core/filter"
	"celator/core/frame"
	"celator/core/geom"
)

// passes is how many boxes stand for a Gaussian; with four a blurred
// edge is within 0.75 % of its height of the exact one.
const passes = 4

func blurred(s *Site, t cover.LiveTreatment, plane int, r image.Rectangle) frame.Plane {
	return blur(s.Picture, plane, r, t.Sigma)
}

// blur convolves with a Gaussian of that sigma (luma px, across and down),
// approximated by extended boxes of the same variance (Gwosdek et al., SSVM
// 2011). A wide one is done on means of 2, 4, 8 … samples and interpolated, so
// cost falls with sigma but for the rim that is read around r; the variances of
// the means and of the interpolation are taken off the boxes'. The picture's edge
// samples are repeated outside it.
func blur(p *frame.Picture, plane int, r image.Rectangle, sigma geom.Point) frame.Plane {
	sx, sy := p.Sub(plane)
	kx, rx := coarse(sigma.X / float64(int(1)<<sx))
	ky, ry := coarse(sigma.Y / float64(int(1)<<sy))
	// One coarse sample more on each side, for the interpolation; cells lie at
	// fixed places of the picture, so that nothing crawls.
	mx, my := int(math.Ceil(rx))*passes+1, int(math.Ceil(ry))*passes+1
	cells := image.Rect(floorDiv(r.Min.X, kx)-mx, floorDiv(r.Min.Y, ky)-my, floorDiv(r.Max.X-1, kx)+mx+1,
		floorDiv(r.Max.Y-1, ky)+my+1)
	wide := means(p, plane, cells, kx, ky)
	w, h := cells.Dx(), cells.Dy()
	for range passes {
		filter.BoxAcross(wide.Pix, w, h, rx)
	}
	for range passes {
		filter.BoxDown(wide.Pix, w, h, ry)
	}
	out := frame.NewPlane(r)
	if kx == 1 && ky == 1 {
		for y := r.Min.Y; y < r.Max.Y; y++ {
			copy(out.Row(y), wide.Row(y)[mx:])
		}
		return out
	}
	xi, xt := taps(r.Min.X, r.Dx(), kx, cells.Min.X)
	line := make([]float32, w)
	for y := r.Min.Y; y < r.Max.Y; y++ {
		yi, yt := taps(y, 1, ky, cells.Min.Y)
		a, b := wide.Row(cells.Min.Y+yi[0]), wide.Row(cells.Min.Y+yi[0]+1)
		for i, v := range a {
			line[i] = v + yt[0]*(b[i]-v)
		}
		row := out.Row(y)
		for i, c := range xi {
			row[i] = line[c] + xt[i]*(line[c+1]-line[c])
		}
	}
	return out
}

// coarse returns how many samples a coarse one stands for (1, 2, 4 …, at most a
// quarter of sigma) and the box radius, in coarse samples, that is then left to
// do.
func coarse(sigma float64) (k int, radius float64) {
	for k = 1; sigma/float64(2*k) >= 4; {
		k *= 2
	}
	if k == 1 {
		return 1, filter.BoxRadius(passes, sigma)
	}
	n := float64(k)
	// Mean of k samples: (k²-1)/12; linear interpolation between means: k²/6 - 1/6.
	rest := sigma*sigma - (n*n-1)/12 - (n*n-1)/6
	return k, filter.BoxRadius(passes, math.Sqrt(rest)/n)
}

// means returns the mean of each kx x ky block of a plane's samples, its edge samples
// repeated outside it; cells are counted in blocks.
func means(p *frame.Picture, plane int, cells image.Rectangle, kx, ky int) frame.Plane {
	if kx == 1 && ky == 1 {
		return p.Read(plane, cells)
	}
	out := frame.NewPlane(cells)
	w, h := p.PlaneSize(plane)
	norm := 1 / float32(kx*ky)
	deep := p.Depth > 8
	for y := cells.Min.Y; y < cells.Max.Y; y++ {
		row := out.Row(y)
		for j := range ky {
			src := p.Row(plane, min(max(y*ky+j, 0), h-1), 0, w)
			at := func(x int) float32 {
				if x = min(max(x, 0), w-1); deep {
					return float32(int(src[2*x]) | int(src[2*x+1])<<8)
				}
				return float32(src[x])
			}
			for i := range row {
				x0 := (cells.Min.X + i) * kx
				switch {
				case x0 < 0 || x0+kx > w:
					for k := range kx {
						row[i] += at(x0 + k)
					}
				case deep:
					n := 0
					for b := src[2*x0 : 2*(x0+kx)]; len(b) > 1; b = b[2:] {
						n += int(b[0]) | int(b[1])<<8
					}
					row[i] += float32(n)
				default:
					n := 0
					for _, v := range src[x0 : x0+kx] {
						n += int(v)
					}
					row[i] += float32(n)
				}
			}
		}
		for i := range row {
			row[i] *= norm
		}
	}
	return out
}

// taps returns, for n samples from first, the coarse sample before each one's
// centre (counted from origin) and the weight of the next.
func taps(first, n, k, origin int) (at []int, t []float32) {
	at, t = make([]int, n), make([]float32, n)
	for i := range n {
		u := (float64(first+i)+.5)/float64(k) - .5
		f := math.Floor(u)
		at[i], t[i] = int(f)-origin, float32(u-f)
	}
	return at, t
}

func floorDiv(a, b int) int { return int(math.Floor(float64(a) / float64(b))) }
