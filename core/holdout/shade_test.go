package holdout

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"
)

// A strong colour that light is added to, as a camera writes it down (BT.709's transfer function), does not keep its
// hue: what is said of its chroma is nearer than the plate's hue, however strong or pale.
func TestVeiled(t *testing.T) {
	rng := rand.New(rand.NewPCG(7, 1))
	camera := func(v float64) float64 {
		if v = min(v, 1); v < .018 {
			return 4.5 * v
		}
		return 1.099*math.Pow(v, .45) - .099
	}
	coded := func(c [3]float64, light float64) (y, b, r float64) {
		for k := range c {
			c[k] = camera(c[k] + light)
		}
		y = .2126*c[0] + .7152*c[1] + .0722*c[2]
		return 219 * y, 224 * (c[2] - y) / 1.8556, 224 * (c[0] - y) / 1.5748
	}
	var turned, all int
	var offs []float64
	for range 4000 {
		c := [3]float64{rng.Float64(), rng.Float64(), rng.Float64()}
		light := rng.Float64() * .9
		py, pb, pr := coded(c, 0)
		y, b, r := coded(c, light)
		gotB, gotR := veiled(float32(py), float32(pb), float32(pr), float32(y))
		off := math.Hypot(float64(gotB)-b, float64(gotR)-r)
		offs = append(offs, off)
		k := max((b*pb+r*pr)/(pb*pb+pr*pr+1e-9), 0)
		if hue := math.Hypot(b-k*pb, r-k*pr); hue > 4 {
			all++
			if off < hue/2 {
				turned++
			}
		}
	}
	slices.Sort(offs)
	if typical, worst := offs[len(offs)/2], offs[len(offs)*99/100]; typical > .5 || worst > 2 {
		t.Errorf("the chroma said is off by %.2f, and by %.2f of one in a hundred", typical, worst)
	}
	if all < 200 || turned < all*95/100 {
		t.Errorf("of %d hues that light turned, %d are told", all, turned)
	}
}
