package media

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"celator/core/cover"
	"celator/core/timecode"
)

// Damage is what is wrong with the pictures of a file that was taken as it is. Spans are of
// frames, in order.
type Damage struct {
	Spoilt  []cover.Span `json:"spoilt,omitempty" doc:"frames on which the decoder complained, and those made from them"`
	Held    []cover.Span `json:"held,omitempty" doc:"frames whose picture is not there; the one before stands in its place"`
	Before  int          `json:"before,omitempty" doc:"pictures at its beginning that cannot be decoded; frames count from the first that can"`
	Missing int          `json:"missing,omitempty" doc:"frames that the file promises and does not have, at its end"`
}

// Of returns what of it is in some of the file's frames, both included.
func (d *Damage) Of(first, last int) *Damage {
	if d == nil {
		return nil
	}
	within := func(list []cover.Span) (out []cover.Span) {
		for _, s := range list {
			if s.First <= last && s.Last >= first {
				out = append(out, cover.Span{First: max(s.First, first), Last: min(s.Last, last)})
			}
		}
		return out
	}
	return &Damage{Spoilt: within(d.Spoilt), Held: within(d.Held)}
}

// Words say it for people; there are none of no damage.
func (d *Damage) Words() []string {
	if d == nil {
		return nil
	}
	var out []string
	if len(d.Spoilt) > 0 {
		out = append(out, "pictures that are damaged ("+spans(d.Spoilt)+")")
	}
	if len(d.Held) > 0 {
		out = append(out, "pictures that are not there, for which the one before stands ("+spans(d.Held)+")")
	}
	if d.Before > 0 {
		out = append(out, fmt.Sprintf("%d pictures at its beginning, which cannot be decoded", d.Before))
	}
	if d.Missing > 0 {
		out = append(out, fmt.Sprintf("an end that is cut off (%d frames are promised beyond it)", d.Missing))
	}
	return out
}

// named is how many spans are named to people.
const named = 12

func spans(list []cover.Span) string {
	var b strings.Builder
	for i, s := range list {
		switch {
		case i == named:
			fmt.Fprintf(&b, " and %d more stretches", len(list)-named)
			return b.String()
		case i > 0:
			b.WriteString(", ")
		default:
			b.WriteString("frames ")
		}
		if b.WriteString(strconv.Itoa(s.First)); s.Last > s.First {
			fmt.Fprintf(&b, " to %d", s.Last)
		}
	}
	if len(list) == 1 && list[0].First == list[0].Last {
		return strings.Replace(b.String(), "frames", "frame", 1)
	}
	return b.String()
}

// asIs are the options by which a damaged file gives all pictures that it has, the same ones
// each time: threads differ in what they make of pictures that refer to lost ones.
var asIs = []string{"-threads", "1", "-flags", "+output_corrupt"}

// Salvage writes a lossless copy of what pictures a damaged file has, each at its time, and
// returns the copy as a clip; its Info.Damage tells what is wrong with them. A file of which
// nothing can be decoded is refused with an error that wraps ErrUnusable.
func Salvage(ctx context.Context, path, to string, progress func(done int)) (Clip, error) {
	if err := present(path); err != nil {
		return Clip{}, err
	}
	info, err := Probe(ctx, path)
	if err != nil && !errors.Is(err, ErrDamaged) {
		return Clip{}, err
	}
	if info.Still != "" {
		return Clip{}, err // of a still there is all or nothing
	}
	out, err := run(ctx, "ffprobe", append(append([]string{
		"-v", "error", "-select_streams", "v:0", "-show_log", "16", "-of", "json",
		"-show_entries", "frame=best_effort_timestamp,key_frame,pict_type:log=message:stream=time_base",
	}, asIs...), input(path)...))
	if err != nil {
		return Clip{}, blame(ctx, err, "nothing of it can be decoded")
	}
	if err := info.salvaged(out); err != nil {
		return Clip{}, err
	}
	c, err := conformHeld(ctx, Clip{Path: path, Info: info, asIs: true}, to, progress)
	if err != nil {
		return Clip{}, err
	}
	if c.Info.Frames != info.Frames {
		return Clip{}, fmt.Errorf("media: a damaged clip gave %d frames, then %d", info.Frames, c.Info.Frames)
	}
	return c, nil
}

// given is what a decoder gave of a damaged file, picture by picture as they are shown.
type given struct {
	Frames []struct {
		At   *int64 `json:"best_effort_timestamp"`
		Key  int    `json:"key_frame"`
		Type string `json:"pict_type"`
		Logs []struct {
			Message string `json:"message"`
		} `json:"logs"`
	} `json:"frames"`
	Streams []struct {
		TimeBase string `json:"time_base"`
	} `json:"streams"`
}

