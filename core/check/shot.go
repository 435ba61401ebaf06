package check

import (
	"fmt"
	"image"
	"math"
	"slices"
	"sync"

	"celator/core/cover"
	"celator/core/frame"
	"celator/core/geom"
	"celator/core/raster"
	"celator/core/track"
	"celator/core/treat"
)

// Shot goes through a shot's pictures, as they are and as they would be delivered, and
// finds where its covers fail. It is told the pictures of Looks in order (Look), then
// those of Stretches in order (Frame), and then says what it found (Findings).
//
// Where a target is, is found anew in each picture, from what was outlined and not from
// the track that placed the cover.
type Shot struct {
	d      *cover.Document
	watch  []*watch
	learnt bool

	// Pace, when given, is called between pieces of work, by several at once; a check
	// that nobody waits for lets others go first there.
	Pace func()
}

// beyond is how many frames outside a span are looked at, on either side.
const beyond = 12

// Reported limits, chosen so that what the eye would find is found: parts of at least 4 %
// of a surface or 40 px². Both are measured after taking away what lies within the error
// of measuring, at the rim.
const (
	leastShare = .022
	leastArea  = 22
	tiny       = 8 // px²
)

// NewShot begins a check of those covers for which wanted is true (all where it is nil).
func NewShot(d *cover.Document, wanted func(id string) bool) *Shot {
	s := &Shot{d: d}
	for i := range d.Covers {
		c := &d.Covers[i]
		if c.Off || len(c.HoldsOut) > 0 || c.Inverted || len(c.Outlines) == 0 || wanted != nil && !wanted(c.ID) {
			continue
		}
		w := &watch{d: d, c: c, target: target{c: c, width: d.Width, height: d.Height}}
		w.attack = attackFrames(d, c)
		s.watch = append(s.watch, w)
	}
	return s
}

