package media

import (
	"bytes"
	"context"
	"errors"
	"math/rand"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"celator/core/cover"
	"celator/core/frame"
	"celator/internal/confine"
)

func TestMain(m *testing.M) {
	confine.Main()
	os.Exit(m.Run())
}

func ffmpeg(t testing.TB, name string, args ...string) string {
	path := filepath.Join(t.TempDir(), name)
	if out, err := exec.Command("ffmpeg", append(append([]string{"-v", "error", "-y"}, args...),
		path)...).CombinedOutput(); err != nil {
		t.Fatalf("ffmpeg %v: %v\n%s", args, err, out)
	}
	return path
}

const pattern = "testsrc2=size=192x108:rate=25:duration=3"

func probe(t testing.TB, path string) Info {
	i, err := Probe(context.Background(), path)
	if err != nil {
		t.Fatal(err)
	}
	return i
}

func TestProbeTellsWhatFilesAre(t *testing.T) {
	plain := probe(t, ffmpeg(t, "a.mp4", "-f", "lavfi", "-i", pattern, "-f", "lavfi", "-i", "sine=duration=3", "-c:v",
		"libx264", "-pix_fmt", "yuv420p", "-timecode", "10:02:14:07", "-color_primaries", "bt709", "-color_trc", "bt709",
		"-colorspace", "bt709"))
	if plain.Frames != 75 || plain.Variable || !plain.Indexed || plain.Rate.String() != "25/1" ||
		plain.Timecode != "10:02:14:07" || plain.Matrix != frame.BT709 || len(plain.Sound) != 1 || plain.Conformed() {
		t.Errorf("plain: %+v", plain)
	}
	ntsc := probe(t, ffmpeg(t, "b.mkv", "-f", "lavfi", "-i", "testsrc2=size=192x108:rate=30000/1001:duration=3", "-c:v",
		"libx264", "-pix_fmt", "yuv422p10le"))
	if ntsc.Rate.String() != "30000/1001" || ntsc.Variable || ntsc.Depth != 10 || ntsc.SubX != 1 || ntsc.SubY != 0 {
		t.Errorf("ntsc, times in milliseconds: %+v", ntsc)
	}
	upright := ffmpeg(t, "c.mp4", "-f", "lavfi", "-i", pattern, "-c:v", "libx264", "-pix_fmt", "yuv420p")
	turned := probe(t, ffmpeg(t, "d.mp4", "-i", upright, "-c", "copy", "-metadata:s:v", "rotate=90"))
	if turned.Width != 108 || turned.Height != 192 || turned.Rotation%180 != 90 {
		t.Errorf("turned: %+v", turned)
	}
	wide := probe(t, ffmpeg(t, "e.mp4", "-f", "lavfi", "-i", pattern+",setsar=4/3", "-c:v", "libx264", "-pix_fmt",
		"yuv420p"))
	if w, h := wide.ViewSize(); wide.Pixel != (Ratio{4, 3}) || w != 256 || h != 108 {
		t.Errorf("wide pixels: %+v, view %dx%d", wide, w, h)
	}
	ts := probe(t, ffmpeg(t, "f.ts", "-f", "lavfi", "-i", pattern, "-c:v", "libx264", "-pix_fmt", "yuv420p"))
	if ts.Indexed || ts.Frames != 75 || !ts.Conformed() {
		t.Errorf("transport stream: %+v", ts)
	}
}

// What a container cannot say exactly is taken for what is meant, and sound that begins
// before the picture does not make a file a damaged one.
func TestProbeTakesWhatIsMeant(t *testing.T) {
	fast := probe(t, ffmpeg(t, "a.mkv", "-f", "lavfi", "-i", "testsrc2=size=96x64:rate=60000/1001:duration=1", "-c:v",
		"ffv1"))
	if fast.Rate.String() != "60000/1001" || fast.Variable {
		t.Errorf("59.94 in Matroska is taken for %s", fast.Rate)
	}
	late := probe(t, ffmpeg(t, "b.mkv", "-f", "lavfi", "-itsoffset", "0.6", "-i", "testsrc2=size=96x64:rate=25:duration=1",
		"-f", "lavfi", "-i", "sine=duration=1.6", "-c:v", "ffv1", "-c:a", "flac", "-metadata:s:a:0", "title=Clean effects",
		"-metadata:s:a:0", "language=gsw"))
	if late.Frames != 25 || late.Lead < .55 || late.Lead > .65 {
		t.Errorf("a picture 0.6 s after the sound: %d frames, %.3f s later", late.Frames, late.Lead)
	}
	if s := late.Sound[0]; s.Title != "Clean effects" || s.Language != "gsw" {
		t.Errorf("the sound is called %+v", s)
	}
}

