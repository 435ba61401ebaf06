package deliver

import (
	"context"
	"fmt"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"celator/core/cover"
	"celator/internal/media"
)

// Every preset that comes with the program is written by what is here, whole and of joined segments, from
// pictures and from fields, and is what its recipe says, as ffprobe finds; what a source does not fit is refused
// before.
func TestEveryPreset(t *testing.T) {
	ctx := context.Background()
	sources := map[string]media.Clip{}
	for name, filter := range map[string]string{
		"progressive": "null", "interlaced": "tinterlace=interleave_top,setfield=tff",
		"progressive tape": "scale=720:576", "interlaced tape": "scale=720:576,tinterlace=interleave_top,setfield=tff",
	} {
		sources[name] = clip(t, name+".mov", "-f", "lavfi", "-i", "testsrc2=size=320x180:rate=50:duration=0.9", "-f", "lavfi",
			"-i", "aevalsrc=0.4*sin(900*t+300*t*t)|0.3*sin(700*t*t):s=48000:d=0.9", "-vf", filter+",fps=25,format=yuv422p10le",
			"-c:v", "prores_ks", "-flags", map[bool]string{true: "+ildct"}[strings.Contains(filter, "tff")]+"+bitexact",
			"-c:a", "pcm_s24le",
			"-timecode", "10:00:00:00")
	}
	for _, recipe := range media.Recipes {
		p := media.Presets[recipe.Name]
		if p.Packed() {
			continue // TestNumberedPictures, TestSoundAlone
		}
		for name, c := range sources {
			if tape := strings.HasSuffix(name, "tape"); tape != (recipe.Codec == "imx") {
				continue // which alone asks for its size
			}
			scan, _, _ := strings.Cut(name, " ")
			if err := p.Fits(c.Info); err != nil {
				if scan == "progressive" || !strings.Contains(err.Error(), "whole pictures") {
					t.Errorf("%s: %v", recipe.Name, err)
				}
				continue
			}
			j := Job{
				Clip: c, Sound: c.Path, Parts: Whole(document(c.Info)), Preset: p, Last: c.Info.Frames - 1, Total: c.Info.Frames,
				Out: filepath.Join(t.TempDir(), "out"+p.Ending),
			}
			if scan == "interlaced" {
				j.Parts[0].Document.Fields = true
			}
			joined(t, &j, 9)
			if _, err := Verify(ctx, j, nil); err != nil {
				t.Errorf("%s, %s: %v", recipe.Name, name, err)
				continue
			}
			is(t, recipe, j.Out, scan)
		}
	}
}

// joined writes a job in segments of so many frames.
func joined(t *testing.T, j *Job, frames int) {
	t.Helper()
	ctx := context.Background()
	var files []string
	var lengths []int
	for first := 0; first < j.Total; first += frames {
		g := *j
		g.First, g.Last, g.Segment = first, min(first+frames, j.Total)-1, true
		g.Out = fmt.Sprintf("%s.%d", j.Out, first)
		if err := Render(ctx, g); err != nil {
			t.Fatalf("%s: %v", j.Preset.Name, err)
		}
		files, lengths = append(files, g.Out), append(lengths, g.Last-g.First+1)
	}
	o := media.Output{
		Path: j.Out, Preset: j.Preset, Source: j.Clip, Sound: j.Sound, Frames: j.Total, Total: j.Total,
	}
	if err := media.Join(ctx, o, files, lengths, nil); err != nil {
		t.Fatalf("%s: %v", j.Preset.Name, err)
	}
}

// is holds a file to its recipe.
func is(t *testing.T, r media.Recipe, path, scan string) {
	t.Helper()
	out, err := exec.Command("ffprobe", "-v", "error", "-select_streams", "v:0", "-show_entries",
		"stream=codec_name,pix_fmt,field_order:stream_tags=timecode:format_tags=timecode", "-of",
		"default=nw=1", path).Output()
	if err != nil {
		t.Fatal(err)
	}
	codec := map[string]string{
		"h264": "h264", "h264-intra": "h264", "hevc": "hevc", "mpeg2": "mpeg2video", "imx": "mpeg2video", "ffv1": "ffv1",
	}[r.Codec]
	switch {
	case strings.HasPrefix(r.Codec, "prores"):
		codec = "prores"
	case strings.HasPrefix(r.Codec, "dnxhr"):
		codec = "dnxhd"
	}
	said := string(out)
	order := "field_order=t"
	if scan == "progressive" {
		order = "field_order=progressive"
	}
	// ffprobe says nothing of the order of progressive DNxHR in QuickTime and of HEVC.
	known := !strings.Contains(said, "field_order=unknown") || scan == "interlaced"
	if !strings.Contains(said, "codec_name="+codec) || known && !strings.Contains(said, order) {
		t.Errorf("%s, %s: %s", r.Name, scan, said)
	}
	if r.Container != "mkv" && !strings.Contains(said, "10:00:00") && r.Container != "mp4" && r.Container != "mov" {
		t.Errorf("%s: no timecode: %s", r.Name, said)
	}
}

