package holdout

import (
	"math"

	"celator/core/cleanplate"
)

// spreader carries what is known at some samples to others that nothing parts from
// them: edge-preserving smoothing by weighted least squares, solved along rows and
// columns in turn (Min, Choi, Lu, Ham, Sohn and Do, "Fast global image smoothing based
// on weighted least squares", TIP 23(12), 2014).
type spreader struct {
	w, h         int
	across, down []float32 // how well a sample is joined to the next, 0 to 1
	num, den     []float32
	c            []float32 // scratch
}

// How far knowledge is carried, in samples, about: at first to even out noise, then to
// where little is known.
const (
	evenOut  = 3.
	carryFar = 60.
)

func (s *spreader) size(w, h int) {
	s.w, s.h = w, h
	n := w * h
	s.across, s.down, s.num, s.den = cleanplate.Resize(s.across, n), cleanplate.Resize(s.down, n),
		cleanplate.Resize(s.num, n),
		cleanplate.Resize(s.den, n)
	s.c = cleanplate.Resize(s.c, n)
}

// carry smooths values, and what they are known by alike, over a distance.
func (s *spreader) carry(reach float64, rounds int) {
	for t := 1; t <= rounds; t++ {
		l := float32(1.5 * math.Pow(4, float64(rounds-t)) / (math.Pow(4, float64(rounds)) - 1) * reach * reach)
		s.rows(l)
		s.columns(l)
	}
}

// rows solves (1 + l A) u = f along each row, for both at once.
func (s *spreader) rows(l float32) {
	w := s.w
	c := s.c[:w]
	for y := range s.h {
		a, f, g := s.across[y*w:][:w], s.num[y*w:][:w], s.den[y*w:][:w]
		var up float32 // -l times the joint to the sample before
		for x := range c {
			next := -l * a[x]
			if x == w-1 {
				next = 0
			}
			b := 1 - up - next
			var k, fp, gp float32
			if x > 0 {
				k, fp, gp = c[x-1], f[x-1], g[x-1]
			}
			m := 1 / (b - up*k)
			c[x] = next * m
			f[x] = (f[x] - up*fp) * m
			g[x] = (g[x] - up*gp) * m
			up = next
		}
		for x := w - 2; x >= 0; x-- {
			f[x] -= c[x] * f[x+1]
			g[x] -= c[x] * g[x+1]
		}
	}
}

// columns does the same along columns, all columns of a row at a time.
func (s *spreader) columns(l float32) {
	w, h := s.w, s.h
	for y := range h {
		c, f, g := s.c[y*w:][:w], s.num[y*w:][:w], s.den[y*w:][:w]
		a := s.down[y*w:][:w]
		if y == 0 {
			for x := range c {
				next := -l * a[x]
				m := 1 / (1 - next)
				c[x], f[x], g[x] = next*m, f[x]*m, g[x]*m
			}
			continue
		}
		b, cp, fp, gp := s.down[(y-1)*w:][:w], s.c[(y-1)*w:][:w], s.num[(y-1)*w:][:w], s.den[(y-1)*w:][:w]
		last := float32(1)
		if y == h-1 {
			last = 0
		}
		for x := range c {
			up, next := -l*b[x], -l*a[x]*last
			m := 1 / (1 - up - next - up*cp[x])
			c[x] = next * m
			f[x] = (f[x] - up*fp[x]) * m
			g[x] = (g[x] - up*gp[x]) * m
		}
	}
	for y := h - 2; y >= 0; y-- {
		c, f, g, fn, gn := s.c[y*w:][:w], s.num[y*w:][:w], s.den[y*w:][:w], s.num[(y+1)*w:][:w], s.den[(y+1)*w:][:w]
		for x := range c {
			f[x] -= c[x] * fn[x]
			g[x] -= c[x] * gn[x]
		}
	}
}
