package follow

import (
	"context"
	"fmt"
	"math"
	"slices"
	"testing"

	"celator/core/geom"
	"celator/core/track"
	"celator/internal/media"
)

// waving makes a cloud of noise that waves in its place, and returns where what lies at p on frame a lies on b.
func waving(t *testing.T) (media.Clip, func(p geom.Point, a, b int) geom.Point) {
	t.Helper()
	clip := drawn(t, "-f", "lavfi", "-i",
		"nullsrc=size=320x240:rate=25:duration=0.04,format=gray,geq=lum='255*random(1)',gblur=sigma=2.5,eq=contrast=5",
		"-vf", `loop=loop=29:size=1,setpts=N/25/TB,geq=lum='lum(X+3*sin((Y+.5)/25+N/4)\,Y+2.5*sin((X+.5)/30+N/5))'`,
		"-pix_fmt", "yuv420p", "-frames:v", "30")
	shows := func(p geom.Point, f int) geom.Point {
		n := float64(f)
		return p.Add(geom.Pt(3*math.Sin(p.Y/25+n/4), 2.5*math.Sin(p.X/30+n/5)))
	}
	return clip, func(p geom.Point, a, b int) geom.Point {
		still := shows(p, a)
		q := still
		for range 30 {
			q = q.Add(still.Sub(shows(q, b)))
		}
		return q
	}
}

// Cloth is compared with the frame that it was drawn on alone: a second anchor says where its plane lies, and how it
// bends there is found; a stretch is followed on from what was known.
func TestCloth(t *testing.T) {
	clip, lies := waving(t)
	j := job(clip)
	j.Model = track.Cloth
	j.Anchors = []Anchor{{Frame: 10, Map: geom.Identity}, {Frame: 24, Map: geom.Translate(geom.Pt(.8, -.5))}}
	got := map[int]track.Pose{}
	j.Found = func(f int, p []track.Pose) { got[f] = p[0] }
	if err := Run(context.Background(), j); err != nil {
		t.Fatal(err)
	}
	off := func(f int, p track.Pose) float64 {
		var all []float64
		for y := 64.; y < 168; y += 8 {
			for x := 94.; x < 228; x += 8 {
				at := geom.Pt(x, y)
				all = append(all, p.Warp().Apply(at).Sub(lies(at, 10, f)).Len())
			}
		}
		slices.Sort(all)
		return all[len(all)*9/10]
	}
	whole := fmt.Sprint(got[18])
	for f := range 30 {
		if d := off(f, got[f]); d > .6 {
			t.Errorf("frame %d: a tenth is off by over %.2f px, %s", f, d, got[f].State)
		}
		if anchor := f == 10 || f == 24; anchor != (got[f].State == track.Anchor) {
			t.Errorf("frame %d is %s", f, got[f].State)
		}
	}
	known := map[int]track.Pose{}
	for f, p := range got {
		known[f] = p
	}
	j.From, j.To = 16, 19
	j.Known = func(f int) (geom.Warp, bool) { return known[f].Warp(), true }
	clear(got)
	if err := Run(context.Background(), j); err != nil {
		t.Fatal(err)
	}
	for f := 16; f <= 19; f++ {
		if d := off(f, got[f]); d > .6 {
			t.Errorf("the stretch alone, frame %d: a tenth is off by over %.2f px", f, d)
		}
	}
	if len(got) != 4 || fmt.Sprint(got[18]) == whole {
		t.Errorf("the stretch was not followed anew: %d frames", len(got))
	}
}
