package cover

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"regexp"

	"celator/core/frame"
)

// Limits of a document; beyond them it is refused, not cut.
const (
	MaxBytes  = 32 << 20
	MaxFrames = 24 * 60 * 60 * 120
	maxCovers = 2000
	maxKnots  = 2000
	maxKeys   = 100000
	maxCoord  = 1e6 // px
)

// New returns an empty document for a shot.
func New(width, height, frames int) *Document {
	return &Document{Version: Version, Width: width, Height: height, Frames: frames, Covers: []Cover{}}
}

// Parse reads a document and validates it. The error names the place.
func Parse(b []byte) (*Document, error) {
	if len(b) > MaxBytes {
		return nil, fmt.Errorf("document: larger than %d MB", MaxBytes>>20)
	}
	return Stored(b)
}

// Stored is Parse for a document that was taken before: the form that a database keeps
// may be longer than the one that was measured then.
func Stored(b []byte) (*Document, error) {
	dec := json.NewDecoder(bytes.NewReader(b))
	dec.DisallowUnknownFields()
	var d Document
	if err := dec.Decode(&d); err != nil {
		return nil, fmt.Errorf("document: %w", err)
	}
	if _, err := dec.Token(); !errors.Is(err, io.EOF) {
		return nil, errors.New("document: text after its end")
	}
	if err := d.Validate(); err != nil {
		return nil, err
	}
	d.tidy()
	return &d, nil
}

// tidy makes absent lists empty ones, so that they are written as [].
func (d *Document) tidy() {
	if d.Covers == nil {
		d.Covers = []Cover{}
	}
	if len(d.Tracks) == 0 {
		d.Tracks = nil // written as nothing at all
	}
	if len(d.Labels) == 0 {
		d.Labels = nil
	}
	if len(d.Markers) == 0 {
		d.Markers = nil
	}
	if len(d.Graphics) == 0 {
		d.Graphics = nil
	}
	if len(d.Passages) == 0 {
		d.Passages = nil
	}
	for i := range d.Tracks {
		if d.Tracks[i].Anchors == nil {
			d.Tracks[i].Anchors = []TrackAnchor{}
		}
	}
	for i := range d.Covers {
		c := &d.Covers[i]
		if c.Motion.Keys == nil {
			c.Motion.Keys = []PlacementKey{}
		}
		if c.Treatments == nil {
			c.Treatments = []Treatment{}
		}
		if c.Outlines == nil {
			c.Outlines = []Outline{}
		}
		if p := c.Proposed; p != nil && (p.Accepted == nil || p.Strokes == nil) {
			q := *p
			q.Accepted, q.Strokes = append([]Span{}, p.Accepted...), append([]Stroke{}, p.Strokes...)
			c.Proposed = &q
		}
	}
}

// Marshal writes the document as indented JSON.
func (d *Document) Marshal() ([]byte, error) { return json.MarshalIndent(d, "", "  ") }

var identifier = regexp.MustCompile(`^[A-Za-z0-9._-]{1,64}$`)

// Validate returns an error, with the place in the document, unless every
// value is in its range and the document can be evaluated at every frame.
func (d *Document) Validate() error { return d.validate(func(string) bool { return true }) }

