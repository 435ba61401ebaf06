package media

import (
	"fmt"
	"slices"
	"strings"
)

// Text is a track of subtitles.
type Text struct {
	Codec    string `json:"codec"`
	Language string `json:"language,omitempty"`
	Title    string `json:"title,omitempty"`
}

// beside notes what a file holds beside the picture and the sound.
func (info *Info) beside(p probed, video int) {
	add := func(format string, a ...any) {
		if s := fmt.Sprintf(format, a...); !slices.Contains(info.Beside, s) {
			info.Beside = append(info.Beside, s)
		}
	}
	for i, s := range p.Streams {
		switch {
		case i == video:
			if s.Captions > 0 {
				add("captions in the picture (A/53)")
			}
			for _, d := range s.SideData {
				if d.Type == "Mastering display metadata" || d.Type == "Content light level metadata" {
					add("the mastering display's colours and light levels")
				}
			}
		case s.CodecType == "video" && s.Disposition["attached_pic"] > 0:
			add("an attached picture")
		case s.CodecType == "video":
			add("another picture track")
		case s.CodecType == "subtitle" && (s.CodecName == "eia_608" || s.CodecName == "eia_708"):
			add("a track of captions (%s)", strings.ToUpper(strings.Replace(s.CodecName, "eia_", "CEA-", 1)))
		case s.CodecType == "subtitle":
			lang := known(tag(s.Tags, "language"))
			if lang == "und" {
				lang = ""
			}
			info.Subtitles = append(info.Subtitles, Text{s.CodecName, lang, title(s.Tags)})
		case s.CodecType == "attachment":
			add("attached files, such as fonts")
		case s.CodecType == "data" && s.CodecTag != "tmcd" && s.CodecTag != "text":
			add("a data track (%s)", strings.Trim(s.CodecName+" "+strings.Trim(s.CodecTag, "[]0"), " "))
		}
	}
	if len(p.Chapters) > 0 {
		info.Chapters = len(p.Chapters)
	}
}

// texts says what subtitles of a codec become in a container; nothing where it holds none of them.
var texts = map[string]map[string]string{
	".mkv": {
		"subrip": "copy", "ass": "copy", "ssa": "copy", "webvtt": "copy", "dvb_subtitle": "copy", "hdmv_pgs_subtitle": "copy",
		"dvd_subtitle": "copy", "mov_text": "srt",
	},
	".mov": {"mov_text": "copy", "subrip": "mov_text", "ass": "mov_text", "ssa": "mov_text", "webvtt": "mov_text"},
	".mp4": {"mov_text": "copy", "subrip": "mov_text", "ass": "mov_text", "ssa": "mov_text", "webvtt": "mov_text"},
}

// besideArgs carry what else the container holds of the source, which is input 1: of a whole
// clip alone, for the times of a part are others. What might show what is covered, such as an
// attached picture, never goes with it.
func (p Preset) besideArgs(info Info, whole bool) (maps, codecs []string) {
	if !whole {
		return nil, []string{"-map_chapters", "-1"}
	}
	k := 0
	for i, s := range info.Subtitles {
		as := texts[p.Ending][s.Codec]
		if as == "" {
			continue
		}
		maps = append(maps, "-map", fmt.Sprintf("1:s:%d", i))
		codecs = append(codecs, fmt.Sprintf("-c:s:%d", k), as)
		for _, t := range [][2]string{{"language", s.Language}, {"title", s.Title}} {
			if t[1] != "" {
				codecs = append(codecs, fmt.Sprintf("-metadata:s:s:%d", k), t[0]+"="+t[1])
			}
		}
		k++
	}
	if info.Chapters > 0 {
		codecs = append(codecs, "-map_chapters", "1")
	}
	return maps, codecs
}

// Left names what the source holds that a delivery by this preset does not, whole or of a
// range, for people.
func (p Preset) Left(info Info, whole bool) (left []string) {
	if p.Sequence() && p.Waves == "" && len(info.Sound) > 0 {
		left = append(left, "sound")
	}
	if p.SoundAlone() {
		left = append(left, "pictures")
	}
	for _, s := range info.Subtitles {
		if !whole || texts[p.Ending][s.Codec] == "" {
			left = append(left, strings.TrimSpace("subtitles ("+strings.TrimSpace(s.Codec+" "+s.Language)+")"))
		}
	}
	if info.Chapters > 0 && !whole {
		left = append(left, "chapters")
	}
	if info.alpha() && !p.SoundAlone() && p.format(info) != "" && !strings.HasPrefix(p.format(info), "yuva") {
		left = append(left, "opacity")
	}
	return append(left, info.Beside...)
}
