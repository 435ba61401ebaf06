package media

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"celator/core/frame"
	"celator/core/timecode"
)

// Recipe is a way of delivering as people read and make it: a row of the table of presets. House
// presets are recipes too.
type Recipe struct {
	Name      string  `json:"name" pattern:"^[a-z0-9][a-z0-9-]{0,39}$" doc:"in lower case letters, digits and dashes"`
	Title     string  `json:"title" minLength:"1" maxLength:"120" doc:"for people"`
	Codec     string  `json:"codec" enum:"h264,h264-intra,hevc,mpeg2,imx,prores-proxy,prores-lt,prores,prores-hq,prores-4444,dnxhr-lb,dnxhr-sq,dnxhr-hq,dnxhr-hqx,dnxhr-444,ffv1,png,tiff,dpx,none" doc:"none: sound alone"`
	Container string  `json:"container" enum:"mp4,mov,mxf,mkv,zip"`
	Samples   string  `json:"samples,omitempty" enum:"420p8,420p10,422p8,422p10,444p10,rgb10,rgb16" doc:"subsampling and bits; those of the codec where it is absent"`
	Quality   float64 `json:"quality,omitempty" minimum:"0" maximum:"40" doc:"rate factor of H.264 and HEVC, the lower the better; 18 where it and the rate are absent"`
	Rate      float64 `json:"rate,omitempty" minimum:"0" maximum:"1000" doc:"of the pictures, Mb/s"`
	Sound     string  `json:"sound,omitempty" enum:"aac,pcm16,pcm24" doc:"what sound becomes that cannot be copied; PCM of 24 bit in QuickTime and MXF, AAC else; in a ZIP a file for each track, none where it is absent"`
	Mattes    bool    `json:"mattes,omitempty" doc:"the covers' mattes lie beside numbered pictures"`
	Labels    bool    `json:"labels,omitempty" doc:"the document's labels are shown"`
	Timecode  bool    `json:"timecode,omitempty" doc:"the timecode is burnt into the picture"`
}

// codec is what is known of a way to code pictures.
type codec struct {
	title      string
	args       []string
	containers []string
	samples    []string // that it takes, the usual first
	woven      bool     // it says that pictures are interlaced
	rates      []string // of frames, where only some will do
	rated      bool     // the rate may be chosen
	factor     bool     // or a quality
	pictures   [2]int   // of this size alone
	numbered   string   // the ending of each picture's file
	segment    string   // the muxer of segments, where it is not QuickTime's
}

// broadcast are the frame rates that MPEG-2 and MXF know.
var broadcast = []string{"24000/1001", "24/1", "25/1", "30000/1001", "30/1", "50/1", "60000/1001", "60/1"}