// validate checks the document and those covers whose content may be wrong.
//
// Long: a list of what is asked of a document, in the order in which it is read.
func (d *Document) validate(doubted func(id string) bool) error {
	if d.Version != Version {
		return fmt.Errorf("document: version %d, this program reads version %d", d.Version, Version)
	}
	if d.Width < 1 || d.Width > frame.MaxSide || d.Height < 1 || d.Height > frame.MaxSide {
		return fmt.Errorf("document: picture %dx%d, the sides must be 1 to %d", d.Width, d.Height, frame.MaxSide)
	}
	if d.Frames < 1 || d.Frames > MaxFrames {
		return fmt.Errorf("document: %d frames", d.Frames)
	}
	if len(d.Covers) > maxCovers {
		return fmt.Errorf("document: more than %d covers", maxCovers)
	}
	seen := map[string]bool{}
	if len(d.Tracks) > maxCovers {
		return fmt.Errorf("document: more than %d tracks", maxCovers)
	}
	for i := range d.Tracks {
		t := &d.Tracks[i]
		if err := t.validate(d.Frames); err != nil {
			return fmt.Errorf("document: tracks[%d] (%s): %w", i, t.Name, err)
		}
		if seen[t.ID] {
			return fmt.Errorf("document: tracks[%d].id %q is used twice", i, t.ID)
		}
		seen[t.ID] = true
	}
	d.link()
	seen = map[string]bool{}
	for i := range d.Covers {
		c := &d.Covers[i]
		if !identifier.MatchString(c.ID) || seen[c.ID] {
			return fmt.Errorf("document: covers[%d].id %q is missing, not plain or used twice", i, c.ID)
		}
		seen[c.ID] = true
		if c.Track != "" && (c.on == nil || !inShot(c.From, d.Frames)) {
			return fmt.Errorf("document: covers[%d] (%s): it rides on a track %q that is not there, or from a frame "+
				"that is not", i, c.Name, c.Track)
		}
		if len(c.HoldsOut) > 0 && len(c.Treatments) > 0 {
			return fmt.Errorf("document: covers[%d] (%s): a holdout has no treatments", i, c.Name)
		}
		if !doubted(c.ID) {
			continue
		}
		if err := c.validate(d.Frames); err != nil {
			return fmt.Errorf("document: covers[%d] (%s): %w", i, c.Name, err)
		}
	}
	if len(d.Labels) > maxLabels || len(d.Graphics) > maxGraphics || len(d.Markers) > maxMarkers {
		return fmt.Errorf("document: more than %d labels, %d graphics or %d markers", maxLabels, maxGraphics, maxMarkers)
	}
	parts := map[string]bool{}
	for i := range d.Labels {
		l := &d.Labels[i]
		if err := l.validate(); err != nil {
			return fmt.Errorf("document: labels[%d] (%s): %w", i, l.Text, err)
		}
		if !seen[l.Cover] && d.Track(l.Track) == nil || parts["label "+l.ID] {
			return fmt.Errorf("document: labels[%d] (%s): its id is used twice, or what it follows is not there", i, l.Text)
		}
		parts["label "+l.ID] = true
	}
	for i := range d.Markers {
		m := &d.Markers[i]
		if err := m.validate(d.Frames); err != nil {
			return fmt.Errorf("document: markers[%d]: %w", i, err)
		}
		if parts["marker "+m.ID] || i > 0 && m.Frame < d.Markers[i-1].Frame {
			return fmt.Errorf("document: markers[%d]: its id is used twice, or it is not in the order of frames", i)
		}
		parts["marker "+m.ID] = true
	}
	if len(d.Passages) > maxPassages {
		return fmt.Errorf("document: more than %d passages of sound", maxPassages)
	}
	for i := range d.Passages {
		p := &d.Passages[i]
		if err := p.validate(d.Frames); err != nil {
			return fmt.Errorf("document: passages[%d] (%s): %w", i, p.Name, err)
		}
		if parts["passage "+p.ID] {
			return fmt.Errorf("document: passages[%d].id is used twice", i)
		}
		parts["passage "+p.ID] = true
	}
	for i := range d.Graphics {
		g := &d.Graphics[i]
		if err := g.validate(); err != nil {
			return fmt.Errorf("document: graphics[%d] (%s): %w", i, g.Name, err)
		}
		if parts["graphic "+g.ID] {
			return fmt.Errorf("document: graphics[%d].id is used twice", i)
		}
		parts["graphic "+g.ID] = true
	}
	for i, c := range d.Covers {
		for _, t := range c.Treatments {
			if t.Graphic != "" && !parts["graphic "+t.Graphic] {
				return fmt.Errorf("document: covers[%d] (%s): its graphic %q is not there", i, c.Name, t.Graphic)
			}
		}
		for _, id := range c.HoldsOut {
			if id != "*" && (!seen[id] || id == c.ID || len(d.Find(id).HoldsOut) > 0) {
				return fmt.Errorf("document: covers[%d] (%s): it holds out of %q, which is no other cover", i, c.Name, id)
			}
		}
	}
	return nil
}

func (c *Cover) validate(frames int) error {
	if len(c.Name) > 200 || len(c.Item) > 64 {
		return errors.New("name or item is too long")
	}
	if c.Span.First < 0 || c.Span.Last < c.Span.First || c.Span.Last >= frames {
		return fmt.Errorf("span %d to %d does not lie in the shot's frames 0 to %d", c.Span.First, c.Span.Last, frames-1)
	}
	if c.Proposed != nil {
		if len(c.HoldsOut) == 0 || len(c.Outlines) > 0 || c.Track != "" {
			return errors.New("what is proposed from the picture is a holdout without outlines")
		}
		if err := c.Proposed.validate(frames); err != nil {
			return fmt.Errorf("proposed: %w", err)
		}
	} else if len(c.Outlines) == 0 || len(c.Outlines) > 100 {
		return errors.New("a cover has 1 to 100 outlines")
	}
	if c.Crossing != nil {
		if len(c.HoldsOut) == 0 {
			return errors.New("only what is held out crosses")
		}
		if err := c.Crossing.validate(frames); err != nil {
			return err
		}
	}
	ids := map[string]bool{}
	for i, o := range c.Outlines {
		if err := o.validate(frames); err != nil {
			return fmt.Errorf("outlines[%d]: %w", i, err)
		}
		if ids[o.ID] {
			return fmt.Errorf("outlines[%d].id %q is used twice", i, o.ID)
		}
		ids[o.ID] = true
	}
	if err := c.Motion.Validate(frames); err != nil {
		return fmt.Errorf("motion: %w", err)
	}
	check := func(name string, v Value, lo, hi float64) error {
		if err := v.validate(frames, lo, hi); err != nil {
			return fmt.Errorf("%s: %w", name, err)
		}
		return nil
	}
	err := errors.Join(check("grow", c.Grow, 0, 1000),
		check("soften.across", c.Soften.Across, 0, 1000), check("soften.down", c.Soften.Down, 0, 1000),
		check("transparency", c.Transparency, 0, 1))
	if err != nil {
		return err
	}
	if c.SoftenSide != SoftenOutside && c.SoftenSide != SoftenInside && c.SoftenSide != SoftenBoth {
		return fmt.Errorf("softenSide %q is not known", c.SoftenSide)
	}
	if len(c.Style) > 64 {
		return errors.New("style is too long")
	}
	if len(c.Treatments) > 20 {
		return errors.New("more than 20 treatments")
	}
	for i, t := range c.Treatments {
		err := t.validate(frames)
		if err == nil && (!identifier.MatchString(t.ID) || ids["treatment/"+t.ID]) {
			err = fmt.Errorf("id %q is missing, not plain or used twice", t.ID)
		}
		ids["treatment/"+t.ID] = true
		if err != nil {
			return fmt.Errorf("treatments[%d]: %w", i, err)
		}
	}
	return nil
}

