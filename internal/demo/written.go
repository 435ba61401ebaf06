package demo

import (
	"fmt"
	"image"
	"image/color"
	"math"
	"math/rand/v2"
	"strings"

	"golang.org/x/image/font"
	"golang.org/x/image/font/gofont/goitalic"
	"golang.org/x/image/font/gofont/gomedium"
	"golang.org/x/image/font/gofont/goregular"
	"golang.org/x/image/font/opentype"

	"celator/core/geom"
)

// Written is a shot with things to read in it, and where each of them is.
type Written struct {
	Shot
	Targets []Target
}

// Target is a line that stands in a shot.
type Target struct {
	Text    string
	Kind    string  // plate, number, phone, text
	Letters float64 // how high its capitals stand in the middle of the shot, px
	Light   float64 // by how much its ink differs from its ground, of what white differs from black
	at      func(t float64) geom.Quad
	front   func(t float64) (geom.Quad, bool)
}

// Quad is where it stands on a frame: a box around its capitals.
func (t Target) Quad(f int) geom.Quad { return t.at(float64(f)) }

// Visible is how much of it is in the picture on a frame and not hidden, 0 to 1.
func (t Target) Visible(f, width, height int) float64 {
	q := t.Quad(f)
	front, hides := t.front(float64(f))
	const n = 20
	seen := 0
	for k := range n * 4 {
		u, v := (float64(k%n)+.5)/n, (float64(k/n)+.5)/4
		p := q[0].Lerp(q[1], u).Lerp(q[3].Lerp(q[2], u), v)
		if p.X >= 0 && p.Y >= 0 && p.X < float64(width) && p.Y < float64(height) && !(hides && front.Holds(p)) {
			seen++
		}
	}
	return float64(seen) / (4 * n)
}

// Writtens are n shots of a part before photographs, eight lines and more in each.
func Writtens(part string, photos []image.Image, n int) (out []Written) {
	seed, some := partOf(part, photos)
	for k := range n {
		out = append(out, written(seed+k, some))
	}
	return out
}

var inks = []*opentype.Font{
	boldFont, boldFont, parse(gomedium.TTF), parse(goregular.TTF), parse(goitalic.TTF), monoFont,
}

const (
	letterHigh = 64 // of capitals on a board as it is painted, px
	capital    = .72
	writtenFor = 50 // frames
)

// written is a shot in which signs hang before a photograph, turned this way and that, filmed from the hand.
func written(seed int, photos []image.Image) Written {
	r := rand.New(rand.NewPCG(uint64(seed), 23))
	between := func(a, b float64) float64 { return a + (b-a)*r.Float64() }
	s := photographed("writing", seed, "writing")
	s.Width, s.Height, s.Frames, s.Reference = 1280, 720, writtenFor, writtenFor/2
	s.Shutter, s.CRF = between(.2, .8), 19+r.IntN(11)
	s.optics = &optics{
		gain: between(.35, 1.1), read: between(.001, .005), shot: between(.0002, .0015), rolls: between(0, .4), gamma: 1,
	}
	if r.IntN(3) == 0 {
		s.Broadcast = 3_000_000 + r.IntN(6_000_000)
	}
	back, over := r.IntN(len(photos)), r.IntN(len(photos))
	cuts := [2]uint64{r.Uint64(), r.Uint64()}
	pan, grow, hand := geom.Pt(between(-90, 90), between(-30, 30)), between(-.12, .12), r.IntN(1<<20)
	reach := between(1, 7)
	camera := func(t float64) geom.Map {
		k := t/writtenFor - .5
		return geom.Placement(geom.Pt(640, 360), pan.Mul(k).Add(shake(t, reach, hand)), 2*reach*k, 1+grow*k, 1+grow*k)
	}
	passes := r.IntN(3) == 0
	speed, side := between(14, 26), float64(1-2*r.IntN(2))
	front := func(t float64) (geom.Quad, bool) {
		x := 640 + side*speed*(t-writtenFor/2)
		return geom.Quad{geom.Pt(x-70, 60), geom.Pt(x+70, 60), geom.Pt(x+70, 720), geom.Pt(x-70, 720)}, passes
	}
	w := Written{Shot: s}
	var boards []board
	for cell := range 9 {
		b := newBoard(r, between)
		c := geom.Pt(640+(float64(cell%3)-1)*395+between(-20, 20), 360+(float64(cell/3)-1)*225+between(-14, 14))
		b.size = min(math.Exp(between(math.Log(10), math.Log(70)))/letterHigh, 350/float64(b.tex.w), 180/float64(b.tex.h))
		b.place = pose(b.tex, c, b.size*float64(b.tex.h), between(-38, 38), between(-22, 22), between(-9, 9), 5)
		boards = append(boards, b)
		for _, l := range b.lines {
			w.Targets = append(w.Targets, Target{
				Text: l.text, Kind: b.kind, Letters: b.size * letterHigh, Light: b.contrast, front: front,
				at: func(t float64) geom.Quad {
					return geom.Quad(corners(camera(t).Mul(b.place), l.x, l.y, l.w, letterHigh))
				},
			})
		}
	}
	w.prepare = func() func(float64) moment {
		ground := fromPhoto(photos[back], 1600, 900, cuts[0], false)
		passer := fromPhoto(photos[over], 140, 660, cuts[1], false)
		return hung(boards, ground, passer, camera, front, func(t float64) geom.Quad { return w.Targets[0].at(t) })
	}
	return w
}

