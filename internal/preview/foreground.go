package preview

import (
	"image"

	"golang.org/x/image/draw"

	"celator/core/cover"
	"celator/core/raster"
)

// Foreground returns what a holdout of a picture holds out, as a grey picture of a view's
// size: white in front.
func Foreground(form cover.Form, width, height, viewW, viewH int) *image.Gray {
	p := raster.Foreground([]cover.Form{form}, width, height)
	g := image.NewGray(p.Rect)
	for i, v := range p.Pix {
		g.Pix[i] = uint8(v*255 + .5)
	}
	if viewW == width && viewH == height {
		return g
	}
	out := image.NewGray(image.Rect(0, 0, viewW, viewH))
	draw.ApproxBiLinear.Scale(out, out.Rect, g, g.Rect, draw.Src, nil)
	return out
}
