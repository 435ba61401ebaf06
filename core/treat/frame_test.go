package treat

import (
	"fmt"
	"image"
	"math/rand"
	"testing"

	"celator/core/cover"
	"celator/core/frame"
	"celator/core/geom"
)

// passing is a bright target that goes far in each field's time, before noise, woven: what a
// station's camera makes of something fast.
type passing struct {
	frame.Format
	rng  *rand.Rand
	step geom.Point // a field
	size image.Point
}

func (s passing) box(t cover.Time) geom.Rect {
	at := geom.Pt(8, 6).Add(s.step.Mul(2 * float64(t)))
	return geom.Rect{Min: at, Max: at.Add(geom.Pt(float64(s.size.X), float64(s.size.Y)))}
}

// target says which samples of a plane show it at a time: a line of chroma that of any line of
// luma it stands for.
func (s passing) target(t cover.Time, plane int, field frame.Field) map[image.Point]bool {
	b := s.box(t)
	out := map[image.Point]bool{}
	sx, sy := s.Sub(plane)
	for y := int(b.Min.Y); y < int(b.Max.Y); y++ {
		if field != frame.Whole && y&1 != int(field)-1 {
			continue
		}
		line := y
		if sy == 1 {
			if line = y / 2; field != frame.Whole {
				line = y>>2<<1 + y&1
			}
		}
		for x := int(b.Min.X); x < int(b.Max.X); x++ {
			if x >= 0 && y >= 0 && x < s.Width && y < s.Height {
				out[image.Pt(x>>sx, line)] = true
			}
		}
	}
	return out
}

const bright = 235 // no other sample is

func (s passing) picture(f int) *frame.Picture {
	p := frame.New(s.Format, nil)
	for i := range p.Data {
		p.Data[i] = byte(20 + s.rng.Intn(120))
	}
	Moments(s.Format, f, func(t cover.Time, field frame.Field) {
		for plane := range 3 {
			for at := range s.target(t, plane, field) {
				p.Row(plane, at.Y, at.X, at.X+1)[0] = bright
			}
		}
	})
	return p
}

// At twenty pixels a field no line of a target lies bare in either field, in luma or in
// chroma, whatever the order of fields and the subsampling; nothing beside the covers of the line's own
// time changes; and a fill is one even colour, without a comb.
//
// Long: one scenario, told from its beginning to its end.
func TestFieldsAreConcealedAtTheirTimes(t *testing.T) {
	for _, first := range []frame.Field{frame.Whole, frame.Top, frame.Bottom} {
		for _, sub := range [][2]int{{0, 0}, {1, 0}, {1, 1}} {
			for _, step := range []geom.Point{{X: 20}, {X: 4, Y: 8}} {
				s := passing{frame.Format{
					Width: 320, Height: 120, Depth: 8, SubX: sub[0], SubY: sub[1], Range: frame.Limited, Matrix: frame.BT709,
					First: first,
				}, rand.New(rand.NewSource(5)), step, image.Pt(40, 24)}
				name := fmt.Sprintf("first %d, %v, %v a field", first, sub, step)
				d := cover.New(s.Width, s.Height, 5)
				fill := cover.NewTreatment("t", cover.Fill)
				fill.Around, fill.Grain, fill.Colour = false, cover.Const(0), "#808080"
				last := d.Frames - 1
				d.Covers = []cover.Cover{{
					ID: "c", Span: cover.Span{Last: last}, Treatments: []cover.Treatment{fill},
					Outlines: []cover.Outline{{ID: "o", Shape: cover.ShapeBox, Keys: []cover.PathKey{{Knots: geom.Box(s.box(0))}}}},
					Motion: cover.Motion{Keys: []cover.PlacementKey{
						{Placement: cover.Rest},
						{Frame: cover.Time(last), Placement: cover.Placement{Move: step.Mul(2 * float64(last)), Size: geom.Pt(1, 1)}},
					}},
				}}
				even := s.Encode(128./255, 128./255, 128./255)
				for f := range last { // the way ends with the last frame's first field
					was := s.picture(f)
					now := was.Clone()
					Frame(now, d, f, nil)
					matte := FrameMatte(d, s.Format, f)
					for plane := range 3 {
						part := Subsample(matte, s.Format, plane)
						if n := frame.Differ(was, now, plane, &part, 0); n > 0 {
							t.Fatalf("%s: frame %d, plane %d: %d samples beside the covers changed", name, f, plane, n)
						}
						Moments(s.Format, f, func(at cover.Time, field frame.Field) {
							for q := range s.target(at, plane, field) {
								v := now.Row(plane, q.Y, q.X, q.X+1)[0]
								whole := part.Row(q.Y)[q.X-part.Rect.Min.X] == 1
								if v == bright || whole && v != byte(even[plane]+.5) {
									t.Fatalf("%s: at %v plane %d shows %d at %v", name, at, plane, v, q)
								}
							}
						})
					}
				}
			}
		}
	}
}
