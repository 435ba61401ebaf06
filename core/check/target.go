package check

import (
	"image"
	"math"
	"slices"

	"celator/core/cleanplate"
	"celator/core/cover"
	"celator/core/geom"
	"celator/core/track"
)

// target is what a cover hides: what it outlines on a frame on which somebody said where
// it is, and where that is found on others. Its coordinates are the picture's on that
// frame.
type target struct {
	c       *cover.Cover
	width   int
	height  int
	ref     int // the frame
	loc     *track.Locator
	o       geom.Point  // where the part it learned from lies in the picture
	paths   []geom.Path // the outlines on it
	area    float64     // px²
	plate   *cleanplate.Plate
	stands  []float32       // of its samples, those that stand out from what is around the outlines
	smooth  cleanplate.Laid // work
	view    cleanplate.View
	looks   []sight
	unknown bool   // it has too little texture to be looked for
	pace    func() // lets others go first; may be nil
}

// rest lets others go first, between pieces of work.
func (t *target) rest() {
	if t.pace != nil {
		t.pace()
	}
}

// targetMargin is how far around a cover its target is looked for first, px.
const targetMargin = 28

// surveyFrames are the frames from which a target is learned: those on which somebody said
// where it is, and some between. Of several pictures of a frame it is the first, where keys lie.
func surveyFrames(d *cover.Document, c *cover.Cover, each int) []int {
	at := []int{min(max(c.Drawn().Frame(), c.Span.First), c.Span.Last)}
	if t := d.Track(c.Track); t != nil && c.Span.Holds(t.Frame) {
		at = append(at, t.Frame.Frame())
	}
	const between = 6
	for k := range between {
		f := c.Span.First + (c.Span.Last-c.Span.First)*(2*k+1)/(2*between)
		at = append(at, f-f%each)
	}
	slices.Sort(at)
	return slices.Compact(at)
}

// learn settles what the target looks like from the looks that were taken: as on that
// frame which agrees best with the others. The one on which it was drawn comes first, but
// something may pass in front there, or the cover may lie wrong.
func (t *target) learn(d *cover.Document) {
	t.unknown = true
	for i := range t.looks {
		t.looks[i].clear(d, t.c)
	}
	drawn := t.c.Drawn().Frame()
	order := slices.Clone(t.looks)
	slices.SortStableFunc(order, func(a, b sight) int { return abs(a.f-drawn) - abs(b.f-drawn) })
	// Where it is half out of the picture it cannot be learned.
	inside := func(g sight) float64 {
		b := bounds(t.c, g.f, 0)
		in := b.Intersect(image.Rect(0, 0, d.Width, d.Height))
		return float64(in.Dx()*in.Dy()) / math.Max(float64(b.Dx()*b.Dy()), 1)
	}
	whole := 0.
	for _, g := range order {
		whole = math.Max(whole, inside(g))
	}
	order = slices.DeleteFunc(order, func(g sight) bool { return inside(g) < .8*whole })
	best, tried := target{}, 0
	most := -1.
	for _, g := range order {
		if tried == 4 || !t.from(g) {
			continue
		}
		score, off := t.agreement()
		if off && t.c.Track == "" {
			score *= .5
		}
		if score > most+.08 {
			best, most = *t, score
		}
		if tried++; score > .93 {
			break
		}
	}
	if most >= 0 {
		t.loc, t.o, t.ref, t.paths, t.unknown = best.loc, best.o, best.ref, best.paths, false
	}
	t.gather()
	t.looks = nil
}

// from takes a look for the reference.
func (t *target) from(g sight) bool {
	outline, ok := surround(t.c.Contours(cover.Time(g.f)))
	if !ok {
		return false
	}
	at := geom.Pt(float64(g.at.X), float64(g.at.Y))
	speed := motion(t.c, g.f)
	for _, more := range []float64{0, .12, .3} { // what is flat has its rim at least
		poly := grown(outline, more)
		for i := range poly {
			poly[i] = poly[i].Sub(at)
		}
		loc, err := track.NewLocator(g.gray, poly, speed)
		if err != nil {
			continue
		}
		t.loc, t.o, t.ref, t.paths, t.unknown = loc, at, g.f, t.c.Contours(cover.Time(g.f)), false
		return true
	}
	return false
}

// surround is one plain polygon around some outlines.
func surround(paths []geom.Path) ([]geom.Point, bool) {
	if len(paths) == 0 {
		return nil, false
	}
	var all []geom.Point
	for _, p := range paths {
		all = append(all, p.Flatten(.5)...)
	}
	if len(paths) == 1 && len(all) <= 300 && !geom.Crosses(all) {
		return all, len(all) >= 3
	}
	h := geom.Hull(all)
	return h, len(h) >= 3
}

