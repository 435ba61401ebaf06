package media

import (
	"fmt"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"celator/core/frame"
)

// Preset is a way of encoding.
type Preset struct {
	Name     string
	Title    string   // for people
	Ending   string   // of the finished file
	Lossless bool     // samples come back as they went in
	Still    bool     // one picture, in the kind of the source's file
	Labels   bool     // shows the document's labels
	Timecode bool     // burns the timecode into the picture
	Mattes   bool     // of the covers, lie beside numbered pictures
	Waves    string   // codec of the sound's files beside them, "" none
	copies   bool     // coded pictures of the source that nothing touches
	apart    string   // why none can be copied, for people
	linked   bool     // see Linked
	exact    bool     // those that are coded anew come back as they went in
	codec    string   // of codecs
	pictures string   // ending of each picture's file, where they are numbered and packed into one
	video    []string // encoder options
	pixFmt   string   // "" keeps the source's
	segment  string   // ending and muxer of a segment, with exact times
	sounds   []string // audio codecs that the container takes as they are
	recode   []string // what others become
	muxer    []string
}

// Presets are the recipes that come with the program, made, by name.
var Presets = func() map[string]Preset {
	all := map[string]Preset{}
	for _, r := range Recipes {
		p, err := r.Preset()
		if err != nil {
			panic(err)
		}
		all[r.Name] = p
	}
	return all
}()

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

// Broadcast is how footage is written as a station's: MPEG-2 in long groups at so many bits a second.
func Broadcast(rate int) Preset {
	p := Camera(0)
	p.video = append(opts("-c:v mpeg2video -g 12 -bf 2 -b:v"), strconv.Itoa(rate))
	return p
}

// ForReview reports whether what the preset writes is made to be looked at before it is approved: it is small, or
// words are burnt into it.
func (p Preset) ForReview() bool { return p.Name == "review" || p.Labels || p.Timecode }

// For returns the preset of that name for a source, or an error where the two do
// not go together.
func (i Info) For(name string) (Preset, error) {
	if i.Still != "" && name == "still" {
		return StillPreset(i.Still), nil
	}
	if name == SourcePreset {
		return i.Same()
	}
	p, err := PresetFor(name, "")
	if err != nil {
		return p, err
	}
	return p, p.Fits(i)
}

// PresetFor chooses the preset of a clip: by name, or where that is empty by the
// file's ending.
func PresetFor(name, path string) (Preset, error) {
	if name != "" {
		p, ok := Presets[name]
		if !ok {
			return Preset{}, fmt.Errorf("preset %q is not known; there are %s, and still for still pictures", name,
				strings.Join(names(), ", "))
		}
		return p, nil
	}
	usual := map[string]string{".mp4": "review", ".mkv": "archive", ".mov": "prores-hq", ".mxf": "mpeg2-50", ".zip": "png"}
	if n, ok := usual[strings.ToLower(filepath.Ext(path))]; ok {
		return Presets[n], nil
	}
	return Preset{}, fmt.Errorf("no preset writes %q files; end the name in .mp4, .mkv, .mov, .mxf or .zip, or name "+
		"a preset", filepath.Ext(path))
}

func names() (out []string) {
	for _, r := range Recipes {
		out = append(out, r.Name)
	}
	return out
}

// Sequence reports whether pictures are numbered files, packed into one.
func (p Preset) Sequence() bool { return p.pictures != "" }

// Packed reports whether what is delivered is a ZIP: of numbered pictures and what lies beside them, or of
// sound alone.
func (p Preset) Packed() bool { return p.Sequence() || p.SoundAlone() }

// SoundAlone reports whether there are no pictures.
func (p Preset) SoundAlone() bool { return p.codec == "none" }

// Size is about how many bytes so many frames of the source take by this preset.
func (p Preset) Size(info Info, frames int) int64 {
	n := int64(frames) * int64(info.Format().Size())
	switch {
	case p.SoundAlone():
		return p.wavesSize(info, frames)
	case p.Sequence():
		const each = 6 // bytes of a pixel, at most
		return int64(frames)*int64(info.Width*info.Height*each) + p.wavesSize(info, frames)
	case p.Lossless:
		return n * 2 / 3
	case p.codec == "h264" || p.codec == "hevc" || p.codec == "":
		return n / 12
	}
	return n / 3
}

// EncoderArgs are the options that encode pictures of the source by this
// preset: colour, pixel aspect and field order as the source has them.
func (p Preset) EncoderArgs(info Info) []string {
	if p.Still {
		return []string{"still", info.Still}
	}
	if p.Packed() {
		return p.numberedArgs(info)
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
	if target != "" && info.Range == frame.Full && !turned {
		if p.full() { // not made less by the conversion
			filters = append(filters, "scale=in_range=pc:out_range=pc,format="+target)
		} else {
			filters = append(filters, "scale=in_range=pc:out_range=tv,format="+target)
			levels, set[0] = "tv", "range=tv"
		}
	}
	if c := codecs[p.codec]; c.pictures[1] == info.Height+32 { // what lies above was of tape, not of the picture
		filters = append(filters, fmt.Sprintf("pad=%d:%d:0:32", c.pictures[0], c.pictures[1]))
	}
	if turned {
		filters = append(filters, "scale=out_color_matrix=bt709:out_range=tv,format="+target)
	}
	if target != "" && (info.Width|info.Height)&1 == 1 && !p.copies {
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
	if t := info.Tags; p.codec == "h264" && levels == "tv" && t.Primaries+t.Transfer+t.Space == "" {
		args = append(args, "-x264-params", "videoformat=component") // else x264 leaves the range out
	}
	if (p.codec == "h264" || p.codec == "hevc") && !p.copies {
		args = append(args, "-g", fmt.Sprint(2*info.Rate.Nominal()))
	}
	if p.codec == "hevc" && !p.copies {
		args = append(args, "-x265-params", "log-level=error")
	}
	if info.First() != "" && p.codec != "ffv1" && p.codec != "" {
		args = woven(args, p.codec)
	}
	return args
}

// numberedArgs are those of numbered pictures, which are R'G'B' of full range.
func (p Preset) numberedArgs(info Info) []string {
	if p.SoundAlone() {
		return nil
	}
	target := p.format(info)
	filters := "format=" + target
	if !info.rgb() {
		filters = fmt.Sprintf("scale=in_color_matrix=%s:in_range=%s:out_range=pc:flags=accurate_rnd+full_chroma_int,%s",
			info.Matrix, info.Range, filters)
	}
	return append(append([]string{"-vf", filters}, p.video...), "-pix_fmt", target)
}

// woven are an encoder's options with those that say that two fields are in a picture.
func woven(args []string, codec string) []string {
	flags := "+ildct+ilme"
	if strings.HasPrefix(codec, "prores") {
		flags = "+ildct"
	}
	if i := slices.Index(args, "-flags"); i >= 0 {
		args[i+1] += flags
		return args
	}
	return append(args, "-flags", flags)
}

// full reports whether the codec says that samples have full range.
func (p Preset) full() bool {
	return p.copies || p.codec == "" || p.codec == "h264" || p.codec == "hevc"
}

// format is the pixel format that a preset writes of a source, "" the source's own. What is
// meant for bright screens does not fit into 8 bit.
func (p Preset) format(info Info) string {
	if t := info.Tags.Transfer; p.pixFmt == "yuv420p" && (t == "smpte2084" || t == "arib-std-b67") {
		return "yuv420p10le"
	}
	if p.codec == "prores-4444" && info.alpha() {
		return "yuva444p10le"
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
