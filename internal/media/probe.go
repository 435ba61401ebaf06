package media

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"os"
	"slices"
	"strconv"
	"strings"
	"time"

	"celator/core/cadence"
	"celator/core/cover"
	"celator/core/frame"
	"celator/core/timecode"
	"celator/internal/fault"
)

// Info is what probing finds out about a file.
type Info struct {
	Container string        `json:"container"`
	Codec     string        `json:"codec"`
	PixFmt    string        `json:"pixFmt"` // as coded
	Width     int           `json:"width"`  // upright: after rotation
	Height    int           `json:"height"`
	Depth     int           `json:"depth"`
	SubX      int           `json:"subX"`
	SubY      int           `json:"subY"`
	Range     frame.Range   `json:"range"`
	Matrix    frame.Matrix  `json:"matrix"`
	Tags      Tags          `json:"tags"`
	Rate      timecode.Rate `json:"rate"`
	Variable  bool          `json:"variable"` // the file's own rate varies; frames are counted at Rate
	Indexed   bool          `json:"indexed"`  // frames can be reached without reading from the start
	Frames    int           `json:"frames"`   // by the packets; exact for constant rate
	Rotation  int           `json:"rotation"` // degrees clockwise that the file asks for: 0, 90, 180, 270
	Pixel     Ratio         `json:"pixel"`    // pixel aspect, width:height, upright
	Field     string        `json:"field"`    // Progressive, or the field that is shown first: TopFirst, BottomFirst
	Timecode  string        `json:"timecode"` // of the first frame, "" where there is none
	Lead      float64       `json:"lead"`     // seconds from the file's start to the first picture
	// Skipped says that it begins with pictures whose group began before, which cannot be decoded.
	Skipped bool `json:"skipped,omitempty"`
	// Moved, of a conformed copy, is by how many seconds the first picture comes later in the source.
	Moved     float64  `json:"moved,omitempty"`
	Duration  float64  `json:"duration"` // seconds of picture
	Sound     []Sound  `json:"sound"`
	Subtitles []Text   `json:"subtitles,omitempty"`
	Chapters  int      `json:"chapters,omitempty"`
	Beside    []string `json:"beside,omitempty" doc:"what else the file holds, in words"`
	Size      int64    `json:"size"`                                 // bytes
	Still     string   `json:"still,omitempty" enum:"png,jpeg,tiff"` // the kind of a still picture

	Damage *Damage `json:"damage,omitempty" doc:"of a file that was taken as it is"`

	promised int // frames that the file promises, where it has fewer

	// Film says that the pictures are film's, marked to be shown as fields of 60 by turns for two and three of
	// them: they are taken as what they are. Cadence is where that was done to the fields themselves.
	Film    bool              `json:"film,omitempty"`
	Cadence []cadence.Stretch `json:"cadence,omitempty"`

	// How it is coded, for deliveries that are coded alike.
	Coded Coded `json:"coded"`

	flagged bool  // of pictures that ask for a field to be shown twice there are many
	packets int   // of pictures, those not shown included
	apart   int64 // from picture to picture, in the stream's time base; 0 unknown
	begins  int64 // when the first picture that can be decoded is shown, likewise
	begun   bool  // that is known
	holds   []int // of a variable rate: for how many frames each picture is shown
}

// Tags are the colour tags as ffmpeg names them, "" where unknown.
type Tags struct {
	Range     string `json:"range"`
	Primaries string `json:"primaries"`
	Transfer  string `json:"transfer"`
	Space     string `json:"space"`
	Chroma    string `json:"chroma,omitempty"` // where samples of chroma lie
}

// Ratio is a ratio of whole numbers.
type Ratio struct {
	Num int `json:"num"`
	Den int `json:"den"`
}

// Sound is one audio stream.
type Sound struct {
	Codec    string `json:"codec"`
	Channels int    `json:"channels"`
	Rate     int    `json:"rate"`               // Hz
	Language string `json:"language,omitempty"` // ISO 639, as the file has it
	Title    string `json:"title,omitempty"`
	Layout   string `json:"layout,omitempty"` // of the channels, as ffmpeg names it
	Sample   string `json:"sample,omitempty"` // what it decodes to, as ffmpeg names it
	Bits     int    `json:"bits,omitempty"`   // of each sample that say something, where known
}