// salvaged decides which frames the pictures stand for, from ffprobe's answer about those that
// could be decoded, and what is wrong with them.
func (info *Info) salvaged(out []byte) error {
	var g given
	if err := json.Unmarshal(out, &g); err != nil {
		return fmt.Errorf("media: ffprobe's answer about a damaged file: %w", err)
	}
	if len(g.Frames) == 0 || len(g.Streams) == 0 {
		return unusable("it has no picture that can be decoded")
	}
	promised := info.promised
	if info.Indexed {
		promised = max(promised, min(info.Frames, info.packets))
	}
	starts, before := info.place(g)
	if starts[len(starts)-1]+1 > cover.MaxFrames {
		return unusable("it lasts longer than %d frames", cover.MaxFrames)
	}
	info.Frames = int(starts[len(starts)-1]) + 1
	info.Duration = float64(info.Frames) / info.Rate.Float()
	d := info.wrong(g, starts)
	d.Before, d.Missing = before, max(promised-before-info.Frames, 0)
	info.Damage = &d
	return nil
}

// place returns the frame on which each picture is first shown, and how many frames there were before the
// first. Without times one comes after the other.
func (info *Info) place(g given) (starts []float64, before int) {
	var at []int64
	for i, f := range g.Frames {
		starts = append(starts, float64(i))
		if f.At != nil {
			at = append(at, *f.At)
		}
	}
	unit := clockUnit(g.Streams[0].TimeBase)
	if len(at) < len(starts) || !slices.IsSorted(at) || unit == 0 {
		return starts, 0
	}
	if rate, ok := grid(at, unit, info.Rate); ok {
		info.Rate, info.Variable = rate, false
	}
	starts, _ = begin(at, unit, info.Rate.Float())
	lost := float64(at[0]-info.begins) * unit
	info.Lead += lost
	info.begins = at[0]
	return starts, max(int(math.Round(lost*info.Rate.Float())), 0)
}

// wrong says for how many frames each picture is shown, and which of them are spoilt or not there.
func (info *Info) wrong(g given, starts []float64) (d Damage) {
	early, run := 0, 0 // how many pictures at the most are shown before one that is decoded before them
	for _, f := range g.Frames {
		if run++; f.Type != "B" {
			run = 0
		}
		early = max(early, run)
	}
	spoilt, said := -1, &tail{}
	info.holds = make([]int, len(starts))
	for i, f := range g.Frames {
		for _, l := range f.Logs {
			fmt.Fprintln(said, l.Message)
		}
		first, next := int(starts[i]), int(starts[i])+1
		if i+1 < len(starts) {
			next = int(starts[i+1])
		}
		info.holds[i] = next - first
		gap := next > first+1 && !info.Variable
		// What was said comes with the picture that is given then, which is shown next before the
		// one that was meant; and what follows is made from that one, up to a key picture.
		if said.damaged() && (i > 0 || !info.Skipped) || gap {
			if spoilt = i; early > 0 {
				spoilt += early + 1
			}
		} else if spoilt >= 0 && i > spoilt && f.Key == 1 {
			spoilt = -1
		}
		said.forget()
		if spoilt >= 0 {
			d.Spoilt = join(d.Spoilt, cover.Span{First: first, Last: first})
		}
		if gap {
			d.Held = join(d.Held, cover.Span{First: first + 1, Last: next - 1})
		}
	}
	d.Spoilt = beside(d, info.Frames)
	return d
}

// beside returns what is spoilt with the frames beside what is spoilt or not there: decoders do
// not notice every torn end.
func beside(d Damage, frames int) (out []cover.Span) {
	all := append(append([]cover.Span{}, d.Spoilt...), d.Held...)
	slices.SortFunc(all, func(a, b cover.Span) int { return a.First - b.First })
	for _, s := range all {
		out = join(out, cover.Span{First: max(s.First-1, 0), Last: min(s.Last+1, frames-1)})
	}
	return out
}

// grid returns the rate at which all pictures lie on frames, though not on each: some are lost.
func grid(at []int64, unit float64, likely timecode.Rate) (timecode.Rate, bool) {
	for _, r := range append([]timecode.Rate{likely}, common...) {
		on := true
		for _, t := range at {
			f := float64(t-at[0]) * unit * r.Float()
			on = on && math.Abs(f-math.Round(f)) <= off
		}
		if on {
			return r, true
		}
	}
	return likely, false
}

// join adds a span behind others, of which it may go on the last.
func join(list []cover.Span, s cover.Span) []cover.Span {
	if n := len(list); n > 0 && list[n-1].Last+1 >= s.First {
		list[n-1].Last = max(list[n-1].Last, s.Last)
		return list
	}
	return append(list, s)
}

// clockUnit is how many seconds a unit of a time base such as "1/90000" lasts, 0 where it says none.
func clockUnit(base string) float64 {
	a, b, _ := strings.Cut(base, "/")
	num, _ := strconv.ParseFloat(a, 64)
	den, _ := strconv.ParseFloat(b, 64)
	if unit := num / den; unit > 0 && !math.IsInf(unit, 0) {
		return unit
	}
	return 0
}
