package holdout

import (
	"image"
	"math"

	"celator/core/filter"
	"celator/core/geom"
)

// boxes takes local means with half-widths across and down.
func boxes(v []float32, w, h int, rx, ry float64) {
	filter.BoxAcross(v, w, h, rx)
	filter.BoxDown(v, w, h, ry)
}

// past is the foreground on the frame before, small.
type past struct {
	at   image.Point // of the first sample, picture px
	w, h int
	y    []float32
	in   []bool
	step int        // px from sample to sample
	move geom.Point // how far the foreground had moved, px, where that was seen
}

const sampleStep = 4 // px from sample to sample

// small makes the frame's luma and mask small.
func (f *Finder) small(mask []uint8) past {
	k := max(sampleStep/f.Bin, 1)
	p := past{at: f.Rect.Min, w: f.W / k, h: f.H / k, step: k * f.Bin}
	p.y, p.in = make([]float32, p.w*p.h), make([]bool, p.w*p.h)
	norm := 1 / float32(k*k)
	for y := range p.h {
		for x := range p.w {
			var s float32
			n := 0
			for dy := range k {
				row := (y*k+dy)*f.W + x*k
				for dx := range k {
					s += f.C[0][row+dx]
					n += int(mask[row+dx])
				}
			}
			p.y[y*p.w+x], p.in[y*p.w+x] = s*norm, 2*n > k*k
		}
	}
	return p
}

// motion finds how far the foreground has moved since the frame before: the shift that
// makes what was in front then most like what is there now, first on every second
// shift. It is not told where nothing stands out against others, or too little was in
// front.
//
// Long: one search, coarse to fine, over state that the levels hand on.
func (l *past) motion(f *Finder, mask []uint8) (geom.Point, bool) {
	now := f.small(mask)
	if l.step != now.step {
		return geom.Point{}, false
	}
	off := now.at.Sub(l.at).Div(l.step)
	var in []image.Point
	for i, v := range l.in {
		if v {
			in = append(in, image.Pt(i%l.w, i/l.w))
		}
	}
	if len(in) < 24 {
		return geom.Point{}, false
	}
	for len(in) > 800 { // tell as much
		n := 0
		for i := 0; i < len(in); i += 2 {
			in[n] = in[i]
			n++
		}
		in = in[:n]
	}
	const reach = 16
	score := func(d image.Point) float32 {
		var s float32
		c := 0
		for _, p := range in {
			q := p.Add(d).Sub(off)
			if q.X < 0 || q.Y < 0 || q.X >= now.w || q.Y >= now.h {
				continue
			}
			v := abs(l.y[p.Y*l.w+p.X] - now.y[q.Y*now.w+q.X])
			if !now.in[q.Y*now.w+q.X] {
				v += 12
			}
			s += v
			c++
		}
		if c <= len(in)/3 {
			return 255
		}
		// What repeats fits in many places; things go on as they went.
		far := geom.Pt(float64(d.X), float64(d.Y)).Sub(l.move.Mul(1 / float64(l.step))).Len()
		return s/float32(c) + .25*float32(min(far, 12))
	}
	best, second := float32(math.MaxFloat32), float32(math.MaxFloat32)
	var at image.Point
	var scores [reach + 1][reach + 1]float32
	for y := range scores {
		for x := range scores[y] {
			d := image.Pt(2*x-reach, 2*y-reach)
			scores[y][x] = score(d)
			if scores[y][x] < best {
				best, at = scores[y][x], d
			}
		}
	}
	rough := at
	for dy := -1; dy <= 1; dy++ {
		for dx := -1; dx <= 1; dx++ {
			if v := score(rough.Add(image.Pt(dx, dy))); v < best {
				best, at = v, rough.Add(image.Pt(dx, dy))
			}
		}
	}
	for y := range scores { // the best away from the best
		for x := range scores[y] {
			if d := image.Pt(2*x-reach, 2*y-reach).Sub(rough); max(d.X, -d.X, d.Y, -d.Y) > 2 {
				second = min(second, scores[y][x])
			}
		}
	}
	if max(at.X, -at.X, at.Y, -at.Y) >= reach || best > .8*second {
		return geom.Point{}, false
	}
	// Between samples: the top of the parabola through the neighbours.
	top := func(way image.Point) float64 {
		a, c := score(at.Sub(way)), score(at.Add(way))
		if d := a - 2*best + c; d > 0 {
			return float64(min(max((a-c)/d/2, -.5), .5))
		}
		return 0
	}
	return geom.Pt(float64(at.X)+top(image.Pt(1, 0)), float64(at.Y)+top(image.Pt(0, 1))).Mul(float64(now.step)), true
}

// keep remembers the frame; where the motion was not seen it is taken to go on.
func (l *past) keep(f *Finder, mask []uint8, move geom.Point, moved bool) {
	if !moved {
		move = l.move.Mul(.7)
	}
	*l = f.small(mask)
	l.move = move
}
