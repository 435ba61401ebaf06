package deliver

import (
	"context"
	crand "crypto/rand"
	"fmt"
	"math"
	"math/rand/v2"
	"os"

	"celator/core/cover"
	"celator/core/sound"
	"celator/internal/media"
)

// Sounds writes those tracks of the job's sound in which a passage is hidden, each into a file beside
// its output, which the caller removes; of a damaged source all, so that what cannot be decoded of them is
// silent and what follows keeps its time. The list has an entry for each track of the source, ""
// for those that stay as they are; it is nil where all do.
func Sounds(ctx context.Context, j Job) (files []string, err error) {
	if j.Matte || j.Preset.Still || j.Preset.Packed() {
		return nil, nil
	}
	for i, s := range j.Clip.Info.Sound {
		if !j.sounds(i, s.Channels) && j.Clip.Info.Damage == nil {
			continue
		}
		if files == nil {
			files = make([]string, len(j.Clip.Info.Sound))
		}
		files[i] = fmt.Sprintf("%s.sound%d", j.Out, i)
		w, err := media.CreateSound(ctx, files[i], s)
		if err == nil {
			err = j.treatSound(ctx, i, s, w)
		}
		if err != nil {
			RemoveSounds(files)
			return nil, err
		}
	}
	return files, nil
}

// RemoveSounds removes what Sounds wrote.
func RemoveSounds(files []string) {
	for _, f := range files {
		if f != "" {
			os.Remove(f)
		}
	}
}

// treatSound writes a track with its passages.
func (j *Job) treatSound(ctx context.Context, track int, s media.Sound, w *media.SoundWriter) error {
	defer w.Abort()
	if err := j.treatTo(ctx, track, s, w.Write); err != nil {
		return err
	}
	return w.Close()
}

// treatTo gives a track with its passages.
func (j *Job) treatTo(ctx context.Context, track int, s media.Sound, give func([]float64) error) error {
	t := j.treater(j.passages(), track, s, chance)
	if err := j.listen(ctx, track, s, func(part []float64) error { return t.Write(part, give) }); err != nil {
		return err
	}
	return t.Close(give)
}

// chance is drawn anew each time and kept nowhere: without it nobody moves a voice back.
func chance(string) rand.Source {
	var seed [32]byte
	crand.Read(seed[:])
	return rand.NewChaCha8(seed)
}

func (j *Job) treater(passages []cover.Passage, track int, s media.Sound, c sound.Chance) *sound.Treater {
	return sound.New(passages, track, s.Channels, s.Rate, j.Clip.Info.Rate.Float(), float64(j.First), c)
}

// listen gives a track of the source, from the job's first frame to its last one, or to the
// track's end; in a reel as many samples as its frames last.
func (j *Job) listen(ctx context.Context, track int, s media.Sound, do func([]float64) error) error {
	rate := j.Clip.Info.Rate.Float()
	from, length := float64(j.Clip.From()+j.First)/rate, j.soundLength()
	if !j.Reel {
		return media.Listen(ctx, j.Sound, track, s, j.Clip.Info.SoundLead(), from, length, do)
	}
	at := func(f int) int { return s.Channels * int(math.Round(float64(f)/rate*float64(s.Rate))) }
	left := at(j.At+j.Last-j.First+1) - at(j.At)
	err := media.Listen(ctx, j.Sound, track, s, j.Clip.Info.SoundLead(), from, length, func(part []float64) error {
		part = part[:min(len(part), left)]
		left -= len(part)
		return do(part)
	})
	silence := make([]float64, min(left, s.Channels*4096))
	for ; err == nil && left > 0; left -= len(silence) {
		silence = silence[:min(len(silence), left)]
		err = do(silence)
	}
	return err
}

// soundLength is how long the job's sound is, s; below 0 to its end.
func (j *Job) soundLength() float64 {
	if j.whole() {
		return -1
	}
	return float64(j.Last-j.First+1) / j.Clip.Info.Rate.Float()
}

// expected is what a track's samples are to be, and which of them nobody knows: those of voices.
type expected struct {
	known, voices *sound.Treater
	raw           []float64
}

// expects makes ready to tell what a track is to be; nil where it is the source's.
func (j *Job) expects(track int, s media.Sound) *expected {
	if !j.sounds(track, s.Channels) {
		return nil
	}
	muted := j.passages()
	for i := range muted {
		if muted[i].How == cover.Disguised {
			muted[i].How = cover.Mute
		}
	}
	voices := j.passages()
	for i := range voices { // what lies over a voice hides it
		if h := voices[i].How; h == cover.Mute || h == cover.Tone {
			voices[i].How = cover.Kept
		}
	}
	return &expected{known: j.treater(muted, track, s, nil), voices: j.treater(voices, track, s, chance)}
}

// both gives what the source has and what is to be written.
func (e *expected) both(ctx context.Context, listen func(context.Context, func([]float64) error) error,
	do func(raw, want []float64) error,
) error {
	if e == nil {
		return listen(ctx, func(part []float64) error { return do(part, part) })
	}
	give := func(want []float64) error {
		raw := e.raw[:len(want)]
		e.raw = e.raw[len(want):]
		return do(raw, want)
	}
	err := listen(ctx, func(part []float64) error {
		e.raw = append(e.raw, part...)
		return e.known.Write(part, give)
	})
	if err != nil {
		return err
	}
	return e.known.Close(give)
}
