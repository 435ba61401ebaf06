package media

import (
	"bytes"
	"context"
	"encoding/json"
	"slices"
	"strconv"
	"strings"
)

// How pictures are made up. An interlaced one is woven of two fields, half a frame time
// apart; the names are those of ffmpeg for a frame in which that field is shown first.
const (
	Progressive = "progressive"
	TopFirst    = "tt"
	BottomFirst = "bb"
)

// scanned is how many pictures are asked for their fields, in ffprobe's words: about a
// second, which in mixed material has some of both.
const scanned = "%+#24"

// deeper is how many packets are looked through where those show no picture: a recording
// that begins in the middle of a group cannot be decoded before the next one.
const deeper = "%+#600"

// paired is how near to the packet before it one must be, in picture times, to hold the
// second field of the same picture: fields are half a picture apart, and pictures that are shown
// for two and for three fields by turns two thirds.
const paired = .6

// First is the field that is shown first, "top" or "bottom"; "" where pictures are whole.
func (i Info) First() string {
	switch i.Field {
	case TopFirst, "tb":
		return "top"
	case BottomFirst, "bt":
		return "bottom"
	}
	return ""
}

// woven leaves of the sorted times of a stream's packets one for each picture: of H.264 a packet
// may hold a single field, also where a container was made of a bare stream.
func (i Info) woven(pts []int64) []int64 {
	if i.First() == "" || i.Codec != "h264" || i.Container == "mxf" || i.apart == 0 {
		return pts
	}
	whole := pts[:0]
	for _, t := range pts {
		if n := len(whole); n == 0 || float64(t-whole[n-1]) > paired*float64(i.apart) {
			whole = append(whole, t)
		}
	}
	return whole
}

// scan finds out whether pictures are woven of fields, and which field is shown first: by
// what the decoder says of them, which is what they were coded as, and else by what the
// container says. (Containers differ in what they mean by the order in which fields are
// stored and that in which they are shown; with ffmpeg, as with files in use, the field
// named first is the one that is shown first.)
func (info *Info) scan(ctx context.Context, path, declared string) {
	info.Field = declared
	switch info.First() {
	case "top":
		info.Field = TopFirst
	case "bottom":
		info.Field = BottomFirst
	default:
		info.Field = Progressive
	}
	for _, many := range []string{scanned, deeper} {
		out, err := run(ctx, "ffprobe", append([]string{
			"-v", "error", "-select_streams", "v:0", "-read_intervals", many, "-of", "csv=p=0",
			"-show_entries", "frame=best_effort_timestamp,interlaced_frame,top_field_first,repeat_pict," + pictureTags,
		}, input(path)...))
		if err != nil {
			return // who decodes it will say so
		}
		field, times, longer := readScan(out)
		if len(times) == 0 {
			continue
		}
		info.Tags.fill(readTags(out))
		if field != "" {
			info.Field = field
		}
		info.begins, info.begun, info.apart = times[0], true, median(times)
		info.flagged = field == "" && longer*3 > len(times)
		return
	}
}

// pictureTags are what pictures say of their own colour, in ffprobe's order.
const pictureTags = "color_range,color_space,color_primaries,color_transfer,chroma_location"

// readTags reads them of the first picture that ffprobe tells of.
func readTags(out []byte) (t Tags) {
	line, _, _ := strings.Cut(string(out), "\n")
	if f := strings.Split(strings.TrimSpace(line), ","); len(f) >= 9 {
		t = Tags{known(f[4]), known(f[6]), known(f[7]), known(f[5]), known(f[8])}
	}
	return t
}

// fill takes what is not known yet from other tags.
func (t *Tags) fill(o Tags) {
	for _, v := range [][2]*string{
		{&t.Range, &o.Range},
		{&t.Primaries, &o.Primaries},
		{&t.Transfer, &o.Transfer},
		{&t.Space, &o.Space},
		{&t.Chroma, &o.Chroma},
	} {
		if *v[0] == "" {
			*v[0] = *v[1]
		}
	}
}

// declared asks the container alone for colour tags, where the pictures say nothing.
func (info *Info) declared(ctx context.Context, path string) {
	if info.Tags.Primaries != "" || info.Tags.Transfer != "" || info.Tags.Space != "" {
		return
	}
	out, err := run(ctx, "ffprobe", append([]string{
		"-v", "error", "-nofind_stream_info", "-select_streams", "v:0", "-of", "json", "-show_streams",
	}, input(path)...))
	var p probed
	if err == nil && json.Unmarshal(out, &p) == nil && len(p.Streams) > 0 {
		info.Tags.fill(p.Streams[0].colours())
	}
}

// colours are a stream's colour tags.
func (s probedStream) colours() Tags {
	return Tags{known(s.ColorRange), known(s.Primaries), known(s.Transfer), known(s.ColorSpace), known(s.Chroma)}
}

// median is that of the gaps between sorted times, 0 where there are none.
func median(times []int64) int64 {
	var gaps []int64
	for i := 1; i < len(times); i++ {
		gaps = append(gaps, times[i]-times[i-1])
	}
	if len(gaps) == 0 {
		return 0
	}
	slices.Sort(gaps)
	return gaps[len(gaps)/2]
}

// readScan reads ffprobe's answer about pictures: the field that is first in most of those
// that are woven, "" where none is, the pictures' times, in order, in the stream's time base, and how many
// of them ask for a field to be shown twice.
func readScan(out []byte) (field string, times []int64, longer int) {
	top, bottom := 0, 0
	for line := range bytes.Lines(out) {
		at, rest, _ := strings.Cut(strings.TrimSpace(string(line)), ",")
		if t, err := strconv.ParseInt(at, 10, 64); err == nil {
			times = append(times, t)
		}
		f := append(strings.Split(rest, ","), "", "", "")
		if f[2] == "1" {
			longer++
		}
		switch {
		case f[0] != "1":
		case f[1] == "1":
			top++
		default:
			bottom++
		}
	}
	slices.Sort(times)
	switch {
	case top == 0 && bottom == 0:
	case top >= bottom:
		field = TopFirst
	default:
		field = BottomFirst
	}
	return field, times, longer
}
