// Package cover is the document of a shot: what hides each item, from which
// frame to which, where, and how. It evaluates covers at a frame, edits them by
// named commands, and reads and writes the published JSON form.
package cover

import (
	"slices"
	"sort"

	"celator/core/geom"
)

// Version is the document version that this program writes.
const Version = 1

// Document holds all covers of one shot. Frames are counted from 0 at the
// shot's first frame.
type Document struct {
	Version int `json:"version"`
	Width   int `json:"width"`  // source pixels
	Height  int `json:"height"` // source pixels
	Frames  int `json:"frames"`
	// Fields says that pictures are woven of two fields, half a frame apart in time: keys may
	// lie on halves, and covers are evaluated for each field.
	Fields  bool     `json:"fields,omitempty"`
	Covers  []Cover  `json:"covers"` // applied in this order
	Tracks  []Track  `json:"tracks,omitempty"`
	Labels  []Label  `json:"labels,omitempty"`
	Markers []Marker `json:"markers,omitempty"` // in the order of their frames
	// Passages are what is done to the sound, in this order.
	Passages []Passage `json:"passages,omitempty"`
	// Graphics are the pictures of patches. They are kept apart from the document, by id;
	// a document that goes out of the program carries them.
	Graphics []Graphic `json:"graphics,omitempty"`
}

// Cover hides one item in one shot.
type Cover struct {
	ID         string     `json:"id"`
	Item       string     `json:"item,omitempty"` // the clearance list's entry
	Name       string     `json:"name"`
	Off        bool       `json:"off,omitempty"`      // kept, but hides nothing
	Inverted   bool       `json:"inverted,omitempty"` // hides everything but its outlines
	Locked     bool       `json:"locked,omitempty"`   // refuses every edit until it is unlocked
	Unseen     bool       `json:"unseen,omitempty"`   // its outline is not drawn on the bench; it still hides its item
	Draft      bool       `json:"draft,omitempty"`    // a machine made it, and nobody has said yes to it
	Span       Span       `json:"span"`
	Outlines   []Outline  `json:"outlines"`
	Motion     Motion     `json:"motion"`          // on a track: corrections, on the surface
	Track      string     `json:"track,omitempty"` // that carries it
	From       Time       `json:"from,omitempty"`  // on a track: the frame on which it lies where it was drawn
	Grow       Value      `json:"grow"`            // px beyond the outline
	Soften     Pair       `json:"soften"`          // px, to the side that SoftenSide says
	SoftenSide SoftenSide `json:"softenSide,omitempty" enum:"outside,inside,both" doc:"where the soft edge lies; outside where absent, so that all of the outline is hidden"`
	// Transparency is how much of the picture the whole cover lets through, 0 to 1.
	Transparency Value       `json:"transparency,omitzero"`
	Treatments   []Treatment `json:"treatments"`
	Style        string      `json:"style,omitempty" doc:"the house style it follows"`
	// HoldsOut makes it a holdout: what it outlines passes in front, and is kept clear
	// of the covers with these ids, or of all with "*". A holdout has no treatments.
	HoldsOut []string `json:"holdsOut,omitempty"`
	// Crossing is when what a drawn holdout shows passes over its cover.
	Crossing *Crossing `json:"crossing,omitempty"`
	// Proposed, of a holdout without outlines, is found in the picture.
	Proposed *Proposed `json:"proposed,omitempty"`

	on *Track
}

// SoftenSide is where a soft edge lies.
type SoftenSide string

const (
	SoftenOutside SoftenSide = "" // all of the outline is hidden
	SoftenInside  SoftenSide = "inside"
	SoftenBoth    SoftenSide = "both"
)

// Span is the first and the last frame in which a cover is live, both included.
type Span struct {
	First int `json:"first"`
	Last  int `json:"last"`
}

// Holds reports whether a moment lies inside: both fields of the last frame do.
func (s Span) Holds(t Time) bool { return s.First <= t.Frame() && t.Frame() <= s.Last }

// Shape is how an outline was drawn, which decides the handles it is offered.
type Shape string

