// Package sound treats passages of a sound track: silence, a tone, a disguised voice. Outside
// of them, and of their fades, every sample stays as it is. Samples are -1 to 1, the channels of
// a track interleaved; places are counted in samples of each channel from the track's first one.
package sound

import (
	"math"
	"math/rand/v2"

	"celator/core/cover"
)

// stretch is a passage as it lies in a track.
type stretch struct {
	cover.Passage
	from, to, fade int // the fades lie outside of from and to
	on             []bool
	voice          *Voice
}

// weight is how much of the treatment is heard at a sample: raised cosines on the way.
func (s *stretch) weight(n int) float64 {
	beyond := max(s.from-n, n-s.to+1)
	switch {
	case beyond <= 0:
		return 1
	case beyond > s.fade:
		return 0
	}
	return .5 + .5*math.Cos(math.Pi*float64(beyond)/float64(s.fade+1))
}

// Treater treats a track whose samples come one after another.
type Treater struct {
	channels, rate int
	stretches      []*stretch
	in             []float64 // from sample first on
	first, done    int       // done is what has been given out
}

// Chance gives what a passage's disguise is drawn from, by its id.
type Chance func(passage string) rand.Source

// New makes ready for a track of the source: its number, its channels and samples a second, how many
// frames a second the passages count in, and at which frame of the shot the track begins. What
// voices become is drawn from chance, and cannot be known without it.
func New(passages []cover.Passage, track, channels, rate int, frames, begins float64, chance Chance) *Treater {
	t := &Treater{channels: channels, rate: rate}
	place := func(frame float64) int { return int(math.Round((frame - begins) / frames * float64(rate))) }
	for _, p := range passages {
		s := &stretch{
			Passage: p, from: place(p.From), to: place(p.To), on: make([]bool, channels),
			fade: int(math.Round(p.Fade / 1000 * float64(rate))),
		}
		any := false
		for c := range s.on {
			s.on[c] = p.On(track, c)
			any = any || s.on[c]
		}
		if p.Off || !any || s.to+s.fade <= 0 {
			continue
		}
		if p.How == cover.Disguised {
			s.voice = newVoice(rate, chance(p.ID))
		}
		t.stretches = append(t.stretches, s)
	}
	return t
}

// Parts are treated at a time; a voice is looked at some way to both sides.
const (
	part   = 4.  // s
	around = 1.6 // s
)

// Write takes the track's next samples and gives out those that are ready. What it gives is
// its own only until give returns.
func (t *Treater) Write(samples []float64, give func([]float64) error) error {
	t.in = append(t.in, samples...)
	n, look := int(part*float64(t.rate)), int(around*float64(t.rate))
	for t.first+len(t.in)/t.channels >= t.done+n+look {
		if err := t.give(t.done+n, give); err != nil {
			return err
		}
	}
	return nil
}

// Close gives out the rest.
func (t *Treater) Close(give func([]float64) error) error {
	for end := t.first + len(t.in)/t.channels; t.done < end; {
		if err := t.give(min(t.done+int(part*float64(t.rate)), end), give); err != nil {
			return err
		}
	}
	return nil
}

// give treats what comes before sample to, and forgets what is not looked at any more.
func (t *Treater) give(to int, give func([]float64) error) error {
	from, c := t.done, t.channels
	out := append([]float64(nil), t.in[(from-t.first)*c:(to-t.first)*c]...)
	for _, s := range t.stretches {
		t.apply(s, out, from, to)
	}
	t.done = to
	if keep := to - int(around*float64(t.rate)); keep > t.first {
		t.in = append(t.in[:0], t.in[(keep-t.first)*c:]...)
		t.first = keep
	}
	return give(out)
}

// apply lays a stretch over samples from and up to to.
func (t *Treater) apply(s *stretch, out []float64, from, to int) {
	a, b := max(from, s.from-s.fade), min(to, s.to+s.fade)
	if a >= b {
		return
	}
	var voices [][]float64
	if s.voice != nil {
		voices = s.voice.disguise(t.in, t.first, t.channels, s.on, a, b)
	}
	level := math.Pow(10, s.Level/20)
	for n := a; n < b; n++ {
		w := s.weight(n)
		tone := level * math.Sin(2*math.Pi*s.Pitch*float64(n-s.from)/float64(t.rate))
		for c, on := range s.on {
			if !on || w == 0 {
				continue
			}
			v := &out[(n-from)*t.channels+c]
			var to float64
			switch s.How {
			case cover.Tone:
				to = tone
			case cover.Disguised:
				to = voices[c][n-a]
			case cover.Kept:
				to = t.in[(n-t.first)*t.channels+c]
			}
			if w == 1 {
				*v = to
			} else {
				*v += w * (to - *v)
			}
		}
	}
}

// Hidden reports whether at a sample, and channel, the source's own sound is not heard; Touched
// whether anything is changed there.
func (t *Treater) Hidden(n, channel int) bool { return t.heard(n, channel, 1) }

// Touched reports whether a sample may be another than the source's.
func (t *Treater) Touched(n, channel int) bool { return t.heard(n, channel, 1e-300) }

// heard reports whether a treatment of at least that weight is what is heard.
func (t *Treater) heard(n, channel int, least float64) (is bool) {
	for _, s := range t.stretches {
		if !s.on[channel] {
			continue
		}
		switch w := s.weight(n); {
		case s.How == cover.Kept && w == 1:
			is = false
		case s.How != cover.Kept && w >= least:
			is = true
		}
	}
	return is
}

// Silent reports whether a sample is to be silence.
func (t *Treater) Silent(n, channel int) (is bool) {
	for _, s := range t.stretches {
		if w := s.weight(n); s.on[channel] && w > 0 {
			is = w == 1 && s.How == cover.Mute || is && s.How == cover.Mute
		}
	}
	return is
}
