package media

import (
	"bufio"
	"context"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
)

// Coded is how a file's pictures are coded.
type Coded struct {
	Ending    string `json:"ending,omitempty"` // of files in such a container
	Profile   string `json:"profile,omitempty"`
	BitRate   int    `json:"bitRate,omitempty"`   // of the pictures, bits a second; 0 unknown
	Hidden    bool   `json:"hidden,omitempty"`    // the file has pictures that its edit list does not show
	BFrames   bool   `json:"bFrames,omitempty"`   // pictures are decoded before others that are shown earlier
	Extradata string `json:"extradata,omitempty"` // digest of what a decoder must know beside the pictures
	// Groups are the frames with which pictures begin that can be decoded by themselves, all that are shown
	// before the next one: closed groups. It is empty where every picture is one.
	Groups []int `json:"groups,omitempty"`
}

// coded is how a stream of a file is coded; brand is what files of QuickTime's family call themselves.
func (s probedStream) coded(path, container, brand string) Coded {
	rate, _ := strconv.Atoi(s.BitRate)
	c := Coded{
		Ending: strings.ToLower(filepath.Ext(path)), Profile: known(s.Profile), BitRate: rate, BFrames: s.BFrames > 0,
		Extradata: s.Extradata,
	}
	usual := endings[container]
	if len(usual) > 0 && !slices.Contains(usual, c.Ending) {
		c.Ending = usual[0]
	}
	if strings.HasPrefix(brand, "qt") { // whatever the file is called
		c.Ending = ".mov"
	}
	return c
}

// endings are those of files of a container as ffprobe calls it, the usual one first.
var endings = map[string][]string{
	"mov": {".mov", ".mp4", ".m4v"}, "matroska": {".mkv"}, "mxf": {".mxf"}, "avi": {".avi"},
	"mpegts": {".ts", ".m2t", ".m2ts", ".mts"}, "mpeg": {".mpg", ".mpeg", ".vob"}, "nut": {".nut"}, "dv": {".dv"},
}

// groups returns the pictures, as they are shown, with which closed groups begin: a key picture before which no
// picture is shown that comes after it. It is nil where every picture is a key. pts are the times of pictures as
// they come.
func groups(pts []int64, keys []bool) (out []int) {
	if !slices.Contains(keys, false) {
		return nil
	}
	// From behind: what comes later, and is shown first.
	earliest := int64(math.MaxInt64)
	var starts []int64
	for i, t := range slices.Backward(pts) {
		if keys[i] && t < earliest {
			starts = append(starts, t)
		}
		earliest = min(earliest, t)
	}
	shown := slices.Clone(pts)
	slices.Sort(shown)
	for _, t := range slices.Backward(starts) {
		i, _ := slices.BinarySearch(shown, t)
		out = append(out, i)
	}
	return out
}

// SourcePreset is the name of the preset that codes a delivery as its source is.
const SourcePreset = "source"

// Same returns the preset by which pictures are coded as this source's are, so that those that nothing touches
// can be copied. The error says, for people, why there is none.
func (i Info) Same() (Preset, error) {
	p := Preset{
		Name: SourcePreset, Title: "As the source: what no cover touches is copied as it is coded", Ending: i.Coded.Ending,
		codec: i.Codec, copies: true,
	}
	no := func(format string, a ...any) (Preset, error) {
		return Preset{}, fmt.Errorf("it cannot be delivered as the source is: "+format, a...)
	}
	switch {
	case i.Still != "":
		return no("a still picture is, by the preset still")
	case i.Coded.Hidden, i.Variable, i.Skipped, i.Damage != nil, i.Rotation != 0:
		return no("its pictures are not taken as they come in the file")
	case i.rgb() || i.gray() || i.alpha():
		return no("its pictures are not Y'CbCr alone")
	case i.Film:
		return no("its pictures ask for fields to be shown twice")
	}
	switch i.Coded.Ending {
	case ".mov":
		p.muxer, p.segment = opts("-movflags +faststart+write_colr -f mov"), "mov"
	case ".mp4", ".m4v":
		p.muxer, p.segment = opts("-movflags +faststart -f mp4"), "mp4"
	case ".mkv":
		p.muxer, p.segment = opts("-f matroska"), "matroska"
	case ".mxf":
		p.muxer, p.segment = opts("-f mxf"), "mxf"
	case ".avi":
		p.muxer, p.segment = opts("-f avi"), "avi"
	case ".ts", ".m2t", ".m2ts", ".mts":
		p.muxer, p.segment = opts("-f mpegts"), "mpegts"
	default:
		return no("files like %s are not written here", strings.TrimPrefix(i.Coded.Ending, "."))
	}
	var err error
	if p.video, p.pixFmt, err = i.sameCodec(); err != nil {
		return no("%w", err)
	}
	p.exact, p.linked, p.apart = exactCodecs[i.Codec], i.Codec == "h264", i.inOnePlace()
	if p.apart != "" {
		p.Title = "As the source: in its codec and its container"
	}
	for _, s := range i.Sound {
		p.sounds = append(p.sounds, s.Codec)
	}
	if len(i.Sound) > 0 {
		p.recode = []string{"-c:a", encoderOf(i.Sound[0])}
	}
	return p, nil
}

