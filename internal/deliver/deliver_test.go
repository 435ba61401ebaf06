package deliver

import (
	"context"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"celator/core/cover"
	"celator/core/frame"
	"celator/core/geom"
	"celator/internal/confine"
	"celator/internal/media"
)

// both are the presets that keep as much of a source as there is, and that people look at.
var both = map[string]media.Preset{"review": media.Presets["review"], "archive": media.Presets["archive"]}

func TestMain(m *testing.M) {
	confine.Main()
	os.Exit(m.Run())
}

func clip(t *testing.T, name string, args ...string) media.Clip {
	path := filepath.Join(t.TempDir(), name)
	if out, err := exec.Command("ffmpeg", append(append([]string{"-v", "error", "-y"}, args...),
		path)...).CombinedOutput(); err != nil {
		t.Fatalf("%v\n%s", err, out)
	}
	i, err := media.Probe(context.Background(), path)
	if err != nil {
		t.Fatal(err)
	}
	return media.Clip{Path: path, Info: i}
}

// document has three covers, one of each treatment, moving and partly outside.
func document(i media.Info) *cover.Document {
	d := cover.New(i.Width, i.Height, i.Frames)
	for n, kind := range []cover.Kind{cover.Blur, cover.Mosaic, cover.Fill} {
		r := geom.Rect{Min: geom.Pt(float64(10+60*n), 20), Max: geom.Pt(float64(60+60*n), 60)}
		d.Covers = append(d.Covers, cover.Cover{
			ID: fmt.Sprint("c", n), Name: "c", Span: cover.Span{First: 3 * n, Last: i.Frames - 1 - 2*n},
			Soften: cover.ConstPair(5, 3), Grow: cover.Const(2),
			Outlines: []cover.Outline{{ID: "o", Shape: cover.ShapeEllipse, Keys: []cover.PathKey{{Knots: geom.Ellipse(r)}}}},
			Motion: cover.Motion{Pivot: r.Centre(), Keys: []cover.PlacementKey{
				{Frame: 0, Placement: cover.Rest},
				{Frame: cover.Time(i.Frames - 1), Placement: cover.Placement{
					Move: geom.Pt(-90, 40), Turn: 70, Size: geom.Pt(1.5, .7),
				}},
			}},
			Treatments: []cover.Treatment{cover.NewTreatment("t", kind)},
		})
	}
	return d
}

