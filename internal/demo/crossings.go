package demo

import (
	"image/color"
	"math"

	"celator/core/geom"
)

// Crossings are hard cases for finding what passes in front of a surface, one each,
// small and short, with exact ground truth. They are drawn for the bench only. The
// first frames show the sign with nothing in front of it.
var Crossings = []Shot{
	crossing("board", 2, .5, 18, func(k kit, t float64) []layer {
		return []layer{k.front(k.board, across(t, 9), 180, 150, 400, 0)}
	}),
	crossing("plain", 2, .5, 18, func(k kit, t float64) []layer {
		return []layer{k.front(k.plain, across(t, 10), 190, 170, 230, 8*math.Sin(t*.1))}
	}),
	crossing("alike", 2, .5, 18, func(k kit, t float64) []layer {
		return []layer{k.front(k.alike, across(t, 10), 180, 190, 260, 6)}
	}),
	crossing("fast", 2, 1, 18, func(k kit, t float64) []layer {
		return []layer{k.front(k.board, math.Mod(31*(t-8), 1100)-200, 180, 150, 380, 12)}
	}),
	crossing("shadow", 2, .5, 18, func(k kit, t float64) []layer {
		x := across(t, 9)
		shade := k.front(k.shade, x+90, 190, 150, 330, 6)
		shade.front = false
		return []layer{shade, k.front(k.plain, x, 180, 110, 300, 6)}
	}),
	crossing("glint", 2, .5, 18, func(k kit, t float64) []layer {
		glint := k.front(k.stripe, 120+math.Mod(t*9, 420), 180, 130, 420, 20)
		glint.front = false
		return []layer{glint, k.front(k.board, across(t, 10), 180, 70, 420, 0)}
	}),
	crossing("grain", 6, .5, 18, func(k kit, t float64) []layer {
		return []layer{k.front(k.board, across(t, 9), 180, 90, 400, -14)}
	}),
	crossing("rails", 2, .5, 18, func(k kit, t float64) []layer {
		return []layer{k.front(k.rails, across(t, 10), 180, 260, 260, 3)}
	}),
	crossing("walkers", 3, .8, 18, func(k kit, t float64) []layer {
		return []layer{
			k.front(k.figure, across(t, 12), 210, 130, 340, 3*math.Sin(t*.5)),
			k.front(k.figure, 640-across(t, 8), 215, 150, 380, 2*math.Sin(t*.4)),
		}
	}),
	crossing("squeezed", 3, .5, 33, func(k kit, t float64) []layer {
		return []layer{k.front(k.figure, across(t, 9), 200, 150, 360, 3*math.Sin(t*.5))}
	}),
}

// across is a place that crosses the picture from frame 10 on, so many px a frame,
// and begins anew.
func across(t, speed float64) float64 { return math.Mod(max(speed*(t-10), 0), 900) - 130 }

// kit is what crosses.
type kit struct {
	board, plain, alike, shade, stripe, rails, figure *texture
}

func (k kit) front(t *texture, x, y, wide, high, roll float64) layer {
	s, c := math.Sincos(roll * math.Pi / 180)
	sx, sy := wide/float64(t.w), high/float64(t.h)
	at := geom.Map{c * sx, -s * sy, 0, s * sx, c * sy, 0, 0, 0, 1}
	mid := at.Apply(geom.Pt(float64(t.w)/2, float64(t.h)/2))
	at[2], at[5] = x-mid.X, y-mid.Y
	return layer{tex: t, front: true, light: 1, at: at}
}

