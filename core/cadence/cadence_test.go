package cadence

import (
	"math"
	"math/rand"
	"testing"

	"celator/core/frame"
)

// scene draws a moving picture at a time in seconds, with noise as coding leaves it.
func scene(p *frame.Picture, t, speed float64, rng *rand.Rand, lines func(y int) bool) {
	for y := range p.Height {
		if !lines(y) {
			continue
		}
		row := p.Row(0, y, 0, p.Width)
		for x := range row {
			u, v := float64(x)-speed*t, float64(y)-.3*speed*t
			row[x] = byte(120 + 50*math.Sin(u/5) + 40*math.Cos(v/7) + rng.NormFloat64()*1.2)
		}
	}
}

// Film in fields is told from video in fields, at its frames and with its phase, whatever field is
// shown first, and where the one goes over into the other.
func TestCadence(t *testing.T) {
	rng := rand.New(rand.NewSource(23))
	format := frame.Format{Width: 96, Height: 64, Depth: 8, SubX: 1, SubY: 1, Range: frame.Limited, Matrix: frame.BT601}
	for n := range 24 {
		speed, phase, film := 20+rng.Float64()*200, rng.Intn(5), 15+rng.Intn(60)
		before, after := rng.Intn(30), rng.Intn(30)
		odd := n % 2 // the parity of the lines that are shown first
		var f Finder
		for k := range before + film + after {
			p := frame.New(format, nil)
			inFilm := k >= before && k < before+film
			for i := range 2 { // fields in the order of time
				at := float64(2*k+i) / 60
				if inFilm { // fields 2, 3, 2, 3 of pictures: AA AB... by the field's number in the cycle
					field := 2*(k-before+phase) + i
					picture := field/10*4 + []int{0, 0, 1, 1, 1, 2, 2, 3, 3, 3}[field%10]
					at = float64(picture) / 24
				}
				scene(p, at, speed, rng, func(y int) bool { return y%2 == (odd+i)%2 })
			}
			f.Add(p)
		}
		got := f.Found()
		if len(got) != 1 {
			t.Fatalf("%d: speed %.0f, %d frames of film after %d: %+v", n, speed, film, before, got)
		}
		if s := got[0]; s.First > before+5 || s.First < before-4 || s.Last < before+film-6 || s.Last > before+film+3 {
			t.Errorf("%d: film on frames %d to %d; found %+v", n, before, before+film-1, s)
		}
	}
	var still Finder
	for range 60 {
		p := frame.New(format, nil)
		scene(p, 1, 0, rand.New(rand.NewSource(1)), func(int) bool { return true })
		still.Add(p)
	}
	if got := still.Found(); len(got) > 0 {
		t.Errorf("a still: %+v", got)
	}
}