// An archive's samples outside the mattes are the source's, for 8 and 10 bit and
// all subsamplings, rendered whole or by segments; sound, timecode, tags and
// aspect are kept; a planted difference is found.
//
// Long: one scenario, told from its beginning to its end.
func TestArchiveIsTheSourceOutsideTheMattes(t *testing.T) {
	ctx := context.Background()
	for pix, extra := range map[string][]string{
		"yuv420p": {
			"-color_range", "tv", "-color_primaries", "bt709", "-color_trc", "bt709", "-colorspace", "bt709",
			"-timecode", "10:02:14:07",
		},
		"yuv422p10le": {
			"-colorspace", "bt2020nc", "-color_primaries", "bt2020", "-color_trc", "arib-std-b67", "-aspect",
			"2:1",
		},
		"yuvj420p":    nil,
		"yuv444p12le": nil,
	} {
		codec := []string{"-c:v", "libx264", "-pix_fmt", pix}
		if strings.Contains(pix, "12") {
			codec[1] = "ffv1"
		}
		args := append([]string{
			"-f", "lavfi", "-i", "testsrc2=size=202x120:rate=30000/1001:duration=1.4", "-f", "lavfi",
			"-i", "sine=duration=1.4", "-c:a", "aac",
		}, codec...)
		c := clip(t, "a.mkv", append(args, extra...)...)
		out := filepath.Join(t.TempDir(), "out.mkv")
		last := c.Info.Frames - 1
		j := Job{
			Clip: c, Sound: c.Path, Parts: Whole(document(c.Info)), Preset: media.Presets["archive"], Last: last,
			Total: c.Info.Frames, Out: out,
		}
		if err := Render(ctx, j); err != nil {
			t.Fatalf("%s: %v", pix, err)
		}
		p, err := Verify(ctx, j, nil)
		if err != nil || p.Compared != c.Info.Frames || p.Touched == 0 {
			t.Fatalf("%s: %+v, %v", pix, p, err)
		}
		got, err := media.Probe(ctx, out)
		if err != nil {
			t.Fatal(err)
		}
		if got.Tags != c.Info.Tags && pix != "yuvj420p" || got.Timecode != c.Info.Timecode || got.Pixel != c.Info.Pixel ||
			got.Rate != c.Info.Rate || got.Range != c.Info.Range || p.Samples < 60_000 {
			t.Errorf("%s: %+v, the source %+v", pix, got, c.Info)
		}
		moved := j
		moved.Clip.Info.Moved += .002
		if _, err := Verify(ctx, moved, nil); err == nil || !strings.Contains(err.Error(), "sound track 1") {
			t.Errorf("%s: sound two milliseconds from its place is proved: %v", pix, err)
		}
		whole := decode(t, out, got)

		// By segments, joined: the same pictures.
		var files []string
		var lengths []int
		for first := 0; first <= last; first += 17 {
			s := j
			s.First, s.Last, s.Segment = first, min(first+16, last), true
			s.Out = filepath.Join(t.TempDir(), "seg")
			if err := Render(ctx, s); err != nil {
				t.Fatal(err)
			}
			files, lengths = append(files, s.Out), append(lengths, s.Last-s.First+1)
		}
		joined := j
		joined.Out = filepath.Join(t.TempDir(), "joined.mkv")
		o := media.Output{Path: joined.Out, Preset: j.Preset, Source: c, Sound: c.Path, Frames: j.Total, Total: j.Total}
		if err := media.Join(ctx, o, files, lengths, nil); err != nil {
			t.Fatal(err)
		}
		if _, err := Verify(ctx, joined, nil); err != nil {
			t.Fatalf("%s, joined: %v", pix, err)
		}
		if j, err := media.Probe(ctx, joined.Out); err != nil || j.Tags != got.Tags || j.Timecode != got.Timecode ||
			j.Pixel != got.Pixel || j.Rate != got.Rate || j.Range != got.Range {
			t.Errorf("%s: joined %+v, whole %+v", pix, j, got)
		}
		if got := decode(t, joined.Out, got); string(got) != string(whole) {
			t.Fatalf("%s: joined segments differ from the whole", pix)
		}

		// A document that covers less makes what was covered a difference.
		wrong := j
		wrong.Parts = Whole(document(c.Info))
		wrong.Parts[0].Document.Covers[1].Span.Last--
		if _, err := Verify(ctx, wrong, nil); err == nil || !strings.Contains(err.Error(), fmt.Sprintf("frame %d", last-2)) {
			t.Errorf("%s: a sample changed outside the covers was not found: %v", pix, err)
		}
	}
}

func decode(t *testing.T, path string, info media.Info) (all []byte) {
	r, err := media.Clip{Path: path, Info: info}.Open(context.Background(), 0, -1)
	if err != nil {
		t.Fatal(err)
	}
	defer r.Close()
	p := frame.New(info.Format(), nil)
	for {
		if err := r.Read(p); err == io.EOF {
			return all
		} else if err != nil {
			t.Fatal(err)
		}
		all = append(all, p.Data...)
	}
}