// A recipe that cannot be written is refused in words, and house recipes are held to the same.
func TestRecipes(t *testing.T) {
	good := media.Recipe{
		Name: "house", Title: "House", Codec: "h264", Container: "mov", Samples: "422p10", Rate: 60, Sound: "pcm16",
	}
	if _, err := good.Preset(); err != nil {
		t.Fatal(err)
	}
	for says, change := range map[string]func(*media.Recipe){
		"the name":       func(r *media.Recipe) { r.Name = "Two words" },
		"title":          func(r *media.Recipe) { r.Title = " " },
		"no codec":       func(r *media.Recipe) { r.Codec = "h266" },
		"written into":   func(r *media.Recipe) { r.Container = "mxf" },
		"holds":          func(r *media.Recipe) { r.Codec, r.Samples = "prores", "444p10" },
		"its profile's":  func(r *media.Recipe) { r.Codec, r.Samples, r.Container = "prores", "", "mov" },
		"not between":    func(r *media.Recipe) { r.Rate = 5000 },
		"without a rate": func(r *media.Recipe) { r.Quality = 20 },
		"no sound":       func(r *media.Recipe) { r.Sound = "opus" },
		"no PCM":         func(r *media.Recipe) { r.Container = "mp4" },
		"IMX has":        func(r *media.Recipe) { r.Codec, r.Container, r.Samples = "imx", "mxf", "422p8" },
	} {
		r := good
		change(&r)
		if _, err := r.Preset(); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", says, err)
		}
	}
	c := clip(t, "odd.mkv", "-f", "lavfi", "-i", "testsrc2=size=200x96:rate=12:duration=1", "-c:v", "ffv1")
	for name, says := range map[string]string{
		"mpeg2-50": "rate of 12", "imx-50": "does not know", "dnxhr-hq": "from 256x120", "hevc": "", "prores": "",
	} {
		err := media.Presets[name].Fits(c.Info)
		if says == "" && err != nil || says != "" && (err == nil || !strings.Contains(err.Error(), says)) {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// A timecode that is burnt in stands in the lower middle, another on every frame, and nowhere else.
func TestTimecodeInThePicture(t *testing.T) {
	ctx := context.Background()
	c := clip(t, "grey.mkv", "-f", "lavfi", "-i", "color=gray:size=320x180:rate=25:duration=0.2", "-c:v", "ffv1")
	j := Job{
		Clip: c, Sound: c.Path, Parts: Whole(cover.New(320, 180, c.Info.Frames)), Preset: media.Presets["review-timecode"],
		Last: c.Info.Frames - 1, Total: c.Info.Frames, Out: filepath.Join(t.TempDir(), "out.mp4"),
	}
	if err := Render(ctx, j); err != nil {
		t.Fatal(err)
	}
	out, err := exec.Command("ffmpeg", "-v", "error", "-i", j.Out, "-f", "rawvideo", "-pix_fmt", "gray", "-").Output()
	if err != nil || len(out) != 320*180*c.Info.Frames {
		t.Fatalf("%d bytes, %v", len(out), err)
	}
	frames := map[string]bool{}
	for f := range c.Info.Frames {
		pic := out[320*180*f : 320*180*(f+1)]
		var inside, outside int
		for i, v := range pic {
			if x, y, off := i%320, i/320, int(v)-int(pic[0]); off > 12 || off < -12 {
				if y > 150 && x > 90 && x < 230 {
					inside++
				} else {
					outside++
				}
			}
		}
		if inside < 100 || outside > 0 {
			t.Errorf("frame %d: %d pixels of it, %d elsewhere", f, inside, outside)
		}
		frames[string(pic[320*150:])] = true
	}
	if len(frames) != c.Info.Frames {
		t.Errorf("%d timecodes on %d frames", len(frames), c.Info.Frames)
	}
}
