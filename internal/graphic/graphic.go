// Package graphic reads the pictures that patches lay on: PNG, JPEG and SVG, and makes
// PNGs of them. It does so in a confined child process: an SVG of two hundred bytes can
// overflow a stack, one of two thousand can keep a processor busy for minutes.
package graphic

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"image"
	"image/draw"
	_ "image/jpeg"
	"image/png"
	"io"
	"time"

	"github.com/srwiley/oksvg"
	"github.com/srwiley/rasterx"

	"celator/core/cover"
	"celator/internal/confine"
)

// role is the child's: a file on its input becomes a PNG on its output.
const role = "graphic"

func init() {
	confine.Register(role, func(c confine.Call) error {
		b, err := io.ReadAll(c.Stdin)
		if err != nil {
			return err
		}
		g, err := read(b)
		if err == nil {
			_, err = c.Out.Write(g)
		}
		return err
	})
}

// limits are generous for what is meant: the largest PNG that is taken needs 220 MB and
// two seconds, a drawing of some thousand paths less.
var limits = confine.Limits{Memory: 320 << 20, Processor: 10 * time.Second, Wall: 30 * time.Second}

// drawn is the longer side that an SVG is drawn at, px.
const drawn = 2048

// Memory is the most that reading a picture takes.
var Memory = limits.Memory

// Read returns a file's picture as a document has it, without an id. The error says in
// words what is wrong with the file, unless it is the machine's (package fault).
func Read(ctx context.Context, name string, b []byte) (cover.Graphic, error) {
	g := cover.Graphic{Name: name}
	if len(b) > cover.MaxGraphic {
		return g, fmt.Errorf("the file is larger than %d MB", cover.MaxGraphic>>20)
	}
	var out bytes.Buffer
	if err := confine.Run(ctx, confine.Job{Role: role, Limits: limits, Stdin: bytes.NewReader(b), Out: &out}); err != nil {
		if errors.Is(err, confine.ErrTooMuch) {
			err = errors.New("the picture takes too much to be drawn; make it simpler, or export it as PNG")
		}
		return g, err
	}
	c, err := png.DecodeConfig(bytes.NewReader(out.Bytes()))
	if err != nil {
		return g, err
	}
	g.Width, g.Height, g.PNG = c.Width, c.Height, out.Bytes()
	return g, nil
}

// read makes a PNG of a file's picture.
func read(b []byte) ([]byte, error) {
	var img image.Image
	if c, _, err := image.DecodeConfig(bytes.NewReader(b)); err == nil {
		if c.Width > cover.GraphicSide || c.Height > cover.GraphicSide || c.Width < 1 || c.Height < 1 {
			return nil, fmt.Errorf("the picture has %dx%d pixels; at most %d each way are taken", c.Width, c.Height,
				cover.GraphicSide)
		}
		if img, _, err = image.Decode(bytes.NewReader(b)); err != nil {
			return nil, fmt.Errorf("the picture is damaged: %w", err)
		}
	} else if bytes.Contains(b[:min(len(b), 4096)], []byte("<svg")) {
		if img, err = svg(b); err != nil {
			return nil, err
		}
	} else {
		return nil, errors.New("this is no PNG, JPEG or SVG picture")
	}
	r := img.Bounds()
	flat := image.NewNRGBA(image.Rect(0, 0, r.Dx(), r.Dy()))
	draw.Draw(flat, flat.Rect, img, r.Min, draw.Src)
	var out bytes.Buffer
	if err := png.Encode(&out, flat); err != nil {
		return nil, err
	}
	if out.Len() > cover.MaxGraphic {
		return nil, fmt.Errorf("as a PNG the picture is larger than %d MB; make it smaller", cover.MaxGraphic>>20)
	}
	return out.Bytes(), nil
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