func (o Outline) validate(frames int) error {
	if !identifier.MatchString(o.ID) {
		return fmt.Errorf("id %q is missing or not plain", o.ID)
	}
	if o.Shape != ShapeBox && o.Shape != ShapeEllipse && o.Shape != ShapeCorners && o.Shape != ShapePath {
		return fmt.Errorf("shape %q is not known", o.Shape)
	}
	if len(o.Keys) == 0 {
		return errors.New("an outline has at least one key")
	}
	n := len(o.Keys[0].Knots)
	if n < 3 || n > maxKnots || o.Shape != ShapePath && n != 4 {
		return fmt.Errorf("%d knots; a path has 3 to %d, every other shape 4", n, maxKnots)
	}
	for i, k := range o.Keys {
		if len(k.Knots) != n {
			return fmt.Errorf("keys[%d] has %d knots, the first key has %d", i, len(k.Knots), n)
		}
		for j, q := range k.Knots {
			for _, v := range []float64{q.P.X, q.P.Y, q.In.X, q.In.Y, q.Out.X, q.Out.Y} {
				if !(math.Abs(v) <= maxCoord) {
					return fmt.Errorf("keys[%d].knots[%d] lies too far out", i, j)
				}
			}
		}
	}
	return checkKeys(len(o.Keys), frames, func(i int) (Time, Ease) { return o.Keys[i].Frame, o.Keys[i].Ease })
}

// Validate returns an error unless the keys can be evaluated in a shot of so many frames.
func (m Motion) Validate(frames int) error {
	if !(math.Abs(m.Pivot.X) <= maxCoord && math.Abs(m.Pivot.Y) <= maxCoord) {
		return errors.New("the pivot lies too far out")
	}
	for i, k := range m.Keys {
		if err := k.Placement.validate(); err != nil {
			return fmt.Errorf("keys[%d]: %w", i, err)
		}
	}
	return checkKeys(len(m.Keys), frames, func(i int) (Time, Ease) { return m.Keys[i].Frame, m.Keys[i].Ease })
}

func (p Placement) validate() error {
	switch {
	case !(math.Abs(p.Move.X) <= maxCoord && math.Abs(p.Move.Y) <= maxCoord):
		return errors.New("the place lies too far out")
	case !(math.Abs(p.Turn) <= 36000):
		return errors.New("the turn is over 100 rounds")
	case !(p.Size.X >= .001 && p.Size.X <= 1000 && p.Size.Y >= .001 && p.Size.Y <= 1000):
		return errors.New("the size is not between 0.001 and 1000")
	}
	return nil
}

func (v Value) validate(frames int, lo, hi float64) error {
	in := func(x float64) bool { return x >= lo && x <= hi } // false for NaN
	if len(v.Keys) == 0 && !in(v.Constant) {
		return fmt.Errorf("%g is not between %g and %g", v.Constant, lo, hi)
	}
	for _, k := range v.Keys {
		if !in(k.Value) {
			return fmt.Errorf("%g at frame %v is not between %g and %g", k.Value, k.Frame, lo, hi)
		}
	}
	return checkKeys(len(v.Keys), frames, func(i int) (Time, Ease) { return v.Keys[i].Frame, v.Keys[i].Ease })
}

// checkKeys holds for all keys: sorted by frame, one a frame, inside the shot.
func checkKeys(n, frames int, key func(int) (Time, Ease)) error {
	if n > maxKeys {
		return fmt.Errorf("more than %d keys", maxKeys)
	}
	for i := range n {
		f, e := key(i)
		if !inShot(f, frames) {
			return fmt.Errorf("a key at frame %v, outside the shot's frames 0 to %d", f, frames-1)
		}
		if e != Even && e != Held && e != Eased {
			return fmt.Errorf("ease %q is not known", e)
		}
		if i > 0 {
			if g, _ := key(i - 1); g >= f {
				return fmt.Errorf("keys are not in order: frame %v after %v", f, g)
			}
		}
	}
	return nil
}