// exactCodecs give back what they were given.
var exactCodecs = map[string]bool{"ffv1": true, "v210": true, "rawvideo": true}

// encoderOf is the encoder of a track's codec.
func encoderOf(s Sound) string {
	if e, ok := map[string]string{"mp3": "libmp3lame", "opus": "libopus", "vorbis": "libvorbis"}[s.Codec]; ok {
		return e
	}
	return s.Codec
}

// dnxhdRates are the rates that DNxHD has, Mb/s (SMPTE ST 2019-1, with those of 24 to 60 pictures a second).
var dnxhdRates = []int{36, 45, 60, 75, 80, 90, 100, 110, 115, 120, 145, 175, 180, 185, 190, 220, 240, 290, 365, 440}

// sameCodec are the encoder's options for pictures like the source's, and their format.
func (i Info) sameCodec() (args []string, pix string, err error) {
	profile := strings.ToLower(i.Coded.Profile)
	pix = i.PixFmt
	switch i.Codec {
	case "prores":
		n, ok := map[string]string{
			"proxy": "0", "lt": "1", "standard": "2", "hq": "3", "4444": "4", "4444 xq": "5", "4444xq": "5", "xq": "5",
		}[profile]
		if !ok {
			return nil, "", fmt.Errorf("the profile %s of ProRes is not known here", i.Coded.Profile)
		}
		pix = strings.Replace(pix, "12le", "10le", 1) // as the encoder takes it; it is coded with loss in any case
		return append(opts("-c:v prores_ks -vendor apl0 -profile:v"), n), pix, nil
	case "dnxhd":
		if strings.HasPrefix(profile, "dnxhr") {
			return append(opts("-c:v dnxhd -profile:v"), strings.ReplaceAll(profile, " ", "_")), pix, nil
		}
		mb := float64(i.bitRate()) / 1e6
		best := slices.MinFunc(dnxhdRates, func(a, b int) int {
			return int(1000 * (math.Abs(float64(a)-mb) - math.Abs(float64(b)-mb)))
		})
		return append(opts("-c:v dnxhd -b:v"), fmt.Sprintf("%dM", best)), pix, nil
	case "mjpeg":
		return opts("-c:v mjpeg -q:v 2 -huffman default"), pix, nil
	case "ffv1":
		return opts("-c:v ffv1 -level 3 -g 1 -slicecrc 1"), pix, nil
	case "v210", "dvvideo":
		return []string{"-c:v", i.Codec}, pix, nil
	case "rawvideo":
		return []string{"-c:v", "rawvideo"}, pix, nil
	case "mpeg2video":
		return i.sameMPEG2(), pix, nil
	case "h264":
		args = append(opts("-c:v libx264 -preset medium -crf 14 -x264opts"), fmt.Sprint("sps-id=", setNumber))
	case "hevc":
		args = opts("-c:v libx265 -preset fast -crf 14 -tag:v hvc1 -x265-params log-level=error")
	default:
		return nil, "", fmt.Errorf("%s is not written here", strings.ToUpper(i.Codec))
	}
	switch { // shown no later after they are decoded than the source's: decoders wait as long as they have been told once
	case len(i.Coded.Groups) == 0:
		args = append(args, "-g", "1", "-bf", "0")
	case !i.Coded.BFrames:
		args = append(args, "-g", "25", "-bf", "0")
	case i.Codec == "h264":
		args = append(args, opts("-g 25 -bf 2 -b-pyramid none")...)
	}
	return args, pix, nil
}

