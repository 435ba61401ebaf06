package checkrun

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"celator/core/check"
	"celator/core/cover"
	"celator/core/geom"
	"celator/internal/confine"
	"celator/internal/media"
)

func TestMain(m *testing.M) {
	confine.Main()
	os.Exit(m.Run())
}

// A target that moves twelve pixels in a field's time is bare where its cover waits for the
// next frame, which is found and said in frames; where the cover goes on in the second field it is
// hidden, and nothing is found.
func TestSecondFieldsAreChecked(t *testing.T) {
	path := filepath.Join(t.TempDir(), "woven.mkv")
	out, err := exec.Command("ffmpeg", "-v", "error",
		"-f", "lavfi", "-i", "color=c=gray:s=640x360:r=50:d=0.8,format=yuv444p,noise=alls=40:allf=0:all_seed=3,gblur=1",
		"-f", "lavfi", "-i", "nullsrc=s=12x8:r=50:d=0.02,format=yuv444p,geq=lum=255*random(1):cb=128:cr=128,"+
			"scale=96:64:flags=neighbor,loop=-1:1,fps=50,gblur=1",
		"-filter_complex", "[0][1]overlay=x=40+12*n:y=80:eval=frame:format=yuv444,tinterlace=interleave_top,setfield=tff",
		"-t", "0.8", "-r", "25", "-c:v", "ffv1", "-level", "3", "-pix_fmt", "yuv422p", path).CombinedOutput()
	if err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	info, err := media.Probe(context.Background(), path)
	if err != nil {
		t.Fatal(err)
	}
	last := info.Frames - 1
	document := func(ease cover.Ease) *cover.Document {
		d := cover.New(info.Width, info.Height, info.Frames)
		d.Fields = true
		c := cover.Cover{
			ID: "c", Name: "Chart", Span: cover.Span{Last: last},
			Treatments: []cover.Treatment{cover.NewTreatment("t", cover.Fill)},
			Grow:       cover.Const(1), Outlines: []cover.Outline{{ID: "o", Shape: cover.ShapeBox, Keys: []cover.PathKey{{
				Knots: geom.Box(geom.Rect{Min: geom.Pt(40, 80), Max: geom.Pt(136, 144)}),
			}}}},
		}
		for f := range info.Frames {
			p := cover.Rest
			p.Move.X = 24 * float64(f)
			c.Motion.Keys = append(c.Motion.Keys, cover.PlacementKey{Frame: cover.Time(f), Placement: p, Ease: ease})
		}
		p := cover.Rest // the last frame's second field has no key to go to
		p.Move.X = 24 * (float64(last) + .5)
		c.Motion.Keys = append(c.Motion.Keys, cover.PlacementKey{Frame: cover.Time(last) + .5, Placement: p, Ease: ease})
		d.Covers = []cover.Cover{c}
		return d
	}
	found := func(ease cover.Ease) (bare []check.Finding, all string) {
		fs, err := Run(context.Background(), Job{Clip: media.Clip{Path: path, Info: info}, Document: document(ease)})
		if err != nil {
			t.Fatal(err)
		}
		for _, f := range fs {
			all += fmt.Sprintln(f.Kind, f.Frames, f.Says)
			if f.Kind == check.Exposed {
				bare = append(bare, f)
			}
		}
		return bare, all
	}
	if bare, all := found(cover.Even); len(bare) > 0 {
		t.Errorf("a cover that goes on in the second field:\n%s", all)
	}
	bare, all := found(cover.Held)
	if len(bare) == 0 {
		t.Fatalf("a cover that waits for the next frame is not found:\n%s", all)
	}
	for _, s := range bare[0].Frames {
		if s.First < 0 || s.Last > last {
			t.Errorf("it is found on frames that the shot has not: %v", bare[0].Frames)
		}
	}
}