// The field that is first is the one that most woven pictures show first, whatever ffprobe
// says beside; a track is not called what a writer put where nobody gave a name.
func TestFieldsAndTitles(t *testing.T) {
	for out, want := range map[string]struct {
		field string
		apart int64
	}{
		"": {}, "0,0,0\n3600,0,1\n": {"", 3600}, "7,1,1\n": {TopFirst, 0}, "0,1,0\n40,1,0,side data\n": {BottomFirst, 40},
		"80,0,0\n0,1,1\n40,0,0\n": {TopFirst, 40}, "N/A,1,1\nN/A,1,0\nN/A,1,0\n": {BottomFirst, 0},
		"N/A,N/A,N/A\n\n,\n": {}, "0,0,0\n40,0,0\n80,0,0\n300,0,0\n": {"", 40},
	} {
		if field, times, _ := readScan([]byte(out)); field != want.field || median(times) != want.apart {
			t.Errorf("%q: %q, %d apart, not %+v", out, field, median(times), want)
		}
	}
	// Fields in packets of their own, and of pairs mixed with whole pictures, also where a container
	// has an index of them; what has no fields, or is shown for two and three by turns, is left as it is.
	fields := Info{Codec: "h264", Field: TopFirst, Container: "mpegts", apart: 3600}
	for _, c := range []struct {
		is      Info
		in, out []int64
	}{
		{fields, []int64{0, 1800, 3600, 5400, 7200}, []int64{0, 3600, 7200}},
		{fields, []int64{0, 3600, 5400, 7200, 10800, 12600}, []int64{0, 3600, 7200, 10800}},
		{Info{Codec: "h264", Field: Progressive, apart: 3600}, []int64{0, 1800, 3600}, []int64{0, 1800, 3600}},
		{Info{Codec: "h264", Field: TopFirst, Indexed: true, apart: 3600}, []int64{0, 1800}, []int64{0}},
		{Info{Codec: "h264", Field: TopFirst, apart: 4500}, []int64{0, 4500, 7500}, []int64{0, 4500, 7500}},
	} {
		if got := c.is.woven(slices.Clone(c.in)); !slices.Equal(got, c.out) {
			t.Errorf("%v: %v, not %v", c.in, got, c.out)
		}
	}
	for name, want := range map[string]string{
		"SoundHandler": "", "Core Media Audio": "", "Apple Sound Media Handler": "", "": "", "English mix": "English mix",
	} {
		if got := title(map[string]string{"handler_name": name}); got != want {
			t.Errorf("%q is called %q", name, got)
		}
	}
	mp4 := ffmpeg(t, "a.mp4", "-f", "lavfi", "-i", "sine=duration=0.2", "-f", "lavfi", "-i", pattern, "-shortest",
		"-metadata:s:a:0", "handler_name=Commentary", "-c:v", "libx264", "-pix_fmt", "yuv420p")
	if s := probe(t, mp4).Sound[0]; s.Title != "Commentary" {
		t.Errorf("the sound is called %+v", s)
	}
}

