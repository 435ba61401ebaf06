package deliver

import (
	"bytes"
	"context"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"celator/core/cover"
	"celator/core/geom"
	"celator/internal/media"
)

// outside is the part of a clip's pictures beside the cover, as ffmpeg decodes it.
func outside(t *testing.T, path, pix string) []byte {
	t.Helper()
	out, err := exec.Command("ffmpeg", "-v", "error", "-i", path, "-map", "0:v:0", "-vf", "crop=64:96:128:0:exact=1",
		"-f", "rawvideo", "-pix_fmt", pix, "pipe:1").Output()
	if err != nil {
		t.Fatal(err)
	}
	return out
}

// Pictures of every kind come back in kind: what lies beside a cover is what a decoder that is
// not ours gives of the source, opacity included, what lies under it is not, and the file is proved.
func TestEveryPictureFormat(t *testing.T) {
	ctx := context.Background()
	for pix, stored := range map[string]string{
		"gray": "gray", "gray10le": "gray10le", "yuv411p": "yuv411p", "yuva422p": "yuva422p", "yuva444p10le": "yuva444p10le",
		"gbrp10le": "gbrp10le", "bgr0": "bgr0", "bgra": "bgra", "gbrap16le": "gbrap16le", "yuv444p16le": "yuv444p16le",
	} {
		c := clip(t, "a.mkv", "-f", "lavfi", "-i", "testsrc2=size=192x96:rate=25:duration=0.2", "-vf",
			"format=rgba,geq=r='r(X,Y)':g='g(X,Y)':b='b(X,Y)':a='128+X/2'", "-c:v", "ffv1", "-pix_fmt", pix)
		d := cover.New(c.Info.Width, c.Info.Height, c.Info.Frames)
		fill := cover.NewTreatment("t", cover.Fill)
		fill.Colour, fill.Around = "#d04020", false
		d.Covers = []cover.Cover{{
			ID: "c", Span: cover.Span{Last: c.Info.Frames - 1}, Treatments: []cover.Treatment{fill},
			Soften: cover.ConstPair(3, 3), Outlines: []cover.Outline{{ID: "o", Shape: cover.ShapeBox, Keys: []cover.PathKey{{
				Knots: geom.Box(geom.Rect{Min: geom.Pt(20.5, 10), Max: geom.Pt(101, 70)}),
			}}}},
		}}
		for _, preset := range []string{"archive", "review"} {
			if preset == "review" && !strings.Contains("gray10le bgra yuv411p", pix) {
				continue // the rest become Y'CbCr as these do
			}
			p := media.Presets[preset]
			j := Job{
				Clip: c, Sound: c.Path, Parts: Whole(d), Preset: p, Last: c.Info.Frames - 1, Total: c.Info.Frames,
				Out: filepath.Join(t.TempDir(), "out"+p.Ending),
			}
			if err := Render(ctx, j); err != nil {
				t.Fatalf("%s, %s: %v", pix, preset, err)
			}
			if _, err := Verify(ctx, j, nil); err != nil {
				t.Fatalf("%s, %s: %v", pix, preset, err)
			}
			if !p.Lossless {
				continue
			}
			got, err := media.Probe(ctx, j.Out)
			if err != nil || got.PixFmt != stored {
				t.Errorf("%s is delivered as %s, not %s: %v", pix, got.PixFmt, stored, err)
			}
			as := strings.Replace(pix, "0", "a", 1)
			if !strings.HasPrefix(pix, "bgr") {
				as = pix
			}
			if !bytes.Equal(outside(t, c.Path, as), outside(t, j.Out, as)) {
				t.Errorf("%s: beside the cover it is not the source", pix)
			}
			if whole := func(path string) []byte {
				out, err := exec.Command("ffmpeg", "-v", "error", "-i", path, "-f", "rawvideo", "-pix_fmt", as, "pipe:1").Output()
				if err != nil {
					t.Fatal(err)
				}
				return out
			}; bytes.Equal(whole(c.Path), whole(j.Out)) {
				t.Errorf("%s: nothing is covered", pix)
			}
		}
	}
}

