package media

import (
	"context"
	"errors"
	"io"
	"path/filepath"
	"slices"
	"testing"

	"celator/core/frame"
)

// Files of containers without an index are read as they are where their frames are reached by leaping; each frame that
// is read so is the one that was asked for. One whose times lead elsewhere is found out, and is read right all the
// same.
func TestReaches(t *testing.T) {
	ctx := context.Background()
	dir := t.TempDir()
	for name, c := range map[string][]string{
		"long.mxf": {"-c:v", "mpeg2video", "-g", "12", "-bf", "2", "-b:v", "3M"},
		"film.ts":  {"-c:v", "libx264", "-preset", "ultrafast", "-bf", "2", "-g", "30", "-c:a", "mp2"},
		"disc.mpg": {"-c:v", "mpeg2video", "-b:v", "2M", "-c:a", "mp2"},
		"keys.mxf": {"-c:v", "mpeg2video", "-g", "1", "-b:v", "9M"},
		"closed.ts": {
			"-c:v", "mpeg2video", "-flags", "+cgop", "-sc_threshold", "1000000000", "-g", "12", "-bf", "2", "-c:a", "mp2",
		},
	} {
		path := filepath.Join(dir, name)
		args := append([]string{
			"-f", "lavfi", "-i", "testsrc2=size=320x180:rate=25:duration=12", "-f", "lavfi", "-i",
			"sine=duration=12:sample_rate=48000",
		}, c...)
		if err := Run(ctx, append(args, path), nil); err != nil {
			t.Fatal(err)
		}
		info, err := Probe(ctx, path)
		if err != nil {
			t.Fatal(err)
		}
		if !info.Unproved() {
			t.Fatalf("%s need not be tried", name)
		}
		clip, err := Clip{Path: path, Info: info}.Summed(ctx)
		if err != nil {
			t.Fatal(err)
		}
		ok, err := clip.Reaches(ctx)
		t.Logf("%s: %v", name, ok)
		if err != nil || !ok && filepath.Ext(name) == ".mxf" {
			t.Errorf("%s is reached: %v, %v", name, ok, err)
		}
		wrong := clip
		wrong.Info.Lead -= 7 / info.Rate.Float()
		if wrong.Sums[0] == wrong.Sums[7] {
			t.Fatal("the pictures do not differ")
		}
		if ok, err := wrong.Reaches(ctx); err != nil || ok {
			t.Errorf("%s with wrong times is reached: %v, %v", name, ok, err)
		}
		replaced(t, clip)
		for _, c := range []Clip{clip, wrong} {
			n := len(c.Sums)
			pic := frame.New(info.Format(), nil)
			at := []int{1, n / 3, n/3 + 1, n - 1}
			if err := c.Pick(ctx, at, func(f int, p *frame.Picture) error {
				if !c.Is(f, p) {
					t.Errorf("%s: frame %d is another", name, f)
				}
				return nil
			}); err != nil {
				t.Errorf("%s: %v", name, err)
			}
			r, err := c.Open(ctx, n/2, n/2+2)
			if err != nil {
				t.Fatal(err)
			}
			for f := n / 2; f <= n/2+2; f++ {
				if err := r.Read(pic); err != nil || !c.Is(f, pic) {
					t.Errorf("%s: frame %d in a row, %v", name, f, err)
				}
			}
			if err := r.Read(pic); !errors.Is(err, io.EOF) {
				t.Errorf("%s: after the last frame, %v", name, err)
			}
			r.Close()
		}
	}
}

// replaced holds that another file in a clip's place is found out.
func replaced(t *testing.T, c Clip) {
	t.Helper()
	c.Sums = slices.Clone(c.Sums)
	for i := range c.Sums {
		c.Sums[i]++
	}
	err := c.Pick(context.Background(), []int{200}, func(int, *frame.Picture) error { return nil })
	if !errors.Is(err, ErrLanding) && !errors.Is(err, ErrUnusable) {
		t.Errorf("%s: another file was read as it, %v", c.Path, err)
	}
}