func TestUnusableFilesAreNamedSo(t *testing.T) {
	dir := t.TempDir()
	write := func(name, text string) string {
		p := filepath.Join(dir, name)
		os.WriteFile(p, []byte(text), 0o600)
		return p
	}
	for _, p := range []string{
		filepath.Join(dir, "absent.mp4"), dir, write("empty.mp4", ""), write("text.mp4", strings.Repeat("no clip ", 999)),
		write("list.mp4", "#EXTM3U\n#EXT-X-TARGETDURATION:1\n#EXTINF:1,\nfile:///etc/hostname\n#EXT-X-ENDLIST\n"),
		write("concat.mp4", "ffconcat version 1.0\nfile /etc/hostname\n"),
		ffmpeg(t, "410.mkv", "-f", "lavfi", "-i", pattern, "-c:v", "ffv1", "-pix_fmt", "yuv410p"),
		ffmpeg(t, "sound.wav", "-f", "lavfi", "-i", "sine=duration=1"),
	} {
		if _, err := Probe(context.Background(), p); !errors.Is(err, ErrUnusable) {
			t.Errorf("%s: %v", filepath.Base(p), err)
		} else if strings.Contains(err.Error(), dir) {
			t.Errorf("the error tells where files lie: %v", err)
		}
	}
	for kind, head := range map[string]string{
		"HEIC": "\x00\x00\x00\x1cftypheic\x00\x00", "OpenEXR": "v/1\x01\x02\x00\x00\x00",
	} {
		if _, err := Probe(context.Background(), write(kind, head)); !errors.Is(err, ErrUnusable) ||
			!strings.Contains(err.Error(), "in "+kind) {
			t.Errorf("a picture in %s: %v", kind, err)
		}
	}
}

func frames(t testing.TB, c Clip, first, last int) (out [][]byte) {
	r, err := c.Open(context.Background(), first, last)
	if err != nil {
		t.Fatal(err)
	}
	defer r.Close()
	for {
		p := frame.New(c.Info.Format(), nil)
		if err := r.Read(p); err != nil {
			if err.Error() != "EOF" {
				t.Fatal(err)
			}
			return out
		}
		out = append(out, p.Data)
	}
}

// Every frame reached by a jump is the frame that reading from the start gives,
// also in files made to be hard: late sound, edit lists, open groups of
// pictures, variable rate, no index.
func TestFramesAreExact(t *testing.T) {
	late := ffmpeg(t, "late.mp4", "-itsoffset", "0.3", "-f", "lavfi", "-i", pattern, "-f", "lavfi", "-i",
		"sine=duration=3", "-c:v", "libx264", "-bf", "3", "-pix_fmt", "yuv420p")
	for name, path := range map[string]string{
		"short groups": ffmpeg(t, "a.mp4", "-f", "lavfi", "-i", pattern, "-c:v", "libx264", "-g", "10", "-pix_fmt",
			"yuv420p"),
		"late picture": late,
		"open groups": ffmpeg(t, "b.mkv", "-f", "lavfi", "-i", pattern, "-c:v", "libx264", "-x264-params",
			"open-gop=1:keyint=12:bframes=3", "-pix_fmt", "yuv420p"),
		"varies": ffmpeg(t, "c.mp4", "-f", "lavfi", "-i", pattern, "-vf", "select=not(eq(mod(n\\,5)\\,2))", "-vsync",
			"vfr", "-c:v", "libx264", "-pix_fmt", "yuv420p"),
		"full range": ffmpeg(t, "e.ts", "-f", "lavfi", "-i", pattern, "-c:v", "libx264", "-g", "20", "-pix_fmt", "yuvj420p"),
		"no index":   ffmpeg(t, "d.ts", "-f", "lavfi", "-i", pattern, "-c:v", "libx264", "-g", "20", "-pix_fmt", "yuv420p"),
	} {
		c := Clip{Path: path, Info: probe(t, path)}
		dir := t.TempDir()
		if c.Info.Conformed() {
			was := c
			var err error
			if c, err = Conform(context.Background(), c, filepath.Join(dir, "conformed.nut"), nil); err != nil {
				t.Fatalf("%s: %v", name, err)
			}
			for i, b := range frames(t, was, 0, -1) { // the copy is lossless
				if i%9 == 0 && !bytes.Equal(b, frames(t, c, i, i)[0]) {
					t.Fatalf("%s: frame %d of the conformed copy differs", name, i)
				}
			}
		}
		seen, err := MakeViews(context.Background(), c, dir, nil)
		sums := seen.Sums
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		all := frames(t, c, 0, -1)
		if len(all) != len(sums) || len(all) != c.Info.Frames {
			t.Fatalf("%s: %d frames read, %d checksums, %d probed", name, len(all), len(sums), c.Info.Frames)
		}
		for i, b := range all {
			if sum(b) != sums[i] {
				t.Fatalf("%s: frame %d has another checksum", name, i)
			}
			if _, err := os.Stat(View(dir, cover.Time(i))); err != nil {
				t.Fatalf("%s: no view of frame %d", name, i)
			}
		}
		c.Sums = sums
		rng := rand.New(rand.NewSource(1))
		for range 8 {
			f := rng.Intn(len(all))
			last := min(f+3, len(all)-1)
			got := frames(t, c, f, last)
			if len(got) != last-f+1 {
				t.Fatalf("%s: %d frames from %d to %d", name, len(got), f, last)
			}
			for i, b := range got {
				if !bytes.Equal(b, all[f+i]) {
					t.Fatalf("%s: a jump to %d gives another frame at %d", name, f, f+i)
				}
			}
		}
		// A wrong landing would be noticed.
		c.Sums = append([]uint32{}, sums...)
		c.Sums[5]++
		r, err := c.Open(context.Background(), 5, 5)
		if err != nil {
			t.Fatal(err)
		}
		if err := r.Read(frame.New(c.Info.Format(), nil)); !errors.Is(err, ErrLanding) {
			t.Fatalf("%s: another frame than asked for was taken: %v", name, err)
		}
		r.Close()
	}
}

