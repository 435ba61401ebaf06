package checkrun

import (
	"context"
	"os/exec"
	"path/filepath"
	"slices"
	"testing"

	"celator/core/check"
	"celator/core/cover"
	"celator/internal/media"
)

// What a passage hides is listened for on the tracks and channels that stay, and beyond its ends.
func TestPassagesAreListenedTo(t *testing.T) {
	ctx := context.Background()
	path := filepath.Join(t.TempDir(), "talk.mov")
	// A word from 1 to 2 s: on the first track's left side, and softly in the second one, among noise.
	word := `between(t\,1\,2)*sin(900*t+200*t*t)`
	if out, err := exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i", "testsrc2=size=64x48:rate=25:duration=4",
		"-f", "lavfi", "-i", "aevalsrc=0.4*"+word+"|0.001*sin(1700*t):s=48000:d=4", "-f", "lavfi", "-i",
		"aevalsrc=0.1*"+word+"+0.02*random(0):s=48000:d=4", "-map", "0", "-map", "1", "-map", "2", "-c:v", "libx264",
		"-pix_fmt", "yuv420p", "-c:a", "pcm_s16le", path).CombinedOutput(); err != nil {
		t.Fatalf("%v %s", err, out)
	}
	info, err := media.Probe(ctx, path)
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		name             string
		from, to         float64
		tracks, channels []int
		want             []check.Kind
	}{
		{"all of it", 24, 51, nil, nil, nil},
		{"its side of both tracks", 24, 51, nil, []int{0}, nil},
		{"on one of two tracks", 24, 51, []int{0}, nil, []check.Kind{check.HeardElsewhere}},
		{"the wrong side", 24, 51, nil, []int{1}, nil}, // where nothing is said
		{"begins too late", 30, 51, nil, nil, []check.Kind{check.WordCut}},
		{"ends too early", 24, 45.5, nil, nil, []check.Kind{check.WordCut}},
	} {
		d := cover.New(info.Width, info.Height, info.Frames)
		p := cover.NewPassage("p", 0, 0)
		p.From, p.To, p.Tracks, p.Channels = c.from, c.to, c.tracks, c.channels
		d.Passages = []cover.Passage{p}
		found, err := Run(ctx, Job{Clip: media.Clip{Path: path, Info: info}, Document: d})
		if err != nil {
			t.Fatal(err)
		}
		var kinds []check.Kind
		for _, f := range found {
			kinds = append(kinds, f.Kind)
		}
		if !slices.Equal(kinds, c.want) {
			t.Errorf("%s: %v, not %v", c.name, kinds, c.want)
		}
	}
}
