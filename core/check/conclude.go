package check

import (
	"fmt"
	"image"
	"math"
	"slices"

	"celator/core/cover"
	"celator/core/frame"
	"celator/core/treat"
)

// readEvery is how many frames apart the concealed picture is read through while its
// treatment stays the same.
const readEvery = 4

// readThrough tries to make out on one frame what the cover hides.
func (w *watch) readThrough(f int, live, shape cover.Live, was, now *frame.Picture) {
	d := fmt.Sprint(live.Treatments, live.Transparency)
	if d == w.digest && f-w.readAt < readEvery {
		return
	}
	w.digest, w.readAt = d, f
	t := SeeThrough(was, now, Hidden(shape, w.width, w.height))
	if t.Stroke > 0 {
		b := bounds(w.c, f, 0)
		w.through = append(w.through, seenThrough{f, t, t.Stroke / math.Max(float64(b.Dy()), 1)})
	}
}

// seenThrough is what was made out on a frame, and how wide strokes are for its height.
type seenThrough struct {
	f int
	Through
	stroke float64
}

// lettering takes the frames on which something could be read. Strokes are as wide on one
// frame as on the next: where they seem much wider than on most, it is a form behind the
// letters that was made out.
func (w *watch) lettering() {
	usual := w.stroke()
	for _, t := range w.through {
		if t.Readable && t.stroke < 1.4*usual {
			w.read.add(t.f, 100*t.Detail, 0, bounds(w.c, t.f, 0))
		}
	}
}

// conclude makes findings of what was seen.
func (w *watch) conclude(refs *treat.References, pace func()) {
	name := w.c.Name
	w.lettering()
	add := func(k Kind, frames []cover.Span, e *flaw, says string, args ...any) {
		f := finding(k, w.c.ID, frames, e.at, e.worst, says, args...)
		f.Place = e.place
		w.found = append(w.found, f)
	}
	if len(w.exposed.frames) > 0 {
		at := spans(w.exposed.frames, 0)
		add(Exposed, at, &w.exposed, "%s lies bare on %s: up to %.0f px², %.1f %% of it.", name, said(at, w.each),
			w.exposed.area, w.exposed.worst)
	}
	if len(w.leaks.frames) > 0 {
		at := spans(w.leaks.frames, 1)
		add(HoldoutLeak, at, &w.leaks, "A holdout lets %s show on %s: up to %.0f px².", name, said(at, w.each), w.leaks.area)
	}
	if len(w.bare) > 0 {
		at := spans(w.bare, 0)
		e := flaw{at: w.bare[0], worst: float64(len(w.bare)), place: image.Rectangle{}}
		if w.bare[0] > w.c.Span.Last {
			e.at = w.bare[len(w.bare)-1]
		}
		more := ""
		if w.bare[0] == w.c.Span.First-framesBeyond || w.bare[len(w.bare)-1] == w.c.Span.Last+framesBeyond {
			more = ", or longer"
		}
		add(BareEnds, at, &e, "%s is seen on %s%s, outside its span.", name, said(at, w.each), more)
	}
	if len(w.read.frames) > 0 {
		at := spans(w.read.frames, readEvery)
		add(Readable, at, &w.read, "%s can be read through its treatment on %s: %.0f %% of its detail is left. %s", name,
			said(at, w.each), w.read.worst, stronger(w.c, w.read.at, w.stroke(), false))
	} else if len(w.shots) > 0 {
		r, t := fuse(w.d, w.c, w.shots, refs, w.paths, pace)
		at := w.shots[len(w.shots)/2].f
		x := Fused{
			Cover: w.c.ID, Of: len(w.shots), Frames: cover.Span{First: w.shots[0].f, Last: w.shots[len(w.shots)-1].f},
			Frame: at, Place: bounds(w.c, at, 0), Recovered: r,
		}
		if t.Readable {
			e := flaw{at: at, worst: 100 * t.Detail, place: x.Place}
			add(ReadableOverFrames, []cover.Span{x.Frames}, &e,
				"%s cannot be read on one frame, but from %d frames laid over each other %.0f %% of its detail comes back. %s",
				name, x.Of, 100*t.Detail, stronger(w.c, e.at, w.stroke(), true))
			w.found[len(w.found)-1].Recovered = r
		} else if r != nil {
			w.fused = &x
		}
	}
	w.jumping()
	w.unsteady()
	if w.unknown {
		e := flaw{at: w.c.Span.First, worst: float64(len(w.states))}
		add(NotVerified, []cover.Span{w.c.Span}, &e, "%s has too little texture to be found again in the picture: "+
			"whether it lies bare was not looked for.", name)
	}
	if n := len(w.foreground.frames); n > 0 {
		var at []cover.Span
		for _, s := range w.joined(spans(w.foreground.frames, 2)) {
			if s.Last-s.First >= 2 { // what is there for a moment is a reflection
				at = append(at, s)
			}
		}
		if len(at) > 0 {
			add(OnForeground, at, &w.foreground, "%s lies on what passes in front on %s: up to %.0f %% of it.", name,
				said(at, w.each), w.foreground.worst)
		}
	}
}