// hung shows boards before a photograph, seen by a camera, while something may pass.
func hung(boards []board, ground, passer *texture, camera func(t float64) geom.Map,
	front func(t float64) (geom.Quad, bool), surface func(t float64) geom.Quad,
) func(float64) moment {
	ground.finish()
	passer.finish()
	for _, b := range boards {
		b.tex.linear()
		b.tex.finish()
	}
	return func(t float64) moment {
		cam := camera(t)
		m := moment{layers: []layer{{tex: ground, light: 1, at: cam.Mul(geom.Translate(geom.Pt(-160, -90)))}}}
		for _, b := range boards {
			m.layers = append(m.layers, layer{tex: b.tex, light: 1, at: cam.Mul(b.place)})
		}
		if q, yes := front(t); yes {
			m.layers = append(m.layers, layer{tex: passer, light: 1, front: true, at: geom.Translate(q[0])})
		}
		m.surface = surface(t)
		return m
	}
}

// board is something that is written on.
type board struct {
	kind     string
	tex      *texture
	lines    []writtenLine
	contrast float64
	size     float64 // by how much it is drawn smaller
	place    geom.Map
}

type writtenLine struct {
	text    string
	x, y, w float64 // of the box around its capitals
}

// newBoard paints one, of a kind that is drawn.
func newBoard(r *rand.Rand, between func(a, b float64) float64) board {
	b := board{kind: []string{"plate", "plate", "text", "text", "text", "number", "phone", "screen"}[r.IntN(8)]}
	f := inks[r.IntN(len(inks))]
	grounds := []uint32{0xf2f0e8, 0xe8c84a, 0x1d4e89, 0x23303a, 0x8c2f24, 0x2f6b4a, 0xd9d4c8, 0x5a6b74}
	back := rgb(grounds[r.IntN(len(grounds))])
	var texts []string
	switch b.kind {
	case "plate":
		f, back = boldFont, rgb([]uint32{0xf4f3ee, 0xf4f3ee, 0xe9c93f}[r.IntN(3)])
		texts = []string{plateOf(r)}
	case "number":
		texts = []string{fmt.Sprint(2 + r.IntN(97))}
	case "phone":
		texts = []string{fmt.Sprintf("0%d %d %03d", 300+r.IntN(600), 200+r.IntN(700), r.IntN(1000))}
	case "screen":
		f, back = inks[2+r.IntN(4)], rgb(0x10161c)
		texts = []string{nameOf(r), fmt.Sprintf("%02d:%02d %s", r.IntN(24), r.IntN(60), nameOf(r))}
		b.kind = "text"
	default:
		for range 1 + r.IntN(2) {
			texts = append(texts, nameOf(r))
		}
		if r.IntN(2) == 0 {
			texts[0] = strings.ToUpper(texts[0])
		}
	}
	light := .299*float64(back.R) + .587*float64(back.G) + .114*float64(back.B)
	ink := rgb([]uint32{0x101418, 0x101418, 0x6b1f17, 0x12385e}[r.IntN(4)])
	if light < 120 {
		ink = rgb([]uint32{0xf4f4f0, 0xf4f4f0, 0xf0d860, 0x9be0b0}[r.IntN(4)])
	}
	if r.IntN(5) == 0 { // faded
		mix := func(a, b uint8) uint8 { return uint8(.5*float64(a) + .5*float64(b)) }
		ink = color.NRGBA{mix(ink.R, back.R), mix(ink.G, back.G), mix(ink.B, back.B), 255}
	}
	b.contrast = math.Abs(light-(.299*float64(ink.R)+.587*float64(ink.G)+.114*float64(ink.B))) / 255
	size := letterHigh / capital
	wide := 0.
	for _, t := range texts {
		wide = max(wide, measure(f, size, t))
	}
	const pad, step = 46, 120
	b.tex = newTexture(int(wide)+2*pad+30, step*len(texts)+56)
	b.tex.rect(back, 0, 0, float64(b.tex.w), float64(b.tex.h))
	if b.kind == "plate" {
		b.tex.rect(rgb(0x2a4fa0), 0, 0, 26, float64(b.tex.h))
	}
	if r.IntN(2) == 0 {
		b.tex.grit(0, 0, b.tex.w, b.tex.h, 40, 40, between(.02, .15), r.IntN(1000))
	}
	for i, t := range texts {
		l := writtenLine{text: t, x: pad + 15, y: 60 + float64(step*i), w: measure(f, size, t)}
		b.tex.text(f, size, ink, l.x, l.y+letterHigh, t, true)
		b.lines = append(b.lines, l)
	}
	return b
}