func newKit() kit {
	var k kit
	k.board = newTexture(200, 500)
	k.board.rect(rgb(0x3a2f24), 0, 0, 200, 500)
	k.board.planks(rgb(0x6e5a44), 0, 0, 200, 500, 8, true, 44)
	k.plain = newTexture(300, 400)
	k.plain.oval(rgb(0x9a4f3c), 150, 200, 148, 198)
	k.alike = newTexture(300, 400)
	k.alike.poly(rgb(0x454d3c), 30, 400, 0, 120, 90, 0, 230, 10, 300, 150, 280, 400)
	k.alike.grit(0, 0, 300, 400, 50, 70, .2, 61)
	k.alike.line(rgb(0x343a2e), 9, 60, 60, 240, 340)
	k.shade = newTexture(200, 400)
	for i := range 10 {
		k.shade.oval(color.NRGBA{10, 12, 16, 26}, 100, 200, 98-float64(i)*3, 198-float64(i)*3)
	}
	k.stripe = newTexture(120, 500)
	for i := range 12 {
		k.stripe.rect(color.NRGBA{255, 252, 240, 26}, float64(4*i), 0, float64(120-8*i), 500)
	}
	k.rails = newTexture(420, 420)
	for i := range 4 {
		k.rails.line(rgb(0x3a3d3f), 22, 40+float64(i)*112, 0, 40+float64(i)*112, 420)
	}
	k.rails.line(rgb(0x55585a), 20, 0, 80, 420, 80)
	k.rails.line(rgb(0x55585a), 20, 0, 340, 420, 340)
	k.figure = newTexture(420, 900)
	k.figure.poly(rgb(0x57503f), 110, 900, 92, 420, 130, 250, 190, 205, 250, 205, 310, 250, 348, 420, 330, 900)
	k.figure.oval(rgb(0xa77f66), 220, 130, 60, 74)
	k.figure.poly(rgb(0x2d2f38), 150, 140, 158, 60, 220, 42, 282, 60, 292, 140, 262, 96, 180, 96)
	k.figure.poly(rgb(0xb0913a), 150, 226, 290, 226, 300, 290, 142, 290)
	k.figure.grit(80, 30, 280, 870, 44, 60, .3, 120)
	for _, t := range []*texture{k.board, k.plain, k.alike, k.shade, k.stripe, k.rails, k.figure} {
		t.finish()
	}
	return k
}

func crossing(name string, grain, shutter float64, crf int, in func(k kit, t float64) []layer) Shot {
	return Shot{
		Name: name, Title: "crossing: " + name, Kind: name, Width: 640, Height: 360, Rate: "25", Frames: 81, Reference: 4,
		Shutter: shutter, Grain: grain, CRF: crf,
		prepare: func() func(float64) moment {
			ground := newTexture(1000, 600)
			ground.masonry(rgb(0x857d70), 0, 0, 1000, 600, 26, 45)
			ground.grit(0, 0, 1000, 600, 60, 40, .3, 46)
			ground.finish()
			sign := newTexture(600, 400)
			sign.rect(rgb(0x2e4a52), 0, 0, 600, 400)
			sign.rect(rgb(0xd9cfae), 14, 14, 572, 372)
			sign.rect(rgb(0x2e4a52), 24, 24, 552, 352)
			sign.text(boldFont, 92, rgb(0xe9dcb6), 300, 140, "MARLPIN", false)
			sign.text(boldFont, 60, rgb(0xd08a4a), 300, 230, "salt & lime", false)
			sign.rect(rgb(0xcdbf93), 90, 270, 420, 80)
			sign.text(boldFont, 52, rgb(0x2e4a52), 300, 330, "Quay 4 · 60 12", false)
			sign.grit(0, 0, 600, 400, 80, 80, .14, 47)
			sign.finish()
			k := newKit()
			return func(t float64) moment {
				cam := shake(t, 7, len(name))
				at := pose(sign, geom.Pt(320, 180).Add(cam), 205+14*math.Sin(t*.05), 14*math.Sin(t*.045), 4*math.Sin(t*.03),
					3*math.Sin(t*.06), 4)
				light := 1 + .12*math.Sin(t*.07)
				layers := []layer{backdrop(ground, 640, 360, cam.Mul(.9)), {tex: sign, light: light, at: at}}
				layers[0].light = light
				for _, l := range in(k, t) {
					if l.front && t < 9 { // nothing yet
						l.at[2] -= 4000
					}
					layers = append(layers, l)
				}
				return moment{layers: layers, surface: corners(at, 0, 0, 600, 400)}
			}
		},
	}
}
