package cover

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"slices"

	"celator/core/geom"
)

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
	c := Cover{ID: "style", Name: "style", Outlines: []Outline{
		{ID: "o", Shape: ShapeBox, Keys: []PathKey{{Knots: geom.Box(geom.Rect{Max: geom.Pt(9, 9)})}}},
	}}
	c.Take(*s)
	if len(s.Treatments) == 0 {
		return errors.New("a style needs a treatment")
	}
	for _, l := range c.lanes() {
		if l.len() > 0 && c.value(l.name) != nil {
			return fmt.Errorf("%s is keyed; a style holds for all shots", LaneTitle(l.name))
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

// Follows reports whether the cover follows a style of that id and looks as it says.
func (c *Cover) Follows(id string, s *Style) bool {
	has := c.StyleOf()
	return c.Style == id && has.Same(s)
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

// Take gives a cover what a style says.
func (c *Cover) Take(s Style) {
	from := Cover{
		Treatments: s.Treatments, Grow: s.Grow, Soften: s.Soften, SoftenSide: s.SoftenSide,
		Transparency: s.Transparency,
	}.clone()
	c.Treatments, c.Grow, c.Soften, c.SoftenSide, c.Transparency = from.Treatments, from.Grow, from.Soften,
		from.SoftenSide, from.Transparency
}
