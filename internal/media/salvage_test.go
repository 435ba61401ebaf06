package media

import (
	"context"
	"errors"
	"io"
	"math/rand"
	"os"
	"path/filepath"
	"testing"

	"celator/core/cover"
	"celator/core/frame"
)

// sumsOf are the checksums of all of a clip's pictures.
func sumsOf(t testing.TB, c Clip) (sums []uint32) {
	r, err := c.Open(context.Background(), 0, -1)
	if err != nil {
		t.Fatal(err)
	}
	defer r.Close()
	for pic := frame.New(c.Info.Format(), nil); ; {
		if err := r.Read(pic); errors.Is(err, io.EOF) {
			return sums
		} else if err != nil {
			t.Fatal(err)
		}
		sums = append(sums, sum(pic.Data))
	}
}

// Of a damaged file that is taken as it is, every frame that is not named is the good file's at
// the same time; those that are not there are held, so that nothing after them is moved.
func TestSalvage(t *testing.T) {
	rng := rand.New(rand.NewSource(1711))
	const noise = "testsrc2=size=192x108:rate=25:duration=3,noise=alls=12:allf=t"
	for name, args := range map[string][]string{
		"a.mp4": {"-c:v", "libx264", "-pix_fmt", "yuv420p", "-g", "20", "-b:v", "2M"},
		"a.ts":  {"-c:v", "mpeg2video", "-g", "12", "-bf", "2", "-b:v", "4M", "-pix_fmt", "yuv420p"},
		"a.mkv": {"-c:v", "ffv1", "-level", "3", "-g", "1", "-slicecrc", "1", "-pix_fmt", "yuv422p"},
		"a.mov": {"-c:v", "prores", "-pix_fmt", "yuv422p10le"},
		"a.mxf": {"-c:v", "mpeg2video", "-g", "1", "-b:v", "20M", "-pix_fmt", "yuv422p"},
	} {
		good := ffmpeg(t, name, append([]string{"-f", "lavfi", "-i", noise}, args...)...)
		whole, err := os.ReadFile(good)
		if err != nil {
			t.Fatal(err)
		}
		want := sumsOf(t, Clip{Path: good, Info: probe(t, good)})
		for n := range 3 {
			b := append([]byte{}, whole...)
			switch at := len(b)/5 + rng.Intn(len(b)*3/5); {
			case n == 0 && (name == "a.ts" || name == "a.mxf"): // cut off
				b = b[:at]
			case n%2 == 0: // a hole
				clear(b[at : at+len(b)/40])
			default:
				for i := at; i < at+len(b)/20; i += 200 {
					b[i] ^= byte(1 + rng.Intn(255))
				}
			}
			spoilt := filepath.Join(t.TempDir(), name)
			if err := os.WriteFile(spoilt, b, 0o600); err != nil {
				t.Fatal(err)
			}
			c, err := Salvage(context.Background(), spoilt, filepath.Join(t.TempDir(), "copy.nut"), nil)
			if err != nil {
				t.Errorf("%s %d: %v", name, n, err)
				continue
			}
			d := c.Info.Damage
			if d == nil || len(d.Words()) == 0 {
				t.Errorf("%s %d: nothing was found wrong with it", name, n)
			}
			got := sumsOf(t, c)
			all := d.Before + len(got) + d.Missing
			if cut := n == 0 && name == "a.ts"; len(got) != c.Info.Frames || all != len(want) && !cut { // which promises nothing
				t.Errorf("%s %d: %d frames of %d; %+v", name, n, len(got), len(want), d)
				continue
			}
			named, wrong := 0, 0
			for f, s := range got {
				switch at := cover.Time(f); {
				case holds(d.Spoilt, at) || holds(d.Held, at):
					named++
				case s != want[d.Before+f]:
					wrong++
				}
			}
			t.Logf("%s %d: %v; %d named, %d wrong", name, n, d.Words(), named, wrong)
			if wrong > 0 {
				t.Errorf("%s %d: %d frames are wrong and not named", name, n, wrong)
			}
			if named > len(want)*2/3 {
				t.Errorf("%s %d: %d frames are named", name, n, named)
			}
		}
	}
}

func holds(list []cover.Span, t cover.Time) bool {
	for _, s := range list {
		if s.Holds(t) {
			return true
		}
	}
	return false
}
