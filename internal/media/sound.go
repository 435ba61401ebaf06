package media

import (
	"fmt"
	"slices"
	"strings"
)

// soundMaps say where each of the written tracks comes from: the source, input 1, or the
// files with treated ones, which come after it.
func (o Output) soundMaps() (maps []string) {
	k := 2
	for i := range o.Source.Info.Sound {
		if o.treated(i) {
			maps = append(maps, "-map", fmt.Sprintf("%d:a:0", k))
			k++
			continue
		}
		maps = append(maps, "-map", fmt.Sprintf("1:a:%d?", i))
	}
	return maps
}

// treated reports whether a track is taken from a file of its own.
func (o Output) treated(track int) bool { return track < len(o.Treated) && o.Treated[track] != "" }

// soundArgs carry the source's sound: copied where the container takes it as it is and
// the whole clip is wanted, else encoded anew. What is not the whole is cut to it, and read from
// its beginning on: a decoder that jumps into coded sound does not give what one that came by does.
func (o Output) soundArgs() []string {
	var args []string
	p, info, whole := o.Preset, o.Source.Info, o.whole()
	for i, s := range info.Sound {
		codec := p.recode
		switch {
		case p.Lossless && o.treated(i):
			codec = []string{"-c:a", "copy"}
		case p.Lossless:
			codec = s.exactly(whole)
		case whole && !o.treated(i) && slices.Contains(p.sounds, s.Codec):
			codec = []string{"-c:a", "copy"}
		}
		for j := 0; j < len(codec); j += 2 {
			args = append(args, fmt.Sprintf("%s:%d", codec[j], i), codec[j+1])
		}
		if !whole && !o.treated(i) {
			begin := info.SoundLead() + float64(o.First)/info.Rate.Float()
			args = append(args, fmt.Sprintf("-filter:a:%d", i),
				fmt.Sprintf("atrim=start=%.9f:duration=%.9f,asetpts=PTS-%.9f/TB", begin, o.seconds(), begin))
		}
		name := "title"
		if strings.HasSuffix(p.Ending, "mp4") {
			name = "handler_name" // where QuickTime's family has it
		}
		for _, t := range [][2]string{{"language", s.Language}, {name, s.Title}} {
			if t[1] != "" {
				args = append(args, fmt.Sprintf("-metadata:s:a:%d", i), t[0]+"="+t[1])
			}
		}
	}
	return args
}

// flacChannels is how many channels FLAC has at most (RFC 9639).
const flacChannels = 8

// exactly are the options that keep a track's samples. Coded sound is decoded: what coders
// put in front to begin with, and hidden parts, are known to its own container alone, so
// that a copy in another one would play them.
func (s Sound) exactly(whole bool) []string {
	pcm := strings.HasPrefix(s.Codec, "pcm_")
	// PCM in Matroska says nothing of where its channels belong.
	placed := s.Channels <= 2 || s.Layout == "" || s.Channels > flacChannels
	if whole && (s.Codec == "flac" || pcm && placed) {
		return []string{"-c:a", "copy"}
	}
	integer := strings.HasPrefix(s.Sample, "s16") || strings.HasPrefix(s.Sample, "s32") && s.Bits > 0 && s.Bits <= 24
	if integer && s.Channels <= flacChannels {
		return []string{"-c:a", "flac"}
	}
	switch {
	case strings.HasPrefix(s.Sample, "u8"):
		return []string{"-c:a", "pcm_u8"}
	case strings.HasPrefix(s.Sample, "s16"):
		return []string{"-c:a", "pcm_s16le"}
	case strings.HasPrefix(s.Sample, "s32") && s.Bits > 0 && s.Bits <= 24:
		return []string{"-c:a", "pcm_s24le"}
	case strings.HasPrefix(s.Sample, "s32"):
		return []string{"-c:a", "pcm_s32le"}
	case strings.HasPrefix(s.Sample, "dbl"):
		return []string{"-c:a", "pcm_f64le"}
	}
	if s.Channels > 2 && s.Layout != "" && s.Channels <= flacChannels {
		return []string{"-c:a", "wavpack"} // which says where floating channels belong
	}
	return []string{"-c:a", "pcm_f32le"} // also of what is not known: it holds 24 bit exactly
}
