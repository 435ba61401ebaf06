// Package graphic reads the pictures that patches lay on: PNG, JPEG and SVG, and makes
// PNGs of them.
package graphic

import (
	"bytes"
	"errors"
	"fmt"
	"image"
	"image/draw"
	_ "image/jpeg"
	"image/png"

	"github.com/srwiley/oksvg"
	"github.com/srwiley/rasterx"

	"celator/core/cover"
)

// drawn is the longer side that an SVG is drawn at, px.
const drawn = 2048

// Read returns a file's picture as a document has it, without an id. The error says in
// words what is wrong with the file.
func Read(name string, b []byte) (cover.Graphic, error) {
	g := cover.Graphic{Name: name}
	if len(b) > cover.MaxGraphic {
		return g, fmt.Errorf("the file is larger than %d MB", cover.MaxGraphic>>20)
	}
	var img image.Image
	if c, _, err := image.DecodeConfig(bytes.NewReader(b)); err == nil {
		if c.Width > cover.GraphicSide || c.Height > cover.GraphicSide || c.Width < 1 || c.Height < 1 {
			return g, fmt.Errorf("the picture has %dx%d pixels; at most %d each way are taken", c.Width, c.Height, cover.GraphicSide)
		}
		if img, _, err = image.Decode(bytes.NewReader(b)); err != nil {
			return g, fmt.Errorf("the picture is damaged: %w", err)
		}
	} else if bytes.Contains(b[:min(len(b), 4096)], []byte("<svg")) {
		if img, err = svg(b); err != nil {
			return g, err
		}
	} else {
		return g, errors.New("this is no PNG, JPEG or SVG picture")
	}
	r := img.Bounds()
	flat := image.NewNRGBA(image.Rect(0, 0, r.Dx(), r.Dy()))
	draw.Draw(flat, flat.Rect, img, r.Min, draw.Src)
	var out bytes.Buffer
	if err := png.Encode(&out, flat); err != nil {
		return g, err
	}
	if out.Len() > cover.MaxGraphic {
		return g, fmt.Errorf("as a PNG the picture is larger than %d MB; make it smaller", cover.MaxGraphic>>20)
	}
	g.Width, g.Height, g.PNG = r.Dx(), r.Dy(), out.Bytes()
	return g, nil
}

// svg draws an SVG. What the renderer does not know (text, scripts, references to other
// files) is an error, so that nothing is left out silently.
func svg(b []byte) (img image.Image, err error) {
	defer func() { // the renderer trusts its input
		if p := recover(); p != nil {
			err = errors.New("the SVG cannot be drawn")
		}
	}()
	icon, err := oksvg.ReadIconStream(bytes.NewReader(b), oksvg.StrictErrorMode)
	if err != nil {
		return nil, fmt.Errorf("the SVG cannot be drawn (%v); turn text into paths, or export it as PNG", err)
	}
	w, h := icon.ViewBox.W, icon.ViewBox.H
	if !(w > 0 && h > 0 && w < 1e6 && h < 1e6) {
		return nil, errors.New("the SVG has no viewBox, so its size is not known")
	}
	k := drawn / max(w, h)
	pw, ph := max(int(w*k+.5), 1), max(int(h*k+.5), 1)
	out := image.NewRGBA(image.Rect(0, 0, pw, ph))
	icon.SetTarget(0, 0, float64(pw), float64(ph))
	icon.Draw(rasterx.NewDasher(pw, ph, rasterx.NewScannerGV(pw, ph, out, out.Rect)), 1)
	return out, nil
}
