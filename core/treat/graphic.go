package treat

import (
	"bytes"
	"image/png"
)

// Graphic is a picture that a patch lays on: premultiplied R', G', B' and alpha, 0 to 1,
// at its own size and its halves.
type Graphic struct {
	w, h   int
	levels []level
}

type level struct {
	w, h int
	pix  [][4]float32
}

// NewGraphic decodes a graphic of a document.
func NewGraphic(b []byte) (*Graphic, error) {
	img, err := png.Decode(bytes.NewReader(b))
	if err != nil {
		return nil, err
	}
	r := img.Bounds()
	g := &Graphic{w: r.Dx(), h: r.Dy()}
	l := level{g.w, g.h, make([][4]float32, g.w*g.h)}
	for y := range l.h {
		for x := range l.w {
			cr, cg, cb, ca := img.At(r.Min.X+x, r.Min.Y+y).RGBA()
			l.pix[y*l.w+x] = [4]float32{float32(cr) / 65535, float32(cg) / 65535, float32(cb) / 65535, float32(ca) / 65535}
		}
	}
	g.levels = append(g.levels, l)
	for l.w > 1 || l.h > 1 {
		n := level{(l.w + 1) / 2, (l.h + 1) / 2, nil}
		n.pix = make([][4]float32, n.w*n.h)
		for y := range n.h {
			for x := range n.w {
				var s [4]float32
				for k := range 4 {
					q := l.pix[min(2*y+k/2, l.h-1)*l.w+min(2*x+k%2, l.w-1)]
					for c := range s {
						s[c] += q[c] / 4
					}
				}
				n.pix[y*n.w+x] = s
			}
		}
		g.levels = append(g.levels, n)
		l = n
	}
	return g, nil
}
