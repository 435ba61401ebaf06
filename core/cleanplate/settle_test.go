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
				p := frame.New(frame.Format{
					Width: 280, Height: 180, Depth: 8, SubX: 1, SubY: 1, Range: frame.Limited, Matrix: frame.BT709,
				}, nil)
				for y := range p.Height {
					for x := range p.Width {
						v := sign(float64(x)-by.X, float64(y)-by.Y)
						if c.in(k) && math.Hypot(float64(x)-130, .6*(float64(y)-95)) < 42 {
							v = board(float64(x), float64(y))
						}
						p.Planes[0][y*p.Width+x] = byte(v + 1.5*r.NormFloat64() + .5)
					}
				}
				for _, c := range p.Planes[1:] {
					for i := range c {
						c[i] = 128
					}
				}
				g.Add(p, geom.Translate(by), k == 0)
			}
			plate, err := g.Plate()
			if err != nil {
				t.Fatal(err)
			}
			wrong, all := 0, 0
			for i := range plate.Pix {
				q := plate.To.Apply(geom.Pt(float64(i%plate.W)+.5, float64(i/plate.W)+.5))
				if math.Hypot(q.X-130, .6*(q.Y-95)) > 36 {
					continue
				}
				all++
				if math.Abs(float64(plate.Pix[i][0])-sign(q.X-.5, q.Y-.5)) > 24 { // nearer, and they are as one to a plate
					wrong++
				}
			}
			if 100*wrong > 3*all {
				t.Errorf("%d of %d places behind the board are not the sign's", wrong, all)
			}
		})
	}
}
