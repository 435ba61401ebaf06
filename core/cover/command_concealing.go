package cover

import (
	"errors"
	"slices"
)

// SetTreatments gives a cover all its treatments, in order.
type SetTreatments struct {
	Cover      string      `json:"cover"`
	Treatments []Treatment `json:"treatments"`
}

func (e SetTreatments) about() subject { return subject{cover: e.Cover} }

func (e SetTreatments) apply(d *draft) (string, error) {
	c, err := d.drawn(e.Cover)
	if err != nil {
		return "", err
	}
	c.Treatments = slices.Clone(e.Treatments)
	for i := range c.Treatments {
		c.Treatments[i] = c.Treatments[i].clone()
	}
	return "changed the treatment of " + c.Name, nil
}

// SoftenOn says where a cover's soft edge lies.
type SoftenOn struct {
	Cover string `json:"cover"`
	Side  string `json:"name" enum:"outside,inside,both"`
}

func (e SoftenOn) about() subject { return subject{cover: e.Cover} }

func (e SoftenOn) apply(d *draft) (string, error) {
	c, err := d.drawn(e.Cover)
	if err != nil {
		return "", err
	}
	c.SoftenSide = SoftenSide(e.Side)
	if e.Side == "outside" {
		c.SoftenSide = SoftenOutside
	}
	how := map[SoftenSide]string{
		SoftenOutside: "outside its outline",
		SoftenInside:  "inside its outline",
		SoftenBoth:    "on both sides of its outline",
	}[c.SoftenSide]
	return "softened " + c.Name + " " + how, nil
}

// FollowStyle gives a cover a house style, with what it says now. Without one the cover
// follows none any more, and looks as it did.
type FollowStyle struct {
	Cover string `json:"cover"`
	ID    string `json:"id,omitempty" doc:"of the house style"`
	Style *Style `json:"style,omitempty"`
}

func (e FollowStyle) about() subject { return subject{cover: e.Cover} }

func (e FollowStyle) apply(d *draft) (string, error) {
	c, err := d.drawn(e.Cover)
	if err != nil {
		return "", err
	}
	if e.Style == nil {
		c.Style = ""
		return c.Name + " follows no house style any more", nil
	}
	if e.ID == "" {
		return "", errors.New("edit: style needs the style’s id")
	}
	c.Style = e.ID
	c.Take(*e.Style)
	return "gave " + c.Name + " a house style", nil
}