const (
	ShapeBox     Shape = "box"
	ShapeEllipse Shape = "ellipse"
	ShapeCorners Shape = "corners" // four free corners: a flat thing in perspective
	ShapePath    Shape = "path"
)

// Outline is a closed path that adds to its cover; it may reshape over time.
// All its keys have the same number of knots.
type Outline struct {
	ID    string    `json:"id"`
	Shape Shape     `json:"shape"`
	Keys  []PathKey `json:"keys"`
}

// PathKey fixes an outline's knots at a frame.
type PathKey struct {
	Frame Time      `json:"frame"`
	Knots geom.Path `json:"knots"`
	Ease  Ease      `json:"ease,omitempty"`
}

// Motion places a cover's outlines by hand: they are sized and turned about the
// pivot and then moved. Without keys they rest where they were drawn.
type Motion struct {
	Pivot geom.Point     `json:"pivot"`
	Keys  []PlacementKey `json:"keys"`
}

// Placement is one pose of a cover.
type Placement struct {
	Move geom.Point `json:"move"` // px from where it was drawn
	Turn float64    `json:"turn"` // degrees, clockwise
	Size geom.Point `json:"size"` // ratio across and down; 1 is as drawn
}

// Rest is the placement that changes nothing.
var Rest = Placement{Size: geom.Pt(1, 1)}

// PlacementKey fixes a placement at a frame.
type PlacementKey struct {
	Frame Time `json:"frame"`
	Placement
	Ease Ease `json:"ease,omitempty"`
	// Free are parts that the key does not fix: they go past it as if it were not there.
	Free Parts `json:"free,omitzero"`
}

// Parts are parts of a placement.
type Parts struct {
	Place bool `json:"place,omitempty"`
	Turn  bool `json:"turn,omitempty"`
	Size  bool `json:"size,omitempty"`
}

// Ease says how a value goes from its key to the next.
type Ease string

const (
	Even  Ease = ""      // at a constant rate
	Held  Ease = "held"  // stays until the next key
	Eased Ease = "eased" // starts and stops gently (cubic smoothstep)
)

// blend returns how far towards the next key a value is, at t of the way.
func (e Ease) blend(t float64) float64 {
	switch e {
	case Held:
		return 0
	case Eased:
		return t * t * (3 - 2*t)
	}
	return t
}

// bracket finds the keys around frame f among n keys sorted by frame: the index
// before, the index after and the share of the way between. Before the first
// and after the last key both are that key.
func bracket(n int, f Time, frame func(int) Time) (a, b int, t float64) {
	i := sort.Search(n, func(i int) bool { return frame(i) > f })
	switch {
	case i == 0:
		return 0, 0, 0
	case i == n:
		return n - 1, n - 1, 0
	}
	a, b = i-1, i
	return a, b, float64(f-frame(a)) / float64(frame(b)-frame(a))
}

// Map returns the placement at f as a map of the plane.
func (m Motion) Map(f Time) geom.Map {
	p := m.At(f)
	return geom.Placement(m.Pivot, p.Move, p.Turn, p.Size.X, p.Size.Y)
}

// At returns the outline's knots at frame f, before the cover's motion.
func (o Outline) At(f Time) geom.Path {
	a, b, t := bracket(len(o.Keys), f, func(i int) Time { return o.Keys[i].Frame })
	p, q := o.Keys[a].Knots, o.Keys[b].Knots
	if t == 0 {
		return p
	}
	t = o.Keys[a].Ease.blend(t)
	r := make(geom.Path, len(p))
	for i := range p {
		r[i] = p[i].Lerp(q[i], t)
	}
	return r
}

// Form is what decides a matte at one frame.
type Form struct {
	Paths    []geom.Path `json:"paths"` // in picture coordinates
	Inverted bool        `json:"inverted,omitempty"`
	Grow     float64     `json:"grow"`
	Soften   geom.Point  `json:"soften"`
	Side     SoftenSide  `json:"side,omitempty"`
	Found    *Found      `json:"found,omitempty"` // of a proposed holdout, instead of paths
}