// Format is the shape of the decoded pictures.
func (i Info) Format() frame.Format {
	return frame.Format{
		Width: i.Width, Height: i.Height, Depth: i.Depth, SubX: i.SubX, SubY: i.SubY, Range: i.Range,
		Matrix: i.Matrix, First: map[string]frame.Field{"top": frame.Top, "bottom": frame.Bottom}[i.First()],
		Alpha: i.alpha(),
	}
}

// Conformed reports whether a copy must be made before frames can be reached
// exactly.
func (i Info) Conformed() bool { return i.Variable || !i.Indexed }

type probedStream struct {
	CodecType   string            `json:"codec_type"`
	CodecName   string            `json:"codec_name"`
	CodecTag    string            `json:"codec_tag_string"`
	Profile     string            `json:"profile"`
	BitRate     string            `json:"bit_rate"`
	BFrames     int               `json:"has_b_frames"`
	Extradata   string            `json:"extradata_hash"`
	Captions    int               `json:"closed_captions"`
	PixFmt      string            `json:"pix_fmt"`
	Width       int               `json:"width"`
	Height      int               `json:"height"`
	SAR         string            `json:"sample_aspect_ratio"`
	FieldOrder  string            `json:"field_order"`
	ColorRange  string            `json:"color_range"`
	ColorSpace  string            `json:"color_space"`
	Transfer    string            `json:"color_transfer"`
	Primaries   string            `json:"color_primaries"`
	Chroma      string            `json:"chroma_location"`
	RFrameRate  string            `json:"r_frame_rate"`
	AvgRate     string            `json:"avg_frame_rate"`
	TimeBase    string            `json:"time_base"`
	Frames      string            `json:"nb_frames"`
	Duration    string            `json:"duration"`
	Channels    int               `json:"channels"`
	SampleRate  string            `json:"sample_rate"`
	SampleFmt   string            `json:"sample_fmt"`
	Layout      string            `json:"channel_layout"`
	Bits        string            `json:"bits_per_raw_sample"`
	PCMBits     int               `json:"bits_per_sample"`
	Tags        map[string]string `json:"tags"`
	Disposition map[string]int    `json:"disposition"`
	SideData    []struct {
		Type     string  `json:"side_data_type"`
		Rotation float64 `json:"rotation"`
	} `json:"side_data_list"`
}

type probed struct {
	Streams  []probedStream `json:"streams"`
	Chapters []struct{}     `json:"chapters"`
	Format   struct {
		Name     string            `json:"format_name"`
		Start    string            `json:"start_time"`
		Duration string            `json:"duration"`
		Tags     map[string]string `json:"tags"`
	} `json:"format"`
}

// A stranger's file may keep ffprobe busy for so long, and longer the larger it is: slow
// storage reads at least as much a second.
const (
	probeTime = 60 * time.Second
	slowRead  = 10 << 20 // bytes a second
)