// codecs are all, by name. ProRes and DNxHR have their rates by profile (SMPTE RDD 36, SMPTE ST
// 2019); H.264 all of keys as stations keep it (10 bit 4:2:2, 100 Mb/s); MPEG-2 as 4:2:2 profile at
// 50 Mb/s in long groups, or of keys alone as IMX (SMPTE ST 356).
var codecs = map[string]codec{
	"h264": {
		title: "H.264", args: opts("-c:v libx264 -preset medium"), containers: []string{"mp4", "mov", "mkv"},
		samples: []string{"420p8", "420p10", "422p8", "422p10", "444p10"}, woven: true, rated: true, factor: true,
	},
	"h264-intra": {
		title: "H.264, every picture for itself", args: opts("-c:v libx264 -preset medium -g 1 -bf 0"),
		containers: []string{"mxf", "mov"}, samples: []string{"422p10", "420p10", "422p8"}, woven: true,
		rates: broadcast, rated: true,
	},
	"hevc": {
		title: "HEVC", args: opts("-c:v libx265 -preset fast -tag:v hvc1"), containers: []string{"mp4", "mov"},
		samples: []string{"420p10", "422p10", "444p10", "420p8"}, rated: true, factor: true,
	},
	"mpeg2": {
		title: "MPEG-2 4:2:2", containers: []string{"mxf", "mov"}, samples: []string{"422p8"}, woven: true,
		rates: broadcast, rated: true,
		args: opts("-c:v mpeg2video -g 12 -bf 2 -flags +cgop -sc_threshold 1000000000 -intra_vlc 1 " +
			"-non_linear_quant 1 -dc 10 -qmin 1 -qmax 12"),
	},
	"imx": {
		title: "IMX", containers: []string{"mxf"}, samples: []string{"422p8"}, woven: true, rates: []string{"25/1"},
		pictures: [2]int{720, 608}, args: opts("-c:v mpeg2video -g 1 -bf 0 -flags +low_delay -intra_vlc 1 " +
			"-non_linear_quant 1 -dc 10 -ps 1 -qmin 1 -qmax 3 -rc_init_occupancy 2000000"),
	},
	"prores-proxy": prores("Proxy", "0"), "prores-lt": prores("LT", "1"), "prores": prores("422", "2"),
	"prores-hq": prores("422 HQ", "3"),
	"prores-4444": {
		title: "ProRes 4444", args: opts("-c:v prores_ks -profile:v 4 -alpha_bits 16"), containers: []string{"mov"},
		samples: []string{"444p10"}, woven: true,
	},
	"dnxhr-lb": dnxhr("LB", "422p8"), "dnxhr-sq": dnxhr("SQ", "422p8"), "dnxhr-hq": dnxhr("HQ", "422p8"),
	"dnxhr-hqx": dnxhr("HQX", "422p10"), "dnxhr-444": dnxhr("444", "444p10"),
	"ffv1": {
		title: "FFV1, lossless", args: opts("-c:v ffv1 -level 3 -g 1 -slicecrc 1"), containers: []string{"mkv"}, woven: true,
	},
	"png": {
		title: "PNG", args: opts("-c:v png -pred mixed"), containers: []string{"zip"}, samples: []string{"rgb16"},
		numbered: "png",
	},
	"tiff": {
		title: "TIFF", args: opts("-c:v tiff -compression_algo deflate"), containers: []string{"zip"},
		samples: []string{"rgb16"}, numbered: "tif",
	},
	"dpx": {
		title: "DPX", args: opts("-c:v dpx"), containers: []string{"zip"}, samples: []string{"rgb10"}, numbered: "dpx",
		segment: "nut",
	},
	"none": {title: "Sound alone", containers: []string{"zip"}, woven: true},
}

func opts(s string) []string { return strings.Fields(s) }

func prores(name, profile string) codec {
	return codec{
		title: "ProRes " + name, args: opts("-c:v prores_ks -profile:v " + profile), containers: []string{"mov"},
		samples: []string{"422p10"}, woven: true,
	}
}

func dnxhr(name, samples string) codec {
	return codec{
		title: "DNxHR " + name, args: opts("-c:v dnxhd -profile:v dnxhr_" + strings.ToLower(name)),
		containers: []string{"mov", "mxf"}, samples: []string{samples},
	}
}

// Recipes are those that come with the program, in the order in which they are offered.
var Recipes = []Recipe{
	{Name: "review", Title: "Review copy, H.264 in MP4", Codec: "h264", Container: "mp4", Labels: true},
	{
		Name: "review-timecode", Title: "Review copy with timecode in the picture", Codec: "h264", Container: "mp4",
		Labels: true, Timecode: true,
	},
	{Name: "archive", Title: "Archive master, FFV1 in Matroska, lossless", Codec: "ffv1", Container: "mkv"},
	{Name: "prores-proxy", Title: "ProRes Proxy in QuickTime", Codec: "prores-proxy", Container: "mov"},
	{Name: "prores-lt", Title: "ProRes LT in QuickTime", Codec: "prores-lt", Container: "mov"},
	{Name: "prores", Title: "ProRes 422 in QuickTime", Codec: "prores", Container: "mov"},
	{Name: "prores-hq", Title: "ProRes 422 HQ in QuickTime", Codec: "prores-hq", Container: "mov"},
	{Name: "prores-4444", Title: "ProRes 4444 in QuickTime", Codec: "prores-4444", Container: "mov"},
	{Name: "dnxhr-lb", Title: "DNxHR LB in MXF", Codec: "dnxhr-lb", Container: "mxf"},
	{Name: "dnxhr-sq", Title: "DNxHR SQ in MXF", Codec: "dnxhr-sq", Container: "mxf"},
	{Name: "dnxhr-hq", Title: "DNxHR HQ in MXF", Codec: "dnxhr-hq", Container: "mxf"},
	{Name: "dnxhr-hqx", Title: "DNxHR HQX in MXF", Codec: "dnxhr-hqx", Container: "mxf"},
	{Name: "dnxhr-444", Title: "DNxHR 444 in QuickTime", Codec: "dnxhr-444", Container: "mov"},
	{Name: "hevc", Title: "HEVC, 10 bit, in MP4", Codec: "hevc", Container: "mp4"},
	{Name: "mpeg2-50", Title: "MPEG-2 4:2:2, 50 Mb/s, in MXF", Codec: "mpeg2", Container: "mxf", Rate: 50},
	{
		Name: "h264-intra-100", Title: "H.264 of keys, 10 bit 4:2:2, 100 Mb/s, in MXF", Codec: "h264-intra",
		Container: "mxf", Rate: 100,
	},
	asNumbered("png", "PNG of 16 bit"), asNumbered("tiff", "TIFF of 16 bit"), asNumbered("dpx", "DPX of 10 bit"),
	{Name: "sound", Title: "Sound alone, WAV of 24 bit, in a ZIP", Codec: "none", Container: "zip", Sound: "pcm24"},
	{Name: "imx-50", Title: "IMX, 50 Mb/s, in MXF", Codec: "imx", Container: "mxf", Rate: 50},
}

