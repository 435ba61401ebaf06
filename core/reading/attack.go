package reading

import (
	"cmp"
	"context"
	"image"
	"math"
	"slices"
	"strings"

	"golang.org/x/image/draw"

	"celator/core/filter"
	"celator/core/geom"
)

// Picked is what an adversary makes out in a small picture.
type Picked struct {
	Text string  // line by line
	Sure float64 // of the least sure line
}

const (
	leastContrast = 6. // codes of 8 bit: below it there is nothing to see
	attackHigh    = 96 // px to which a small picture is enlarged, in at most mostEnlarged
	mostEnlarged  = 6.
	quiet         = 16 // px around it, without which letters at the rim are not found
	attackSure    = .5 // a line that is less sure is a guess
	// sharpening is how much of what a blur takes away is put on top, and its sigma, of the
	// enlarged picture's height.
	sharpening  = 1.5
	sharpenedBy = .04
)

// Attack reads luma codes of 8 bit, rows of w samples, as somebody would who wants to know
// what a treatment hides: as they are, with the contrast stretched, and sharpened, each
// enlarged. It returns what each of the three ways reads, the surest first; ways that read
// nothing are left out.
func (r *Reader) Attack(ctx context.Context, pix []float32, w, h int) ([]Picked, error) {
	if w < 4 || h < 4 || len(pix) != w*h {
		return nil, nil
	}
	lo, hi := slices.Min(pix), slices.Max(pix)
	if hi-lo < leastContrast {
		return nil, nil
	}
	var out []Picked
	for _, way := range []func() *image.RGBA{
		func() *image.RGBA { return enlarged(pix, w, h, 0, 255) },
		func() *image.RGBA { return enlarged(pix, w, h, lo, hi) },
		func() *image.RGBA { return sharpened(enlarged(pix, w, h, lo, hi)) },
	} {
		p, err := r.pick(ctx, way())
		if err != nil {
			return nil, err
		}
		if p.Text != "" {
			out = append(out, p)
		}
	}
	slices.SortStableFunc(out, func(a, b Picked) int { return cmp.Compare(b.Sure, a.Sure) })
	return out, nil
}

// pick reads all lines of a picture, from the top down; where no line is found, all of it as
// one.
func (r *Reader) pick(ctx context.Context, pic *image.RGBA) (Picked, error) {
	lines, err := r.Lines(ctx, pic, 1, nil)
	if err != nil {
		return Picked{}, err
	}
	if len(lines) == 0 {
		b := pic.Rect.Inset(quiet / 2)
		at := func(x, y int) geom.Point { return geom.Pt(float64(x), float64(y)) }
		l, err := r.Read(ctx, pic, geom.Quad{
			at(b.Min.X, b.Min.Y), at(b.Max.X, b.Min.Y), at(b.Max.X, b.Max.Y), at(b.Min.X, b.Max.Y),
		})
		if err != nil {
			return Picked{}, err
		}
		lines = append(lines, l)
	}
	slices.SortStableFunc(lines, func(a, b Line) int { return cmp.Compare(a.Quad.Centre().Y, b.Quad.Centre().Y) })
	p := Picked{Sure: 1}
	var texts []string
	for _, l := range lines {
		if l.Sure >= attackSure && Fold(l.Text) != "" {
			texts = append(texts, l.Text)
			p.Sure = min(p.Sure, l.Sure)
		}
	}
	p.Text = strings.Join(texts, " ")
	return p, nil
}

// enlarged makes codes from lo to hi a picture with a quiet rim.
func enlarged(pix []float32, w, h int, lo, hi float32) *image.RGBA {
	g := image.NewGray(image.Rect(0, 0, w, h))
	var sum float64
	for i, v := range pix {
		g.Pix[i] = uint8(min(max((v-lo)/(hi-lo)*255+.5, 0), 255))
		sum += float64(g.Pix[i])
	}
	k := min(max(attackHigh/float64(h), 1), mostEnlarged)
	bw, bh := int(math.Round(float64(w)*k)), int(math.Round(float64(h)*k))
	out := image.NewRGBA(image.Rect(0, 0, bw+2*quiet, bh+2*quiet))
	mean := uint8(sum / float64(len(pix)))
	for i := range out.Pix {
		out.Pix[i] = mean
		if i%4 == 3 {
			out.Pix[i] = 255
		}
	}
	draw.CatmullRom.Scale(out, image.Rect(quiet, quiet, quiet+bw, quiet+bh), g, g.Rect, draw.Src, nil)
	return out
}

// sharpened adds to a grey picture what a blur of it lacks.
func sharpened(pic *image.RGBA) *image.RGBA {
	w, h := pic.Rect.Dx(), pic.Rect.Dy()
	plane := make([]float32, w*h)
	for i := range plane {
		plane[i] = float32(pic.Pix[4*i])
	}
	soft := slices.Clone(plane)
	filter.Soften(soft, w, h, sharpenedBy*float64(h), sharpenedBy*float64(h))
	out := image.NewRGBA(pic.Rect)
	for i, v := range plane {
		c := uint8(min(max(v+sharpening*(v-soft[i])+.5, 0), 255))
		out.Pix[4*i], out.Pix[4*i+1], out.Pix[4*i+2], out.Pix[4*i+3] = c, c, c, 255
	}
	return out
}

// Discloses reports whether what is made out in a concealed picture gives away what the same
// part of the original reads, and by which reading: half of its letters and more.
func Discloses(original, concealed []Picked) (text string, yes bool) {
	for _, o := range original {
		if len(Fold(o.Text)) < leastDisclosed || o.Sure < surelyRead {
			continue
		}
		for _, c := range concealed {
			if len(Fold(c.Text)) >= leastDisclosed && max(Holds(c.Text, o.Text), Near(c.Text, o.Text)) >= disclosed {
				return c.Text, true
			}
		}
	}
	return "", false
}

const (
	leastDisclosed = 3 // letters or digits: fewer are read by chance
	surelyRead     = .7
	disclosed      = .55
)