// Subtitles and chapters go with a whole clip, in both kinds of file; what does not is named, as
// all of it is for a part.
func TestWhatElseAFileHolds(t *testing.T) {
	ctx := context.Background()
	dir := t.TempDir()
	write := func(name, text string) string {
		path := filepath.Join(dir, name)
		if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
		return path
	}
	srt := write("a.srt", "1\n00:00:00,200 --> 00:00:00,900\nSkerry Cargo\n\n")
	chapters := write("c.txt", ";FFMETADATA1\n[CHAPTER]\nTIMEBASE=1/1000\nSTART=0\nEND=500\ntitle=Quay\n")
	c := clip(t, "a.mkv", "-f", "lavfi", "-i", "testsrc2=size=192x96:rate=25:duration=1", "-i", srt, "-i", chapters,
		"-f", "lavfi", "-i", "testsrc2=size=64x48:rate=25:duration=1", "-map", "0", "-map", "1", "-map", "3",
		"-map_metadata", "2", "-attach", srt, "-metadata:s:t", "mimetype=text/plain", "-c:v", "libx264",
		"-pix_fmt", "yuv420p", "-c:s", "srt", "-metadata:s:s:0", "language=nor")
	if want := []string{"another picture track", "attached files, such as fonts"}; !slices.Equal(c.Info.Beside, want) {
		t.Errorf("beside it there are %q, not %q", c.Info.Beside, want)
	}
	for name, p := range both {
		for _, last := range []int{c.Info.Frames - 1, 9} {
			j := Job{
				Clip: c, Sound: c.Path, Parts: Whole(document(c.Info)), Preset: p, Last: last, Total: c.Info.Frames,
				Out: filepath.Join(dir, "out"+p.Ending),
			}
			if err := Render(ctx, j); err != nil {
				t.Fatal(err)
			}
			proof, err := Verify(ctx, j, nil)
			if err != nil {
				t.Fatal(err)
			}
			got, err := media.Probe(ctx, j.Out)
			if err != nil {
				t.Fatal(err)
			}
			texts, chapters, left := 1, 1, 2
			if last < c.Info.Frames-1 {
				texts, chapters, left = 0, 0, 4
			}
			if len(got.Subtitles) != texts || got.Chapters != chapters || len(proof.Left) != left ||
				texts > 0 && got.Subtitles[0].Language != "nor" {
				t.Errorf("%s to frame %d: %v, %d chapters; left %q", name, last, got.Subtitles, got.Chapters, proof.Left)
			}
		}
	}
}

// The sound of a range is the source's at its frames, to the sample, whatever coded it: a
// decoder that begins there does not give what one that came by does.
func TestSoundOfARange(t *testing.T) {
	ctx := context.Background()
	for name, codec := range map[string]string{
		"a.mp4": "aac", "b.ts": "mp2", "c.mkv": "libopus", "d.mov": "pcm_s24le", "e.mkv": "ac3",
	} {
		c := clip(t, name, "-f", "lavfi", "-i", "testsrc2=size=192x96:rate=25:duration=3", "-f", "lavfi", "-i",
			"aevalsrc=0.3*sin(300*t*t+200*t)|0.2*sin(500*t*t):s=48000:d=3", "-c:v", "libx264", "-pix_fmt", "yuv420p",
			"-c:a", codec)
		for _, r := range [][2]int{{0, 20}, {1, 1}, {40, 74}} {
			for preset, p := range both {
				j := Job{
					Clip: c, Sound: c.Path, Parts: Whole(document(c.Info)), Preset: p, First: r[0], Last: r[1], Total: c.Info.Frames,
					Out: filepath.Join(t.TempDir(), "out"+p.Ending),
				}
				if err := Render(ctx, j); err != nil {
					t.Fatal(err)
				}
				proof, err := Verify(ctx, j, nil)
				if err != nil {
					t.Errorf("%s, %s, frames %d to %d: %v", codec, preset, r[0], r[1], err)
				}
				if want := int64(1850 * 2 * (r[1] - r[0] + 1)); p.Lossless && proof.Samples < want {
					t.Errorf("%s, frames %d to %d: %d samples were compared", codec, r[0], r[1], proof.Samples)
				}
			}
		}
	}
}