func asNumbered(codec, what string) Recipe {
	return Recipe{
		Name: codec, Title: "Numbered pictures, " + what + ", with mattes and sound, in a ZIP",
		Codec: codec, Container: "zip", Sound: "pcm24", Mattes: true,
	}
}

var recipeName = regexp.MustCompile(`^[a-z0-9][a-z0-9-]{0,39}$`)

// Validate returns an error unless the recipe can be written by what is here.
func (r Recipe) Validate() error {
	c, ok := codecs[r.Codec]
	switch {
	case !recipeName.MatchString(r.Name):
		return fmt.Errorf("preset: the name %q is not of lower case letters, digits and dashes", r.Name)
	case strings.TrimSpace(r.Title) == "" || len(r.Title) > 120:
		return fmt.Errorf("preset %s: it needs a title of at most 120 letters", r.Name)
	case !ok:
		return fmt.Errorf("preset %s: there is no codec %q", r.Name, r.Codec)
	case !slices.Contains(c.containers, r.Container):
		return fmt.Errorf("preset %s: %s is written into %s, not into %q", r.Name, c.title, strings.Join(c.containers, ", "),
			r.Container)
	case r.Samples != "" && !slices.Contains(c.samples, r.Samples):
		return fmt.Errorf("preset %s: %s holds %s, not %q", r.Name, c.title, strings.Join(c.samples, ", "), r.Samples)
	case r.Rate != 0 && !c.rated && r.Codec != "imx":
		return fmt.Errorf("preset %s: the rate of %s is its profile's", r.Name, c.title)
	case !(r.Rate >= 0 && r.Rate <= 1000):
		return fmt.Errorf("preset %s: a rate of %g Mb/s is not between 0 and 1000", r.Name, r.Rate)
	case r.Codec == "imx" && r.Rate != 30 && r.Rate != 40 && r.Rate != 50:
		return fmt.Errorf("preset %s: IMX has 30, 40 or 50 Mb/s", r.Name)
	case r.Quality != 0 && (!c.factor || r.Rate != 0):
		return fmt.Errorf("preset %s: a quality goes with H.264 and HEVC alone, and without a rate", r.Name)
	case !(r.Quality >= 0 && r.Quality <= 40):
		return fmt.Errorf("preset %s: a quality of %g is not between 0 and 40", r.Name, r.Quality)
	case !slices.Contains([]string{"", "aac", "pcm16", "pcm24"}, r.Sound):
		return fmt.Errorf("preset %s: there is no sound %q", r.Name, r.Sound)
	case r.Sound == "aac" && r.Container == "mxf" || r.Sound != "" && r.Codec == "ffv1":
		return fmt.Errorf("preset %s: %s has its own sound", r.Name, r.Container)
	case r.Sound == "aac" && r.Container == "zip":
		return fmt.Errorf("preset %s: sound lies beside numbered pictures as WAV", r.Name)
	case r.Sound == "" && r.Codec == "none":
		return fmt.Errorf("preset %s: it holds neither pictures nor sound", r.Name)
	case r.Mattes && c.numbered == "":
		return fmt.Errorf("preset %s: mattes lie beside numbered pictures alone", r.Name)
	case strings.HasPrefix(r.Sound, "pcm") && r.Container == "mp4":
		return fmt.Errorf("preset %s: MP4 holds no PCM", r.Name)
	}
	return nil
}

