package zoo

import (
	"bytes"
	"encoding/json"
	"fmt"
	"os/exec"
	"strconv"
	"strings"
)

// Seen is what ffmpeg's tools find in a file.
type Seen struct {
	Frames   int
	Pix      string
	Field    string // top, bottom or ""
	Rate     string
	Aspect   string    // of pixels
	Colour   [4]string // range, primaries, transfer, matrix
	Timecode string
	Sound    []Heard
}

// Heard is a sound track: what it is, and its samples.
type Heard struct {
	Channels int
	Layout   string
	Samples  []byte
}

type stream struct {
	Type      string            `json:"codec_type"`
	Pix       string            `json:"pix_fmt"`
	Rate      string            `json:"r_frame_rate"`
	SAR       string            `json:"sample_aspect_ratio"`
	Range     string            `json:"color_range"`
	Primaries string            `json:"color_primaries"`
	Transfer  string            `json:"color_transfer"`
	Space     string            `json:"color_space"`
	Channels  int               `json:"channels"`
	Layout    string            `json:"channel_layout"`
	Tags      map[string]string `json:"tags"`
}

// Look looks at a file.
func Look(path string) (s Seen, err error) {
	var p struct {
		Streams []stream `json:"streams"`
		Frames  []struct {
			Interlaced int `json:"interlaced_frame"`
			Top        int `json:"top_field_first"`
		} `json:"frames"`
		Format struct {
			Tags map[string]string `json:"tags"`
		} `json:"format"`
	}
	out, err := exec.Command("ffprobe", "-v", "quiet", "-of", "json", "-show_streams", "-show_format", "-show_entries",
		"frame=interlaced_frame,top_field_first", "-select_streams", "v:0", path).Output()
	if err == nil {
		err = json.Unmarshal(out, &p)
	}
	if err != nil {
		return s, err
	}
	s.Frames = len(p.Frames)
	if f := p.Frames; len(f) > 0 && f[0].Interlaced > 0 {
		s.Field = [2]string{"bottom", "top"}[f[0].Top]
	}
	out, err = exec.Command("ffprobe", "-v", "quiet", "-of", "json", "-show_streams", path).Output()
	if err == nil {
		p.Streams = nil
		err = json.Unmarshal(out, &p)
	}
	if err != nil {
		return s, err
	}
	known := func(v string) string { return strings.NewReplacer("unknown", "", "N/A", "").Replace(v) }
	s.Timecode = p.Format.Tags["timecode"]
	for _, t := range p.Streams {
		for k, v := range t.Tags {
			if strings.EqualFold(k, "timecode") && s.Timecode == "" {
				s.Timecode = v
			}
		}
		switch {
		case t.Type == "video" && s.Pix == "":
			s.Pix, s.Rate, s.Aspect = t.Pix, t.Rate, known(t.SAR)
			s.Colour = [4]string{known(t.Range), known(t.Primaries), known(t.Transfer), known(t.Space)}
		case t.Type == "audio":
			b, err := exec.Command("ffmpeg", "-v", "quiet", "-i", path, "-map", fmt.Sprintf("0:a:%d", len(s.Sound)),
				"-f", "s32le",
				"pipe:1").Output()
			if err != nil {
				return s, err
			}
			s.Sound = append(s.Sound, Heard{t.Channels, t.Layout, b})
		}
	}
	for k, v := range p.Format.Tags {
		if strings.EqualFold(k, "timecode") && s.Timecode == "" {
			s.Timecode = v
		}
	}
	return s, nil
}

// Compare says what of a file a lossless delivery of all of it has lost, in words; nothing where
// all is there. variable is whether its rate was made constant, which makes more frames.
func Compare(a, b Seen, variable bool) (lost []string) {
	differ := func(what, x, y string) {
		if x != "" && x != "0:1" && x != y {
			lost = append(lost, fmt.Sprintf("%s %s became %s", what, x, y))
		}
	}
	if !variable {
		differ("frames", strconv.Itoa(a.Frames), strconv.Itoa(b.Frames))
		if x, y := ratio(a.Rate), ratio(b.Rate); x/y-1 > 1e-5 || y/x-1 > 1e-5 { // containers cannot say all of them
			differ("rate", a.Rate, b.Rate)
		}
	}
	differ("fields", a.Field+" ", b.Field+" ")
	differ("pixels", a.Aspect, b.Aspect)
	differ("timecode", a.Timecode, b.Timecode)
	for i, what := range [4]string{"range", "primaries", "transfer", "matrix"} {
		if !strings.HasPrefix(a.Pix, "yuvj") {
			differ(what, a.Colour[i], b.Colour[i])
		}
	}
	differ("sound tracks", strconv.Itoa(len(a.Sound)), strconv.Itoa(len(b.Sound)))
	for i := range min(len(a.Sound), len(b.Sound)) {
		x, y := a.Sound[i], b.Sound[i]
		differ(fmt.Sprintf("channels of track %d", i+1), strconv.Itoa(x.Channels), strconv.Itoa(y.Channels))
		if x.Channels > 2 && x.Channels <= 8 {
			differ(fmt.Sprintf("layout of track %d", i+1), x.Layout, y.Layout)
		}
		if !bytes.Equal(x.Samples, y.Samples) {
			lost = append(lost, fmt.Sprintf("track %d: other samples (%d bytes became %d)", i+1, len(x.Samples), len(y.Samples)))
		}
	}
	return lost
}

// ratio reads "30000/1001".
func ratio(s string) float64 {
	n, d, _ := strings.Cut(s, "/")
	x, _ := strconv.ParseFloat(n, 64)
	y, err := strconv.ParseFloat(d, 64)
	if err != nil || y == 0 {
		return x
	}
	return x / y
}
