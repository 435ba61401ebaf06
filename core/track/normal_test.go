package track

import (
	"math"
	"math/rand/v2"
	"testing"
)

// What samples tell, gathered by their slopes, is what it is when each is entered by itself.
func TestSlopes(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	var s slopes
	var want normal
	for range 200 {
		w, gx, gy, u, v, off := r.Float64(), r.NormFloat64(), r.NormFloat64(), r.NormFloat64(), r.NormFloat64(),
			r.NormFloat64()
		t := -(gx*u + gy*v)
		s.add(w, gx, gy, u, v, off)
		want.add(w, &[8]float64{gx * u, gx * v, gx, gy * u, gy * v, gy, t * u, t * v}, off)
	}
	got := s.equations()
	for i, v := range want.h {
		if math.Abs(got.h[i]-v) > 1e-9*(1+math.Abs(v)) {
			t.Errorf("matrix %d: %g, not %g", i, got.h[i], v)
		}
	}
	for i, v := range want.rhs {
		if math.Abs(got.rhs[i]-v) > 1e-9*(1+math.Abs(v)) {
			t.Errorf("right side %d: %g, not %g", i, got.rhs[i], v)
		}
	}
}
