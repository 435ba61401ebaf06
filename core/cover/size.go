package cover

import (
	"encoding/json"
	"fmt"
)

// ErrLarge says that a change would make the document larger than MaxBytes.
var ErrLarge = fmt.Errorf("edit: the document would be larger than %d MB; take covers or keys out of it first",
	MaxBytes>>20)

// The most that parts of a document take as JSON, in bytes. A number has 25 at the most,
// a knot six of them with their names.
const (
	knotBytes  = 240
	pointBytes = 64
	keyBytes   = 240
	fixedBytes = 4096 // of a cover, a treatment, a track or a label beside these
)

// fits returns ErrLarge for a document that could not be read again. Most documents are
// so much smaller that counting their parts tells; the others are written out.
func (d *Document) fits() error {
	if d.bound() <= MaxBytes {
		return nil
	}
	b, err := json.Marshal(d.Bare())
	if err == nil && len(b) > MaxBytes {
		err = ErrLarge
	}
	return err
}

// bound is more than the document takes as JSON, in bytes.
func (d *Document) bound() int {
	n := fixedBytes * (1 + len(d.Tracks) + len(d.Labels) + len(d.Graphics) + 2*len(d.Markers))
	for i := range d.Tracks {
		n += pointBytes*len(d.Tracks[i].Surface) + 5*pointBytes*len(d.Tracks[i].Anchors)
		for _, a := range d.Tracks[i].Anchors {
			n += pointBytes * len(a.Points)
		}
	}
	for i := range d.Covers {
		c := &d.Covers[i]
		n += fixedBytes*(1+len(c.Treatments)) + 128*len(c.HoldsOut) + keyBytes*len(c.Motion.Keys)
		for _, o := range c.Outlines {
			n += 200 + keyBytes*len(o.Keys)
			for _, k := range o.Keys {
				n += knotBytes * len(k.Knots)
			}
		}
		n += keyBytes * keysOf(c.Grow, c.Soften.Across, c.Soften.Down, c.Transparency)
		for _, t := range c.Treatments {
			n += keyBytes * keysOf(t.Strength, t.Sigma.Across, t.Sigma.Down, t.Cell.Across, t.Cell.Down, t.Level, t.Grain,
				t.Shading, t.Scale, t.Shift.Across, t.Shift.Down, t.Light)
		}
		if p := c.Proposed; p != nil {
			n += keyBytes * (len(p.Accepted) + len(p.Strokes))
			for _, s := range p.Strokes {
				n += pointBytes * len(s.Points)
			}
		}
	}
	return n
}

func keysOf(values ...Value) (n int) {
	for _, v := range values {
		n += len(v.Keys)
	}
	return n
}

// Bytes is about what mattes take in memory.
func (m *Mattes) Bytes() int64 {
	n := int64(0)
	for _, f := range m.Frames {
		n += 96 + int64(len(f.PNG))
	}
	return n
}

// Bytes is about what a document takes in memory, with all that it points at.
func (d *Document) Bytes() int64 {
	n := int64(d.bound()) / 2
	for _, t := range d.Tracks {
		if t.Poses != nil {
			n += 120 * int64(len(t.Poses.States))
			for _, b := range t.Poses.Bends {
				n += 24 + 8*int64(len(b))
			}
			for _, p := range t.Poses.Places {
				n += 24 + 8*int64(len(p))
			}
		}
	}
	for _, c := range d.Covers {
		if c.Proposed != nil && c.Proposed.Mattes != nil {
			n += c.Proposed.Mattes.Bytes()
		}
	}
	for _, g := range d.Graphics {
		n += int64(len(g.PNG))
	}
	return n
}