func measure(f *opentype.Font, size float64, s string) float64 {
	face, err := opentype.NewFace(f, &opentype.FaceOptions{Size: size, DPI: 72, Hinting: font.HintingNone})
	if err != nil {
		panic(err)
	}
	return float64(font.MeasureString(face, s)) / 64
}

// plateOf is a plate of the places that the demo plays in.
func plateOf(r *rand.Rand) string {
	letter := func() string { return string(rune('A' + r.IntN(26))) }
	switch r.IntN(3) {
	case 0:
		return fmt.Sprintf("%s%s %d %s%s", letter(), letter(), 10+r.IntN(90), letter(), letter())
	case 1:
		return fmt.Sprintf("%s%s%s %d", letter(), letter(), letter(), 100+r.IntN(900))
	}
	return fmt.Sprintf("%s %d %s", letter(), 100+r.IntN(9000), letter())
}

// nameOf is a made-up place or trade.
func nameOf(r *rand.Rand) string {
	heads := []string{"Vel", "Ors", "Tren", "Skarn", "Hask", "Ott", "Ferr", "Brann", "Mord", "Quill", "Dun", "Pell"}
	tails := []string{"mouth", "holm", "nick", "haven", "ersund", "wick", "stow", "berry", "marsh", "ock", "dale", "combe"}
	name := heads[r.IntN(len(heads))] + tails[r.IntN(len(tails))]
	switch r.IntN(4) {
	case 0:
		return name + " " + []string{"Quay", "Bay", "Lane", "Bakery", "Ferry", "Boats"}[r.IntN(6)]
	case 1:
		return name + " & " + heads[r.IntN(len(heads))] + "er"
	}
	return name
}