// Looks returns the frames that must be looked at beforehand, in order.
func (s *Shot) Looks() []int {
	var out []int
	for _, w := range s.watch {
		out = append(out, lookFrames(s.d, w.c)...)
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// Look takes one of those pictures.
func (s *Shot) Look(f int, p *frame.Picture) {
	for _, w := range s.watch {
		if slices.Contains(lookFrames(s.d, w.c), f) {
			if g, ok := glanceAt(f, p, bounds(w.c, f, margin)); ok {
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
		all = append(all, cover.Span{First: max(w.c.Span.First-beyond, 0), Last: min(w.c.Span.Last+beyond, s.d.Frames-1)})
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

// Findings returns what was found in the pictures. The scene is what the document's
// treatments know of the shot; nil where they need nothing.
func (s *Shot) Findings(scene *treat.Scene) []Finding {
	s.each(func(w *watch) { w.conclude(scene, s.pace) })
	var out []Finding
	for _, w := range s.watch {
		out = append(out, w.found...)
	}
	return out
}

// watch is the check of one cover.
type watch struct {
	target
	d *cover.Document
	c *cover.Cover

	before  []glance // of the span, until it begins
	prev    *geom.Map
	prevF   int
	states  []state // of the span's frames, in order
	exposed evil
	leaks   evil
	front   evil
	bare    []int // frames
	weak    []int
	read    evil
	through []seenThrough
	digest  string // of the treatments when it was last read through
	readAt  int
	attack  []int
	shots   []attacked
	found   []Finding
	dead    bool // beyond the span: not seen any more
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

// evil collects frames on which something is wrong.
type evil struct {
	frames []int
	worst  float64
	at     int
	place  image.Rectangle
	area   float64
}

func (e *evil) add(f int, figure, area float64, place image.Rectangle) {
	e.frames = append(e.frames, f)
	if figure > e.worst || len(e.frames) == 1 {
		e.worst, e.at, e.place, e.area = figure, f, place, area
	}
}

func (w *watch) frame(f int, was, now *frame.Picture) {
	s := w.c.Span
	switch {
	case f < s.First-beyond || f > s.Last+beyond:
	case f < s.First:
		if !w.unknown {
			if g, ok := glanceAt(f, was, bounds(w.c, s.First, margin+1.5*motion(w.c, s.First).Len()*float64(s.First-f))); ok {
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
func (w *watch) locate(f int, p *frame.Picture) (g glance, s track.Sight, ok bool) {
	covered := w.onto(f)
	r := bounds(w.c, f, margin)
	if g, ok = glanceAt(f, p, r); !ok {
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
	wide, ok := glanceAt(f, p, r.Inset(-int(w.loc.Reach(covered))))
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
	live, hides := w.c.At(f)
	st := state{f: f, conf: -1}
	shape := w.c.Shape(f)
	shape.Transparency = 0
	if track := w.d.Track(w.c.Track); track != nil && track.Poses.State(f) != '-' {
		st.conf = track.Poses.Confidence[f-track.Poses.First]
	}
	for _, l := range w.d.At(f) { // with what the document holds out of it
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
		if st.off.Len() > 3 && !believed(s, w.sightAt(&g, covered)) {
			st.found, st.sure, ok = false, false, false
		}
	}
	w.states = append(w.states, st)
	m := covered
	if ok {
		m = s.Map
		w.prev, w.prevF = &m, f
	}
	w.attacked(f, live, hides, m, st.sure, was, now)
	if !ok {
		if !hides { // nobody knows where it is, but nothing is hidden there
			w.exposed.add(f, 100, w.area, bounds(w.c, f, 0))
		}
		return
	}
	w.cells(f, &g, m, s, speed, shape, live, hides, w.slipped(s))
}

// slipped says whether the cover lies elsewhere from its target than on the frames before,
// by its own doing: all of the target was found, or else it is the cover that moves
// unevenly, and not where the target is found. What measuring errs by is then much the
// same as before.
func (w *watch) slipped(s track.Sight) bool {
	const all = .97
	if !s.Sure() {
		return false
	}
	const back, least = 12, 1. // frames; px
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
	if now.off.Sub(geom.Pt(x[len(x)/2], y[len(y)/2])).Len() < least {
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

func (w *watch) sightAt(g *glance, m geom.Map) track.Sight {
	return w.loc.At(g.gray, g.here(m).Mul(geom.Translate(w.o)))
}

func cornersOf(q [4]geom.Point) []geom.Point { return q[:] }

// cells compares what is hidden with where the target is, sample by sample.
func (w *watch) cells(f int, g *glance, m geom.Map, s track.Sight, speed geom.Point, shape, live cover.Live, hides, slipped bool) {
	// What lies this near to the cover's edge may be hidden or not: nobody can tell.
	slack := .3 + min(.3*s.Spread, .6) + 2*max(.97-s.Share, 0) // where much is hidden the far corners are guessed
	if !s.Sure() {
		slack++
	}
	if slipped {
		slack = .1
	}
	shape.Grow += slack
	if shape.Side != cover.SoftenInside { // where it hides by two thirds, which is quicker than its softness
		if shape.Side == cover.SoftenOutside {
			shape.Grow += .35 * min(shape.Soften.X, shape.Soften.Y)
		}
		shape.Soften = geom.Point{}
	}
	open := shape
	open.Holdouts = nil
	var full, held frame.Plane
	var drawing sync.WaitGroup
	if hides {
		drawing.Go(func() {
			full = raster.Matte(open, w.width, w.height)
			held = full
			if len(shape.Holdouts) > 0 {
				held = raster.Matte(shape, w.width, w.height)
			}
		})
	}
	seen, ok := w.compare(g, m, min(s.Spread+speed.Len()*.25, 4))
	drawing.Wait()
	if !ok {
		return
	}
	whole := seen.whole
	back, err := m.Mul(w.plate.To).Inverse()
	if err != nil {
		return
	}
	exposed, leak, front := newMask(&seen), newMask(&seen), newMask(&seen)
	var in float64
	for y := range seen.h {
		for x := range seen.w {
			px, py := seen.rect.Min.X+x*seen.bin+seen.bin/2, seen.rect.Min.Y+y*seen.bin+seen.bin/2
			if at(whole, px, py) < .5 {
				continue
			}
			in++
			i := y*seen.w + x
			like := seen.like[i]
			here := image.Rect(px, py, px+1, py+1)
			a, b := at(full, px, py), at(held, px, py)
			switch {
			case a < .65:
				if like > 0 && w.content(back, px, py) {
					exposed.add(i, here)
				}
			case b < .4 && like == 1:
				if w.content(back, px, py) {
					leak.add(i, here)
				}
			case b > .65 && like == 0:
				front.add(i, here)
			}
		}
	}
	if in == 0 {
		return
	}
	unit := float64(seen.bin * seen.bin)
	all := in * unit
	least := math.Max(math.Min(leastArea, leastShare*w.areaOn(m)), tiny)
	limit := math.Max(least, .002*w.areaOn(m))
	bare := float64(exposed.n) * unit
	for _, t := range live.Treatments { // a graphic may leave some of the outline bare
		if p := w.d.GraphicOf(t.Graphic); hides && len(live.Treatments) == 1 && t.Kind == cover.Patch {
			if p == nil {
				bare = all
			} else if u := live.Uncovered(t, p.Width, p.Height); u*all > bare {
				bare = u * all
			}
			if exposed.box.Empty() {
				exposed.box = bounds(w.c, f, 0)
			}
		}
	}
	// A thin line along the rim says something only where it is long; what is thick does
	// in any case.
	lies := exposed.thick()*unit >= .65*limit || s.Sure() && exposed.solid() && bare >= math.Max(limit, .3*w.rim(m))
	if slipped { // where the cover is known to lie off, a line is enough
		lies = bare >= least
	} else if bare > float64(exposed.n)*unit {
		lies = bare >= limit
	}
	if lies {
		w.exposed.add(f, 100*bare/math.Max(w.areaOn(m), 1), bare, exposed.box)
	}
	// Of what is held out, and of what is in front, only patches count: thin rims and
	// single samples that look alike by chance do not.
	if n := leak.opened() * unit; s.Share > .6 && n >= math.Max(limit, .003*w.areaOn(m)) {
		w.leaks.add(f, 100*n/w.areaOn(m), n, leak.box)
	}
	if n := front.near(2, 15) * unit; s.Sure() && n > .08*all && n < .8*all && n > 60 {
		w.front.add(f, 100*n/w.areaOn(m), n, front.box)
	}
}

// areaOn is the target's area on a frame, px².
func (w *watch) areaOn(m geom.Map) float64 {
	var q []geom.Point
	for _, p := range w.paths {
		for _, k := range p.Flatten(1) {
			q = append(q, m.Apply(k))
		}
	}
	if len(w.paths) > 1 {
		q = hull(q)
	}
	return math.Max(math.Abs(geom.Area(q)), 1)
}

// rim is how long the target's is on a frame, px.
func (w *watch) rim(m geom.Map) (long float64) {
	q := cornersOf(w.corners())
	for i := range q {
		long += m.Apply(q[i]).Sub(m.Apply(q[(i+1)%4])).Len()
	}
	return long
}

// mask is a set of samples of a view.
type mask struct {
	w, h int
	n    int
	box  image.Rectangle // in the picture
	in   []float32
}

func newMask(s *seen) mask { return mask{w: s.w, h: s.h, in: make([]float32, s.w*s.h)} }

func (m *mask) add(i int, at image.Rectangle) {
	m.n++
	m.in[i] = 1
	m.box = m.box.Union(at)
}

// solid: the samples lie together, be it in a line, and are not strewn.
func (m *mask) solid() bool { return m.n > 0 && m.near(1, 3) >= .6*float64(m.n) }

// thick counts the samples that are not part of a line.
func (m *mask) thick() float64 { return m.near(1, 6) }

// opened counts the samples whose surroundings, five by five, belong to it too.
func (m *mask) opened() float64 { return m.near(2, 21) }

// near counts the samples with at least so many of their kind within r of them, with
// themselves.
func (m *mask) near(r, least int) float64 {
	if m.n == 0 {
		return 0
	}
	sum := slices.Clone(m.in)
	raster.BoxAcross(sum, m.w, m.h, float64(r))
	raster.BoxDown(sum, m.w, m.h, float64(r))
	n, side := 0, float32(2*r+1)
	for i, v := range sum {
		if m.in[i] > 0 && v*side*side > float32(least)-.5 {
			n++
		}
	}
	return float64(n)
}

// visible says whether the target is to be seen on a frame outside the span.
func (w *watch) visible(g *glance, guesses []geom.Map) (m geom.Map, yes bool) {
	s := w.sight(g, guesses, 24)
	m = guesses[0]
	known := s.Found() && s.Share > .6 && s.Mean > .55
	if known {
		m = s.Map
	}
	seen, ok := w.compare(g, m, min(s.Spread+1, 3))
	if !ok {
		return m, false
	}
	shows := float64(seen.n) * seen.shows
	least := math.Max(math.Min(leastArea, leastShare*w.areaOn(m)), tiny)
	if known {
		return m, seen.shows > .5 && shows > least
	}
	// Too little of it is in the picture to be found; where it is going it may be seen.
	inside := float64(seen.n) / w.areaOn(m)
	return m, inside < .3 && seen.shows > .85 && shows > 40
}

// step is how the target moved at one end of the span.
func (w *watch) end(f, other int) (at geom.Map, step geom.Point) {
	at = w.onto(f)
	if w.prev != nil && w.prevF == f {
		at = *w.prev
	}
	mid := geom.Bounds(cornersOf(w.corners())).Centre()
	if w.c.Span.Holds(other) {
		step = w.onto(f).Apply(mid).Sub(w.onto(other).Apply(mid))
	}
	return at, step
}

// beforehand looks at the frames before the span, from its first one backwards.
func (w *watch) beforehand() {
	if w.unknown {
		return
	}
	at, step := w.end(w.c.Span.First, w.c.Span.First+1)
	for i := len(w.before) - 1; i >= 0; i-- {
		g := &w.before[i]
		m, yes := w.visible(g, []geom.Map{geom.Translate(step).Mul(at), w.onto(g.f), at})
		if !yes {
			break
		}
		w.bare = append(w.bare, g.f)
		mid := geom.Bounds(cornersOf(w.corners())).Centre()
		step, at = m.Apply(mid).Sub(at.Apply(mid)), m
	}
	slices.Reverse(w.bare)
	w.before = nil
}

// after looks at a frame after the span.
func (w *watch) after(f int, was *frame.Picture) {
	if w.unknown || w.dead {
		return
	}
	last := w.c.Span.Last
	at, step := w.end(last, last-1)
	if w.prev != nil && w.prevF == f-1 {
		at = *w.prev
	} else if f > last+1 {
		w.dead = true
		return
	}
	guess := geom.Translate(step).Mul(at)
	var b geom.Rect
	for _, p := range w.paths {
		b = b.Union(p.Map(guess).Bounds()).Union(p.Map(at).Bounds())
	}
	g, ok := glanceAt(f, was, pixels(b.Grow(margin, margin)))
	if !ok {
		w.dead = true
		return
	}
	m, yes := w.visible(&g, []geom.Map{guess, w.onto(f), at})
	if !yes {
		w.dead = true
		return
	}
	w.bare = append(w.bare, f)
	w.prev, w.prevF = &m, f
}

// every is how many frames apart the concealed picture is read through while its
// treatment stays the same.
const every = 4

// readThrough tries to make out on one frame what the cover hides.
func (w *watch) readThrough(f int, live, shape cover.Live, was, now *frame.Picture) {
	d := fmt.Sprint(live.Treatments, live.Transparency)
	if d == w.digest && f-w.readAt < every {
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
	var widths []float64
	for _, t := range w.through {
		widths = append(widths, t.stroke)
	}
	slices.Sort(widths)
	for _, t := range w.through {
		if t.Readable && t.stroke < 1.4*widths[len(widths)/2] {
			w.read.add(t.f, 100*t.Detail, 0, bounds(w.c, t.f, 0))
		}
	}
}

// conclude makes findings of what was seen.
func (w *watch) conclude(scene *treat.Scene, pace func()) {
	name := w.c.Name
	w.lettering()
	add := func(k Kind, frames []cover.Span, e *evil, says string, args ...any) {
		f := finding(k, w.c.ID, frames, e.at, e.worst, says, args...)
		f.Place = e.place
		w.found = append(w.found, f)
	}
	if len(w.exposed.frames) > 0 {
		at := spans(w.exposed.frames, 0)
		add(Exposed, at, &w.exposed, "%s lies bare on %s: up to %.0f px², %.1f %% of it.", name, said(at), w.exposed.area, w.exposed.worst)
	}
	if len(w.leaks.frames) > 0 {
		at := spans(w.leaks.frames, 1)
		add(HoldoutLeak, at, &w.leaks, "A holdout lets %s show on %s: up to %.0f px².", name, said(at), w.leaks.area)
	}
	if len(w.bare) > 0 {
		at := spans(w.bare, 0)
		e := evil{at: w.bare[0], worst: float64(len(w.bare)), place: image.Rectangle{}}
		if w.bare[0] > w.c.Span.Last {
			e.at = w.bare[len(w.bare)-1]
		}
		more := ""
		if w.bare[0] == w.c.Span.First-beyond || w.bare[len(w.bare)-1] == w.c.Span.Last+beyond {
			more = ", or longer"
		}
		add(BareEnds, at, &e, "%s is seen on %s%s, outside its span.", name, said(at), more)
	}
	if len(w.read.frames) > 0 {
		at := spans(w.read.frames, every)
		add(Readable, at, &w.read, "%s can be read through its treatment on %s: %.0f %% of its detail is left.", name, said(at), w.read.worst)
	} else if len(w.shots) > 0 {
		if r, t := fuse(w.d, w.c, w.shots, scene, w.paths, pace); t.Readable {
			e := evil{at: w.shots[len(w.shots)/2].f, worst: 100 * t.Detail, place: bounds(w.c, w.shots[len(w.shots)/2].f, 0)}
			add(ReadableOverFrames, []cover.Span{{First: w.shots[0].f, Last: w.shots[len(w.shots)-1].f}}, &e,
				"%s cannot be read on one frame, but from %d frames laid over each other %.0f %% of its detail comes back.", name, len(w.shots), 100*t.Detail)
			w.found[len(w.found)-1].Recovered = r
		}
	}
	w.jumping()
	w.unsteady()
	if w.unknown {
		e := evil{at: w.c.Span.First, worst: float64(len(w.states))}
		add(NotVerified, []cover.Span{w.c.Span}, &e, "%s has too little texture to be found again in the picture: whether it lies bare was not looked for.", name)
	}
	if n := len(w.front.frames); n > 0 {
		var at []cover.Span
		for _, s := range spans(w.front.frames, 2) {
			if s.Last-s.First >= 2 { // what is there for a moment is a reflection
				at = append(at, s)
			}
		}
		if len(at) > 0 {
			add(OnForeground, at, &w.front, "%s lies on what passes in front on %s: up to %.0f %% of it.", name, said(at), w.front.worst)
		}
	}
}

// jumping finds frames on which the cover moves as the picture does not.
func (w *watch) jumping() {
	const least = 1.3 // px
	var at []int
	var e evil
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
	f := finding(Jumping, w.c.ID, frames, e.at, e.worst, "%s jumps by up to %.1f px against the picture on %s.", w.c.Name, e.worst, said(frames))
	f.Place = e.place
	w.found = append(w.found, f)
}

// unsteady finds frames on which neither the track nor the picture says that the cover
// is right, and those before the first key of a cover moved by hand on which it is not.
func (w *watch) unsteady() {
	t := w.d.Track(w.c.Track)
	var at []int
	var e evil
	e.worst = 101
	if t != nil {
		for _, s := range w.states {
			st := t.Poses.State(s.f)
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
		f := finding(Weak, w.c.ID, frames, e.at, e.worst, "The track of %s is weak on %s, and the picture does not tell that the cover is right there.", w.c.Name, said(frames))
		f.Place = bounds(w.c, e.at, 0)
		w.found = append(w.found, f)
	}
	if t != nil {
		return
	}
	first, n := w.c.Span.Last, 0
	if k := w.c.Motion.Keys; len(k) > 0 {
		first, n = min(first, k[0].Frame), len(k)-1
	}
	for _, o := range w.c.Outlines {
		if len(o.Keys) > 1 {
			first, n = min(first, o.Keys[0].Frame), n+len(o.Keys)-1
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
		w.found = append(w.found, finding(UnintendedKey, w.c.ID, at, w.c.Span.First, 1, "%s stands still before its first key, on f %d, while what it hides moves by %.0f px.", w.c.Name, first, off[len(off)-1]))
	}
}
