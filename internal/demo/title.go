package demo

import (
	"math"

	"celator/core/geom"
)

// Title is the card with which the masters begin and end. It is drawn at the rate of fields, so
// that the boat that crosses it moves between the two fields of a frame.
var Title = Shot{
	Name: "title", Title: "Title of the programme", Item: "Title", Kind: "text", Width: 1920, Height: 1080, Rate: "50",
	Frames: 250, Shutter: .5, Grain: 1.2, prepare: titleCard,
}

func titleCard() func(float64) moment {
	bg := newTexture(2080, 1200)
	bg.sky(700, rgb(0x4a5f72), rgb(0xc4b59a), 51)
	for i := range 16 {
		bg.house(rgb([]uint32{0x4a4540, 0x57504a, 0x3f4448}[i%3]), float64(i)*132-20, 705, 126, 60+70*hash(i, 1, 52), 120+i)
	}
	bg.water(700, 500, rgb(0x1e3440), rgb(0x8a8d80), 53)
	bg.finish()

	boat := newTexture(420, 360)
	boat.line(rgb(0x2d2620), 8, 210, 20, 210, 270)
	boat.poly(rgb(0xb9a988), 216, 30, 216, 250, 350, 250)
	boat.poly(rgb(0x9c8e70), 204, 60, 204, 250, 100, 250)
	boat.poly(rgb(0x5a2f22), 40, 268, 390, 268, 330, 336, 90, 336)
	boat.finish()

	card := newTexture(1400, 420)
	card.text(boldFont, 150, rgb(0xf2ead6), 700, 190, "TIDEWRACK WEEK", false)
	card.line(rgb(0xcfa955), 5, 220, 236, 1180, 236)
	card.text(monoFont, 46, rgb(0xe4dcc8), 700, 310, "the harbour festival of Orsholm", false)
	card.text(boldFont, 38, rgb(0xcfa955), 700, 388, "KANAL SKERRY", false)
	card.finish()

	return func(t float64) moment {
		drift := geom.Pt(24*math.Sin(t*.006), 8*math.Sin(t*.008))
		at := pose(card, geom.Pt(960, 330), 420, 0, 0, 0, 20)
		return moment{surface: corners(at, 220, 60, 960, 150), layers: []layer{
			backdrop(bg, 1920, 1080, drift),
			{tex: boat, light: 1, at: pose(boat, geom.Pt(-250+9.6*t, 790+6*math.Sin(t*.08)).Add(drift), 300, 0, 0,
				2*math.Sin(t*.07), 9)},
			{tex: card, light: 1, at: at},
		}}
	}
}
