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
	smooth := func(x, y float64) float64 { return 110 + 25*math.Sin(x/19)*math.Cos(y/17) }
	board := func(x, y float64) float64 { return 95 + 18*math.Sin(x/11+1)*math.Sin(y/13) }
	for name, c := range map[string]struct {
		shake float64          // px
		in    func(k int) bool // front at the look
		sways float64          // px; what sways has
		field float64          // px, the side of its squares
	}{
		"from the hand, for half of the time":  {shake: 4, in: func(k int) bool { return k < 12 }},
		"from the hand, for more than half":    {shake: 4, in: func(k int) bool { return k < 15 }},
		"from a stand, for half of the time":   {in: func(k int) bool { return k < 12 }},
		"from a stand, for a little more":      {in: func(k int) bool { return k < 13 }},
		"from the hand, in the end":            {shake: 4, in: func(k int) bool { return k > 8 }},
		"from a stand, in the midst, for less": {in: func(k int) bool { return k > 6 && k < 17 }},
		"small squares that sway":              {shake: 4, in: func(k int) bool { return k < 13 }, sways: 5, field: 5},
		"small squares, more than half":        {shake: 4, in: func(k int) bool { return k < 14 }, sways: 9, field: 5},
		"squares before what has few edges":    {shake: 4, in: func(k int) bool { return k < 13 }, sways: 9, field: 11},
		"squares that sway far":                {shake: 4, in: func(k int) bool { return k < 12 }, sways: 9, field: 11},
	} {
		t.Run(name, func(t *testing.T) {
			g, err := NewGather([]geom.Point{{X: 40, Y: 30}, {X: 240, Y: 30}, {X: 240, Y: 150}, {X: 40, Y: 150}}, 1)
			if err != nil {
				t.Fatal(err)
			}
			sign, front := sign, board
			if c.field > 0 {
				front = func(x, y float64) float64 { return 120 + 60*square(x/c.field)*square(y/c.field) }
			}
			if c.field > 8 {
				sign = smooth
			}
			r := rand.New(rand.NewPCG(3, 4))
			for k := range MaxViews {
				sway := c.sways * math.Sin(.9*float64(k))
				by := geom.Pt(c.shake*math.Sin(1.7*float64(k)), c.shake*math.Cos(2.3*float64(k)))
				p := grey(func(x, y float64) float64 {
					if c.in(k) && behind(x-sway, y, 42) {
						return front(x-sway, y) + 1.5*r.NormFloat64()
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

// square is 1 and -1 by turns.
func square(x float64) float64 { return 1 - 2*math.Abs(math.Mod(math.Floor(x), 2)) }

// A wall walks slowly in front of a sign, so that one part of it is uncovered when another is covered: the plate shows
// the sign wherever it was clear on a third of the looks.
func TestPlateBehindWhatWalks(t *testing.T) {
	sign := func(x, y float64) float64 { return 130 + 70*math.Sin((x+y)/6) }
	wall := func(x, y float64) float64 { return 90 + 12*square(x/9)*square(y/9) }
	g, err := NewGather([]geom.Point{{X: 40, Y: 30}, {X: 240, Y: 30}, {X: 240, Y: 150}, {X: 40, Y: 150}}, 1)
	if err != nil {
		t.Fatal(err)
	}
	r := rand.New(rand.NewPCG(5, 4))
	at := func(k int) (from, to float64) { return 40 + 2*float64(k), 130 + 2*float64(k) }
	for k := range MaxViews {
		from, to := at(k)
		g.Add(grey(func(x, y float64) float64 {
			if x > from && x < to {
				return wall(x-from, y) + 1.5*r.NormFloat64()
			}
			return sign(x, y) + 1.5*r.NormFloat64()
		}), geom.Identity.Warp(), k == 0)
	}
	plate, err := g.Plate()
	if err != nil {
		t.Fatal(err)
	}
	var wrong, all int
	for i := range plate.Pix {
		q := plate.To.Apply(geom.Pt(float64(i%plate.W)+.5, float64(i/plate.W)+.5))
		clear := 0
		for k := range MaxViews {
			if from, to := at(k); q.X < from-2 || q.X > to+2 {
				clear++
			}
		}
		if 3*clear < MaxViews || q.X < 42 || q.Y < 32 || q.X > 238 || q.Y > 148 {
			continue
		}
		all++
		if math.Abs(float64(plate.Pix[i][0])-sign(q.X-.5, q.Y-.5)) > 24 {
			wrong++
		}
	}
	if 100*wrong > 3*all {
		t.Errorf("%d of %d places are not the sign's", wrong, all)
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