// Probe looks at a file's streams and all its packet times. Errors that are the
// file's fault wrap ErrUnusable; with ErrDamaged the Info is that of what is there.
func Probe(ctx context.Context, path string) (Info, error) {
	var info Info
	st, err := os.Stat(path)
	if errors.Is(err, os.ErrNotExist) {
		return info, unusable("it is not there")
	} else if err != nil {
		return info, fault.Machine(err)
	}
	info.Size = st.Size()
	if st.IsDir() {
		s, err := sequence(path)
		if err != nil {
			return info, unusable("%v", err)
		}
		info.Size = s.size
	} else if !st.Mode().IsRegular() || st.Size() == 0 {
		return info, unusable("it is empty")
	} else if still, ok, err := probeStill(ctx, path, info.Size); ok || err != nil {
		return still, err
	}
	ctx, cancel := context.WithTimeout(ctx, probeTime+time.Duration(info.Size/slowRead)*time.Second)
	defer cancel()
	packets := meanwhile(func() ([]byte, error) { // of a short clip starting the tools takes longer than their answers
		return run(ctx, "ffprobe", append([]string{
			"-v", "error", "-select_streams", "v:0", "-of", "csv=p=0", "-show_entries", "packet=pts,flags",
		}, input(path)...))
	})
	out, err := run(ctx, "ffprobe", append([]string{
		"-v", "error", "-of", "json", "-show_streams", "-show_format", "-show_chapters", "-show_data_hash", "md5",
	}, input(path)...))
	if err != nil {
		return info, blame(ctx, err, "it is no clip that can be read")
	}
	p, v, err := info.describe(out)
	if err != nil {
		return info, err
	}
	info.Coded = v.coded(path, info.Container, tag(p.Format.Tags, "major_brand"))
	info.scan(ctx, path, v.FieldOrder)
	info.declared(ctx, path)
	info.meaning(v)
	if out, err = packets(); err != nil {
		return info, blame(ctx, err, "its packets cannot be read")
	}
	timed, err := info.times(out, p, v)
	if err != nil {
		return info, err
	}
	if !timed { // a bare stream: counted while decoding
		n, err := run(ctx, "ffprobe", append([]string{
			"-v", "error", "-select_streams", "v:0", "-of", "csv=p=0",
			"-count_packets", "-show_entries", "stream=nb_read_packets",
		}, input(path)...))
		if err != nil {
			return info, blame(ctx, err, "its packets cannot be counted")
		}
		if info.Frames, _ = strconv.Atoi(strings.Trim(strings.TrimSpace(string(n)), ",")); info.Frames < 1 ||
			info.Frames > cover.MaxFrames {
			return info, unusable("it has no frames")
		}
		info.Indexed = false
		info.Duration = float64(info.Frames) / info.Rate.Float()
	}
	return info, info.whole(p, v)
}

// meanwhile does something beside what follows, and returns what waits for it.
func meanwhile(do func() ([]byte, error)) func() ([]byte, error) {
	var out []byte
	var err error
	done := make(chan struct{})
	go func() {
		defer close(done)
		out, err = do()
	}()
	return func() ([]byte, error) { <-done; return out, err }
}

// describe reads ffprobe's answer about streams and container. video is the picture's
// stream.
func (info *Info) describe(out []byte) (p probed, video probedStream, err error) {
	if err := json.Unmarshal(out, &p); err != nil {
		return p, video, fmt.Errorf("media: ffprobe's answer: %w", err)
	}
	info.Container, _, _ = strings.Cut(p.Format.Name, ",")
	info.Indexed = slices.Contains([]string{"mov", "matroska", "nut"}, info.Container)
	info.Timecode = tag(p.Format.Tags, "timecode")
	at := -1
	for i, s := range p.Streams {
		switch {
		case s.CodecType == "video" && at < 0 && s.Disposition["attached_pic"] == 0:
			at = i
		case s.CodecType == "audio":
			hz, _ := strconv.Atoi(s.SampleRate)
			lang := known(tag(s.Tags, "language"))
			if lang == "und" {
				lang = ""
			}
			bits, _ := strconv.Atoi(s.Bits)
			info.Sound = append(info.Sound, Sound{
				s.CodecName, s.Channels, hz, lang, title(s.Tags), known(s.Layout), known(s.SampleFmt), max(bits, s.PCMBits),
			})
		}
		if tc := tag(s.Tags, "timecode"); tc != "" && info.Timecode == "" {
			info.Timecode = tc
		}
	}
	if at < 0 {
		return p, video, unusable("it has no picture")
	}
	info.beside(p, at)
	v := p.Streams[at]
	info.Codec, info.PixFmt, info.Width, info.Height = v.CodecName, v.PixFmt, v.Width, v.Height
	if decodedAs[v.PixFmt] == "" {
		return p, v, unusable("its pixel format %q is not supported; Y'CbCr 4:2:0, 4:2:2, 4:4:4 and 4:1:1, R'G'B' and grey "+
			"with 8 to 16 bit are", v.PixFmt)
	}
	info.Depth, info.SubX, info.SubY = layout(decodedAs[v.PixFmt])
	for _, sd := range v.SideData {
		if sd.Type == "Display Matrix" {
			info.Rotation = (int(math.Round(-sd.Rotation/90))*90%360 + 360) % 360
		}
	}
	info.Pixel = Ratio{1, 1}
	if n, d, ok := strings.Cut(v.SAR, ":"); ok {
		num, _ := strconv.Atoi(n)
		den, _ := strconv.Atoi(d)
		if num > 0 && den > 0 {
			info.Pixel = Ratio{num, den}
		}
	}
	if info.Rotation%180 != 0 {
		info.Width, info.Height = info.Height, info.Width
		info.Pixel = Ratio{info.Pixel.Den, info.Pixel.Num}
	}
	info.Tags = v.colours()
	info.meaning(v)
	if err := info.Format().Validate(); err != nil {
		return p, v, unusable("%v", err)
	}
	return p, v, nil
}