// A clip that breaks off or is damaged is refused while it is brought in.
func TestDamageIsFound(t *testing.T) {
	whole := ffmpeg(t, "whole.mkv", "-f", "lavfi", "-i", pattern, "-c:v", "libx264", "-pix_fmt", "yuv420p")
	b, _ := os.ReadFile(whole)
	for name, change := range map[string]func([]byte) []byte{
		"cut":     func(b []byte) []byte { return b[:len(b)*2/3] },
		"damaged": func(b []byte) []byte { rand.New(rand.NewSource(1)).Read(b[len(b)/2 : len(b)/2+3000]); return b },
	} {
		path := filepath.Join(t.TempDir(), name+".mkv")
		os.WriteFile(path, change(bytes.Clone(b)), 0o600)
		info, err := Probe(context.Background(), path)
		if err == nil {
			c := Clip{Path: path, Info: info}
			if info.Conformed() {
				c, err = Conform(context.Background(), c, path+".nut", nil)
			}
			if err == nil {
				_, err = MakeViews(context.Background(), c, t.TempDir(), nil)
			}
		}
		if !errors.Is(err, ErrUnusable) {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// Picked frames are those that reading one after the other gives, with checksums and
// without, near and far, of a constant rate and of a still.
func TestPick(t *testing.T) {
	path := ffmpeg(t, "picked.mkv", "-f", "lavfi", "-i", "testsrc2=size=160x90:rate=25:duration=6", "-c:v", "libx264",
		"-g", "12", "-pix_fmt", "yuv420p")
	ctx := context.Background()
	info, err := Probe(ctx, path)
	if err != nil {
		t.Fatal(err)
	}
	c := Clip{Path: path, Info: info}
	var all [][]byte
	r, err := c.Open(ctx, 0, -1)
	if err != nil {
		t.Fatal(err)
	}
	defer r.Close()
	pic := frame.New(info.Format(), nil)
	for r.Read(pic) == nil {
		all = append(all, append([]byte(nil), pic.Data...))
		c.Sums = append(c.Sums, sum(pic.Data))
	}
	want := []int{0, 3, 4, 30, 99, 140, 149}
	for _, sums := range [][]uint32{nil, c.Sums} {
		var got []int
		err := Clip{Path: path, Info: info, Sums: sums}.Pick(ctx, want, func(f int, p *frame.Picture) error {
			got = append(got, f)
			if string(p.Data) != string(all[f]) {
				t.Errorf("frame %d is another", f)
			}
			return nil
		})
		if err != nil || !slices.Equal(got, want) {
			t.Errorf("%v: %v", got, err)
		}
	}
	if err := c.Pick(ctx, []int{140, 150}, func(int, *frame.Picture) error { return nil }); err == nil {
		t.Error("a frame after the end is picked")
	}
}
