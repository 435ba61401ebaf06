package checkrun

import (
	"context"
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"os"

	"celator/core/check"
	"celator/core/cover"
	"celator/core/sound"
	"celator/internal/media"
)

// Heard reads a sound track's samples, the channels interleaved, from a time of the source on, s, and
// up to another; what lies outside is silent.
type Heard func(ctx context.Context, track int, from, to float64) ([]float64, error)

const (
	sameSound = .5 // how alike two sounds are of which one gives the other away
	mostCut   = 12 // dB that what lies beyond a passage is softer, at most, when a word is cut
	longest   = 60 // s of a passage that are listened to
	beside    = .3 // s
)

// sound listens for what passages leave: the same sound on another track or channel, and words
// that go on beyond them.
func (j *Job) sound(ctx context.Context) (out []check.Finding, err error) {
	heard := j.Heard
	if heard == nil {
		heard = OfFile(j.Clip, j.Clip.Path)
	}
	for i := range j.Document.Passages {
		p := &j.Document.Passages[i]
		if !p.Treats() || j.Wanted != nil && !j.Wanted(p.ID) {
			continue
		}
		found, err := j.listenTo(ctx, heard, p)
		if errors.Is(err, os.ErrNotExist) { // of a source that was brought in before sound was kept
			return out, nil
		}
		if err != nil {
			return nil, err
		}
		out = append(out, found...)
	}
	return out, nil
}

// listenTo reads what lies around a passage on all channels, and compares.
func (j *Job) listenTo(ctx context.Context, heard Heard, p *cover.Passage) (out []check.Finding, err error) {
	fps, shot := j.Clip.Info.Rate.Float(), float64(j.Clip.From())
	begin := (shot+p.From)/fps - beside
	end := min((shot+p.To)/fps, (shot+p.From)/fps+longest) + beside
	var hidden, open []channel
	for k, s := range j.Clip.Info.Sound {
		part, err := heard(ctx, k, begin, end)
		if err != nil {
			return nil, err
		}
		t := sound.New(j.Document.Passages, k, s.Channels, s.Rate, fps, begin*fps-shot, anything)
		for c := range s.Channels {
			ch := channel{track: k, number: c, rate: s.Rate, samples: make([]float64, len(part)/s.Channels), treater: t}
			for i := range ch.samples {
				ch.samples[i] = part[i*s.Channels+c]
			}
			if p.On(k, c) {
				hidden = append(hidden, ch)
			} else {
				open = append(open, ch)
			}
		}
	}
	for _, h := range hidden {
		from, to := int(beside*float64(h.rate)), len(h.samples)-int(beside*float64(h.rate))
		if from >= to {
			continue
		}
		a, b, ok := sound.Loudest(h.samples[from:to], h.rate)
		if !ok {
			continue
		}
		if f, ok := h.elsewhere(open, from+a, from+b, p); ok {
			return append(out, f), nil
		}
		if f, ok := h.cut(from, to, p, j.Document.Frames); ok && len(out) == 0 {
			out = append(out, f)
		}
	}
	return out, nil
}

// anything is drawn where nobody hears the voice.
func anything(string) rand.Source { return rand.NewPCG(0, 0) }

// channel is one of a track's, around a passage.
type channel struct {
	track, number, rate int
	samples             []float64
	treater             *sound.Treater
}

// elsewhere looks for the same sound on channels that stay.
func (h *channel) elsewhere(open []channel, from, to int, p *cover.Passage) (f check.Finding, found bool) {
	for _, o := range open {
		if o.rate != h.rate || o.treater.Hidden((from+to)/2, o.number) {
			continue
		}
		like := sound.Alike(h.samples[from:to], o.samples[from:to], h.rate)
		if like < sameSound {
			continue
		}
		where := fmt.Sprintf("track %d", o.track+1)
		if o.track == h.track {
			where = fmt.Sprintf("channel %d", o.number+1)
		}
		return check.New(check.HeardElsewhere, p.ID, []cover.Span{p.Span()}, p.Span().First, 100*like,
			"What %s hides is heard on %s as well.", p.Name, where), true
	}
	return f, false
}

// cut listens for what goes on beyond the ends.
func (h *channel) cut(from, to int, p *cover.Passage, frames int) (f check.Finding, found bool) {
	fade := int(p.Fade / 1000 * float64(h.rate))
	before, after := sound.GoesOn(h.samples, from, to, fade, h.rate)
	covered := func(n int) bool { return h.treater.Hidden(min(max(n, 0), len(h.samples)-1), h.number) }
	beyond := fade + h.rate/50
	span := p.Span()
	switch {
	case before < mostCut && p.From > 0 && !covered(from-beyond):
		return check.New(check.WordCut, p.ID, []cover.Span{{First: span.First, Last: span.First}}, span.First, before,
			"Where %s begins, the sound is nearly as loud outside of it.", p.Name), true
	case after < mostCut && p.To < float64(frames) && !covered(to+beyond):
		return check.New(check.WordCut, p.ID, []cover.Span{{First: span.Last, Last: span.Last}}, span.Last, after,
			"Where %s ends, the sound is nearly as loud outside of it.", p.Name), true
	}
	return f, false
}

// OfFile reads the sound of a clip from its own file.
func OfFile(c media.Clip, file string) Heard {
	return func(ctx context.Context, track int, from, to float64) ([]float64, error) {
		s := c.Info.Sound[track]
		place := func(t float64) int { return int(math.Round(t * float64(s.Rate))) }
		out := make([]float64, max(0, place(0)-place(from))*s.Channels, max(place(to)-place(from), 0)*s.Channels)
		begin := max(from, 0)
		err := media.Listen(ctx, file, track, s, c.Info.SoundLead(), begin, to-begin, func(part []float64) error {
			out = append(out, part[:min(len(part), cap(out)-len(out))]...)
			return nil
		})
		return out[:cap(out)], err
	}
}
