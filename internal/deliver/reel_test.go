package deliver

import (
	"context"
	"fmt"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"celator/core/cover"
	"celator/internal/media"
)

// Shots of two sources go into one file, one after another: each shot's pictures and sound are its source's at its
// place, also after one whose sound ends early; what is hidden is hidden; shots in another order are not proved.
//
// Long: one scenario, told from its beginning to its end.
func TestReel(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	made := func(name, picture, args string) media.Clip {
		return clip(t, name, slices.Concat([]string{"-f", "lavfi", "-i", picture}, strings.Fields(args))...)
	}
	a := made("a.mov", "testsrc2=size=192x112:rate=30000/1001:duration=2", "-f lavfi -i sine=300:r=48000:duration=2 "+
		"-c:v prores_ks -pix_fmt yuv422p10le -c:a pcm_s24le -timecode 10:00:00;00")
	b := made("b.mkv", "mandelbrot=size=192x112:rate=30000/1001,trim=duration=2",
		"-f lavfi -i sine=700:r=48000:duration=0.8 -c:v ffv1 -pix_fmt yuv422p10le -c:a flac")
	of := func(c media.Clip, first, last int, preset media.Preset) Job {
		part := c.Part(first, last)
		d := document(part.Info)
		if c.Path == a.Path {
			d.Passages = []cover.Passage{{ID: "p", From: 4, To: 9.5, How: cover.Mute}}
		}
		return Job{
			Source: fmt.Sprint(c.Path, first), Clip: part, Sound: c.Path, Original: c.Info, Preset: preset, Parts: Whole(d),
			Last: last - first,
		}
	}
	for name, preset := range both {
		dir := t.TempDir()
		out := filepath.Join(dir, "reel"+preset.Ending)
		r, err := NewReel([]Job{of(b, 10, 44, preset), of(a, 0, 59, preset), of(a, 20, 32, preset)})
		if err != nil {
			t.Fatal(err)
		}
		var pieces []Piece
		for i, j := range r {
			j.Segment, j.Out = true, filepath.Join(dir, fmt.Sprint(i))
			if err := Render(ctx, j); err != nil {
				t.Fatal(err)
			}
			pieces = append(pieces, Piece{j.Out, j.First, j.Last})
		}
		r[0].Out = out
		if err := r.Join(ctx, pieces, nil); err != nil {
			t.Fatal(err)
		}
		proof, err := r.Verify(ctx, nil)
		if err != nil || proof.Frames != 35+60+13 || proof.Passages != 2 {
			t.Fatalf("%s: %+v, %v", name, proof, err)
		}
		// Of 108 frames at 30000/1001 a second, less the passages of 5.5 frames and their fades.
		if all := int64(172973); preset.Lossless && (proof.Compared != 108 || proof.Samples > all ||
			proof.Samples < all-2*12000) {
			t.Errorf("%s: %+v of %d samples", name, proof, all)
		}
		if i, err := media.Probe(ctx, out); err != nil || i.Timecode != "" && !strings.HasPrefix(i.Timecode, "00:00:00") {
			t.Errorf("%s: it begins at %q, %v", name, i.Timecode, err)
		}
		if f := r.Of(94); f.At != 35 || r.Of(95).At != 95 || r.Of(0).At != 0 {
			t.Errorf("frame 94 is of the shot at %d", f.At)
		}
		other, err := NewReel([]Job{of(a, 20, 54, preset), of(a, 0, 59, preset), of(a, 20, 32, preset)})
		if err != nil {
			t.Fatal(err)
		}
		if proof, err := other.Verify(ctx, nil); err == nil {
			t.Errorf("%s: another shot's place is proved: %+v", name, proof)
		}
	}
	wide := made("wide.mkv", "testsrc2=size=208x112:rate=30000/1001:duration=1", "-f lavfi -i sine=duration=1 -c:v ffv1")
	mute := made("mute.mkv", "testsrc2=size=192x112:rate=30000/1001:duration=1", "-c:v ffv1 -pix_fmt yuv422p10le")
	slow := made("slow.mkv", "testsrc2=size=192x112:rate=25:duration=1", "-f lavfi -i sine=duration=1 -c:v ffv1")
	for _, c := range []media.Clip{wide, mute, slow} {
		if _, err := NewReel([]Job{of(a, 0, 9, both["archive"]), of(c, 0, 9, both["archive"])}); err == nil {
			t.Errorf("%s stands beside another kind", c.Path)
		}
	}
	same, err := a.Info.Same()
	if err != nil {
		t.Fatal(err)
	}
	if _, err := NewReel([]Job{of(a, 0, 9, same), of(a, 20, 29, same)}); err == nil {
		t.Error("a reel as the source")
	}
}
