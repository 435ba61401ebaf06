package cut

import (
	"math"
	"math/rand"
	"testing"
)

// world is a wide picture that a camera looks at a part of.
type world [3][96 * 54]float32

func newWorld(rng *rand.Rand) *world {
	var w world
	base := [3]float32{float32(40 + 140*rng.Float64()), float32(110 + 40*rng.Float64()), float32(110 + 40*rng.Float64())}
	for c := range w {
		for i := range w[c] {
			w[c][i] = base[c]
		}
	}
	for range 60 { // things in it
		x, y, r := rng.Intn(96), rng.Intn(54), 2+rng.Intn(10)
		d := [3]float32{
			float32(120 * (rng.Float64() - .5)), float32(40 * (rng.Float64() - .5)),
			float32(40 * (rng.Float64() - .5)),
		}
		for j := max(y-r, 0); j < min(y+r, 54); j++ {
			for i := max(x-r, 0); i < min(x+r, 96); i++ {
				for c := range w {
					w[c][j*96+i] = base[c] + d[c]
				}
			}
		}
	}
	return &w
}

// look is what the camera sees at a place, in some light, with noise.
func (w *world) look(rng *rand.Rand, x, y, light float64) *Thumb {
	var t Thumb
	for c := range t {
		for j := range Down {
			for i := range Across {
				u, v := x+float64(i), y+float64(j)
				a, b := int(u), int(v)
				p, q := float32(u-float64(a)), float32(v-float64(b))
				at := func(a, b int) float32 { return w[c][min(max(b, 0), 53)*96+min(max(a, 0), 95)] }
				val := (1-q)*((1-p)*at(a, b)+p*at(a+1, b)) + q*((1-p)*at(a, b+1)+p*at(a+1, b+1))
				if c == 0 {
					val *= float32(light)
				}
				t[c][j*Across+i] = val + float32(.6*rng.NormFloat64())
			}
		}
	}
	return &t
}

func mix(a, b *Thumb, s float32) *Thumb {
	var t Thumb
	for c := range t {
		for i := range t[c] {
			t[c][i] = a[c][i] + s*(b[c][i]-a[c][i])
		}
	}
	return &t
}

// Cuts are found where they are, and dissolves are flagged near their middle; pans, shakes,
// flashes and changes of light are neither.
func TestBoundaries(t *testing.T) {
	rng := rand.New(rand.NewSource(9))
	cuts, found, dissolves, flagged, wrong := 0, 0, 0, 0, 0
	for range 15 {
		var f Finder
		n := 0
		var want, soft []int
		add := func(t *Thumb) { f.Add(n, t); n++ }
		w := newWorld(rng)
		from := [2]float64{10 + 30*rng.Float64(), 5 + 15*rng.Float64()}
		for shot := range 5 {
			x, y, vx := from[0], from[1], 1.2*(rng.Float64()-.5)
			from = [2]float64{10 + 30*rng.Float64(), 5 + 15*rng.Float64()}
			length := 45 + rng.Intn(40)
			for k := range length {
				light := 1 + .12*math.Sin(float64(k)/float64(length)*math.Pi)
				if shot == 2 && k >= 20 && k < 22 { // somebody takes a photograph
					light *= 1.5
				}
				add(w.look(rng, x+vx*float64(k)+.4*rng.NormFloat64(), y+.3*rng.NormFloat64(), light))
			}
			if shot == 4 {
				break
			}
			next := newWorld(rng)
			if shot == 1 {
				a, b := w.look(rng, x+vx*float64(length), y, 1), next.look(rng, from[0], from[1], 1)
				if differ(a, b) < gradual+4 { // alike by chance
					from = [2]float64{x + vx*float64(length), y}
					continue
				}
				const long = 16
				soft = append(soft, n+long/2)
				for k := range long {
					add(mix(a, b, float32(k+1)/(long+1)))
				}
				w = next
				continue
			}
			want = append(want, n)
			w = next
		}
		got := f.Boundaries()
		near := func(at, far int, dissolve bool) bool {
			for _, b := range got {
				if b.Dissolve == dissolve && b.Frame >= at-far && b.Frame <= at+far {
					return true
				}
			}
			return false
		}
		for _, at := range want {
			cuts++
			if near(at, 0, false) {
				found++
			}
		}
		for _, at := range soft {
			dissolves++
			if near(at, 10, true) {
				flagged++
			}
		}
		for _, b := range got {
			if !b.Dissolve {
				hit := false
				for _, at := range want {
					hit = hit || b.Frame == at
				}
				if !hit {
					wrong++
				}
			}
		}
	}
	t.Logf("cuts %d of %d, wrong ones %d; dissolves %d of %d", found, cuts, wrong, flagged, dissolves)
	if float64(found) < .95*float64(cuts) || wrong > cuts/40 || float64(flagged) < .7*float64(dissolves) {
		t.Errorf("cuts %d of %d, wrong ones %d; dissolves %d of %d", found, cuts, wrong, flagged, dissolves)
	}
}