// pixels are the formats of what recipes call samples.
var pixels = map[string]string{
	"420p8": "yuv420p", "420p10": "yuv420p10le", "422p8": "yuv422p", "422p10": "yuv422p10le", "444p10": "yuv444p10le",
	"rgb10": "gbrp10be", "rgb16": "rgb48be",
}

// Preset makes a preset of a valid recipe.
func (r Recipe) Preset() (Preset, error) {
	if err := r.Validate(); err != nil {
		return Preset{}, err
	}
	c := codecs[r.Codec]
	p := Preset{
		Name: r.Name, Title: r.Title, Ending: "." + r.Container, Lossless: r.Codec == "ffv1", Labels: r.Labels,
		Timecode: r.Timecode, codec: r.Codec, video: slices.Clone(c.args), segment: "mov",
	}
	p.pictures, p.Mattes = c.numbered, r.Mattes
	if c.segment != "" {
		p.segment = c.segment
	}
	samples := r.Samples
	if samples == "" && len(c.samples) > 0 {
		samples = c.samples[0]
	}
	p.pixFmt = pixels[samples]
	if r.Codec == "tiff" {
		p.pixFmt = "rgb48le" // as TIFF has it here
	}
	bits := fmt.Sprintf("%.0fk", 1000*r.Rate)
	switch {
	case r.Codec == "imx":
		p.video = append(p.video, "-b:v", bits, "-minrate", bits, "-maxrate", bits, "-bufsize",
			fmt.Sprintf("%.0fk", 40*r.Rate))
	case r.Rate != 0 && r.Codec == "mpeg2":
		p.video = append(p.video, "-b:v", bits, "-minrate", bits, "-maxrate", bits, "-bufsize", "17825792")
	case r.Rate != 0:
		p.video = append(p.video, "-b:v", bits, "-maxrate", bits, "-bufsize", bits)
	case c.factor:
		q := r.Quality
		if q == 0 {
			q = 18
		}
		p.video = append(p.video, "-crf", fmt.Sprintf("%g", q))
	}
	switch r.Container {
	case "mp4":
		p.sounds, p.muxer = []string{"aac", "mp3", "ac3", "eac3", "alac"}, opts("-movflags +faststart -f mp4")
		p.segment = "mp4"
	case "mov":
		p.sounds, p.muxer = []string{"pcm_s16le", "pcm_s24le", "aac", "alac"}, opts("-movflags +faststart+write_colr -f mov")
	case "mxf":
		p.muxer = opts("-f mxf")
		if r.Codec == "imx" {
			p.muxer = opts("-f mxf_d10")
		}
	case "mkv":
		p.muxer, p.segment = opts("-f matroska"), "matroska"
	case "zip":
		p.Waves = map[string]string{"pcm16": "pcm_s16le", "pcm24": "pcm_s24le"}[r.Sound]
	}
	p.recode = map[string][]string{
		"aac": opts("-c:a aac -b:a 256k"), "pcm16": opts("-c:a pcm_s16le"), "pcm24": opts("-c:a pcm_s24le"),
	}[r.sound()]
	if p.Lossless {
		p.recode = opts("-c:a flac")
	}
	if r.Sound != "" && r.Sound != "aac" {
		p.sounds = nil
	}
	return p, nil
}

// sound is what sound becomes that is not copied.
func (r Recipe) sound() string {
	switch {
	case r.Sound != "":
		return r.Sound
	case r.Container == "mov" || r.Container == "mxf":
		return "pcm24"
	}
	return "aac"
}

