package check

import (
	"slices"
	"sync"

	"celator/core/cover"
	"celator/core/frame"
	"celator/core/treat"
)

// Shot goes through a shot's pictures, as they are and as they would be delivered, and
// finds where its covers fail. It is told the pictures of Survey in order (Learn), then
// those of Stretches in order (Frame), and then says what it found (Findings).
//
// Where a target is, is found anew in each picture, from what was outlined and not from
// the track that placed the cover.
type Shot struct {
	d        *cover.Document
	pictures int // of a frame
	watch    []*watch
	learnt   bool

	// Pace, when given, is called between pieces of work, by several at once; a check
	// that nobody waits for lets others go first there.
	Pace func()
}

// framesBeyond is how many frames outside a span are looked at, on either side.
const framesBeyond = 12

// NewShot begins a check of those covers for which wanted is true (all where it is nil). So many
// of the document's frames are one for people, who are told of those: two where it is by field.
func NewShot(d *cover.Document, each int, wanted func(id string) bool) *Shot {
	s := &Shot{d: d, pictures: each}
	for i := range d.Covers {
		c := &d.Covers[i]
		if c.Off || len(c.HoldsOut) > 0 || c.Inverted || len(c.Outlines) == 0 || wanted != nil && !wanted(c.ID) {
			continue
		}
		w := &watch{d: d, each: each, target: target{c: c, width: d.Width, height: d.Height, pace: s.pace}}
		w.attack = attackFrames(d, c)
		s.watch = append(s.watch, w)
	}
	return s
}

// Survey returns the frames that must be looked at beforehand, in order.
func (s *Shot) Survey() []int {
	var out []int
	for _, w := range s.watch {
		out = append(out, surveyFrames(s.d, w.c, s.pictures)...)
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// Learn takes one of those pictures.
func (s *Shot) Learn(f int, p *frame.Picture) {
	for _, w := range s.watch {
		if slices.Contains(surveyFrames(s.d, w.c, s.pictures), f) {
			if g, ok := cropAt(f, p, bounds(w.c, f, targetMargin)); ok {
				w.looks = append(w.looks, g)
			}
		}
	}
}

// Stretches returns the frames that must be gone through, in order: the spans and a
// little beyond.
func (s *Shot) Stretches() []cover.Span {
	var all []cover.Span
	for _, w := range s.watch {
		all = append(all, cover.Span{
			First: max(w.c.Span.First-framesBeyond, 0),
			Last:  min(w.c.Span.Last+framesBeyond, s.d.Frames-1),
		})
	}
	slices.SortFunc(all, func(a, b cover.Span) int { return a.First - b.First })
	var out []cover.Span
	for _, v := range all {
		if n := len(out); n > 0 && v.First <= out[n-1].Last+1 {
			out[n-1].Last = max(out[n-1].Last, v.Last)
		} else {
			out = append(out, v)
		}
	}
	return out
}

// Frame takes a picture as it is and as it would be delivered; neither is kept or changed.
func (s *Shot) Frame(f int, was, now *frame.Picture) {
	if !s.learnt {
		s.learnt = true
		s.each(func(w *watch) { w.learn(s.d) })
	}
	s.pace()
	s.each(func(w *watch) { w.frame(f, was, now) })
}

func (s *Shot) pace() {
	if s.Pace != nil {
		s.Pace()
	}
}

// each lets all covers work at once.
func (s *Shot) each(do func(w *watch)) {
	if len(s.watch) == 1 {
		do(s.watch[0])
		return
	}
	var wg sync.WaitGroup
	for _, w := range s.watch {
		wg.Go(func() { do(w) })
	}
	wg.Wait()
}

// Fused returns what was made of several frames, once Findings told what can be read in it: for somebody who reads
// better.
func (s *Shot) Fused() (out []Fused) {
	for _, w := range s.watch {
		if w.fused != nil {
			x := *w.fused
			x.Frames, x.Frame = wholeFrames([]cover.Span{x.Frames}, s.pictures)[0], x.Frame/s.pictures
			out = append(out, x)
		}
	}
	return out
}

// Findings returns what was found in the pictures. The references are what the document's
// treatments know of the shot; nil where they need nothing.
func (s *Shot) Findings(refs *treat.References) []Finding {
	s.each(func(w *watch) { w.conclude(refs, s.pace) })
	var out []Finding
	for _, w := range s.watch {
		for _, f := range w.found {
			f.Frames, f.Frame = wholeFrames(f.Frames, s.pictures), f.Frame/s.pictures
			out = append(out, f)
		}
	}
	return out
}
