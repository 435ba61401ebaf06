package media

import (
	"context"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
)

// A folder of numbered pictures is a clip, whatever its numbers begin with and however
// they are written; one that lacks a picture or holds something else says so.
func TestSequences(t *testing.T) {
	for _, c := range []struct {
		name, start string
		spoil       func(dir string) error
		says        string
	}{
		{name: "take 100%% %04d.png", start: "0"},
		{name: "f%d.tif", start: "7"}, // 7 to 14: not in the order of names
		{name: "%03d.dpx", start: "998"},
		{name: "a%02d.bmp", start: "1", says: "picture 3 is missing", spoil: func(d string) error {
			return os.Remove(filepath.Join(d, "a03.bmp"))
		}},
		{name: "a%02d.bmp", start: "1", says: "no numbered picture", spoil: func(d string) error {
			return os.WriteFile(filepath.Join(d, "notes.txt"), nil, 0o600)
		}},
		{name: "a%02d.bmp", start: "1", says: "no file", spoil: func(d string) error {
			return os.Symlink("/etc/hostname", filepath.Join(d, "a09.bmp"))
		}},
	} {
		dir := filepath.Join(t.TempDir(), "seq 5%")
		if err := os.Mkdir(dir, 0o700); err != nil {
			t.Fatal(err)
		}
		out, err := exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i", "testsrc2=size=64x48:rate=25:duration=0.32",
			"-start_number", c.start, strings.ReplaceAll(dir, "%", "%%")+"/"+c.name).CombinedOutput()
		if err != nil {
			t.Fatalf("%v: %s", err, out)
		}
		if c.spoil != nil {
			if err := c.spoil(dir); err != nil {
				t.Fatal(err)
			}
		}
		info, err := Probe(context.Background(), dir)
		if c.says != "" {
			if err == nil || !strings.Contains(err.Error(), c.says) {
				t.Errorf("%s: %v, not %q", c.name, err, c.says)
			}
			continue
		}
		if err != nil || info.Frames != 8 || info.Rate.String() != "25/1" {
			t.Errorf("%s: %d frames at %v, %v", c.name, info.Frames, info.Rate, err)
			continue
		}
		if got := len(frames(t, Clip{Path: dir, Info: info}, 0, -1)); got != 8 {
			t.Errorf("%s: %d frames can be read", c.name, got)
		}
	}
}
