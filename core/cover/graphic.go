package cover

import (
	"bytes"
	"errors"
	"image"
	_ "image/png" // graphics
	"slices"
)

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
	if !identifier.MatchString(g.ID) || len(g.Name) > 200 || g.Width < 1 || g.Height < 1 || g.Width > GraphicSide ||
		g.Height > GraphicSide || len(g.PNG) > MaxGraphic {
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
