package cleanplate

import (
	"math"
	"math/rand/v2"
	"testing"

	"celator/core/frame"
	"celator/core/geom"
)

// A sign is filmed from the hand or from a stand, and a board stands in front of it on some frames, the first of which
// the editor has seen: the plate shows the sign and nothing of the board.
func TestPlateBehindWhatStandsInFront(t *testing.T) {
	sign := func(x, y float64) float64 { return 120 + 45*math.Sin(x/9)*math.Cos(y/7) + 20*math.Sin((x+2*y)/23) }
	board := func(x, y float64) float64 { return 95 + 18*math.Sin(x/11+1)*math.Sin(y/13) }
	for name, c := range map[string]struct {
		shake float64          // px
		in    func(k int) bool // front at the look
	}{
		"from the hand, for half of the time":  {shake: 4, in: func(k int) bool { return k < 12 }},
		"from the hand, for more than half":    {shake: 4, in: func(k int) bool { return k < 15 }},
		"from a stand, for half of the time":   {in: func(k int) bool { return k < 12 }},
		"from a stand, for a little more":      {in: func(k int) bool { return k < 13 }},
		"from the hand, in the end":            {shake: 4, in: func(k int) bool { return k > 8 }},
		"from a stand, in the midst, for less": {in: func(k int) bool { return k > 6 && k < 17 }},
	} {
		t.Run(name, func(t *testing.T) {
			g, err := NewGather([]geom.Point{{X: 40, Y: 30}, {X: 240, Y: 30}, {X: 240, Y: 150}, {X: 40, Y: 150}}, 1)
			if err != nil {
				t.Fatal(err)
			}
			r := rand.New(rand.NewPCG(3, 4))
			for k := range MaxViews {
				by := geom.Pt(c.shake*math.Sin(1.7*float64(k)), c.shake*math.Cos(2.3*float64(k)))
				p := grey(func(x, y float64) float64 {
					if c.in(k) && behind(x, y, 42) {
						return board(x, y) + 1.5*r.NormFloat64()
					}
					return sign(x-by.X, y-by.Y) + 1.5*r.NormFloat64()
				})
				g.Add(p, geom.Translate(by).Warp(), k == 0)
			}
			plate, err := g.Plate()
			if err != nil {
				t.Fatal(err)
			}
			wrong, all := unlike(plate, sign)
			if 100*wrong > 3*all {
				t.Errorf("%d of %d places behind the board are not the sign's", wrong, all)
			}
		})
	}
}

// Where a board stands on all frames on which the sign is surely found, a look that was offered shows the sign: it is
// taken from where the sign is, and not from anywhere else.
func TestLooksOffered(t *testing.T) {
	sign := func(x, y float64) float64 { return 120 + 45*math.Sin(x/9)*math.Cos(y/7) + 20*math.Sin((x+2*y)/23) }
	for off, taken := range map[float64]bool{0: true, .7: true, 9: false, 40: false} {
		g, err := NewGather([]geom.Point{{X: 40, Y: 30}, {X: 240, Y: 30}, {X: 240, Y: 150}, {X: 40, Y: 150}}, 1)
		if err != nil {
			t.Fatal(err)
		}
		r := rand.New(rand.NewPCG(5, 6))
		for k := range MaxViews {
			front := k < enoughSure
			p := grey(func(x, y float64) float64 {
				if front && behind(x, y, 42) {
					return 95 + 18*math.Sin(x/11+1)*math.Sin(y/13) + 1.5*r.NormFloat64()
				}
				return sign(x, y) + 1.5*r.NormFloat64()
			})
			if front {
				g.Add(p, geom.Identity.Warp(), k == 0)
			} else {
				g.Offer(p, geom.Translate(geom.Pt(off, off/2)).Warp())
			}
		}
		plate, err := g.Plate()
		if err != nil {
			t.Fatal(err)
		}
		if n := len(g.looks) - enoughSure; n != map[bool]int{true: MaxViews - enoughSure}[taken] {
			t.Errorf("looks %g px off: %d are taken", off, n)
		}
		if wrong, all := unlike(plate, sign); taken && 100*wrong > 5*all {
			t.Errorf("looks %g px off: %d of %d places behind the board are not the sign's", off, wrong, all)
		}
	}
}

// grey is a picture of luma alone.
func grey(luma func(x, y float64) float64) *frame.Picture {
	p := frame.New(frame.Format{
		Width: 280, Height: 180, Depth: 8, SubX: 1, SubY: 1, Range: frame.Limited, Matrix: frame.BT709,
	}, nil)
	for y := range p.Height {
		for x := range p.Width {
			p.Planes[0][y*p.Width+x] = byte(luma(float64(x), float64(y)) + .5)
		}
	}
	for _, c := range p.Planes[1:] {
		for i := range c {
			c[i] = 128
		}
	}
	return p
}

// behind reports whether a place is behind a board of a size.
func behind(x, y, size float64) bool { return math.Hypot(x-130, .6*(y-95)) < size }

// unlike counts the places behind the board, a little inside its rim, and those of them that are not the sign's.
func unlike(plate *Plate, sign func(x, y float64) float64) (wrong, all int) {
	for i := range plate.Pix {
		q := plate.To.Apply(geom.Pt(float64(i%plate.W)+.5, float64(i/plate.W)+.5))
		if !behind(q.X, q.Y, 36) {
			continue
		}
		all++
		if math.Abs(float64(plate.Pix[i][0])-sign(q.X-.5, q.Y-.5)) > 24 { // nearer, and they are as one to a plate
			wrong++
		}
	}
	return wrong, all
}
