package filter

import (
	"fmt"
	"math"
	"math/rand"
	"testing"
)

// A point that is smoothed keeps its sum and gets the variance asked for, both ways.
func TestGauss(t *testing.T) {
	for _, s := range [][2]float64{{.3, .6}, {.7, 1.2}, {2, .5}, {6, 9}} {
		const w, h = 121, 101
		pix := make([]float32, w*h)
		pix[50*w+60] = 1
		Gauss(pix, w, h, s[0], s[1])
		var sum, vx, vy float64
		for i, v := range pix {
			x, y := float64(i%w-60), float64(i/w-50)
			sum, vx, vy = sum+float64(v), vx+float64(v)*x*x, vy+float64(v)*y*y
		}
		if math.Abs(sum-1) > 1e-3 || math.Abs(math.Sqrt(vx)-s[0]) > .06*s[0] || math.Abs(math.Sqrt(vy)-s[1]) > .06*s[1] {
			t.Errorf("%v: sum %.4f, deviations %.3f and %.3f", s, sum, math.Sqrt(vx), math.Sqrt(vy))
		}
	}
}

// A box of any half-width is the mean over it, whatever the grid, edges repeated: against
// the sum taken sample by sample.
func TestBoxAgainstItsSum(t *testing.T) {
	rng := rand.New(rand.NewSource(4))
	for range 60 {
		w, h, r := 1+rng.Intn(40), 1+rng.Intn(40), 12*rng.Float64()
		pix := make([]float32, w*h)
		for i := range pix {
			pix[i] = rng.Float32() * 255
		}
		across, down := append([]float32{}, pix...), append([]float32{}, pix...)
		BoxAcross(across, w, h, r)
		BoxDown(down, w, h, r)
		n := int(r)
		mean := func(at func(k int) float32) float64 {
			sum := (r - float64(n)) * float64(at(-n-1)+at(n+1))
			for k := -n; k <= n; k++ {
				sum += float64(at(k))
			}
			return sum / (2*r + 1)
		}
		for y := range h {
			for x := range w {
				a := mean(func(k int) float32 { return pix[y*w+min(max(x+k, 0), w-1)] })
				d := mean(func(k int) float32 { return pix[min(max(y+k, 0), h-1)*w+x] })
				if math.Abs(float64(across[y*w+x])-a) > .02 || math.Abs(float64(down[y*w+x])-d) > .02 {
					t.Fatalf("%dx%d, half-width %.2f, at %d,%d: %.3f and %.3f, not %.3f and %.3f", w, h, r, x, y,
						across[y*w+x], down[y*w+x], a, d)
				}
			}
		}
	}
}

// A single bright sample is spread over its row.
func ExampleBoxAcross() {
	row := []float32{0, 0, 9, 0, 0}
	BoxAcross(row, 5, 1, 1)
	fmt.Println(row)
	// Output: [0 3 3 3 0]
}
