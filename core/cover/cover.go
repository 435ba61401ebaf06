// Package cover is the document of a shot: what hides each item, from which
// frame to which, where, and how. It evaluates covers at a frame, edits them by
// named commands, and reads and writes the published JSON form.
package cover

import (
	"encoding/binary"
	"hash/fnv"
	"math"
	"slices"
	"sort"
	"strconv"

	"celator/core/geom"
)

// Version is the document version that this program writes.
const Version = 1

// Document holds all covers of one shot. Frames are counted from 0 at the
// shot's first frame.
type Document struct {
	Version int     `json:"version"`
	Width   int     `json:"width"`  // source pixels
	Height  int     `json:"height"` // source pixels
	Frames  int     `json:"frames"`
	Covers  []Cover `json:"covers"` // applied in this order
	Tracks  []Track `json:"tracks,omitempty"`
}

// Cover hides one item in one shot.
type Cover struct {
	ID         string      `json:"id"`
	Item       string      `json:"item,omitempty"` // the clearance list's entry
	Name       string      `json:"name"`
	Off        bool        `json:"off,omitempty"`      // kept, but hides nothing
	Inverted   bool        `json:"inverted,omitempty"` // hides everything but its outlines
	Locked     bool        `json:"locked,omitempty"`   // refuses every edit until it is unlocked
	Unseen     bool        `json:"unseen,omitempty"`   // its outline is not drawn on the bench; it still hides its item
	Span       Span        `json:"span"`
	Outlines   []Outline   `json:"outlines"`
	Motion     Motion      `json:"motion"`          // on a track: corrections, on the surface
	Track      string      `json:"track,omitempty"` // that carries it
	From       int         `json:"from,omitempty"`  // the frame on which its outlines lie where they were drawn, with a track
	Grow       Value       `json:"grow"`            // px beyond the outline
	Soften     Pair        `json:"soften"`          // px, outward
	Treatments []Treatment `json:"treatments"`
	// HoldsOut makes it a holdout: what it outlines passes in front, and is kept clear
	// of the covers with these ids, or of all with "*". A holdout has no treatments.
	HoldsOut []string `json:"holdsOut,omitempty"`
	// Crossing is when what a drawn holdout shows passes over its cover.
	Crossing *Crossing `json:"crossing,omitempty"`
	// Proposed, of a holdout without outlines, is found in the picture.
	Proposed *Proposed `json:"proposed,omitempty"`

	on *Track
}

// Span is the first and the last frame in which a cover is live, both included.
type Span struct {
	First int `json:"first"`
	Last  int `json:"last"`
}

