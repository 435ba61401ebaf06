package cover

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"

	"celator/core/geom"
)

// Track is a surface of the shot, or points, followed through it; covers ride on it.
type Track struct {
	ID      string        `json:"id"`
	Name    string        `json:"name"`
	Kind    TrackKind     `json:"kind" enum:"surface,points"`
	Model   string        `json:"model" enum:"translation,similarity,affine,perspective,cloth" doc:"how the surface may move; cloth bends as well"`
	Channel string        `json:"channel" enum:"luma,red,green,blue,best" doc:"what of the picture is compared"`
	Frame   Time          `json:"frame" doc:"the first anchor: the surface's coordinates are the picture's on this frame"`
	Surface []geom.Point  `json:"surface" doc:"the surface's outline, or the points, on that frame"`
	Anchors []TrackAnchor `json:"anchors" doc:"frames on which the surface's place was put right, in order"`
	Attempt string        `json:"attempt,omitempty" doc:"whose poses are used"`
	Trim    *Span         `json:"trim,omitempty" doc:"the frames whose poses count; all where it is missing"`
	// Poses are kept apart from the document, under the attempt; a document that goes
	// out of the program carries them.
	Poses *Poses `json:"poses,omitempty"`

	whole *Poses // as attached, before trimming
}

// TrackKind is what is followed.
type TrackKind string

const (
	Surface TrackKind = "surface"
	Points  TrackKind = "points"
)

// TrackAnchor says where the corners of the box around the surface lie on a frame.
type TrackAnchor struct {
	Frame   Time          `json:"frame"`
	Corners [4]geom.Point `json:"corners" doc:"of a surface"`
	Points  []geom.Point  `json:"points,omitempty" doc:"where the points of a track of points lie, instead of corners"`
}

// Poses are where a track's surface is, frame by frame.
type Poses struct {
	First      int          `json:"first"` // frame
	Fields     bool         `json:"fields,omitempty" doc:"there are two for each frame, one of each field"`
	Corners    [][8]float64 `json:"corners"`    // x, y of the four corners of the box around the surface
	Confidence []float64    `json:"confidence"` // 0 to 1
	States     string       `json:"states" doc:"a letter for each frame: a anchor, g good, w weak, l lost, o outside the picture, - not followed"`
	// Places of the points, two numbers each, for a track of points.
	Places [][]float64 `json:"places,omitempty"`
	Bends  [][]float64 `json:"bends,omitempty" doc:"of cloth, how it departs from the plane of the corners: the displacements, in the surface's coordinates, of the controls of a uniform cubic B-spline over its box, row by row, x and y of each; none where it is flat"`
}

// StateLetters are the states of a frame in Poses.
const StateLetters = "agwlo-"

// State returns a frame's letter.
func (p *Poses) State(f Time) byte {
	if i := p.Index(f); i >= 0 {
		return p.States[i]
	}
	return '-'
}

// Index is where a moment's pose stands, or -1; the fields of a frame that was followed as
// a whole share one.
func (p *Poses) Index(t Time) int {
	if p == nil {
		return -1
	}
	if i := place(p.First, p.Fields, t); i >= 0 && i < len(p.States) {
		return i
	}
	return -1
}

// within returns the poses of some frames only; nil frames are all.
func (p *Poses) within(s *Span) *Poses {
	if p == nil || s == nil {
		return p
	}
	from, to := max(s.First-p.First, 0), s.Last-p.First+1
	first := p.First + from
	if p.Fields {
		from, to = 2*from, 2*to
	}
	if to = min(to, len(p.States)); from >= to {
		return nil
	}
	q := &Poses{
		First: first, Fields: p.Fields, Corners: p.Corners[from:to], Confidence: p.Confidence[from:to],
		States: p.States[from:to],
	}
	if p.Places != nil {
		q.Places = p.Places[from:to]
	}
	if p.Bends != nil {
		q.Bends = p.Bends[from:to]
	}
	return q
}

// Trimmed returns poses as the track counts them.
func (t *Track) Trimmed(p *Poses) *Poses { return p.within(t.Trim) }

