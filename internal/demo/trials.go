package demo

import (
	"image/color"
	"math"

	"celator/core/geom"
)

// moving says how a trial's sign stands at time t.
type moving struct {
	at               geom.Point
	high             float64 // of the sign, px
	yaw, pitch, roll float64 // degrees
	light            float64
	front            float64 // centre of what passes in front, px across; beyond the picture: nothing
	wide             float64 // and its width
	glint            float64 // centre of a bright stripe on the sign, px across; 0: none
	drape            drape   // of cloth: how it bends
}

// Trials are hard cases for trackers, one each, small and short: made-up signs
// with exact ground truth. They are drawn for the bench only.
var Trials = []Shot{
	trial("scale", 2, .5, func(t float64) moving {
		return moving{at: geom.Pt(320+60*math.Sin(t*.08), 180), high: 90 * math.Pow(2.5, (t-40)/40)}
	}),
	trial("turn", 2, .5, func(t float64) moving {
		return moving{at: geom.Pt(320, 180+20*math.Sin(t*.1)), high: 120, roll: 4.5 * (t - 40)}
	}),
	trial("tilt", 2, .5, func(t float64) moving {
		return moving{at: geom.Pt(320, 180), high: 130, yaw: 62 * math.Sin((t-40)*.06), pitch: 20 * math.Sin((t-40)*.045)}
	}),
	trial("blur", 2, 1, func(t float64) moving {
		return moving{
			at: geom.Pt(320+150*math.Cos((t-40)*.16), 180+30*math.Cos((t-40)*.11)), high: 110,
			roll: 6 * math.Cos((t-40)*.09),
		}
	}),
	trial("blurred start", 2, 1, func(t float64) moving {
		return moving{
			at: geom.Pt(320+150*math.Sin((t-40)*.16), 180+30*math.Sin((t-40)*.11)), high: 110,
			roll: 6 * math.Sin((t-40)*.09),
		}
	}),
	trial("part hidden", 2, .5, func(t float64) moving {
		return moving{
			at: geom.Pt(320+30*math.Sin(t*.07), 180), high: 120, roll: 5 * math.Sin(t*.05),
			front: -100 + 12*math.Abs(t-40), wide: 130,
		}
	}),
	trial("wholly hidden", 2, .5, func(t float64) moving {
		return moving{at: geom.Pt(300+40*math.Sin(t*.09), 180), high: 90, front: -260 + 22*math.Abs(t-40), wide: 440}
	}),
	trial("leaving", 2, .5, func(t float64) moving {
		return moving{at: geom.Pt(320+430*math.Sin((t-40)*.075), 180), high: 110, roll: .3 * (t - 40)}
	}),
	trial("low light", 7, .8, func(t float64) moving {
		return moving{
			at: geom.Pt(320+70*math.Sin(t*.09), 180+20*math.Sin(t*.13)), high: 110, yaw: 20 * math.Sin(t*.06),
			light: .16,
		}
	}),
	trial("glints", 2, .5, func(t float64) moving {
		return moving{
			at: geom.Pt(320+40*math.Sin(t*.06), 180), high: 120, yaw: 15 * math.Sin(t*.08),
			light: .75 + .35*math.Sin(t*.2), glint: 120 + math.Mod(t*11, 420),
		}
	}),
	trial("small", 2, .5, func(t float64) moving {
		return moving{at: geom.Pt(320+80*math.Sin(t*.07), 180+20*math.Sin(t*.11)), high: 15, roll: 4 * math.Sin(t*.08)}
	}),
	trial("jolts", 2, .3, func(t float64) moving {
		f := math.Round(t)
		return moving{
			at: geom.Pt(320+70*(hash(int(f), 1, 9)-.5), 180+60*(hash(int(f), 2, 9)-.5)), high: 110,
			roll: 4 * (hash(int(f), 3, 9) - .5),
		}
	}),
	trial("cloth", 2, .5, func(t float64) moving {
		return moving{
			at: geom.Pt(320+50*math.Sin(t*.08), 180+15*math.Sin(t*.11)), high: 130, roll: 6 * math.Sin(t*.06),
			drape: waves(9),
		}
	}),
	trial("mixed", 4, .9, func(t float64) moving {
		return moving{
			at: geom.Pt(320+140*math.Sin((t-40)*.12), 180+25*math.Sin(t*.17)), high: 95 * math.Pow(1.6, math.Sin((t-40)*.05)),
			yaw:  35 * math.Sin((t-40)*.07),
			roll: 12 * math.Sin((t-40)*.06), light: .7 + .25*math.Sin(t*.15), front: -100 + 14*math.Abs(t-40), wide: 100,
		}
	}),
}

func trial(name string, grain, shutter float64, at func(t float64) moving) Shot {
	return Shot{
		Name: name, Title: "trial: " + name, Kind: name, Width: 640, Height: 360, Rate: "25", Frames: 81, Reference: 40,
		Shutter: shutter, Grain: grain,
		prepare: func() func(float64) moment {
			ground := newTexture(1000, 600)
			ground.masonry(rgb(0x8a8378), 0, 0, 1000, 600, 26, 41)
			ground.grit(0, 0, 1000, 600, 60, 40, .3, 42)
			ground.finish()
			sign := newTexture(520, 300)
			sign.rect(rgb(0x2e4a52), 0, 0, 520, 300)
			sign.rect(rgb(0xe4ddc8), 14, 14, 492, 272)
			sign.rect(rgb(0x2e4a52), 22, 22, 476, 256)
			sign.text(boldFont, 84, rgb(0xe9dcb6), 260, 120, "VESTRA", false)
			sign.text(boldFont, 54, rgb(0xd08a4a), 260, 190, "nets & rope", false)
			sign.text(boldFont, 44, rgb(0xe9dcb6), 260, 256, "Quay 7 · 31 85", false)
			sign.oval(rgb(0xd08a4a), 70, 90, 34, 34)
			sign.grit(0, 0, 520, 300, 70, 70, .18, 43)
			sign.finish()
			board := newTexture(200, 500)
			board.planks(rgb(0x6e5a44), 0, 0, 200, 500, 8, true, 44)
			board.finish()
			stripe := newTexture(120, 500)
			for i := range 12 {
				stripe.rect(color.NRGBA{255, 252, 240, 38}, float64(4*i), 0, float64(120-8*i), 500)
			}
			stripe.finish()
			return func(t float64) moment {
				m := at(t)
				if m.light == 0 {
					m.light = 1
				}
				on := pose(sign, m.at, m.high, m.yaw, m.pitch, m.roll, 4)
				layers := []layer{
					{tex: ground, light: m.light, at: geom.Map{.75, 0, -40, 0, .75, -40, 0, 0, 1}},
					{tex: sign, light: m.light, at: on},
				}
				if m.glint > 0 {
					layers = append(layers, layer{tex: stripe, light: 1, at: pose(stripe, geom.Pt(m.glint, 180), 420, 0, 0, 20, 50)})
				}
				if m.wide > 0 {
					layers = append(layers, layer{
						tex: board, front: true, light: m.light,
						at: geom.Map{m.wide / 200, 0, m.front - m.wide/2, 0, .8, -20, 0, 0, 1},
					})
				}
				if m.drape != nil {
					layers[1].bend = m.drape(t)
					return moment{layers: layers, surface: m.drape.plane(on, t), places: m.drape.places(on, t)}
				}
				return moment{layers: layers, surface: corners(on, 0, 0, 520, 300)}
			}
		},
	}
}
