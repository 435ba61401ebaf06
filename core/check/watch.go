package check

import (
	"image"
	"math"
	"slices"
	"sync"

	"celator/core/cover"
	"celator/core/frame"
	"celator/core/geom"
	"celator/core/track"
)

// watch is the check of one cover.
type watch struct {
	target
	d    *cover.Document
	each int // of its frames are one for people

	before     []sight // of the span, until it begins
	prev       *geom.Map
	prevF      int
	states     []state // of the span's frames, in order
	exposed    flaw
	leaks      flaw
	foreground flaw
	bare       []int // frames
	read       flaw
	through    []seenThrough
	digest     string // of the treatments when it was last read through
	readAt     int
	attack     []int
	shots      []attacked
	found      []Finding
	fused      *Fused
	dead       bool // beyond the span: not seen any more
}

// state is what is known of a frame of the span.
type state struct {
	f     int
	sure  bool
	found bool
	off   geom.Point // of the cover from the target, px
	size  float64    // of the target, px
	noise float64    // of off, px
	conf  float64
}

// flaw collects frames on which something is wrong.
type flaw struct {
	frames []int
	worst  float64
	at     int
	place  image.Rectangle
	area   float64
}

func (e *flaw) add(f int, figure, area float64, place image.Rectangle) {
	e.frames = append(e.frames, f)
	if figure > e.worst || len(e.frames) == 1 {
		e.worst, e.at, e.place, e.area = figure, f, place, area
	}
}

func (w *watch) frame(f int, was, now *frame.Picture) {
	s := w.c.Span
	switch {
	case f < s.First-framesBeyond || f > s.Last+framesBeyond:
	case f < s.First:
		if !w.unknown {
			by := targetMargin + 1.5*motion(w.c, s.First).Len()*float64(s.First-f)
			if g, ok := cropAt(f, was, bounds(w.c, s.First, by)); ok {
				w.before = append(w.before, g)
			}
		}
	case f > s.Last:
		w.after(f, was)
	default:
		w.within(f, was, now)
		if f == s.First {
			w.beforehand()
		}
	}
}

// locate looks for the target on a frame of the span.
func (w *watch) locate(f int, p *frame.Picture) (g sight, s track.Sight, ok bool) {
	covered := w.onto(f)
	r := bounds(w.c, f, targetMargin)
	if g, ok = cropAt(f, p, r); !ok {
		return g, s, false
	}
	guesses := []geom.Map{covered}
	if w.prev != nil && w.prevF == f-1 { // as far from the cover as it was, or where it was
		if back, err := w.onto(f - 1).Inverse(); err == nil {
			guesses = append(guesses, unit(covered.Mul(back).Mul(*w.prev)))
		}
		guesses = append(guesses, *w.prev)
	}
	s = w.sight(&g, guesses, 0)
	if s.Sure() {
		return g, s, true
	}
	// Farther around, for a cover that lies elsewhere.
	wide, ok := cropAt(f, p, r.Inset(-int(w.loc.Reach(covered))))
	if !ok {
		return g, s, s.Found()
	}
	t := w.sight(&wide, guesses, w.loc.Reach(covered))
	if t.Share*t.Mean > s.Share*s.Mean {
		g, s = wide, t
	}
	return g, s, s.Found()
}

func (w *watch) within(f int, was, now *frame.Picture) {
	live, hides := w.c.At(cover.Time(f))
	st := state{f: f, conf: -1}
	shape := w.c.Shape(cover.Time(f))
	shape.Transparency = 0
	if track := w.d.Track(w.c.Track); track != nil && track.Poses.State(cover.Time(f)) != '-' {
		st.conf = track.Poses.Confidence[track.Poses.Index(cover.Time(f))]
	}
	for _, l := range w.d.At(cover.Time(f)) { // with what the document holds out of it
		if l.Cover == w.c.ID {
			shape.Holdouts = l.Holdouts
		}
	}
	if hides {
		// What shows through has nothing to do with where the target is.
		var reading sync.WaitGroup
		reading.Go(func() { w.readThrough(f, live, shape, was, now) })
		defer reading.Wait()
	}
	if w.unknown {
		w.states = append(w.states, st)
		return
	}
	covered := w.onto(f)
	g, s, ok := w.locate(f, was)
	speed := motion(w.c, f)
	st.size = scale(covered, geom.Bounds(cornersOf(w.corners())).Centre()) * math.Sqrt(w.area)
	if ok {
		_, st.off = w.off(s.Map, covered)
		st.found, st.sure, st.noise = true, s.Sure(), s.Spread
		if st.off.Len() > 2*w.loc.Grain(covered)+1 && !believed(s, w.sightAt(&g, covered)) {
			st.found, st.sure, ok = false, false, false
		}
	}
	w.states = append(w.states, st)
	m := covered
	if ok {
		m = s.Map
		w.prev, w.prevF = &m, f
	}
	w.attacked(f, live, hides, w.bent(f, m), st.sure, was, now)
	if !ok {
		if !hides { // nobody knows where it is, but nothing is hidden there
			w.exposed.add(f, 100, w.area, bounds(w.c, f, 0))
		}
		return
	}
	w.cells(f, &g, m, s, speed, shape, live, hides, w.slipped(s))
}

// slipped says whether the cover is known to lie off its target: farther than measuring
// errs, at once or for a while; or elsewhere than on those, by its own doing, since
// all of the target was found, or it is the cover that moves unevenly and not where the
// target is found. What measuring errs by is then much the same as before.
func (w *watch) slipped(s track.Sight) bool {
	const all = .97
	if !s.Sure() {
		return false
	}
	const back, least, far = 12, 1., 1.5 // frames; px
	n := len(w.states) - 1
	var x, y []float64
	for _, s := range w.states[max(n-back, 0):n] {
		if s.sure {
			x, y = append(x, s.off.X), append(y, s.off.Y)
		}
	}
	if len(x) < 3 || !w.states[n-1].found || !w.states[n-2].found {
		return false
	}
	slices.Sort(x)
	slices.Sort(y)
	now, one, two := w.states[n], w.states[n-1], w.states[n-2]
	before := geom.Pt(x[len(x)/2], y[len(y)/2])
	if now.off.Len() > 2*far || s.Share > all && min(now.off.Len(), before.Len()) > far {
		return true
	}
	if now.off.Sub(before).Len() < least {
		return false
	}
	mid := geom.Bounds(cornersOf(w.corners())).Centre()
	at := func(f int) geom.Point { return w.onto(f).Apply(mid) }
	cover := at(now.f).Sub(at(one.f).Mul(2)).Add(at(two.f))
	target := cover.Sub(now.off.Sub(one.off.Mul(2)).Add(two.off))
	return s.Share > all || cover.Len() > 2*target.Len()
}

// believed: a place far from the cover must be clearly better than the cover's.
func believed(there, here track.Sight) bool {
	return there.Share > .55 && there.Mean > .55 && (there.Share > here.Share+.12 || there.Firm > here.Firm+.25)
}

func (w *watch) sightAt(g *sight, m geom.Map) track.Sight {
	return w.loc.At(g.gray, g.here(m).Mul(geom.Translate(w.o)))
}

func cornersOf(q [4]geom.Point) []geom.Point { return q[:] }
