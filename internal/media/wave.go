package media

import (
	"context"
	"encoding/binary"
	"fmt"
	"math"

	"celator/core/timecode"
)

// WaveName is the name of a track's file in a package.
func WaveName(track int) string { return fmt.Sprintf("sound-%d.wav", track+1) }

// CreateWave starts a file that holds a track alone: a Broadcast Wave (EBU Tech 3285) that tells when the
// first of the job's frames, f of the source, was, past four gigabytes RF64 (EBU Tech 3306).
func (o Output) CreateWave(ctx context.Context, path string, s Sound) (*SoundWriter, error) {
	args := []string{
		"-nostdin", "-v", "error", "-y", "-f", "f64le", "-ar", fmt.Sprint(s.Rate), "-ac", fmt.Sprint(s.Channels),
	}
	if s.Layout != "" {
		args = append(args, "-channel_layout", s.Layout)
	}
	w, err := pipeTo(ctx, append(args, "-i", "pipe:0", "-c:a", o.Preset.Waves, "-write_bext", "1", "-rf64", "auto",
		"-metadata", fmt.Sprintf("time_reference=%d", o.SinceMidnight(s)), "-f", "wav", "file:"+path))
	return &SoundWriter{Writer: w}, err
}

// SinceMidnight is when a track begins, in its samples, by the source's timecode.
func (o Output) SinceMidnight(s Sound) int64 {
	info := o.Source.Info
	tc, err := timecode.New(info.Rate, info.Timecode)
	if err != nil {
		tc = timecode.Timecode{Rate: info.Rate}
	}
	return int64(math.Round(float64(tc.Offset+int64(o.First)) / info.Rate.Float() * float64(s.Rate)))
}

// wavesSize is about how many bytes the sound of so many frames takes.
func (p Preset) wavesSize(i Info, frames int) (n int64) {
	if p.Waves == "" {
		return 0
	}
	for _, s := range i.Sound {
		n += int64(float64(frames)/i.Rate.Float()*float64(s.Rate)) * int64(3*s.Channels)
	}
	return n
}

// WaveReference is the time that a Broadcast Wave tells of its first sample, in samples since midnight; 0
// where it tells none. head is its beginning.
func WaveReference(head []byte) int64 {
	const chunks, reference = 12, 338 // the first chunk; where the time lies in the chunk bext
	for at := chunks; at+8 <= len(head); {
		size := int(binary.LittleEndian.Uint32(head[at+4:]))
		if string(head[at:at+4]) == "bext" && at+8+reference+8 <= len(head) {
			return int64(binary.LittleEndian.Uint64(head[at+8+reference:]))
		}
		if size < 0 || size > len(head) {
			break
		}
		at += 8 + size + size&1
	}
	return 0
}
