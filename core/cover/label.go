package cover

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"image"
	_ "image/png" // graphics
	"slices"
	"strings"

	"celator/core/frame"
	"celator/core/geom"
)

// Label is a text, a ring or both that follow a cover, for review copies only: a
// master never shows them.
type Label struct {
	ID     string  `json:"id"`
	Cover  string  `json:"cover" doc:"whose centre it follows"`
	Text   string  `json:"text"`
	Ring   bool    `json:"ring"`
	Size   float64 `json:"size" doc:"of the letters, px"`
	Colour string  `json:"colour"`
}

// LiveLabel is a label at a frame.
type LiveLabel struct {
	Text   string    `json:"text"`
	Size   float64   `json:"size"`
	Colour string    `json:"colour"`
	Box    geom.Rect `json:"box"` // around what it follows
	Ring   bool      `json:"ring"`
}

const maxLabels = 500

func (l *Label) validate() error {
	_, _, _, err := frame.ParseHex(l.Colour)
	switch {
	case !identifier.MatchString(l.ID):
		return errors.New("id is missing or not plain")
	case len(l.Text) > 200 || strings.ContainsAny(l.Text, "\n\r"):
		return errors.New("the text is too long, or has lines")
	case l.Text == "" && !l.Ring:
		return errors.New("it needs a text or a ring")
	case !(l.Size >= 6 && l.Size <= 400):
		return errors.New("its letters are not 6 to 400 px")
	}
	return err
}

// LabelsAt returns the labels at frame f: those of covers that are live there.
func (d *Document) LabelsAt(f int) []LiveLabel {
	var out []LiveLabel
	for _, l := range d.Labels {
		c := d.Find(l.Cover)
		if c == nil || !c.Span.Holds(f) {
			continue
		}
		var b geom.Rect
		for _, p := range c.Paths(f) {
			b = b.Union(p.Bounds())
		}
		if !b.Empty() {
			out = append(out, LiveLabel{Text: l.Text, Size: l.Size, Colour: l.Colour, Box: b, Ring: l.Ring})
		}
	}
	return out
}

// label enters a label, or changes it.
func (d *Document) label(l Label) string {
	d.Labels = slices.Clone(d.Labels)
	if i := slices.IndexFunc(d.Labels, func(x Label) bool { return x.ID == l.ID }); i >= 0 {
		d.Labels[i] = l
		return "changed the label " + l.Text
	}
	d.Labels = append(d.Labels, l)
	return "labelled " + l.Text
}

func (d *Document) unlabel(id string) (string, error) {
	i := slices.IndexFunc(d.Labels, func(x Label) bool { return x.ID == id })
	if i < 0 {
		return "", errors.New("edit: the label is not there any more")
	}
	text := d.Labels[i].Text
	d.Labels = slices.Delete(slices.Clone(d.Labels), i, i+1)
	return "removed the label " + text, nil
}

// Graphic is a picture for patches.
type Graphic struct {
	ID     string `json:"id"`
	Name   string `json:"name"`
	Width  int    `json:"width"`
	Height int    `json:"height"`
	PNG    []byte `json:"png,omitempty"`
}

// Limits of a graphic.
const (
	MaxGraphic  = 8 << 20 // bytes
	GraphicSide = 4096
	maxGraphics = 200
)

func (g *Graphic) validate() error {
	if !identifier.MatchString(g.ID) || len(g.Name) > 200 || g.Width < 1 || g.Height < 1 || g.Width > GraphicSide || g.Height > GraphicSide || len(g.PNG) > MaxGraphic {
		return errors.New("id, name or size")
	}
	if len(g.PNG) > 0 {
		c, kind, err := image.DecodeConfig(bytes.NewReader(g.PNG))
		if err != nil || kind != "png" || c.Width != g.Width || c.Height != g.Height {
			return errors.New("it is no PNG of that size")
		}
	}
	return nil
}

