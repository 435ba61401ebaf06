package main

import (
	"context"
	"fmt"
	"image"
	"math"
	"math/rand"
	"strings"

	"golang.org/x/image/font"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/opentype"
	"golang.org/x/image/math/fixed"

	"celator/core/check"
	"celator/core/cover"
	"celator/core/frame"
	"celator/core/geom"
	"celator/core/treat"
	"celator/dev/floor"
	"celator/internal/reader"
)

const signs = "ABCDEFGHJKLMNPRSTUVXYZ23456789"

// board is a made-up plate, sign or number.
type board struct {
	text  string
	pic   *frame.Picture
	live  cover.Live
	cells []image.Rectangle // of the letters
	face  font.Face
	ink   float64
	paper float64
}

var bold = func() *opentype.Font {
	f, err := opentype.Parse(gobold.TTF)
	must(err)
	return f
}()

// draw makes one: letters of a height on paper, moved by a part of a pixel.
func draw(rng *rand.Rand, text string, height float64, ink, paper, noise float64, shift geom.Point) board {
	face, err := opentype.NewFace(bold, &opentype.FaceOptions{Size: height * 1.4, DPI: 72})
	must(err)
	b := board{text: text, face: face, ink: ink, paper: paper}
	w, h := int(height*1.15*float64(len(text)))+80, int(height*1.8)+60
	w, h = w&^1, h&^1
	b.pic = frame.New(frame.Format{
		Width: w, Height: h, Depth: 8, SubX: 1, SubY: 1, Range: frame.Limited,
		Matrix: frame.BT709,
	}, nil)
	mask := image.NewAlpha(image.Rect(0, 0, w, h))
	d := font.Drawer{Dst: mask, Src: image.Opaque, Face: face}
	x, y := 40+height*.2+shift.X, 30+height*1.35+shift.Y
	for _, r := range text {
		d.Dot = fixed.Point26_6{X: fixed.Int26_6(x * 64), Y: fixed.Int26_6(y * 64)}
		d.DrawString(string(r))
		step := float64(d.Dot.X)/64 - x
		b.cells = append(b.cells, image.Rect(int(x), int(y-height*1.1), int(x+step+1), int(y+2)))
		x += step + height*.08
	}
	box := geom.Rect{Min: geom.Pt(40+shift.X, 30+shift.Y), Max: geom.Pt(x+height*.12, 30+height*1.6+shift.Y)}
	for v := range h {
		for u := range w {
			p := 110.
			if float64(u) >= box.Min.X && float64(u) < box.Max.X && float64(v) >= box.Min.Y && float64(v) < box.Max.Y {
				a := float64(mask.Pix[v*mask.Stride+u]) / 255
				p = paper + (ink-paper)*a
			}
			b.pic.Planes[0][v*w+u] = byte(min(max(p+noise*rng.NormFloat64(), 16), 235))
		}
	}
	for c := 1; c < 3; c++ {
		for i := range b.pic.Planes[c] {
			b.pic.Planes[c][i] = 128
		}
	}
	b.live = cover.Live{Cover: "c", Map: geom.Identity, Form: cover.Form{Paths: []geom.Path{geom.Box(box)}}}
	return b
}

// template reads each letter where it is known to be, by the one whose form correlates
// best with what is seen: better than any person could.
func (b *board) template(pix []float32, w int) (right int) {
	for k, cell := range b.cells {
		best, most := ' ', -2.
		for _, r := range signs {
			mask := image.NewAlpha(cell)
			d := font.Drawer{Dst: mask, Src: image.Opaque, Face: b.face}
			adv, _ := b.face.GlyphAdvance(r)
			x := fixed.I(cell.Min.X) + (fixed.I(cell.Dx())-adv)/2
			d.Dot = fixed.Point26_6{X: x, Y: fixed.I(cell.Max.Y - 2)}
			d.DrawString(string(r))
			var n, a, p, aa, pp, ap float64
			for y := cell.Min.Y; y < cell.Max.Y; y++ {
				for x := cell.Min.X; x < cell.Max.X; x++ {
					if y < 0 || x < 0 || x >= w || y*w+x >= len(pix) {
						continue
					}
					u, v := float64(mask.AlphaAt(x, y).A), float64(pix[y*w+x])
					n, a, p, aa, pp, ap = n+1, a+u, p+v, aa+u*u, pp+v*v, ap+u*v
				}
			}
			c := (ap - a*p/n) / math.Sqrt((aa-a*a/n)*(pp-p*p/n)+1)
			if b.ink < b.paper {
				c = -c
			}
			if c > most {
				best, most = r, c
			}
		}
		if best == rune(b.text[k]) {
			right++
		}
	}
	return right
}

