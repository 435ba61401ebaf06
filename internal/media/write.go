package media

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"celator/core/frame"
	"celator/core/timecode"
)

// Preset is a way of encoding.
type Preset struct {
	Name     string
	Title    string   // for people
	Ending   string   // of the finished file
	Lossless bool     // samples come back as they went in
	Still    bool     // one picture, in the kind of the source's file
	Labels   bool     // shows the document's labels
	video    []string // encoder options
	pixFmt   string   // "" keeps the source's
	segment  string   // ending and muxer of a segment, with exact times
	sounds   []string // audio codecs that the container takes as they are
	recode   []string // what others become
	muxer    []string
}

// Presets are the ways of encoding, by name.
var Presets = map[string]Preset{
	"review": {
		Name: "review", Title: "Review copy, H.264 in MP4", Ending: ".mp4", Labels: true,
		video:  []string{"-c:v", "libx264", "-preset", "medium", "-crf", "18"},
		pixFmt: "yuv420p", segment: "mp4",
		sounds: []string{"aac", "mp3", "ac3", "eac3", "alac"}, recode: []string{"-c:a", "aac", "-b:a", "256k"},
		muxer: []string{"-movflags", "+faststart", "-f", "mp4"},
	},
	"archive": {
		Name: "archive", Title: "Archive master, FFV1 in Matroska, lossless", Ending: ".mkv", Lossless: true,
		video:   []string{"-c:v", "ffv1", "-level", "3", "-g", "1", "-slicecrc", "1"},
		segment: "matroska",
		sounds:  nil, recode: []string{"-c:a", "flac"},
		muxer: []string{"-f", "matroska"},
	},
}

// Camera is how the demo footage is written: like a camera's file, with a key
// picture every second, at that rate factor, or 18 where it is 0.
func Camera(crf int) Preset {
	if crf == 0 {
		crf = 18
	}
	return Preset{
		Name: "camera", Ending: ".mp4",
		video:  []string{"-c:v", "libx264", "-preset", "superfast", "-crf", strconv.Itoa(crf), "-g", "25"},
		pixFmt: "yuv420p", recode: []string{"-c:a", "aac", "-b:a", "128k"},
		sounds: []string{"aac"}, muxer: []string{"-movflags", "+faststart", "-f", "mp4"},
	}
}

// For returns the preset of that name for a source, or an error where the two do
// not go together.
func (i Info) For(name string) (Preset, error) {
	if i.Still != "" {
		if name != "still" {
			return Preset{}, fmt.Errorf("the source is a still picture; it is delivered as one, by the preset still")
		}
		return StillPreset(i.Still), nil
	}
	p, ok := Presets[name]
	if !ok {
		return p, fmt.Errorf("preset %q is not known; there are archive and review, and still for still pictures", name)
	}
	return p, nil
}

// PresetFor chooses the preset of a clip: by name, or where that is empty by the
// file's ending.
func PresetFor(name, path string) (Preset, error) {
	if name != "" {
		p, ok := Presets[name]
		if !ok {
			return Preset{}, fmt.Errorf("preset %q is not known; there are archive and review", name)
		}
		return p, nil
	}
	for _, p := range Presets {
		if strings.EqualFold(filepath.Ext(path), p.Ending) {
			return p, nil
		}
	}
	return Preset{}, fmt.Errorf("no preset writes %q files; end the name in .mp4 or .mkv or name a preset",
		filepath.Ext(path))
}

// Size is about how many bytes so many frames of the source take by this preset.
func (p Preset) Size(info Info, frames int) int64 {
	n := int64(frames) * int64(info.Format().Size())
	if p.Lossless {
		return n * 2 / 3
	}
	return n / 12
}

