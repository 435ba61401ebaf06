package follow

import (
	"bytes"
	"image"
	"image/png"

	"celator/core/cover"
	"celator/core/geom"
	"celator/core/holdout"
)

// Matte packs what was found on a frame: the part of the matte that is not empty. Errors are those of image/png.
func Matte(found holdout.Found) (cover.MatteFrame, error) {
	m := cover.MatteFrame{Share: found.Share}
	if found.Moved {
		m.Move = &geom.Point{X: found.Move.X, Y: found.Move.Y}
	}
	w := found.Rect.Dx()
	part := image.Rectangle{}
	for i, v := range found.Pix {
		if v > 0 {
			part = part.Union(image.Rect(i%w, i/w, i%w+1, i/w+1))
		}
	}
	if part.Empty() {
		return m, nil
	}
	g := &image.Gray{Pix: found.Pix, Stride: w, Rect: image.Rect(0, 0, w, found.Rect.Dy())}
	cut := image.NewGray(image.Rect(0, 0, part.Dx(), part.Dy()))
	for y := range part.Dy() {
		copy(cut.Pix[y*cut.Stride:][:part.Dx()], g.Pix[(part.Min.Y+y)*w+part.Min.X:])
	}
	var b bytes.Buffer
	err := (&png.Encoder{CompressionLevel: png.BestSpeed}).Encode(&b, cut)
	m.X, m.Y, m.PNG = found.Rect.Min.X+part.Min.X, found.Rect.Min.Y+part.Min.Y, b.Bytes()
	return m, err
}