// inOnePlace says why no coded picture of the source can stand between ones that are coded anew; "" where they can:
// H.264 in transport streams, which tell the parameters with each group, and in files whose place for them holds
// several. The encoder of HEVC gives its parameters the same numbers as others do.
func (i Info) inOnePlace() string {
	name := map[string]string{"h264": "H.264", "hevc": "HEVC"}[i.Codec]
	several := slices.Contains(endings["mpegts"], i.Coded.Ending) || slices.Contains(endings["mov"], i.Coded.Ending)
	if name == "" || name == "H.264" && several {
		return ""
	}
	return fmt.Sprintf("all pictures are coded anew: decoders are told the parameters of %s once for the whole file", name)
}

// sameMPEG2 are the options for MPEG-2 like the source's, whose headers come with each group.
func (i Info) sameMPEG2() []string {
	bits := fmt.Sprint(i.bitRate())
	args := opts("-c:v mpeg2video -flags +cgop -sc_threshold 1000000000")
	if !i.Coded.BFrames { // decoders give pictures at once then, and must not change that between pieces
		args[3] += "+low_delay"
	}
	if i.SubY == 0 {
		args = append(args, opts("-intra_vlc 1 -non_linear_quant 1 -dc 10")...)
	}
	if len(i.Coded.Groups) == 0 {
		// Each picture takes its share of a constant rate, the first as well; room for two, as encoders ask.
		share := fmt.Sprint(int(2 * float64(i.bitRate()) / i.Rate.Float()))
		args = append(args, opts("-g 1 -bf 0 -qmin 1 -qmax 12")...)
		return append(args, "-b:v", bits, "-minrate", bits, "-maxrate", bits, "-bufsize", share, "-rc_init_occupancy", share)
	}
	b := "0"
	if i.Coded.BFrames {
		b = "2"
	}
	args = append(args, "-g", "12", "-bf", b, "-qmin", "1", "-qmax", "12")
	buffer := fmt.Sprint(max(i.bitRate()/2, 1<<20))
	return append(args, "-b:v", bits, "-maxrate", bits, "-bufsize", buffer, "-rc_init_occupancy", buffer)
}

// bitRate is that of the pictures, at least about, bits a second.
func (i Info) bitRate() int {
	if i.Coded.BitRate > 0 {
		return i.Coded.BitRate
	}
	return int(float64(i.Size) * 8 / max(i.Duration, .04))
}

// Copies reports whether coded pictures that nothing touches are copied, and Keeps whether those that are coded
// anew come back as they went in.
func (p Preset) Copies() bool { return p.copies }

// Keeps: see Copies.
func (p Preset) Keeps() bool { return p.exact || p.Lossless }

// Units gives the stretches of a file's frames that can be copied one by one, in order.
func (i Info) Units(do func(first, last int)) {
	if len(i.Coded.Groups) == 0 {
		for f := range i.Frames {
			do(f, f)
		}
		return
	}
	for k, first := range i.Coded.Groups {
		last := i.Frames - 1
		if k+1 < len(i.Coded.Groups) {
			last = i.Coded.Groups[k+1] - 1
		}
		do(first, last)
	}
}

// Apart says, for people, why no coded picture can stand between ones that are coded anew; "" where nothing known
// speaks against it.
func (p Preset) Apart() string { return p.apart }

// Linked reports whether how a coded picture is decoded hangs on what was told elsewhere, so that only decoding shows
// that one which was copied is still the source's.
func (p Preset) Linked() bool { return p.linked }