// Live is a cover as it stands at one frame: everything that decides its
// pixels, and nothing else.
type Live struct {
	Cover string `json:"cover"`
	Form
	Transparency float64         `json:"transparency,omitempty"`
	Holdouts     []Form          `json:"holdouts,omitempty"` // that pass in front of it
	Treatments   []LiveTreatment `json:"treatments"`
	// What treatments that lie on the surface need: the frame, the map from where the
	// cover was drawn to it, how far its centre moves in the time of a frame, px, and the
	// corners of what was drawn, before the map.
	Frame   Time          `json:"frame"`
	Map     geom.Map      `json:"map"`
	Bend    *geom.Bend    `json:"bend,omitempty"` // before the map, on what bends
	Speed   geom.Point    `json:"speed"`
	Corners [4]geom.Point `json:"corners"`
}

// Warp takes what was drawn to the picture, by the bend as well.
func (l *Live) Warp() geom.Warp { return geom.Warp{Map: l.Map, Bend: l.Bend} }

// At returns the covers that hide something at frame f, in order.
func (d *Document) At(f Time) []Live {
	var live []Live
	for i := range d.Covers {
		if l, ok := d.Live(&d.Covers[i], f); ok {
			live = append(live, l)
		}
	}
	return live
}

// Live returns a cover of the document at frame f, with what passes in front of it; ok is
// false when it hides nothing there.
func (d *Document) Live(c *Cover, f Time) (l Live, ok bool) {
	if l, ok = c.At(f); !ok {
		return l, false
	}
	for i := range d.Covers {
		if h := &d.Covers[i]; h.passes(f) && h.holds(c.ID) {
			l.Holdouts = append(l.Holdouts, h.form(f))
		}
	}
	return l, true
}

// holds reports whether it is a holdout for a cover.
func (c *Cover) holds(id string) bool {
	return slices.Contains(c.HoldsOut, id) || slices.Contains(c.HoldsOut, "*")
}

// HoldoutsOf returns the ids of the holdouts that pass before a cover, on any frame.
func (d *Document) HoldoutsOf(id string) (ids []string) {
	for i := range d.Covers {
		if h := &d.Covers[i]; h.holds(id) && h.ID != id {
			ids = append(ids, h.ID)
		}
	}
	return ids
}

// Holdouts returns the forms of all holdouts at frame f.
func (d *Document) Holdouts(f Time) []Form {
	var out []Form
	for i := range d.Covers {
		if h := &d.Covers[i]; len(h.HoldsOut) > 0 && h.passes(f) {
			out = append(out, h.form(f))
		}
	}
	return out
}

// passes reports whether a holdout is live at frame f.
func (c *Cover) passes(f Time) bool {
	return !c.Off && c.Span.Holds(f) && (c.Proposed == nil || c.Proposed.accepted(f))
}

// Foreground returns a holdout's form at frame f, whether or not it is accepted there.
func (c *Cover) Foreground(f Time) Form { return c.form(f) }

func (c *Cover) form(f Time) Form {
	if c.Proposed != nil {
		return Form{Paths: []geom.Path{}, Found: c.Proposed.found(f)}
	}
	return Form{Paths: c.Contours(f), Inverted: c.Inverted, Grow: c.Grow.At(f), Soften: c.Soften.At(f), Side: c.SoftenSide}
}

// At returns the cover at frame f; ok is false when it hides nothing there.
func (c *Cover) At(f Time) (l Live, ok bool) {
	if c.Off || len(c.HoldsOut) > 0 || !c.Span.Holds(f) {
		return Live{}, false
	}
	l = c.Shape(f)
	if l.Transparency >= 1 {
		return Live{}, false
	}
	for _, t := range c.Treatments {
		if t.Off || t.Strength.At(f) <= 0 {
			continue
		}
		l.Treatments = append(l.Treatments, t.At(f))
	}
	return l, len(l.Treatments) > 0
}

