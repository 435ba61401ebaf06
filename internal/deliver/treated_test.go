package deliver

import (
	"context"
	"path/filepath"
	"strings"
	"testing"

	"celator/core/cover"
)

// Passages are hidden in every kind of sound, by channel and track, in archives and reviews, whole and
// in a range: what lies outside is the source's to the sample. A file in which they are not hidden, or in
// which more is, is not called proved.
func TestPassagesOfSound(t *testing.T) {
	ctx := context.Background()
	for name, codec := range map[string]string{
		"a.mp4": "aac", "b.mov": "pcm_s24le", "c.mov": "pcm_s32le", "d.mkv": "pcm_u8", "e.mov": "pcm_f64le",
	} {
		c := clip(t, name, "-f", "lavfi", "-i", "testsrc2=size=64x48:rate=25:duration=3", "-f", "lavfi", "-i",
			"aevalsrc=0.3*sin(300*t*t+900*t)|0.2*sin(500*t*t+400*t):s=48000:d=3", "-f", "lavfi", "-i",
			"aevalsrc=0.3*sin(400*t*t+900*t):s=48000:d=3", "-map", "0", "-map", "1", "-map", "2", "-c:v", "libx264", "-pix_fmt",
			"yuv420p", "-c:a", codec)
		d := document(c.Info)
		add := func(first, last int, how cover.Sounding, tracks, channels []int) {
			p := cover.NewPassage(strings.Repeat("p", len(d.Passages)+1), first, last)
			p.How, p.Tracks, p.Channels, p.Pitch, p.Level = how, tracks, channels, 1000, -20
			d.Passages = append(d.Passages, p)
		}
		add(10, 24, cover.Mute, []int{0}, []int{1})
		add(20, 40, cover.Tone, []int{0}, nil)
		add(28, 30, cover.Kept, []int{0}, []int{0})
		add(30, 55, cover.Disguised, []int{1}, nil)
		for preset, p := range both {
			r := map[bool][2]int{true: {0, 74}, false: {15, 60}}[p.Lossless || codec == "aac"]
			if codec == "pcm_s24le" {
				r = [2]int{15, 60}
			}
			j := Job{
				Clip: c, Sound: c.Path, Parts: Whole(d), Preset: p, First: r[0], Last: r[1], Total: c.Info.Frames,
				Out: filepath.Join(t.TempDir(), "out"+p.Ending),
			}
			if err := Render(ctx, j); err != nil {
				t.Fatal(err)
			}
			proof, err := Verify(ctx, j, nil)
			if err != nil {
				t.Fatalf("%s, %s, frames %d to %d: %v", codec, preset, r[0], r[1], err)
			}
			// Two channels of one track and one of the other; at most so many frames of them are hidden.
			frames := r[1] - r[0] + 1
			if want := int64(1920 * (3*frames - 15 - 2*21 - 26 - 4)); p.Lossless && proof.Samples < want {
				t.Errorf("%s, frames %d to %d: %d samples were compared, not %d", codec, r[0], r[1], proof.Samples, want)
			}
			if left, _ := filepath.Glob(j.Out + ".*"); len(left) > 0 {
				t.Errorf("left behind: %v", left)
			}
			if codec == "aac" {
				planted(t, j)
			}
		}
	}
}

// planted holds the proof to files that hide less, and more, than they are to.
func planted(t *testing.T, j Job) {
	t.Helper()
	ctx := context.Background()
	for i, p := range j.Parts[0].Document.Passages {
		if p.How == cover.Kept {
			continue
		}
		less := j
		less.Parts = Whole(j.Parts[0].Document.Clone())
		less.Parts[0].Document.Passages[i].Off = true
		if _, err := Verify(ctx, Job{
			Clip: j.Clip, Sound: j.Sound, Parts: less.Parts, Preset: j.Preset, Last: j.Last, Total: j.Total, Out: j.Out,
		}, nil); j.Preset.Lossless && err == nil {
			t.Errorf("%s: passage %d is hidden and is not to be, and the file is proved", j.Preset.Name, i)
		}
		less.Out += ".less" + j.Preset.Ending
		if err := Render(ctx, less); err != nil {
			t.Fatal(err)
		}
		less.Parts = j.Parts
		if _, err := Verify(ctx, less, nil); err == nil {
			t.Errorf("%s: passage %d is not hidden, and the file is proved", j.Preset.Name, i)
		}
	}
}