// Holds reports whether frame f is inside.
func (s Span) Holds(f int) bool { return s.First <= f && f <= s.Last }

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
	Frame int       `json:"frame"`
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
	Frame int `json:"frame"`
	Placement
	Ease Ease `json:"ease,omitempty"`
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
func bracket(n, f int, frame func(int) int) (a, b int, t float64) {
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

// At returns the placement at frame f: exact on keys, between them as the
// earlier key's ease says; the first key holds before it and the last after.
func (m Motion) At(f int) Placement {
	if len(m.Keys) == 0 {
		return Rest
	}
	a, b, t := bracket(len(m.Keys), f, func(i int) int { return m.Keys[i].Frame })
	p, q := m.Keys[a].Placement, m.Keys[b].Placement
	if t == 0 {
		return p
	}
	t = m.Keys[a].Ease.blend(t)
	return Placement{
		Move: p.Move.Lerp(q.Move, t),
		Turn: p.Turn + t*(q.Turn-p.Turn),
		Size: p.Size.Lerp(q.Size, t),
	}
}

// Map returns the placement at f as a map of the plane.
func (m Motion) Map(f int) geom.Map {
	p := m.At(f)
	return geom.Placement(m.Pivot, p.Move, p.Turn, p.Size.X, p.Size.Y)
}

// At returns the outline's knots at frame f, before the cover's motion.
func (o Outline) At(f int) geom.Path {
	a, b, t := bracket(len(o.Keys), f, func(i int) int { return o.Keys[i].Frame })
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
	Found    *Found      `json:"found,omitempty"` // of a proposed holdout, instead of paths
}

// Live is a cover as it stands at one frame: everything that decides its
// pixels, and nothing else.
type Live struct {
	Cover string `json:"cover"`
	Form
	Holdouts   []Form          `json:"holdouts,omitempty"` // that pass in front of it
	Treatments []LiveTreatment `json:"treatments"`
}

// LiveTreatment is a treatment with its values at one frame.
type LiveTreatment struct {
	Kind     Kind       `json:"kind"`
	Strength float64    `json:"strength"`
	Sigma    geom.Point `json:"sigma,omitzero"`
	Cell     geom.Point `json:"cell,omitzero"`
	Colour   string     `json:"colour,omitempty"`
}

// At returns the covers that hide something at frame f, in order.
func (d *Document) At(f int) []Live {
	var live []Live
	for i := range d.Covers {
		l, ok := d.Covers[i].At(f)
		if !ok {
			continue
		}
		for j := range d.Covers {
			if h := &d.Covers[j]; h.passes(f) && h.holds(l.Cover) {
				l.Holdouts = append(l.Holdouts, h.form(f))
			}
		}
		live = append(live, l)
	}
	return live
}

// holds reports whether it is a holdout for a cover.
func (c *Cover) holds(id string) bool {
	return slices.Contains(c.HoldsOut, id) || slices.Contains(c.HoldsOut, "*")
}

// Holdouts returns the forms of all holdouts at frame f.
func (d *Document) Holdouts(f int) []Form {
	var out []Form
	for i := range d.Covers {
		if h := &d.Covers[i]; len(h.HoldsOut) > 0 && h.passes(f) {
			out = append(out, h.form(f))
		}
	}
	return out
}

// passes reports whether a holdout is live at frame f.
func (c *Cover) passes(f int) bool {
	return !c.Off && c.Span.Holds(f) && (c.Proposed == nil || c.Proposed.accepted(f))
}

// InFront returns a holdout's form at frame f, whether or not it is accepted there.
func (c *Cover) InFront(f int) Form { return c.form(f) }

func (c *Cover) form(f int) Form {
	if c.Proposed != nil {
		return Form{Paths: []geom.Path{}, Found: c.Proposed.found(f)}
	}
	return Form{Paths: c.Paths(f), Inverted: c.Inverted, Grow: c.Grow.At(f), Soften: c.Soften.At(f)}
}

// At returns the cover at frame f; ok is false when it hides nothing there.
func (c *Cover) At(f int) (l Live, ok bool) {
	if c.Off || len(c.HoldsOut) > 0 || !c.Span.Holds(f) {
		return Live{}, false
	}
	l = Live{Cover: c.ID, Form: c.form(f)}
	for _, t := range c.Treatments {
		if t.Off || t.Strength.At(f) <= 0 {
			continue
		}
		l.Treatments = append(l.Treatments, LiveTreatment{
			Kind: t.Kind, Strength: t.Strength.At(f), Sigma: t.Sigma.At(f), Cell: t.Cell.At(f), Colour: t.Colour,
		})
	}
	return l, len(l.Treatments) > 0
}

// Paths returns the cover's outlines at frame f in picture coordinates, whether
// or not the frame is inside its span.
func (c *Cover) Paths(f int) []geom.Path {
	m := c.Map(f)
	paths := make([]geom.Path, len(c.Outlines))
	for i, o := range c.Outlines {
		paths[i] = o.At(f).Map(m)
	}
	return paths
}

// RestBounds returns the rectangle around the cover's outlines as drawn, at
// frame f, before placement.
func (c *Cover) RestBounds(f int) geom.Rect {
	var r geom.Rect
	for _, o := range c.Outlines {
		r = r.Union(o.At(f).Bounds())
	}
	return r
}

// Centre returns the middle of the box around the outlines as drawn, placed at
// frame f: the point that a placement is shown and dragged by.
func (c *Cover) Centre(f int) geom.Point {
	return c.Map(f).Apply(c.RestBounds(f).Centre())
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

// Digest names everything that decides a live cover's pixels at a frame. It is
// compared only with digests made by the same program on the same platform.
func (l Live) Digest() string {
	h := fnv.New64a()
	b := make([]byte, 8)
	put := func(vs ...float64) {
		for _, v := range vs {
			binary.LittleEndian.PutUint64(b, math.Float64bits(v))
			h.Write(b)
		}
	}
	for _, form := range append([]Form{l.Form}, l.Holdouts...) {
		put(float64(len(form.Paths)), form.Grow, form.Soften.X, form.Soften.Y)
		for _, p := range form.Paths {
			put(float64(len(p)))
			for _, k := range p {
				put(k.P.X, k.P.Y, k.In.X, k.In.Y, k.Out.X, k.Out.Y)
			}
		}
		if form.Inverted {
			h.Write([]byte("inverted"))
		}
		if d := form.Found; d != nil {
			h.Write([]byte(d.Run))
			put(float64(d.Frame))
			for _, s := range d.Strokes {
				put(s.Radius, float64(len(s.Points)), map[bool]float64{true: 1}[s.Add])
				for _, q := range s.Points {
					put(q.X, q.Y)
				}
			}
		}
	}
	for _, t := range l.Treatments {
		h.Write([]byte(t.Kind + Kind(t.Colour)))
		put(t.Strength, t.Sigma.X, t.Sigma.Y, t.Cell.X, t.Cell.Y)
	}
	return strconv.FormatUint(h.Sum64(), 36)
}