// meaning says what the samples mean, from the colour tags.
func (info *Info) meaning(v probedStream) {
	info.Range, info.Matrix = frame.Limited, matrix(info.Tags.Space, info.Height)
	if info.Tags.Range == "pc" || strings.HasPrefix(v.PixFmt, "yuvj") {
		info.Range = frame.Full
	}
	if info.rgb() {
		info.Range, info.Matrix = frame.Full, frame.RGB
	}
}

// whole returns an error where the file promises more frames than it has.
func (info *Info) whole(p probed, v probedStream) error {
	if _, err := timecode.New(info.Rate, info.Timecode); err != nil {
		info.Timecode = ""
	}
	promised, _ := strconv.Atoi(v.Frames)
	if d := clockSeconds(tag(v.Tags, "duration")); promised == 0 && d > 0 {
		start, _ := strconv.ParseFloat(p.Format.Start, 64)
		promised = int((d - start - info.Lead) * info.Rate.Float()) // the tag is the time of the end
	} else if d, _ := strconv.ParseFloat(p.Format.Duration, 64); promised == 0 && len(p.Streams) == 1 &&
		info.Container != "mpegts" && info.Container != "mpeg" { // which promise nothing
		promised = int(d * info.Rate.Float())
	}
	if d, _ := strconv.ParseFloat(v.Duration, 64); promised == 0 && info.Container == "mxf" { // its header says so
		promised = int(math.Round(d * info.Rate.Float()))
	}
	if found := max(info.Frames, info.packets); promised > found+max(2, promised/100) {
		info.promised = promised
		return damaged(": it promises %d frames and has %d", promised, found)
	}
	return nil
}

// tag returns a tag whatever its case: containers differ in it.
func tag(tags map[string]string, name string) string {
	for k, v := range tags {
		if strings.EqualFold(k, name) {
			return v
		}
	}
	return ""
}

// title is what a track is called. QuickTime has that in the name of its handler, which
// writers fill with names of their own where nobody gave one.
func title(tags map[string]string) string {
	if t := tag(tags, "title"); t != "" {
		return t
	}
	name := strings.TrimSpace(tag(tags, "handler_name"))
	if strings.HasSuffix(name, "Handler") || strings.HasPrefix(name, "Core Media") || strings.Contains(name, "GPAC") {
		return ""
	}
	return name
}

func known(tag string) string {
	if tag == "unknown" || tag == "reserved" || tag == "unspecified" {
		return ""
	}
	return tag
}

func matrix(space string, height int) frame.Matrix {
	switch space {
	case "bt709":
		return frame.BT709
	case "smpte170m", "bt470bg":
		return frame.BT601
	case "bt2020nc", "bt2020c":
		return frame.BT2020
	}
	if height >= 720 { // as receivers assume where nothing is said
		return frame.BT709
	}
	return frame.BT601
}

// clockSeconds reads "00:00:03.040000000", as Matroska's tags have it.
func clockSeconds(s string) float64 {
	var h, m int
	var sec float64
	if n, _ := fmt.Sscanf(s, "%d:%d:%f", &h, &m, &sec); n != 3 {
		return 0
	}
	return float64(h*3600+m*60) + sec
}
