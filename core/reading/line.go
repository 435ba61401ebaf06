package reading

import (
	"context"
	"image"
	"math"
	"slices"
	"strings"

	"golang.org/x/image/draw"

	"celator/core/geom"
)

const (
	lineHeight = 48   // samples
	leastWide  = 48   // samples that the network is given at least, the rest of them empty
	mostWide   = 1600 // a line of about sixty characters
	standing   = 1.5  // a box so many times as high as it is wide holds a line that runs up or down
)

// Read reads the line that stands in a box.
func (r *Reader) Read(ctx context.Context, pic *image.RGBA, q geom.Quad) (Line, error) {
	if q.Height() < standing*q.Width() {
		return r.read(ctx, pic, q)
	}
	// Along the box's height, whichever way tells more.
	down, err := r.read(ctx, pic, geom.Quad{q[1], q[2], q[3], q[0]})
	if err != nil {
		return Line{}, err
	}
	up, err := r.read(ctx, pic, geom.Quad{q[3], q[0], q[1], q[2]})
	if err != nil {
		return Line{}, err
	}
	if up.Sure > down.Sure {
		return up, nil
	}
	return down, nil
}

func (r *Reader) read(ctx context.Context, pic *image.RGBA, q geom.Quad) (Line, error) {
	l := Line{Quad: q}
	in, ok := straight(pic, q)
	if !ok {
		return l, nil
	}
	out, err := r.Net.Run(ctx, Recognise, in)
	if err != nil {
		return l, err
	}
	t := one(out)
	if err := t.check(1, -1, len(r.Keys)+2); err != nil {
		return l, err
	}
	l.Text, l.Sure = Decode(t, r.Keys)
	return l, nil
}

// straight is what lies in a box as Recognise wants it.
func straight(pic *image.RGBA, q geom.Quad) (Tensor, bool) {
	if !(q.Height() > 1) || !(q.Width() > 1) {
		return Tensor{}, false
	}
	w := int(math.Round(min(max(lineHeight*q.Width()/q.Height(), 8), mostWide)))
	m, err := geom.SquareToQuad(q)
	if err != nil {
		return Tensor{}, false
	}
	t := NewTensor(1, 3, lineHeight, max(w, leastWide))
	wide := t.Shape[3]
	// Where the line is larger than the network wants it, samples are the means of several.
	fine := int(max(1, math.Ceil(q.Height()/lineHeight)))
	n := float32(1) / float32(fine*fine)
	for y := range lineHeight {
		for x := range w {
			var sum [3]float32
			for k := range fine * fine {
				u := (float64(x) + (float64(k%fine)+.5)/float64(fine)) / float64(w)
				v := (float64(y) + (float64(k/fine)+.5)/float64(fine)) / lineHeight
				c := at(pic, m.Apply(geom.Pt(u, v)))
				for i := range sum {
					sum[i] += c[i]
				}
			}
			for c := range 3 {
				t.Data[(c*lineHeight+y)*wide+x] = sum[2-c]*n/127.5 - 1
			}
		}
	}
	return t, true
}

// at is the colour at a place, between samples linear, beyond the rim that of the rim.
func at(pic *image.RGBA, p geom.Point) (c [3]float32) {
	b := pic.Bounds()
	x, y := p.X-.5, p.Y-.5
	fx, fy := math.Floor(x), math.Floor(y)
	tx, ty := float32(x-fx), float32(y-fy)
	hold := func(v float64, lo, hi int) int { return int(min(max(v, float64(lo)), float64(hi-1))) }
	x0, x1 := hold(fx, b.Min.X, b.Max.X), hold(fx+1, b.Min.X, b.Max.X)
	y0, y1 := hold(fy, b.Min.Y, b.Max.Y), hold(fy+1, b.Min.Y, b.Max.Y)
	p00, p10 := pic.Pix[pic.PixOffset(x0, y0):], pic.Pix[pic.PixOffset(x1, y0):]
	p01, p11 := pic.Pix[pic.PixOffset(x0, y1):], pic.Pix[pic.PixOffset(x1, y1):]
	for i := range c {
		a := float32(p00[i]) + tx*(float32(p10[i])-float32(p00[i]))
		b := float32(p01[i]) + tx*(float32(p11[i])-float32(p01[i]))
		c[i] = a + ty*(b-a)
	}
	return c
}

// Decode reads what Recognise tells, 1×T×(keys+2): in each step the likeliest character, those
// that repeat once, blanks left out (Graves et al., "Connectionist temporal classification",
// ICML 2006, best path). Class 0 is the blank, the last one the space.
func Decode(t Tensor, keys []string) (text string, sure float64) {
	n := len(keys) + 2
	var chars []string
	var at []int // the step of each
	before, read := 0, 0
	for step := range t.Shape[1] {
		best := 0
		row := t.Data[step*n : (step+1)*n]
		for i, p := range row {
			if p > row[best] {
				best = i
			}
		}
		if best != 0 && best != before {
			if best == n-1 {
				chars = append(chars, " ")
			} else {
				chars = append(chars, keys[best-1])
			}
			at = append(at, step)
			sure += float64(row[best])
			read++
		}
		before = best
	}
	text = strings.Join(strings.Fields(plain.Replace(spaced(chars, at))), " ")
	if text == "" {
		return "", 0
	}
	return text, sure / float64(read)
}

// wideGap is how many times as far as usual a character stands from the one before it where
// there is a space between that the network did not tell: it was taught mostly by a script
// without any.
const wideGap = 1.75

// spaced puts characters together, with spaces where they stand wide apart.
func spaced(chars []string, at []int) string {
	var gaps []int
	for i := 1; i < len(at); i++ {
		gaps = append(gaps, at[i]-at[i-1])
	}
	slices.Sort(gaps)
	var s strings.Builder
	for i, c := range chars {
		if len(gaps) > 2 && i > 0 && float64(at[i]-at[i-1]) > wideGap*float64(gaps[len(gaps)/2]) {
			s.WriteByte(' ')
		}
		s.WriteString(c)
	}
	return s.String()
}

// plain writes the wide forms of signs that the network's alphabet has as the usual ones.
var plain = strings.NewReplacer("，", ",", "。", ".", "：", ":", "；", ";", "！", "!", "？", "?", "（", "(", "）", ")",
	"－", "-", "—", "-", "–", "-", "～", "~", "＂", `"`, "“", `"`, "”", `"`, "‘", "'", "’", "'", "／", "/", "　", " ")

// resized is a picture at another size.
func resized(pic *image.RGBA, w, h int) *image.RGBA {
	if b := pic.Bounds(); b.Min == (image.Point{}) && b.Dx() == w && b.Dy() == h {
		return pic
	}
	out := image.NewRGBA(image.Rect(0, 0, w, h))
	draw.BiLinear.Scale(out, out.Bounds(), pic, pic.Bounds(), draw.Src, nil)
	return out
}