// What a station sends is woven of fields: their order is kept by every preset, whole or
// joined, and a file that lost it is not called proved. Sound tracks keep what they are called.
func TestFieldsKeepTheirOrder(t *testing.T) {
	ctx := context.Background()
	for _, c := range []struct{ first, pix, ending string }{
		{"tff", "yuv422p", ".mkv"}, {"bff", "yuv420p", ".mpg"},
	} {
		first := map[string]string{"tff": "top", "bff": "bottom"}[c.first]
		clip := clip(t, "a"+c.ending, "-f", "lavfi", "-i", "testsrc2=size=192x128:rate=50:duration=1.2", "-f", "lavfi", "-i",
			"sine=duration=1.2", "-vf", "tinterlace=interleave_"+first+",setfield="+c.first, "-r", "25",
			"-c:v", "mpeg2video", "-b:v", "4M", "-flags", "+ildct+ilme", "-pix_fmt", c.pix, "-c:a", "mp2",
			"-metadata:s:a:0", "language=nor", "-metadata:s:a:0", "title=Clean")
		if clip.Info.First() != first {
			t.Fatalf("%s in %s is taken for %s", c.first, c.ending, scan(clip.Info))
		}
		for name, preset := range both {
			j := Job{
				Clip: clip, Sound: clip.Path, Parts: Whole(document(clip.Info)), Preset: preset, Last: clip.Info.Frames - 1,
				Total: clip.Info.Frames, Out: filepath.Join(t.TempDir(), "out"+preset.Ending),
			}
			if err := Render(ctx, j); err != nil {
				t.Fatal(err)
			}
			if _, err := Verify(ctx, j, nil); err != nil {
				t.Errorf("%s %s: %v", c.first, name, err)
			}
			got, err := media.Probe(ctx, j.Out)
			if err != nil {
				t.Fatal(err)
			}
			a, b := got.Sound[0], clip.Info.Sound[0]
			if got.First() != first || a.Language != b.Language || a.Title != b.Title {
				t.Errorf("%s %s: %s, sound %+v of %+v", c.first, name, scan(got), got.Sound, clip.Info.Sound)
			}
			var parts []string
			var lengths []int
			for _, span := range [][2]int{{0, 11}, {12, j.Last}} {
				s := j
				s.First, s.Last, s.Segment, s.Out = span[0], span[1], true, filepath.Join(t.TempDir(), "seg")
				if err := Render(ctx, s); err != nil {
					t.Fatal(err)
				}
				parts, lengths = append(parts, s.Out), append(lengths, s.Last-s.First+1)
			}
			o := media.Output{Path: j.Out, Preset: preset, Source: clip, Sound: clip.Path, Frames: j.Total, Total: j.Total}
			if err := media.Join(ctx, o, parts, lengths, nil); err != nil {
				t.Fatal(err)
			}
			if _, err := Verify(ctx, j, nil); err != nil {
				t.Errorf("%s %s, joined: %v", c.first, name, err)
			}
			whole := j
			whole.Clip.Info.Field = media.Progressive
			if _, err := Verify(ctx, whole, nil); err == nil {
				t.Errorf("%s %s: a file of fields is proved to be one of whole pictures", c.first, name)
			}
		}
	}
}

// A review copy, whole, by segments and of a range, has its frames, length and
// sound.
func TestReviewCopies(t *testing.T) {
	ctx := context.Background()
	c := clip(t, "a.mp4", "-f", "lavfi", "-i", "testsrc2=size=201x121:rate=24000/1001:duration=2", "-f", "lavfi", "-i",
		"sine=duration=2",
		"-c:v", "ffv1", "-pix_fmt", "yuv444p10le", "-c:a", "flac", "-f", "matroska")
	j := Job{
		Clip: c, Sound: c.Path, Parts: Whole(document(c.Info)), Preset: media.Presets["review"],
		Last: c.Info.Frames - 1, Total: c.Info.Frames, Out: filepath.Join(t.TempDir(), "out.mp4"),
	}
	if err := Render(ctx, j); err != nil {
		t.Fatal(err)
	}
	if _, err := Verify(ctx, j, nil); err != nil {
		t.Fatal(err)
	}
	part := j
	part.First, part.Last, part.Out = 11, 30, filepath.Join(t.TempDir(), "part.mp4")
	if err := Render(ctx, part); err != nil {
		t.Fatal(err)
	}
	if _, err := Verify(ctx, part, nil); err != nil {
		t.Fatal(err)
	}
	var files []string
	var lengths []int
	for first := 0; first <= j.Last; first += 13 {
		s := j
		s.First, s.Last, s.Segment, s.Out = first, min(first+12, j.Last), true, filepath.Join(t.TempDir(), "seg")
		if err := Render(ctx, s); err != nil {
			t.Fatal(err)
		}
		files, lengths = append(files, s.Out), append(lengths, s.Last-s.First+1)
	}
	o := media.Output{Path: j.Out, Preset: j.Preset, Source: c, Sound: c.Path, Frames: j.Total, Total: j.Total}
	if err := media.Join(ctx, o, files, lengths, nil); err != nil {
		t.Fatal(err)
	}
	if p, err := Verify(ctx, j, nil); err != nil {
		t.Fatalf("joined: %+v %v", p, err)
	}
	lost := j
	lost.Last++
	if _, err := Verify(ctx, lost, nil); err == nil {
		t.Fatal("a missing frame was not found")
	}
}
