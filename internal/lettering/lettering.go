// Package lettering writes words into pictures that tests make.
package lettering

import (
	"image"
	"image/color"
	"image/draw"

	"golang.org/x/image/font"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/opentype"
	"golang.org/x/image/math/fixed"
)

// capital is how high the font's capitals are, of its size.
const capital = .72

// Write draws words whose capitals are of a height, px, with their lower left at a place.
func Write(on draw.Image, words string, height float64, at image.Point, ink color.Color) error {
	f, err := opentype.Parse(gobold.TTF)
	if err != nil {
		return err
	}
	face, err := opentype.NewFace(f, &opentype.FaceOptions{Size: height / capital, DPI: 72})
	if err != nil {
		return err
	}
	d := font.Drawer{Dst: on, Src: image.NewUniform(ink), Face: face, Dot: fixed.P(at.X, at.Y)}
	d.DrawString(words)
	return nil
}