// EncoderArgs are the options that encode pictures of the source by this
// preset: colour, pixel aspect and field order as the source has them.
func (p Preset) EncoderArgs(info Info) []string {
	if p.Still {
		return []string{"still", info.Still}
	}
	target := p.format(info)
	pix := target
	if pix == "" {
		pix = info.lossless()
	}
	var set []string
	levels, space := info.rangeTag(), info.Tags.Space
	turned := info.rgb() && target != "" // R'G'B' becomes Y'CbCr
	if turned {
		levels, space = "tv", "bt709"
	}
	for _, t := range [][2]string{
		{"range", levels},
		{"color_primaries", info.Tags.Primaries},
		{"color_trc", info.Tags.Transfer},
		{"colorspace", space},
	} {
		if t[1] != "" {
			set = append(set, t[0]+"="+t[1])
		}
	}
	var filters []string
	if first := info.First(); first != "" {
		filters = append(filters, "setfield="+map[string]string{"top": "tff", "bottom": "bff"}[first])
		if target != "" && info.SubY == 0 { // the chroma of each field for itself
			filters = append(filters, "scale=interl=1,format="+target)
		}
	}
	if target != "" && info.Range == frame.Full && !turned { // not made less by the conversion
		filters = append(filters, "scale=in_range=pc:out_range=pc,format="+target)
	}
	if turned {
		filters = append(filters, "scale=out_color_matrix=bt709:out_range=tv,format="+target)
	}
	if target != "" && (info.Width|info.Height)&1 == 1 {
		filters = append(filters, "pad=ceil(iw/2)*2:ceil(ih/2)*2")
	}
	if len(set) > 0 {
		filters = append(filters, "setparams="+strings.Join(set, ":"))
	}
	filters = append(filters, fmt.Sprintf("setsar=sar=%d/%d:max=1000000", info.Pixel.Num, info.Pixel.Den))
	args := append([]string{"-vf", strings.Join(filters, ",")}, p.video...)
	args = append(args, "-pix_fmt", pix)
	if p.Lossless {
		args = append(args, "-slices", info.slices())
	}
	if info.Tags.Chroma != "" && info.SubX == 1 && (target == "" || info.SubY == 1) { // else it is laid anew
		args = append(args, "-chroma_sample_location", info.Tags.Chroma)
	}
	if t := info.Tags; p.Name == "review" && levels == "tv" && t.Primaries+t.Transfer+t.Space == "" {
		args = append(args, "-x264-params", "videoformat=component") // else x264 leaves the range out
	}
	if p.Name == "review" {
		args = append(args, "-g", fmt.Sprint(2*info.Rate.Nominal()))
	}
	if info.First() != "" && p.Name == "review" {
		args = append(args, "-flags", "+ildct+ilme")
	}
	return args
}

// format is the pixel format that a preset writes of a source, "" the source's own. What is
// meant for bright screens does not fit into 8 bit.
func (p Preset) format(info Info) string {
	if t := info.Tags.Transfer; p.pixFmt == "yuv420p" && (t == "smpte2084" || t == "arib-std-b67") {
		return "yuv420p10le"
	}
	return p.pixFmt
}

// slices are the parts of a picture that FFV1 codes apart: more of large ones, and small ones
// are whole.
func (i Info) slices() string {
	const small, large = 16, 4096 // px
	switch {
	case min(i.Width, i.Height) < small:
		return "1"
	case max(i.Width, i.Height) > large:
		return "16"
	}
	return "4"
}

func (i Info) rangeTag() string {
	if i.Range == frame.Full {
		return "pc"
	}
	return i.Tags.Range
}

// raw describes the pictures on the encoder's standard input.
func raw(info Info, f frame.Format, pix string) []string {
	return []string{
		"-f", "rawvideo", "-pix_fmt", pix, "-s", fmt.Sprintf("%dx%d", f.Width, f.Height), "-framerate",
		info.Rate.String(), "-i", "pipe:0",
	}
}

// Writer encodes pictures in order.
type Writer struct {
	proc *process
	pipe *os.File
	pack func([]byte) []byte // what is written of a picture's bytes; nil all of them
	err  error
}

// Output says what Create writes.
type Output struct {
	Path    string
	Preset  Preset
	Segment bool     // pictures only, for Join
	Gray    bool     // luma only, as a matte
	Source  Clip     // whose sound, tags, aspect and timecode are kept
	Sound   string   // the file with the sound, the source itself
	Treated []string // files with tracks of the sound that take the place of the source's, "" where none does
	First   int      // frame range, for the sound's and the timecode's place
	Frames  int
	Total   int // frames of the whole source
}

// Create starts an encoder. Closing finishes the file; Abort leaves none.
func Create(ctx context.Context, o Output) (*Writer, error) {
	info := o.Source.Info
	pix, pack := info.storedFormat(), info.pack
	if o.Preset.pixFmt != "" {
		pix, pack = info.workedOn(), nil
	}
	if o.Gray {
		pix, pack = "gray", nil
	}
	args := append([]string{"-nostdin", "-v", "error", "-y"}, raw(info, info.Format(), pix)...)
	video := o.Preset.EncoderArgs(info)
	if o.Gray {
		plain := info
		plain.Tags, plain.Range = Tags{}, frame.Full
		video = o.Preset.EncoderArgs(plain)
		if o.Preset.pixFmt == "" {
			video[slices.Index(video, "-pix_fmt")+1] = "gray"
		}
	}
	switch {
	case o.Segment:
		args = append(append(append(args, "-map", "0:v"), video...), o.segmentArgs()...)
	case o.Gray:
		args = append(append(append(args, "-map", "0:v"), video...), o.finish()...)
	default:
		args = append(args, o.soundInput()...)
		args = append(append(append(args, "-map", "0:v"), o.soundMaps()...), "-map_metadata", "-1")
		maps, _ := o.Preset.besideArgs(info, o.whole())
		args = append(append(append(args, maps...), video...), o.finish()...)
	}
	w, err := pipeTo(ctx, append(args, "file:"+o.Path))
	if err == nil {
		w.pack = pack
	}
	return w, err
}