// joined joins stretches between which the target was not surely found on any frame: where
// half of it is hidden, what hides it is still there.
func (w *watch) joined(s []cover.Span) (out []cover.Span) {
	for _, v := range s {
		n := len(out)
		if n > 0 && !slices.ContainsFunc(w.states, func(st state) bool {
			return st.sure && st.f > out[n-1].Last && st.f < v.First
		}) {
			out[n-1].Last = v.Last
		} else {
			out = append(out, v)
		}
	}
	return out
}

// jumping finds frames on which the cover moves as the picture does not.
func (w *watch) jumping() {
	const least = 1.3 // px
	var at []int
	var e flaw
	for i := 1; i+1 < len(w.states); i++ {
		a, b, c := w.states[i-1], w.states[i], w.states[i+1]
		if !a.sure || !b.sure || !c.sure {
			continue
		}
		room := least + .008*b.size + 1.2*max(a.noise, b.noise, c.noise)
		alone := b.off.Sub(a.off.Lerp(c.off, .5)).Len()
		step := b.off.Sub(a.off).Len()
		if by := math.Max(alone, .7*step); by > room {
			at = append(at, b.f)
			if by > e.worst {
				e.worst, e.at = by, b.f
			}
		}
	}
	if len(at) == 0 {
		return
	}
	frames := spans(at, 1)
	e.place = bounds(w.c, e.at, 0)
	f := finding(Jumping, w.c.ID, frames, e.at, e.worst, "%s jumps by up to %.1f px against the picture on %s.",
		w.c.Name, e.worst, said(frames, w.each))
	f.Place = e.place
	w.found = append(w.found, f)
}

// unsteady finds frames on which neither the track nor the picture says that the cover
// is right, and those before the first key of a cover moved by hand on which it is not.
func (w *watch) unsteady() {
	t := w.d.Track(w.c.Track)
	var at []int
	var e flaw
	e.worst = 101
	if t != nil {
		for _, s := range w.states {
			st := t.Poses.State(cover.Time(s.f))
			if st != 'w' && st != 'l' && !(st == '-' && t.Poses != nil) || s.sure && s.off.Len() < 2+.02*s.size {
				continue
			}
			at = append(at, s.f)
			if c := 100 * math.Max(s.conf, 0); c < e.worst {
				e.worst, e.at = c, s.f
			}
		}
	}
	if len(at) > 0 {
		frames := spans(at, 1)
		f := finding(Weak, w.c.ID, frames, e.at, e.worst,
			"The track of %s is weak on %s, and the picture does not tell that the cover is right there.", w.c.Name,
			said(frames, w.each))
		f.Place = bounds(w.c, e.at, 0)
		w.found = append(w.found, f)
	}
	if t != nil {
		return
	}
	first, n := w.c.Span.Last, 0
	if k := w.c.Motion.Keys; len(k) > 0 {
		first, n = min(first, k[0].Frame.Frame()), len(k)-1
	}
	for _, o := range w.c.Outlines {
		if len(o.Keys) > 1 {
			first, n = min(first, o.Keys[0].Frame.Frame()), n+len(o.Keys)-1
		}
	}
	if n == 0 || first <= w.c.Span.First {
		return
	}
	var off []float64
	for _, s := range w.states {
		if s.f < first && s.sure {
			off = append(off, s.off.Len())
		}
	}
	if len(off) == 0 {
		return
	}
	slices.Sort(off)
	if off[len(off)*3/4] > 1.5+.01*w.states[0].size {
		at := []cover.Span{{First: w.c.Span.First, Last: first - 1}}
		w.found = append(w.found, finding(UnintendedKey, w.c.ID, at, w.c.Span.First, 1,
			"%s stands still before its first key, on f %d, while what it hides moves by %.0f px.", w.c.Name, first/w.each,
			off[len(off)-1]))
	}
}
