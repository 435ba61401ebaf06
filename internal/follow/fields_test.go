package follow

import (
	"context"
	"fmt"
	"testing"

	"celator/core/geom"
	"celator/core/track"
	"celator/internal/media"
)

// woven makes an interlaced clip of a chart that moves by as much in every field's time, before
// noise that rests, softened as a camera that fills its lines softens it.
func woven(t *testing.T, step geom.Point, order, first string) media.Clip {
	t.Helper()
	c := drawn(t,
		"-f", "lavfi", "-i", "color=c=gray:s=640x360:r=50:d=1,format=yuv444p,noise=alls=60:allf=0:all_seed=3,gblur=1",
		"-f", "lavfi", "-i", "testsrc2=s=160x96:r=50:d=1,select=eq(n\\,7),loop=-1:1,fps=50,format=yuv444p,gblur=1",
		"-filter_complex", fmt.Sprintf("[0][1]overlay=x=60+%g*n:y=80+%g*n:eval=frame:format=yuv444,"+
			"tinterlace=interleave_%s,setfield=%s", step.X, step.Y, order, first),
		"-t", "1", "-r", "25", "-pix_fmt", "yuv422p")
	if c.Info.First() != order {
		t.Fatalf("it is taken for %s", c.Info.Field)
	}
	return c
}

// A surface in interlaced pictures is followed field by field, at its
// corners, whichever field comes first and however many lines it moves in a field's time.
func TestFieldsAreFollowed(t *testing.T) {
	for _, c := range []struct {
		step         geom.Point
		order, first string
		most         float64 // px: the chart has lines finer than a field tells apart
	}{{geom.Pt(6, 1), "top", "tff", .3}, {geom.Pt(8, 2), "bottom", "bff", .9}, {geom.Pt(-2, 0), "top", "tff", .8}} {
		clip := woven(t, c.step, c.order, c.first).ByField()
		box := []geom.Point{{X: 60, Y: 80}, {X: 220, Y: 80}, {X: 220, Y: 176}, {X: 60, Y: 176}}
		told := 0
		err := Run(context.Background(), Job{
			Clip: clip, Outline: box, Model: track.Affine, Anchors: []Anchor{{Map: geom.Identity}}, To: clip.Info.Frames - 1,
			Found: func(f int, p []track.Pose) {
				told++
				if p[0].State != track.Good && f > 0 {
					t.Errorf("%v a field: field %d is %s", c.step, f, p[0].State)
				}
				for _, q := range box {
					want := q.Add(c.step.Mul(float64(f)))
					if off := p[0].Map.Apply(q).Sub(want).Len(); off > c.most {
						t.Fatalf("%v a field: in field %d a corner is %.2f px off", c.step, f, off)
					}
				}
			},
		})
		if err != nil || told != 50 {
			t.Fatalf("%v a field: %d fields told, %v", c.step, told, err)
		}
	}
}
