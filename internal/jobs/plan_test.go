package jobs

import (
	"testing"

	"celator/core/cover"
	"celator/core/geom"
	"celator/internal/media"
	"celator/internal/store"
)

// A change that only second fields see makes another segment, of that place alone; in whole
// pictures, which have no second field, it makes none.
func TestSegmentsAreNamedByBothFields(t *testing.T) {
	document := func(x float64) *cover.Document {
		d := cover.New(320, 192, 300)
		c := box("a")
		c.Span = cover.Span{Last: 299}
		c.Motion.Keys = nil
		for _, k := range []struct {
			at cover.Time
			x  float64
		}{{0, 0}, {150, 0}, {150.5, x}, {151, 0}} {
			p := cover.Rest
			p.Move = geom.Pt(k.x, 0)
			c.Motion.Keys = append(c.Motion.Keys, cover.PlacementKey{Frame: k.at, Placement: p})
		}
		d.Covers = []cover.Cover{*c}
		return d
	}
	for field, want := range map[string][]bool{
		media.TopFirst: {true, false, true}, media.Progressive: {true, true, true},
	} {
		src := store.Source{Digest: "d", Frames: 300}
		src.Info.V = media.Info{
			Width: 320, Height: 192, Depth: 8, SubX: 1, SubY: 1, PixFmt: "yuv420p", Field: field, Frames: 300,
		}
		plan := func(d *cover.Document) []store.Segment {
			p, err := Plan(store.Shot{Frames: 300}, src, d, media.Presets["archive"], cover.Span{Last: 299}, false)
			if err != nil || len(p) != 3 {
				t.Fatalf("%d segments, %v", len(p), err)
			}
			return p
		}
		a, b := plan(document(0)), plan(document(40))
		for i := range a {
			if same := a[i].Key == b[i].Key; same != want[i] {
				t.Errorf("%s, segment %d: the same is %v", field, i, same)
			}
		}
	}
}