// Alike reports whether a decoder of the file decodes what the preset writes: whether both ask for the same beside
// the pictures. FFV1 has that in one place, and what matters of it is known when something is written; for H.264 it
// is tried.
func (p Preset) Alike(ctx context.Context, c Clip, dir string) (bool, error) {
	switch {
	case p.apart != "":
		return false, nil
	case p.linked:
		return p.stands(ctx, c, dir)
	case c.Info.Codec != "ffv1":
		return true, nil
	}
	dir, err := os.MkdirTemp(dir, ".alike")
	if err != nil {
		return false, err
	}
	defer os.RemoveAll(dir)
	path := filepath.Join(dir, "piece"+p.Ending)
	w, err := Create(ctx, Output{Path: path, Preset: p, Segment: true, Source: c, Frames: 1, Total: c.Info.Frames})
	if err != nil {
		return false, err
	}
	defer w.Abort()
	if err := w.Write(make([]byte, c.Info.Format().Size())); err != nil {
		return false, err
	}
	if err := w.Close(); err != nil {
		return false, err
	}
	got, err := Probe(ctx, path)
	return err == nil && got.Coded.Extradata == c.Info.Coded.Extradata, err
}

// Split writes a clip's pictures, as they are coded, into files of a folder: one up to each of the frames at which
// another begins, in order, and one to the end. progress is told the number of pictures done.
func (c Clip) Split(ctx context.Context, p Preset, dir string, at []int, progress func(done int)) ([]string, error) {
	args := append(input(c.Path), "-map", "0:v:0", "-c", "copy", "-an", "-sn", "-dn", "-map_metadata", "-1")
	name := filepath.Join(strings.ReplaceAll(dir, "%", "%%"), "%07d"+p.Ending)
	scale := fmt.Sprintf("video_track_timescale=%d", c.Info.Rate.Num)
	args = append(args, "-f", "segment", "-segment_format", p.segment, "-reset_timestamps", "1")
	if p.segment == "mov" || p.segment == "mp4" {
		args = append(args, "-segment_format_options", scale)
	}
	if len(at) > 0 {
		var list []string
		for _, f := range at {
			list = append(list, strconv.Itoa(f))
		}
		args = append(args, "-segment_frames", strings.Join(list, ","))
	} else {
		args = append(args, "-segment_time", "1000000")
	}
	pr, err := watched(ctx, append(args, "file:"+name), progress)
	if err == nil {
		err = pr.errs.fault()
	}
	if err != nil {
		return nil, fmt.Errorf("media: the coded pictures cannot be taken apart: %w", err)
	}
	files, err := filepath.Glob(filepath.Join(globbed.Replace(dir), "*"+p.Ending))
	if err == nil && len(files) != len(at)+1 {
		err = fmt.Errorf("media: the coded pictures were taken apart into %d pieces, not %d", len(files), len(at)+1)
	}
	return files, err
}

// globbed keeps a folder's name from being taken for a pattern.
var globbed = strings.NewReplacer(`\`, `\\`, "*", `\*`, "?", `\?`, "[", `\[`)

// Packets are the digests of a file's coded pictures, MD5, as they come. progress, when given, is told how many.
func Packets(ctx context.Context, path string, progress func(done int)) ([]string, error) {
	args := append([]string{"-nostdin", "-v", "error"}, input(path)...)
	p, out, err := pipeFrom(ctx, append(args, "-map", "0:v:0", "-c", "copy", "-f", "framemd5", "pipe:1"))
	if err != nil {
		return nil, err
	}
	defer out.Close()
	var sums []string
	for sc := bufio.NewScanner(out); sc.Scan(); {
		f := strings.Split(sc.Text(), ",")
		if len(f) < 6 || strings.HasPrefix(f[0], "#") { // a seventh is of what goes with the packet
			continue
		}
		if sums = append(sums, strings.TrimSpace(f[5])); progress != nil {
			progress(len(sums))
		}
	}
	if err := p.wait(); err != nil {
		return nil, blame(ctx, err, "its coded pictures cannot be read")
	}
	return sums, nil
}
