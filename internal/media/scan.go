package media

import (
	"bytes"
	"context"
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

// fieldPackets reports whether a packet may hold a single field, so that pictures have to be
// counted as decoded. Containers with an index hold whole pictures.
func (i Info) fieldPackets() bool {
	return i.First() != "" && i.Codec == "h264" && !i.Indexed && i.Container != "mxf"
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
	out, err := run(ctx, "ffprobe", append([]string{
		"-v", "error", "-select_streams", "v:0", "-read_intervals", scanned, "-of", "csv=p=0",
		"-show_entries", "frame=interlaced_frame,top_field_first",
	}, input(path)...))
	if err != nil {
		return // who decodes it will say so
	}
	if f := firstField(out); f != "" {
		info.Field = f
	}
}

// firstField reads ffprobe's answer about pictures: the field that is first in most of
// those that are woven, "" where none is.
func firstField(out []byte) string {
	top, bottom := 0, 0
	for line := range bytes.Lines(out) {
		interlaced, first, _ := strings.Cut(strings.TrimSpace(string(line)), ",")
		switch {
		case interlaced != "1":
		case strings.HasPrefix(first, "1"):
			top++
		default:
			bottom++
		}
	}
	switch {
	case top == 0 && bottom == 0:
		return ""
	case top >= bottom:
		return TopFirst
	}
	return BottomFirst
}