// Shape returns the cover's form and place at frame f, without treatments, whether or
// not it hides anything there.
func (c *Cover) Shape(f Time) Live {
	w := c.Warp(f)
	return Live{
		Cover: c.ID, Form: c.form(f), Transparency: c.Transparency.At(f), Frame: f, Map: w.Map, Bend: w.Bend,
		Speed: c.speed(f), Corners: c.corners(f),
	}
}

// speed is how far the cover's centre moves in the time of a frame, around frame f.
func (c *Cover) speed(f Time) geom.Point {
	a, b := max(f-1, Time(c.Span.First)), min(f+1, Time(c.Span.Last))
	if a >= b {
		return geom.Point{}
	}
	return c.Centre(b).Sub(c.Centre(a)).Mul(1 / float64(b-a))
}

// corners are those that a graphic is pinned to, before the cover's map: the knots of
// its first outline where that has four corners, else those of the box around all.
func (c *Cover) corners(f Time) [4]geom.Point {
	if len(c.Outlines) == 0 {
		return [4]geom.Point{}
	}
	if o := c.Outlines[0]; o.Shape == ShapeCorners || o.Shape == ShapeBox {
		k := o.At(f)
		return upright([4]geom.Point{k[0].P, k[1].P, k[2].P, k[3].P})
	}
	b := c.RestBounds(f)
	return [4]geom.Point{b.Min, {X: b.Max.X, Y: b.Min.Y}, b.Max, {X: b.Min.X, Y: b.Max.Y}}
}

// upright begins four corners at the one nearest to the top left and orders them
// clockwise, so that a graphic stands on its feet however they were drawn.
func upright(q [4]geom.Point) [4]geom.Point {
	if geom.Area(q[:]) < 0 {
		q[1], q[3] = q[3], q[1]
	}
	first := 0
	for i, p := range q {
		if p.X+p.Y < q[first].X+q[first].Y {
			first = i
		}
	}
	var out [4]geom.Point
	for i := range out {
		out[i] = q[(first+i)%4]
	}
	return out
}

// Drawn is the frame on which the cover lies where it was drawn.
func (c *Cover) Drawn() Time {
	if c.on == nil && len(c.Motion.Keys) > 0 {
		return c.Motion.Keys[0].Frame
	}
	return c.From
}

// Paths returns the cover's outlines at frame f in picture coordinates, whether
// or not the frame is inside its span.
func (c *Cover) Paths(f Time) []geom.Path {
	w := c.Warp(f)
	paths := make([]geom.Path, len(c.Outlines))
	for i, o := range c.Outlines {
		paths[i] = o.At(f).Carry(w.Apply)
	}
	return paths
}

// RestBounds returns the rectangle around the cover's outlines as drawn, at
// frame f, before placement.
func (c *Cover) RestBounds(f Time) geom.Rect {
	var r geom.Rect
	for _, o := range c.Outlines {
		r = r.Union(o.At(f).Bounds())
	}
	return r
}

// Bounds returns the rectangle around the cover's outlines at frame f, in the picture.
func (c *Cover) Bounds(f Time) geom.Rect {
	var r geom.Rect
	for _, p := range c.Contours(f) {
		r = r.Union(p.Bounds())
	}
	return r
}

// Centre returns the middle of the box around the outlines as drawn, placed at
// frame f: the point that a placement is shown and dragged by.
func (c *Cover) Centre(f Time) geom.Point {
	return c.Warp(f).Apply(c.RestBounds(f).Centre())
}

// Posed returns the placement at frame f with another turn, degrees, and size, ratio to
// what was drawn, that leaves the middle of the cover where it is.
func (c *Cover) Posed(f Time, turn float64, size geom.Point) Placement {
	middle := c.RestBounds(f).Centre()
	is := c.Motion.Map(f).Apply(middle)
	at := geom.Placement(c.Motion.Pivot, geom.Point{}, turn, size.X, size.Y).Apply(middle)
	return Placement{Move: is.Sub(at), Turn: turn, Size: size}
}

// Find returns the cover with that id, or nil.
func (d *Document) Find(id string) *Cover {
	for i := range d.Covers {
		if d.Covers[i].ID == id {
			return &d.Covers[i]
		}
	}
	return nil
}