// GraphicOf returns the graphic with that id, or nil.
func (d *Document) GraphicOf(id string) *Graphic {
	for i := range d.Graphics {
		if d.Graphics[i].ID == id {
			return &d.Graphics[i]
		}
	}
	return nil
}

// graphic enters a graphic.
func (d *Document) graphic(g Graphic) string {
	d.Graphics = slices.Clone(d.Graphics)
	if i := slices.IndexFunc(d.Graphics, func(x Graphic) bool { return x.ID == g.ID }); i >= 0 {
		d.Graphics[i] = g
	} else {
		d.Graphics = append(d.Graphics, g)
	}
	return "brought in the graphic " + g.Name
}

// RenameGraphic gives a graphic another id, wherever it is used.
func (d *Document) RenameGraphic(old, id string) {
	if old == id {
		return
	}
	for i := range d.Graphics {
		if d.Graphics[i].ID == old {
			d.Graphics[i].ID = id
		}
	}
	for i := range d.Covers {
		ts := d.Covers[i].Treatments
		for j := range ts {
			if ts[j].Graphic == old {
				ts = slices.Clone(ts)
				ts[j].Graphic = id
				d.Covers[i].Treatments = ts
			}
		}
	}
}

// AttachGraphics gives the graphics their pictures, by id.
func (d *Document) AttachGraphics(of func(id string) []byte) {
	d.Graphics = slices.Clone(d.Graphics)
	for i := range d.Graphics {
		d.Graphics[i].PNG = of(d.Graphics[i].ID)
	}
}

// Style is a named way of concealing that many covers follow: what of a cover is
// concealing, not motion.
type Style struct {
	Treatments   []Treatment `json:"treatments"`
	Grow         Value       `json:"grow"`
	Soften       Pair        `json:"soften"`
	SoftenSide   SoftenSide  `json:"softenSide,omitempty" enum:"outside,inside,both"`
	Transparency Value       `json:"transparency,omitzero"`
}

// StyleOf returns what of a cover a style holds.
func (c *Cover) StyleOf() Style {
	n := c.clone()
	return Style{n.Treatments, n.Grow, n.Soften, n.SoftenSide, n.Transparency}
}

// Validate returns an error unless the style can be given to a cover of any shot: its
// numbers are constant, since frames are a shot's own.
func (s *Style) Validate() error {
	c := Cover{ID: "style", Name: "style", Outlines: []Outline{{ID: "o", Shape: ShapeBox, Keys: []PathKey{{Knots: geom.Box(geom.Rect{Max: geom.Pt(9, 9)})}}}}}
	c.wear(*s)
	if len(s.Treatments) == 0 {
		return errors.New("a style needs a treatment")
	}
	for _, l := range c.lanes() {
		if l.len() > 0 && c.value(l.name) != nil {
			return fmt.Errorf("%s is keyed; a style holds for all shots", said(l.name))
		}
	}
	return c.validate(1)
}

// Same reports whether two styles look alike.
func (s *Style) Same(o *Style) bool {
	a, err := json.Marshal(s.plain())
	b, err2 := json.Marshal(o.plain())
	return err == nil && err2 == nil && bytes.Equal(a, b)
}

// plain leaves out what people do not see of a style: ids.
func (s *Style) plain() Style {
	p := *s
	p.Treatments = slices.Clone(s.Treatments)
	for i := range p.Treatments {
		p.Treatments[i].ID = ""
	}
	return p
}

// wear gives a cover what a style says.
func (c *Cover) wear(s Style) {
	from := Cover{Treatments: s.Treatments, Grow: s.Grow, Soften: s.Soften, SoftenSide: s.SoftenSide, Transparency: s.Transparency}.clone()
	c.Treatments, c.Grow, c.Soften, c.SoftenSide, c.Transparency = from.Treatments, from.Grow, from.Soften, from.SoftenSide, from.Transparency
}