// pipeTo starts an encoder that reads pictures from its standard input.
func pipeTo(ctx context.Context, args []string) (*Writer, error) {
	pr, pw, err := widePipe()
	if err != nil {
		return nil, err
	}
	p, err := start(ctx, "ffmpeg", args, pr, nil)
	pr.Close()
	if err != nil {
		pw.Close()
		return nil, err
	}
	return &Writer{proc: p, pipe: pw}, nil
}

func (o Output) segmentArgs() []string {
	if o.Preset.segment == "mp4" {
		return []string{"-video_track_timescale", fmt.Sprint(o.Source.Info.Rate.Num), "-f", "mp4"}
	}
	return []string{"-f", o.Preset.segment}
}

// soundInput opens the source for its sound, shifted so that it keeps its place
// to the pictures, which begin at 0.
func (o Output) soundInput() []string {
	info := o.Source.Info
	begin := info.SoundLead() + float64(o.First)/info.Rate.Float()
	args := input(o.Sound, "-vn", "-t", fmt.Sprintf("%.9f", begin+o.seconds()))
	if o.whole() {
		args = input(o.Sound, "-vn", "-itsoffset", fmt.Sprintf("%.9f", -info.SoundLead()))
	}
	for _, t := range o.Treated {
		if t != "" {
			args = append(args, input(t)...)
		}
	}
	return args
}

// seconds is how long the range lasts.
func (o Output) seconds() float64 { return float64(o.Frames) / o.Source.Info.Rate.Float() }

func (o Output) whole() bool { return o.First == 0 && o.Frames == o.Total }

func (o Output) finish() []string {
	var args []string
	if !o.Gray {
		args = o.soundArgs()
		_, beside := o.Preset.besideArgs(o.Source.Info, o.whole())
		args = append(args, beside...)
	}
	if o.Source.Info.Timecode != "" {
		tc, err := timecode.New(o.Source.Info.Rate, o.Source.Info.Timecode)
		if err == nil {
			args = append(args, "-metadata", "timecode="+tc.Format(int64(o.First)))
		}
	}
	return append(args, o.Preset.muxer...)
}

// Write encodes one picture's bytes, planes after one another.
func (w *Writer) Write(data []byte) error {
	if w.err != nil {
		return w.err
	}
	if w.pack != nil {
		data = w.pack(data)
	}
	if _, err := w.pipe.Write(data); err != nil {
		w.err = err
		w.pipe.Close()
		if werr := w.proc.wait(); werr != nil {
			w.err = fmt.Errorf("media: the encoder stopped: %w", werr)
		}
	}
	return w.err
}

// Close ends the file and reports whether it is whole.
func (w *Writer) Close() error {
	if w.err != nil {
		return w.err
	}
	w.err = errors.New("media: the writer is closed")
	w.pipe.Close()
	err := w.proc.wait()
	if err == nil {
		err = w.proc.errs.fault()
	}
	if err != nil {
		return fmt.Errorf("media: the encoder failed: %w", err)
	}
	return nil
}

// Abort stops encoding; the file is unfinished and for the caller to remove.
func (w *Writer) Abort() {
	if w.err == nil {
		w.err = errors.New("media: the writer was stopped")
		w.pipe.Close()
		w.proc.kill()
	}
}

// Join puts segments, written by Create with Segment, after one another without
// encoding them again and adds the sound. progress is told the number of pictures done.
func Join(ctx context.Context, o Output, segments []string, lengths []int, progress func(done int)) error {
	if o.Preset.Still {
		b, err := os.ReadFile(segments[0])
		if err != nil {
			return err
		}
		return os.WriteFile(o.Path, b, 0o600)
	}
	var list strings.Builder
	list.WriteString("ffconcat version 1.0\n")
	for i, s := range segments {
		fmt.Fprintf(&list, "file 'file:%s'\nduration %s\n", strings.ReplaceAll(s, "'", `'\''`),
			o.Source.Info.Rate.Seconds(int64(2*lengths[i])))
	}
	listPath := o.Path + ".list"
	if err := os.WriteFile(listPath, []byte(list.String()), 0o600); err != nil {
		return err
	}
	defer os.Remove(listPath)
	args := []string{"-f", "concat", "-safe", "0", "-protocol_whitelist", "file,pipe,fd", "-i", "file:" + listPath}
	if o.Gray {
		args = append(args, "-map", "0:v")
	} else {
		args = append(append(append(args, o.soundInput()...), "-map", "0:v"), o.soundMaps()...)
		maps, _ := o.Preset.besideArgs(o.Source.Info, o.whole())
		args = append(args, maps...)
	}
	args = append(args, "-map_metadata", "-1", "-c:v", "copy")
	if o.Preset.segment == "mp4" {
		args = append(args, "-video_track_timescale", fmt.Sprint(o.Source.Info.Rate.Num))
	}
	args = append(args, o.finish()...)
	p, err := watched(ctx, append(args, "file:"+o.Path), progress)
	if err == nil {
		err = p.errs.fault() // it may go on when the disk is full, and end well
	}
	if err != nil {
		return fmt.Errorf("media: the segments cannot be joined: %w", err)
	}
	return nil
}
