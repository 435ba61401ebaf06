package holdout

import (
	"image"
	"slices"

	"celator/core/cleanplate"
)

// regions visits the connected areas of a value; those that keep refuses are turned
// into the other one.
func regions(mask []uint8, w, h int, value uint8, keep func(area []int32) bool) {
	const seen = 2
	var stack, area []int32
	for start := range mask {
		if mask[start] != value {
			continue
		}
		stack, area = append(stack[:0], int32(start)), area[:0]
		mask[start] = value | seen
		for len(stack) > 0 {
			i := int(stack[len(stack)-1])
			stack = stack[:len(stack)-1]
			area = append(area, int32(i))
			x := i % w
			visit := func(j int) {
				if mask[j] == value {
					mask[j] |= seen
					stack = append(stack, int32(j))
				}
			}
			if x > 0 {
				visit(i - 1)
			}
			if x < w-1 {
				visit(i + 1)
			}
			if i >= w {
				visit(i - w)
			}
			if i < w*(h-1) {
				visit(i + w)
			}
		}
		if !keep(area) {
			for _, i := range area {
				mask[i] = 1 - value | seen
			}
		}
	}
	for i := range mask {
		mask[i] &= 1
	}
}

// share is how much of the surface in the picture is held out.
func (f *Finder) share(alpha []float32) float64 {
	var all, held float64
	for i, v := range f.inside {
		all += float64(v)
		held += float64(v * alpha[i])
	}
	return held / max(all, 1)
}

// full returns the matte at the picture's own size.
func (f *Finder) full(alpha []float32) []uint8 {
	w, h := f.Rect.Dx(), f.Rect.Dy()
	out := make([]uint8, w*h)
	code := func(v float32) uint8 { return uint8(min(max(v, 0), 1)*255 + .5) }
	if f.Bin == 1 {
		for i, v := range alpha {
			out[i] = code(v)
		}
		return out
	}
	k := 1 / float64(f.Bin)
	for y := range h {
		for x := range w {
			t := cleanplate.Tap((float64(x)+.5)*k, (float64(y)+.5)*k, f.W, f.H)
			out[y*w+x] = code(t.Of(alpha))
		}
	}
	return out
}

// thick leaves of a mask what is thicker than thin samples: edges of the surface under a
// pose a little off are not. It is the opening by a square.
func (f *Finder) thick(mask []uint8) {
	v := f.cc
	for i, m := range mask {
		v[i] = float32(m)
	}
	boxes(v, f.W, f.H, leastHalfWidth, leastHalfWidth)
	for i, m := range v {
		v[i] = 0
		if m > .999 {
			v[i] = 1
		}
	}
	boxes(v, f.W, f.H, leastHalfWidth, leastHalfWidth)
	for i, m := range v {
		if m < 1e-3 {
			mask[i] = 0
		}
	}
}

// comes reports whether an area can be something that passes: it reaches the rim of what
// is known, or was there on the frame before. Nothing small appears amid a surface.
func (f *Finder) comes(area []int32) bool {
	l := &f.last
	if l.step == 0 {
		return true
	}
	for _, i := range area {
		x, y := int(i)%f.W, int(i)/f.W
		known := func(i int32) bool { return f.laid.Sure[i] > leastAgreeing }
		row := int32(2 * f.W)
		if x < 2 || y < 2 || x >= f.W-2 || y >= f.H-2 || !known(i-2) || !known(i+2) || !known(i-row) || !known(i+row) {
			return true
		}
		p := f.Rect.Min.Add(image.Pt(x, y).Mul(f.Bin)).Sub(l.at).Div(l.step)
		for _, d := range [5]image.Point{
			{}, {X: refoundWithin}, {X: -refoundWithin}, {Y: refoundWithin}, {Y: -refoundWithin},
		} {
			if q := p.Add(d); q.X >= 0 && q.Y >= 0 && q.X < l.w && q.Y < l.h && l.in[q.Y*l.w+q.X] {
				return true
			}
		}
	}
	return false
}

// atRim reports whether an area reaches the frame's part that is looked at.
func (f *Finder) atRim(area []int32) bool {
	for _, i := range area {
		if x, y := int(i)%f.W, int(i)/f.W; x == 0 || y == 0 || x == f.W-1 || y == f.H-1 {
			return true
		}
	}
	return false
}

// joined leaves of a soft matte what hangs together with its mask: a lone sample of the surface beside the edge
// may have the foreground's colour, and is none of it.
func joined(alpha []float32, mask []uint8, w, h int) {
	some := make([]uint8, len(alpha))
	for i, v := range alpha {
		if v > 0 {
			some[i] = 1
		}
	}
	regions(some, w, h, 1, func(area []int32) bool {
		return slices.ContainsFunc(area, func(i int32) bool { return mask[i] > 0 })
	})
	for i, v := range some {
		alpha[i] *= float32(v)
	}
}
