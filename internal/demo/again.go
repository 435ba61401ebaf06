package demo

import (
	"fmt"
	"image"
	"math"
	"math/rand/v2"

	"celator/core/geom"
)

// Reappearing is a shot with boards in it, some of which stand in other shots too.
type Reappearing struct {
	Shot
	Boards []Reappearance
}

// Reappearance is a board where it stands in a shot.
type Reappearance struct {
	Mark    int // which board it is, of all that are; those of one kind differ
	Kind    string
	First   bool // the shot shows it for the first time: as large as it is compared with
	at      func(t float64) geom.Quad
	visible func(t float64) float64
}

// Quad is where it stands on a frame: its corners from its upper left one.
func (r Reappearance) Quad(f int) geom.Quad { return r.at(float64(f)) }

// Visible is how much of it is in the picture and not hidden, 0 to 1.
func (r Reappearance) Visible(f int) float64 { return r.visible(float64(f)) }

const (
	againFor   = 13      // frames
	againCells = 9       // boards in a shot
	againShots = 4       // of which one shows boards for the first time
	againOld   = 3       // boards that each of the others shows again
	alone      = 100_000 // and more are numbers of boards that one shot shows
)

// Reappearances are n shots of a part before photographs: every fourth shows boards for the first time, and those
// after it show some of these and of those before, otherwise turned, sized, lit, filmed and coded, among others of the
// same kinds.
func Reappearances(part string, photos []image.Image, n int) (out []Reappearing) {
	seed, some := partOf(part, photos)
	for k := range n {
		r := rand.New(rand.NewPCG(uint64(seed+k), 31))
		marks := r.Perm((k/againShots + 1) * againCells)[:againCells]
		first := k%againShots == 0
		for i := range marks {
			if first {
				marks[i] = k/againShots*againCells + i
			} else if i >= againOld {
				marks[i] = alone + k*againCells + i
			}
		}
		r.Shuffle(len(marks), func(i, j int) { marks[i], marks[j] = marks[j], marks[i] })
		out = append(out, reappearing(r, seed, k, marks, first, some))
	}
	return out
}

// reappearing is a shot in which boards hang before a photograph.
func reappearing(r *rand.Rand, seed, k int, marks []int, first bool, photos []image.Image) Reappearing {
	between := func(a, b float64) float64 { return a + (b-a)*r.Float64() }
	s := photographed("boards", seed+k, "boards")
	s.Width, s.Height, s.Frames, s.Reference = 1280, 720, againFor, againFor/2
	s.Shutter, s.CRF = between(.2, .6), 19+r.IntN(9)
	s.optics = &optics{
		gain: between(.4, 1.1), read: between(.001, .004), shot: between(.0002, .001), rolls: between(0, .4), gamma: 1,
	}
	if r.IntN(3) == 0 {
		s.Broadcast = 4_000_000 + r.IntN(6_000_000)
	}
	back, over, cuts := r.IntN(len(photos)/2), r.IntN(len(photos)/2), [2]uint64{r.Uint64(), r.Uint64()}
	pan, hand, reach := geom.Pt(between(-40, 40), between(-15, 15)), r.IntN(1<<20), between(1, 4)
	camera := func(t float64) geom.Map {
		k := t/againFor - .5
		return geom.Placement(geom.Pt(640, 360), pan.Mul(k).Add(shake(t, reach, hand)), reach*k, 1+.05*k, 1+.05*k)
	}
	passes, where := !first && r.IntN(2) == 0, between(200, 1080)
	front := func(t float64) (geom.Quad, bool) {
		x := where + 10*(t-againFor/2)
		return geom.Quad{geom.Pt(x-60, 40), geom.Pt(x+60, 40), geom.Pt(x+60, 720), geom.Pt(x-60, 720)}, passes
	}
	w := Reappearing{Shot: s}
	var boards []board
	slant := 38.
	if first {
		slant = 20
	}
	for cell, mark := range marks {
		b := markOf(seed, mark, photos)
		c := geom.Pt(640+(float64(cell%3)-1)*395+between(-14, 14), 360+(float64(cell/3)-1)*225+between(-8, 8))
		most := min(330/float64(b.tex.w), 170/float64(b.tex.h))
		b.size = most * between(.6, 1)
		if !first {
			b.size = most * math.Exp(between(math.Log(.3), math.Log(1)))
		}
		b.place = pose(b.tex, c, b.size*float64(b.tex.h), between(-slant, slant), between(-.5*slant, .5*slant),
			between(-12, 12), 5)
		boards = append(boards, b)
		at := func(t float64) geom.Quad {
			return geom.Quad(corners(camera(t).Mul(b.place), 0, 0, float64(b.tex.w), float64(b.tex.h)))
		}
		seen := Target{at: at, front: front}
		w.Boards = append(w.Boards, Reappearance{
			Mark: mark, Kind: b.kind, First: first, at: at,
			visible: func(t float64) float64 { return seen.Visible(int(t), s.Width, s.Height) },
		})
	}
	w.prepare = func() func(float64) moment {
		ground := fromPhoto(photos[back], 1600, 900, cuts[0], false)
		passer := fromPhoto(photos[over], 120, 680, cuts[1], false)
		return hung(boards, ground, passer, camera, front, func(t float64) geom.Quad { return w.Boards[0].at(t) })
	}
	return w
}