// aroundPoints is how far the box of a track of points reaches beyond them, px.
const aroundPoints = 17

// Box returns the corners of the rectangle around the surface, on its first anchor.
func (t *Track) Box() [4]geom.Point {
	b := geom.Bounds(t.Surface)
	if t.Kind == Points {
		b = b.Grow(aroundPoints, aroundPoints)
	}
	return [4]geom.Point{b.Min, {X: b.Max.X, Y: b.Min.Y}, b.Max, {X: b.Min.X, Y: b.Max.Y}}
}

// Corners returns where the box's corners lie on a frame. Beyond the frames that
// were followed the nearest of them holds; ok is false there. Between frames that were
// followed as whole pictures they lie halfway.
func (t *Track) Corners(f Time) (q [4]geom.Point, ok bool) {
	p := t.Poses
	if ok = p.State(f) != '-'; !ok {
		i := p.nearest(f)
		if i < 0 {
			return t.Box(), false
		}
		return p.corners(i), false
	}
	i := place(p.First, p.Fields, f)
	q = p.corners(i)
	if s := float64(f - p.Time(i)); s > 0 && i+1 < len(p.States) && p.States[i+1] != '-' {
		for k, r := range p.corners(i + 1) {
			q[k] = q[k].Lerp(r, s)
		}
	}
	return q, true
}

// nearest returns the index of the followed pose nearest to a moment, or -1.
func (p *Poses) nearest(f Time) int {
	best := -1
	if p != nil {
		for i := range p.Corners {
			if p.States[i] != '-' && (best < 0 || (p.Time(i)-f).abs() < (p.Time(best)-f).abs()) {
				best = i
			}
		}
	}
	return best
}

// corners are those of a pose.
func (p *Poses) corners(i int) (q [4]geom.Point) {
	for k := range q {
		q[k] = geom.Pt(p.Corners[i][2*k], p.Corners[i][2*k+1])
	}
	return q
}

// Time is the moment of a pose.
func (p *Poses) Time(i int) Time {
	if p.Fields {
		return Time(p.First) + Time(i)/2
	}
	return Time(p.First + i)
}

// Stretch returns the frames that an anchor at frame f decides: both sides of it, as
// far as the next anchors, or the ends of a span and of what the track began on.
func (t *Track) Stretch(f Time, span Span) Span {
	s := Span{min(span.First, t.Frame.Frame()), max(span.Last, t.Frame.Frame())}
	for _, a := range append([]TrackAnchor{{Frame: t.Frame}}, t.Anchors...) {
		switch {
		case a.Frame < f:
			s.First = max(s.First, (a.Frame + 1).Frame())
		case a.Frame > f:
			s.Last = min(s.Last, (a.Frame - 1).Frame())
		}
	}
	return s
}

// Map takes the surface's coordinates to a frame's.
func (t *Track) Map(f Time) geom.Map {
	q, _ := t.Corners(f)
	m, err := geom.QuadToQuad(t.Box(), q)
	if err != nil {
		return geom.Identity
	}
	return m
}

// Carried takes picture coordinates on the frame the cover was put on its track to
// those of frame f. Without a track both are the same.
func (c *Cover) Carried(f Time) geom.Map {
	if c.on == nil || f == c.From {
		return geom.Identity
	}
	back, err := c.on.Map(c.From).Inverse()
	if err != nil {
		return geom.Identity
	}
	m := c.on.Map(f).Mul(back)
	for i := range m {
		m[i] /= m[8]
	}
	return m
}

// Map takes the cover's outlines from where they were drawn to frame f: placed by
// hand, and then carried by the track. On a track the placement is a correction that
// lies on the surface and shrinks, grows and tilts with it.
func (c *Cover) Map(f Time) geom.Map { return c.Carried(f).Mul(c.Motion.Map(f)) }

// link gives covers the tracks they ride on.
func (d *Document) link() {
	for i := range d.Covers {
		c := &d.Covers[i]
		c.on = d.Track(c.Track)
	}
}