// share of the letters that are in what was read, in order (longest common subsequence).
func common(a, b string) int {
	t := make([][]int, len(a)+1)
	for i := range t {
		t[i] = make([]int, len(b)+1)
	}
	for i := range a {
		for j := range b {
			if t[i+1][j+1] = max(t[i][j+1], t[i+1][j]); a[i] == b[j] {
				t[i+1][j+1] = t[i][j] + 1
			}
		}
	}
	return t[len(a)][len(b)]
}

func plain(s string) string {
	return strings.Map(func(r rune) rune {
		if r >= 'a' && r <= 'z' {
			return r - 32
		}
		if r >= 'A' && r <= 'Z' || r >= '0' && r <= '9' {
			return r
		}
		return -1
	}, s)
}

// readings holds what the check says of single frames against what a machine reads.
func readings() {
	rng := rand.New(rand.NewSource(11))
	const n = 200
	agree, passed, readable := 0, 0, 0
	for i := range n {
		text := ""
		for range 5 + rng.Intn(3) {
			text += string(signs[rng.Intn(len(signs))])
		}
		height := 14 * math.Pow(5, rng.Float64())
		ink, paper := 40+30*rng.Float64(), 180+40*rng.Float64()
		if rng.Intn(3) == 0 {
			ink, paper = paper, ink
		}
		b := draw(rng, text, height, ink, paper, 2*rng.Float64(), geom.Pt(rng.Float64(), rng.Float64()))
		var t cover.LiveTreatment
		k := math.Pow(2, -4+6*rng.Float64()) // of a letter's height
		switch i % 5 {
		case 0, 1:
			t = cover.LiveTreatment{Kind: cover.Blur, Strength: 1, Sigma: geom.Pt(max(k*height*.5, .6), max(k*height*.5, .6))}
		case 2, 3:
			t = cover.LiveTreatment{Kind: cover.Mosaic, Strength: 1, Cell: geom.Pt(max(k*height, 2), max(k*height, 2))}
		case 4:
			t = cover.LiveTreatment{Kind: cover.Fill, Strength: []float64{1, .99, .95, .8, .5}[rng.Intn(5)], Colour: "#707070"}
		}
		b.live.Treatments = []cover.LiveTreatment{t}
		now := b.pic.Clone()
		treat.Conceal(now, []cover.Live{b.live}, nil)
		says := check.SeeThrough(b.pic, now, check.Hidden(b.live, now.Width, now.Height))
		v := now.Read(0, now.Rect())
		// What a person would look at: only the plate.
		bb := b.live.Paths[0].Bounds()
		r := image.Rect(int(bb.Min.X), int(bb.Min.Y), int(bb.Max.X), int(bb.Max.Y))
		pix := make([]float32, 0, r.Dx()*r.Dy())
		for y := r.Min.Y; y < r.Max.Y; y++ {
			pix = append(pix, v.Pix[y*now.Width+r.Min.X:y*now.Width+r.Max.X]...)
		}
		read := common(text, plain(machineReads(pix, r.Dx(), r.Dy())))
		tmpl := b.template(v.Pix, now.Width)
		// Half of it read by a machine that knows nothing is a disclosure; a reader that
		// knows the letters and their places must do better.
		yes := 2*read >= len(text) || 4*tmpl >= 3*len(text)
		if yes {
			readable++
		}
		if yes == says.Readable {
			agree++
		} else if each || yes {
			fmt.Printf("    %s %.0f px %s %.2f: detail %.2f, a machine reads %d of %d, templates %d\n", text, height, t.Kind,
				k, says.Detail, read, len(text), tmpl)
		}
		if yes && !says.Readable {
			passed++
		}
	}
	fmt.Printf("reading: %d renderings, %d readable by machine; the check agrees in %.1f %%, readable ones "+
		"passed: %d\n", n, readable, 100*float64(agree)/n, passed)
	floor.AtMost("readable renderings that passed", float64(passed), 0)
}

// machine reads as the check's adversary does.
var machine = reader.New(reader.Dir(), 1)

// machineReads is all that it makes out in luma codes of 8 bit, rows of w samples.
func machineReads(pix []float32, w, h int) string {
	by, err := machine.Reader()
	must(err)
	seen, err := by.Attack(context.Background(), pix, w, h)
	must(err)
	if len(seen) == 0 {
		return ""
	}
	return seen[0].Text
}