// grown enlarges a polygon about its middle.
func grown(p []geom.Point, more float64) []geom.Point {
	b := geom.Bounds(p)
	mid := b.Centre()
	out := make([]geom.Point, len(p))
	for i, q := range p {
		out[i] = mid.Add(q.Sub(mid).Mul(1 + more))
	}
	return out
}

// onto returns where the cover has the target on a frame.
func (t *target) onto(f int) geom.Map { return carried(t.c, t.ref, f) }

// bent is where the target lies on a frame, given its plane's place: what rides on cloth is taken to bend as its track
// says, and looked for so.
func (t *target) bent(f int, m geom.Map) geom.Warp {
	q := t.corners()
	box := geom.Rect{Min: q[0], Max: q[2]}.Grow(targetMargin, targetMargin)
	return geom.Warp{Map: m, Bend: t.c.BendFrom(cover.Time(t.ref), cover.Time(f), box)}
}

// corners are those of the box around the target, in its own coordinates.
func (t *target) corners() [4]geom.Point {
	var b geom.Rect
	for _, p := range t.paths {
		b = b.Union(p.Bounds())
	}
	return [4]geom.Point{b.Min, {X: b.Max.X, Y: b.Min.Y}, b.Max, {X: b.Min.X, Y: b.Max.Y}}
}

// off is how far a cover's place for the target is from where it was found: each corner
// of the box, px of the frame, and their mean.
func (t *target) off(found, covered geom.Map) (each [4]geom.Point, mean geom.Point) {
	for i, q := range t.corners() {
		each[i] = covered.Apply(q).Sub(found.Apply(q))
		mean = mean.Add(each[i].Mul(.25))
	}
	return each, mean
}

// agreement says how well the reference is found again in the other looks, 0 to 1, and
// whether it is the one on which the cover lies wrong: on most others the target is off
// by the same.
func (t *target) agreement() (score float64, odd bool) {
	var all []geom.Point
	var sum float64
	for i := range t.looks {
		g := &t.looks[i]
		if g.f == t.ref {
			continue
		}
		m := t.onto(g.f)
		s := t.sight(g, []geom.Map{m}, 20)
		sum += s.Share * s.Mean
		if s.Sure() {
			_, mean := t.off(s.Map, m)
			all = append(all, mean)
		}
	}
	for _, a := range all {
		near := 0
		for _, b := range all {
			if a.Sub(b).Len() < .8 {
				near++
			}
		}
		odd = odd || a.Len() > 1.5 && near >= 3 && near*2 > len(all)
	}
	if len(t.looks) < 2 {
		return 1, false
	}
	return sum / float64(len(t.looks)-1), odd
}

// sight looks for the target in a part of a picture.
func (t *target) sight(g *sight, guesses []geom.Map, reach float64) track.Sight {
	t.rest()
	to, from := geom.Translate(t.o), geom.Translate(t.o.Mul(-1)) // of the locator's coordinates
	here := make([]geom.Map, len(guesses))
	for i, m := range guesses {
		here[i] = g.here(m).Mul(to)
	}
	t.loc.Bend(t.bent(g.f, geom.Identity).Bend.Moved(t.o))
	s := t.loc.Near(g.gray, here, motion(t.c, g.f), reach)
	s.Map = unit(g.there(s.Map).Mul(from))
	return s
}

// gather makes the plate of the looks in which the target was found.
func (t *target) gather() {
	if t.unknown {
		return
	}
	outline, _ := surround(t.paths)
	t.area = math.Abs(geom.Area(outline))
	scales := []float64{1}
	type kept struct {
		g *sight
		m geom.Map
	}
	var all []kept
	for i := range t.looks {
		g := &t.looks[i]
		m := t.onto(g.f)
		if g.f != t.ref {
			s := t.sight(g, []geom.Map{m}, 20)
			if !s.Sure() {
				continue
			}
			m = s.Map
		}
		all = append(all, kept{g, m})
		scales = append(scales, scale(m, geom.Bounds(outline).Centre()))
	}
	slices.Sort(scales)
	b := geom.Bounds(outline)
	ga, err := cleanplate.NewGather([]geom.Point{b.Min, {X: b.Max.X, Y: b.Min.Y}, b.Max, {X: b.Min.X, Y: b.Max.Y}},
		scales[len(scales)*3/4])
	if err != nil {
		return
	}
	for _, k := range all {
		t.rest()
		ga.Add(k.g.pic, t.bent(k.g.f, k.g.here(k.m)), false)
	}
	if p, err := ga.Plate(); err == nil {
		t.plate = p
		t.stands = standsOut(p, t.paths)
	}
}