// Track returns the track with that id, or nil.
func (d *Document) Track(id string) *Track {
	for i := range d.Tracks {
		if d.Tracks[i].ID == id {
			return &d.Tracks[i]
		}
	}
	return nil
}

// Attach gives the tracks their poses, by attempt. Where of returns nil they have none.
func (d *Document) Attach(of func(attempt string) *Poses) {
	d.Tracks = slices.Clone(d.Tracks)
	for i := range d.Tracks {
		t := &d.Tracks[i]
		t.whole = of(t.Attempt)
		t.Poses = t.whole.within(t.Trim)
	}
	d.link()
}

// Bare returns the document without poses, mattes and graphics, as it is stored.
func (d *Document) Bare() *Document {
	n := *d
	n.Covers = slices.Clone(d.Covers)
	n.Attach(func(string) *Poses { return nil })
	n.AttachMattes(func(string) *Mattes { return nil })
	n.AttachGraphics(func(string) []byte { return nil })
	return &n
}

// Followed returns an error unless every cover that hides something rides on a track
// that was followed over its whole span.
func (d *Document) Followed() error {
	for i := range d.Covers {
		c := &d.Covers[i]
		if c.Off || c.on == nil {
			continue
		}
		for f := range d.Moments(c.Span) {
			if c.on.Poses.State(f) != '-' {
				continue
			}
			last := f
			for c.Span.Holds(last+d.Step()) && c.on.Poses.State(last+d.Step()) == '-' {
				last += d.Step()
			}
			return fmt.Errorf("%s rides on %s, which was not followed from f %v to f %v; follow it there or shorten the span",
				c.Name, c.on.Name, f, last)
		}
	}
	return nil
}

func (t *Track) validate(frames int) error {
	switch {
	case !identifier.MatchString(t.ID):
		return errors.New("id is missing or not plain")
	case len(t.Name) > 200 || len(t.Attempt) > 64:
		return errors.New("name or attempt is too long")
	case t.Kind != Surface && t.Kind != Points:
		return fmt.Errorf("kind %q is not known", t.Kind)
	case !slices.Contains([]string{"translation", "similarity", "affine", "perspective", "cloth"}, t.Model):
		return fmt.Errorf("model %q is not known", t.Model)
	case !slices.Contains([]string{"luma", "red", "green", "blue", "best"}, t.Channel):
		return fmt.Errorf("channel %q is not known", t.Channel)
	case !inShot(t.Frame, frames):
		return fmt.Errorf("frame %v lies outside the shot", t.Frame)
	case t.Kind == Surface && (len(t.Surface) < 3 || len(t.Surface) > maxKnots || math.Abs(geom.Area(t.Surface)) < 1):
		return errors.New("the surface has too few corners, too many, or no area")
	case t.Kind == Points && (len(t.Surface) == 0 || len(t.Surface) > 64):
		return errors.New("a track has 1 to 64 points")
	case len(t.Anchors) > maxKeys:
		return errors.New("too many anchors")
	case t.Trim != nil && (t.Trim.First < 0 || t.Trim.Last >= frames || t.Trim.First > t.Trim.Last):
		return errors.New("it is trimmed to frames that the shot has not")
	}
	near := func(p geom.Point) bool { return math.Abs(p.X) <= maxCoord && math.Abs(p.Y) <= maxCoord }
	for _, p := range t.Surface {
		if !near(p) {
			return errors.New("the surface lies too far out")
		}
	}
	for i, a := range t.Anchors {
		if !inShot(a.Frame, frames) || a.Frame == t.Frame || i > 0 && a.Frame <= t.Anchors[i-1].Frame {
			return fmt.Errorf("anchors[%d] is at frame %v: outside the shot, not in order or twice", i, a.Frame)
		}
		if t.Kind == Points && len(a.Points) != len(t.Surface) {
			return fmt.Errorf("anchors[%d] has %d points of %d", i, len(a.Points), len(t.Surface))
		}
		for _, p := range append(a.Points, a.Corners[:]...) {
			if !near(p) {
				return fmt.Errorf("anchors[%d] lies too far out", i)
			}
		}
		if _, err := geom.QuadToQuad(t.Box(), a.Corners); err != nil && t.Kind == Surface {
			return fmt.Errorf("anchors[%d] has no area", i)
		}
	}
	if t.Poses != nil {
		return t.Poses.validate(frames)
	}
	return nil
}

