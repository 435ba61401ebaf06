package main

import (
	"context"
	"math"
	"slices"

	"celator/core/cleanplate"
	"celator/core/filter"
	"celator/core/frame"
	"celator/core/geom"
	"celator/core/holdout"
	"celator/internal/follow"
	"celator/internal/media"
)

// A peer finds the plain way, to be measured beside: the surface looks like the median of what is seen of it, what
// differs by a threshold is in front, small things and small holes go, and a guided filter softens the edge (He, Sun
// and Tang, "Guided image filtering", ECCV 2010).
type peer struct {
	plate *cleanplate.Plate
	view  cleanplate.View
	laid  cleanplate.Laid
}

const (
	peerLooks     = 27  // frames whose median is taken
	peerApart     = 14. // codes, the sum of what the channels differ, smoothed
	peerRadius    = 4.  // px, of the guided filter
	peerSmoothing = 40. // codes², of the guide's variance that counts as an edge
)

func newPeer(ctx context.Context, clip media.Clip, j *follow.Foreground) *peer {
	g, err := cleanplate.NewGather(j.Outline, 1)
	check(err)
	n := clip.Info.Frames
	var looks [][3][]float32
	r, err := clip.Open(ctx, 0, n-1)
	check(err)
	defer r.Close()
	pic := frame.New(clip.Info.Format(), nil)
	var v cleanplate.View
	step := max(n/peerLooks, 1)
	for f := range n {
		check(r.Read(pic))
		m, _, ok := j.Pose(f)
		if !ok || f%step != 0 {
			continue
		}
		v.Read(pic, pic.Rect(), 1)
		var look [3][]float32
		for c := range look {
			look[c] = make([]float32, g.W*g.H)
		}
		to := m.Map.Mul(g.To)
		for i := range look[0] {
			p := to.Apply(geom.Pt(float64(i%g.W)+.5, float64(i/g.W)+.5))
			if p.X < 0 || p.Y < 0 || p.X >= float64(v.W) || p.Y >= float64(v.H) {
				look[0][i] = -1
				continue
			}
			t := cleanplate.Tap(p.X, p.Y, v.W, v.H)
			for c := range look {
				look[c][i] = t.Of(v.C[c])
			}
		}
		looks = append(looks, look)
	}
	p := &cleanplate.Plate{Grid: g.Grid, Pix: make([]cleanplate.Sample, g.W*g.H)}
	for i := range p.Pix {
		for c := range 3 {
			var seen []float32
			for _, l := range looks {
				if l[0][i] >= 0 {
					seen = append(seen, l[c][i])
				}
			}
			if len(seen) > 0 {
				slices.Sort(seen)
				p.Pix[i][c], p.Pix[i][5] = seen[len(seen)/2], 1
			}
		}
	}
	return &peer{plate: p}
}

func (p *peer) find(pic *frame.Picture, m geom.Map) holdout.Found {
	r, bin := p.plate.Part(m.Warp(), pic.Width, pic.Height)
	if r.Empty() {
		return holdout.Found{}
	}
	p.view.Read(pic, r, bin)
	p.laid.Lay(p.plate, m.Warp(), &p.view)
	w, h := p.view.W, p.view.H
	apart := make([]float32, w*h)
	for i := range apart {
		if p.laid.Sure[i] == 0 {
			continue
		}
		for c := range 3 {
			apart[i] += float32(math.Abs(float64(p.view.C[c][i] - p.laid.Pix[c][i])))
		}
	}
	filter.Gauss(apart, w, h, 1, 1)
	mask := make([]float32, w*h)
	for i, d := range apart {
		if d > peerApart {
			mask[i] = 1
		}
	}
	erode := func(r, at float64) { // with at near 1; widens with at near 0
		filter.BoxAcross(mask, w, h, r)
		filter.BoxDown(mask, w, h, r)
		for i, v := range mask {
			mask[i] = 0
			if float64(v) > at {
				mask[i] = 1
			}
		}
	}
	erode(1, .999) // opening by a square of 3, closing by one of 7
	erode(1, .001)
	erode(3, .001)
	erode(3, .999)
	alpha := guided(p.view.C[0], mask, w, h)
	out := holdout.Found{Rect: r, Pix: make([]uint8, r.Dx()*r.Dy())}
	for y := range r.Dy() {
		for x := range r.Dx() {
			out.Pix[y*r.Dx()+x] = uint8(min(max(alpha[min(y/bin, h-1)*w+min(x/bin, w-1)], 0), 1)*255 + .5)
		}
	}
	return out
}

// guided filters a mask by a guide.
func guided(guide, mask []float32, w, h int) []float32 {
	box := func(of func(i int) float32) []float32 {
		v := make([]float32, w*h)
		for i := range v {
			v[i] = of(i)
		}
		filter.BoxAcross(v, w, h, peerRadius)
		filter.BoxDown(v, w, h, peerRadius)
		return v
	}
	g, m := box(func(i int) float32 { return guide[i] }), box(func(i int) float32 { return mask[i] })
	gg := box(func(i int) float32 { return guide[i] * guide[i] })
	gm := box(func(i int) float32 { return guide[i] * mask[i] })
	slope := func(i int) float32 { return (gm[i] - g[i]*m[i]) / (gg[i] - g[i]*g[i] + peerSmoothing) }
	a, b := box(slope), box(func(i int) float32 { return m[i] - slope(i)*g[i] })
	for i := range a {
		b[i] += a[i] * guide[i]
	}
	return b
}