// Fits returns an error, for people, unless the preset takes the pictures and the sound of a source.
func (p Preset) Fits(i Info) error {
	c := codecs[p.codec]
	rate := timecode.Rate{Num: i.Rate.Num, Den: i.Rate.Den}
	pictures := func(w, h int) bool { return c.pictures[0] == 0 || c.pictures == [2]int{w, h} }
	const least = 16 // px, of the smallest pictures that all of these codecs take
	switch {
	case i.Still != "":
		return fmt.Errorf("the source is a still picture; it is delivered as one, by the preset still")
	case i.First() != "" && !c.woven:
		return fmt.Errorf("%s holds whole pictures only, and the source is interlaced", c.title)
	case len(c.rates) > 0 && !slices.Contains(c.rates, fmt.Sprintf("%d/%d", rate.Num, rate.Den)):
		return fmt.Errorf("%s does not know the source's rate of %.5g frames a second", c.title, rate.Float())
	case !pictures(i.Width, i.Height) && !pictures(i.Width, i.Height+32):
		return fmt.Errorf("%s holds pictures of 720x576 and 720x608 only, and the source's are %dx%d", c.title, i.Width,
			i.Height)
	case p.SoundAlone():
		if len(i.Sound) == 0 {
			return fmt.Errorf("the source has no sound")
		}
		return nil
	case !p.Lossless && min(i.Width, i.Height) < least:
		return fmt.Errorf("pictures of %dx%d are too small for %s", i.Width, i.Height, c.title)
	case strings.HasPrefix(p.codec, "dnxhr") && (i.Width < 256 || i.Height < 120):
		return fmt.Errorf("%s holds pictures from 256x120 on, and the source's are %dx%d", c.title, i.Width, i.Height)
	case p.codec == "imx" && len(i.Sound) > 1:
		return fmt.Errorf("IMX holds one sound track, and the source has %d", len(i.Sound))
	}
	if p.Ending == ".mxf" {
		for k, s := range i.Sound {
			if s.Rate != 48000 {
				return fmt.Errorf("MXF holds sound of 48,000 samples a second here, and track %d of the source has %d", k+1, s.Rate)
			}
		}
	}
	return nil
}

// Changes says, for people, what of a source's pictures and sound is another in a delivery.
func (p Preset) Changes(i Info) (out []string) {
	for _, w := range i.Damage.Words() {
		out = append(out, "as the source has it: "+w)
	}
	if p.apart != "" {
		out = append(out, p.apart)
	}
	if p.Lossless || p.Still || p.copies {
		return out
	}
	if !p.Packed() || p.Waves != "" {
		out = append(out, p.soundChanges(i)...)
	}
	if p.SoundAlone() {
		return out
	}
	if p.Sequence() {
		if !i.rgb() {
			out = append(out, "R'G'B' instead of Y'CbCr")
		}
		if bits := 10; p.codec == "dpx" && i.Depth > bits {
			out = append(out, fmt.Sprintf("%d bit instead of %d", bits, i.Depth))
		}
		return out
	}
	depth, sub := 8, "4:2:0"
	to := p.format(i)
	if strings.Contains(to, "10") {
		depth = 10
	}
	is := "4:4:4"
	switch {
	case i.gray():
		is = ""
	case i.SubX == 1 && i.SubY == 1:
		is = "4:2:0"
	case i.SubX == 1:
		is = "4:2:2"
	}
	switch {
	case strings.Contains(to, "422"):
		sub = "4:2:2"
	case strings.Contains(to, "444"):
		sub = "4:4:4"
	}
	out = append(out, "pictures are coded with loss ("+codecs[p.codec].title+")")
	if depth != i.Depth {
		out = append(out, fmt.Sprintf("%d bit instead of %d", depth, i.Depth))
	}
	if is != "" && sub != is {
		out = append(out, sub+" instead of "+is)
	}
	if i.rgb() {
		out = append(out, "Y'CbCr instead of R'G'B'")
	}
	if i.Range == frame.Full && p.codec != "h264" && p.codec != "hevc" {
		out = append(out, "limited range instead of full")
	}
	if p.codec == "imx" && i.Height == 576 {
		out = append(out, "32 black lines above the picture")
	}
	return out
}

// soundChanges says what sound becomes.
func (p Preset) soundChanges(i Info) (out []string) {
	for k, s := range i.Sound {
		if !slices.Contains(p.sounds, s.Codec) && !p.Exact(s) {
			out = append(out, fmt.Sprintf("sound track %d becomes %s", k+1, map[string]string{
				"aac": "AAC", "pcm_s16le": "PCM of 16 bit", "pcm_s24le": "PCM of 24 bit",
			}[p.recode[1]]))
		}
	}
	return out
}

// Exact reports whether PCM that the preset writes holds every sample of a track.
func (p Preset) Exact(s Sound) bool {
	if len(p.recode) < 2 {
		return false
	}
	whole := strings.HasPrefix(s.Sample, "s16") || strings.HasPrefix(s.Sample, "u8")
	switch p.recode[1] {
	case "pcm_s16le":
		return whole
	case "pcm_s24le":
		return whole || strings.HasPrefix(s.Sample, "s32") && s.Bits > 0 && s.Bits <= 24
	}
	return false
}