func (p *Poses) validate(frames int) error {
	n := len(p.States)
	if len(p.Corners) != n || len(p.Confidence) != n || p.Places != nil && len(p.Places) != n {
		return errors.New("poses: as many corners, confidences and states are needed")
	}
	if p.First < 0 || p.First+perFrame(n, p.Fields) > frames {
		return fmt.Errorf("poses: %d from frame %d on do not lie in the shot", n, p.First)
	}
	for i, q := range p.Corners {
		if !strings.Contains(StateLetters, p.States[i:i+1]) || !(p.Confidence[i] >= 0 && p.Confidence[i] <= 1) {
			return fmt.Errorf("poses: state or confidence of frame %v", p.Time(i))
		}
		for _, v := range q {
			if !(math.Abs(v) <= maxCoord) {
				return fmt.Errorf("poses: frame %v lies too far out", p.Time(i))
			}
		}
	}
	return p.validateBends()
}

// ride puts the cover on a track, as it lies at frame f: its keys of place and shape
// give way to the track, and its mosaics ride too.
func (c *Cover) ride(t *Track, f Time) {
	c.rest(f)
	c.Track, c.From, c.on = t.ID, f, t
	for i := range c.Treatments { // a grid that stays behind gives the letters away, frame by frame
		c.Treatments[i].Rides = c.Treatments[i].Kind == Mosaic
	}
}

// rest leaves of the cover's motion what it is at frame f.
func (c *Cover) rest(f Time) {
	paths := c.Contours(f)
	for i := range c.Outlines {
		o := &c.Outlines[i]
		if c.on != nil && o.Shape != ShapePath { // a tilted box is one no more
			o.Shape = ShapeCorners
			if len(paths[i]) != 4 || c.Outlines[i].curved() {
				o.Shape = ShapePath
			}
		}
		o.Keys = []PathKey{{Frame: f, Knots: paths[i]}}
	}
	c.Track, c.From, c.on = "", 0, nil
	c.Motion = Motion{Pivot: c.RestBounds(f).Centre(), Keys: []PlacementKey{{Frame: f, Placement: Rest}}}
}

func (o Outline) curved() bool {
	for _, k := range o.Keys[0].Knots {
		if k.In != (geom.Point{}) || k.Out != (geom.Point{}) {
			return true
		}
	}
	return false
}

// byHand takes the cover off its track: its outlines get keys of their own, as few
// as keep every knot within tol px of where the track had it, in every frame of the
// span (Ramer, CGIP 1(3), 1972).
func (c *Cover) byHand(tol float64, step Time) int {
	first := Time(c.Span.First)
	var at [][]geom.Path
	for t := first; c.Span.Holds(t); t += step {
		at = append(at, c.Contours(t))
	}
	keep := map[int]bool{0: true, len(at) - 1: true}
	var split func(a, b int)
	split = func(a, b int) {
		worst, far := -1, tol
		for i := a + 1; i < b; i++ {
			t := float64(i-a) / float64(b-a)
			for o, path := range at[i] {
				for k, q := range path {
					if d := at[a][o][k].P.Lerp(at[b][o][k].P, t).Sub(q.P).Len(); d > far {
						worst, far = i, d
					}
				}
			}
		}
		if worst > 0 {
			keep[worst] = true
			split(a, worst)
			split(worst, b)
		}
	}
	split(0, len(at)-1)
	c.rest(first)
	for o := range c.Outlines {
		c.Outlines[o].Keys = nil
		for i := range at {
			if keep[i] {
				c.Outlines[o].Keys = append(c.Outlines[o].Keys, PathKey{Frame: first + Time(i)*step, Knots: at[i][o]})
			}
		}
	}
	return len(keep)
}
