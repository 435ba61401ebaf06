package cover

import (
	"errors"
	"fmt"
	"math"
	"slices"
)

// Passage is a stretch of the shot's sound in which something is said, or heard, that must not
// go out.
type Passage struct {
	ID   string `json:"id"`
	Item string `json:"item,omitempty"` // the clearance list's entry
	Name string `json:"name"`
	Off  bool   `json:"off,omitempty"` // kept, but changes nothing
	// From and To are where it begins and ends, in frames from the shot's first one. Sound is
	// not bound to frames: any part of one will do.
	From     float64  `json:"from"`
	To       float64  `json:"to"`
	Tracks   []int    `json:"tracks,omitempty" doc:"of the source's sound, counted from 0; all where it is absent"`
	Channels []int    `json:"channels,omitempty" doc:"of each of the tracks, counted from 0; all where it is absent"`
	How      Sounding `json:"how" enum:"mute,tone,voice,keep" doc:"what becomes of it: silence, a tone, a disguised voice, or the source's sound, whatever passages before say"`
	Pitch    float64  `json:"pitch,omitempty" doc:"of a tone, Hz"`
	Level    float64  `json:"level,omitempty" doc:"of a tone's peaks, dB below full scale, so below 0"`
	Fade     float64  `json:"fade" doc:"ms on each side, beyond what is marked, so that all of it is hidden"`
}

// Sounding is what becomes of a passage.
type Sounding string

const (
	Mute      Sounding = "mute"
	Tone      Sounding = "tone"
	Disguised Sounding = "voice"
	Kept      Sounding = "keep"
)

// What is asked of a passage.
const (
	maxPassages = 2000
	MaxSounds   = 64   // tracks of a file, and channels of a track
	maxFade     = 1000 // ms
	lowestTone  = 20   // Hz
	highestTone = 20000
	softestTone = -90 // dB
)

// NewPassage is a passage from one frame up to the end of another: muted, with a fade that
// is too short to be heard as one and long enough not to click.
func NewPassage(id string, first, last int) Passage {
	const fade = 8 // ms
	return Passage{ID: id, Name: "Passage", From: float64(first), To: float64(last + 1), How: Mute, Fade: fade}
}

// On reports whether the passage goes for a channel of a track.
func (p *Passage) On(track, channel int) bool {
	return (len(p.Tracks) == 0 || slices.Contains(p.Tracks, track)) &&
		(len(p.Channels) == 0 || slices.Contains(p.Channels, channel))
}

// Span are the frames in which a part of it is heard.
func (p *Passage) Span() Span {
	first := int(math.Floor(p.From))
	return Span{First: first, Last: max(int(math.Ceil(p.To))-1, first)}
}

// Title says in words what becomes of a sound.
func (s Sounding) Title() string {
	return map[Sounding]string{Mute: "Muted", Tone: "Tone", Disguised: "Disguised voice", Kept: "As it is"}[s]
}

func (p *Passage) validate(frames int) error {
	among := func(v []int) bool {
		return len(v) <= MaxSounds && !slices.ContainsFunc(v, func(i int) bool { return i < 0 || i >= MaxSounds })
	}
	switch {
	case !identifier.MatchString(p.ID):
		return errors.New("id is missing or not plain")
	case len(p.Name) > 200 || len(p.Item) > 64:
		return errors.New("name or item is too long")
	case !(p.From >= 0 && p.To > p.From && p.To <= float64(frames)):
		return fmt.Errorf("%g to %g does not lie in the shot's frames 0 to %d", p.From, p.To, frames)
	case !among(p.Tracks) || !among(p.Channels):
		return fmt.Errorf("tracks and channels are counted from 0 to %d", MaxSounds-1)
	case !slices.Contains([]Sounding{Mute, Tone, Disguised, Kept}, p.How):
		return fmt.Errorf("%q is nothing that becomes of sound", p.How)
	case !(p.Fade >= 0 && p.Fade <= maxFade):
		return fmt.Errorf("its fade is not 0 to %d ms", maxFade)
	case p.How == Tone && !(p.Pitch >= lowestTone && p.Pitch <= highestTone):
		return fmt.Errorf("its tone is not %d to %d Hz", lowestTone, highestTone)
	case p.How == Tone && !(p.Level >= softestTone && p.Level <= 0):
		return fmt.Errorf("its level is not %d to 0 dB", softestTone)
	}
	return nil
}

// Passage returns the passage with that id, or nil.
func (d *Document) Passage(id string) *Passage {
	if i := slices.IndexFunc(d.Passages, func(p Passage) bool { return p.ID == id }); i >= 0 {
		return &d.Passages[i]
	}
	return nil
}

// Sounds reports whether anything becomes of a track with so many channels.
func (d *Document) Sounds(track, channels int) bool {
	return slices.ContainsFunc(d.Passages, func(p Passage) bool {
		for c := range channels {
			if p.Treats() && p.On(track, c) {
				return true
			}
		}
		return false
	})
}

// SetPassage enters a passage of the sound, or changes it.
type SetPassage struct {
	Passage Passage `json:"passage"`
}

func (e SetPassage) about() subject { return subject{passage: e.Passage.ID} }

func (e SetPassage) apply(d *draft) (string, error) {
	d.Passages = slices.Clone(d.Passages)
	if old := d.Passage(e.Passage.ID); old != nil {
		*old = e.Passage
		return "changed the sound of " + e.Passage.Name, nil
	}
	d.Passages = append(d.Passages, e.Passage)
	return "marked the sound of " + e.Passage.Name, nil
}

// RemovePassage leaves a passage as it sounds.
type RemovePassage struct {
	ID string `json:"id" doc:"of the passage"`
}

func (e RemovePassage) about() subject { return subject{passage: e.ID} }

func (e RemovePassage) apply(d *draft) (string, error) {
	p := d.Passage(e.ID)
	if p == nil {
		return "", errors.New("edit: the passage is not there any more")
	}
	name := p.Name
	d.Passages = slices.DeleteFunc(slices.Clone(d.Passages), func(p Passage) bool { return p.ID == e.ID })
	return "left the sound of " + name + " as it is", nil
}