// markOf is a board by its number: an emblem, one with a name, a poster, a sign or a plate.
func markOf(seed, number int, photos []image.Image) board {
	r := rand.New(rand.NewPCG(uint64(seed), uint64(1000+number)))
	between := func(a, b float64) float64 { return a + (b-a)*r.Float64() }
	kind := []string{"emblem", "emblem", "named", "named", "poster", "sign", "plate"}[r.IntN(7)]
	// A poster shows a photograph that stands nowhere else.
	photo := len(photos)/2 + number/3
	if kind == "poster" && (number >= alone || photo >= len(photos)) {
		kind = "named"
	}
	b := board{kind: kind}
	colours := []uint32{0xf2f0e8, 0xe8c84a, 0x1d4e89, 0x23303a, 0x8c2f24, 0x2f6b4a, 0xd9d4c8, 0x5a6b74, 0xc86432, 0x101418}
	colour := func() uint32 { return colours[r.IntN(len(colours))] }
	switch kind {
	case "sign", "plate":
		for b.kind = ""; b.kind != map[string]string{"sign": "text", "plate": "plate"}[kind]; {
			b = newBoard(r, between)
		}
		b.kind = kind
		return b
	case "poster":
		b.tex = fromPhoto(photos[photo], 400, 260+r.IntN(120), r.Uint64(), false)
		b.tex.rect(rgb(colour()), 0, 0, float64(b.tex.w), 40)
		b.tex.text(boldFont, 30, rgb(0xf4f4f0), 14, 32, nameOf(r), true)
		return b
	}
	high := 220 + r.IntN(120)
	b.tex = newTexture(320, high)
	ground := colour()
	b.tex.rect(rgb(ground), 0, 0, 320, float64(high))
	for range 3 + r.IntN(5) {
		ink := colour()
		for ink == ground {
			ink = colour()
		}
		x, y, s := between(60, 260), between(50, float64(high)-50), between(18, 80)
		switch r.IntN(4) {
		case 0:
			b.tex.oval(rgb(ink), x, y, s, s*between(.4, 1))
		case 1:
			n, turn := 3+r.IntN(5), between(0, 2*math.Pi)
			var xy []float64
			for i := range n {
				q := s * between(.5, 1)
				a := turn + 2*math.Pi*float64(i)/float64(n)
				xy = append(xy, x+q*math.Cos(a), y+q*math.Sin(a))
			}
			b.tex.poly(rgb(ink), xy...)
		case 2:
			b.tex.line(rgb(ink), between(6, 18), x-s, y-s*between(-1, 1), x+s, y+s*between(-1, 1))
		default:
			b.tex.rect(rgb(ink), x-s/2, y-s/3, s, s*between(.2, .8))
		}
	}
	if kind == "named" {
		b.tex.rect(rgb(0x101418), 0, float64(high)-70, 320, 70)
		b.tex.text(inks[r.IntN(len(inks))], 40, rgb(0xf4f4f0), 160, float64(high)-22, fmt.Sprint(nameOf(r)), false)
	}
	return b
}
