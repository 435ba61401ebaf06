package main

import (
	"bytes"
	"context"
	"errors"
	"image"
	"image/png"
	"io"
	"os/exec"

	"celator/core/cover"
)

// fronts reads what truly passes in front, a little widened, as mattes; nil where
// nothing does.
func fronts(ctx context.Context, path string, w, h int) *cover.Mattes {
	cmd := exec.CommandContext(ctx, "ffmpeg", "-nostdin", "-v", "error", "-i", path, "-f", "rawvideo", "-pix_fmt",
		"gray", "pipe:1")
	from, err := cmd.StdoutPipe()
	must(err)
	must(cmd.Start())
	defer cmd.Wait()
	out := &cover.Mattes{}
	any := false
	g := image.NewGray(image.Rect(0, 0, w, h))
	for {
		if _, err := io.ReadFull(from, g.Pix); errors.Is(err, io.EOF) {
			break
		} else {
			must(err)
		}
		var m cover.MatteFrame
		var b image.Rectangle
		for y := range h {
			for x, v := range g.Pix[y*w:][:w] {
				if v > 8 {
					b = b.Union(image.Rect(x, y, x+1, y+1))
				}
			}
		}
		if !b.Empty() {
			any = true
			var buf bytes.Buffer
			cut := image.NewGray(image.Rect(0, 0, b.Dx(), b.Dy()))
			for y := range b.Dy() {
				copy(cut.Pix[y*cut.Stride:][:b.Dx()], g.Pix[(b.Min.Y+y)*g.Stride+b.Min.X:])
			}
			must(png.Encode(&buf, cut))
			m.X, m.Y, m.PNG = b.Min.X, b.Min.Y, buf.Bytes()
		}
		out.Frames = append(out.Frames, m)
	}
	if !any {
		return nil
	}
	return out
}
