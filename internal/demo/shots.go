package demo

import (
	"image/color"
	"math"

	"celator/core/clearance"
	"celator/core/geom"
)

// Programme is the demo programme's name.
const Programme = "Tidewrack Week"

// Shots are the clips of "Tidewrack Week", a made-up documentary about a harbour
// festival in the made-up port of Orsholm. Every name and number is invented.
var Shots = []Shot{
	{
		Name: "quay-trike", Title: "Cargo trike on the quay", Item: "Quay plate", Kind: "plate",
		Width: 1280, Height: 720, Rate: "25", Frames: 200, Reference: 150, Shutter: .5, Grain: 2.2, prepare: quayTrike,
	},
	{
		Name: "chandlers-sign", Title: "Chandler's sign and pallet", Item: "Chandler's sign", Kind: "sign",
		Width: 1280, Height: 720, Rate: "25", Frames: 175, Reference: 20, Shutter: .5, Grain: 2.5, prepare: chandlersSign,
	},
	{
		Name: "rower-number", Title: "Rower, portrait", Item: "Rower's number", Kind: "number",
		Width: 720, Height: 1280, Rate: "25", Frames: 150, Reference: 40, Shutter: .5, Grain: 2, prepare: rowerNumber,
	},
	{
		Name: "departures", Title: "Departures screen by hand", Item: "Departures screen", Kind: "text",
		Width: 1920, Height: 1080, Rate: "30000/1001", Timecode: "10:02:14;07", Frames: 180, Reference: 10, Shutter: .5,
		Grain: 2.2, prepare: departures,
	},
	{
		Name: "crane-crate", Title: "Crane and crate", Item: "Maker's mark", Kind: "logo",
		Width: 1280, Height: 720, Rate: "25", Frames: 200, Reference: 60, Shutter: .5, Grain: 2.2, prepare: craneCrate,
	},
}

// backdrop places a background a little larger than the picture, moved by the
// camera.
func backdrop(t *texture, w, h int, cam geom.Point) layer {
	s := 1.08 * max(float64(w)/float64(t.w), float64(h)/float64(t.h))
	c := geom.Pt(float64(w)/2, float64(h)/2).Add(cam)
	return layer{tex: t, light: 1, at: geom.Map{s, 0, c.X - s*float64(t.w)/2, 0, s, c.Y - s*float64(t.h)/2, 0, 0, 1}}
}

func smooth(t float64) float64 { t = min(max(t, 0), 1); return t * t * (3 - 2*t) }

// Long: a shot is a list of what is in it.
func quayTrike() func(float64) moment {
	bg := newTexture(1400, 800)
	bg.sky(360, rgb(0x7d98ad), rgb(0xc9d2d2), 3)
	fronts := []uint32{0x9c5b45, 0xb8a06a, 0x6f7f74, 0xa3a39b, 0x7a5a60, 0xb58f63, 0x66788a}
	x := -20.
	for i, c := range fronts {
		w := 170 + 70*hash(i, 1, 5)
		bg.house(rgb(c), x, 470, w, 220+100*hash(i, 2, 5), 20+i)
		x += w + 2
	}
	bg.masonry(rgb(0x77736b), 0, 468, 1400, 46, 15, 31)
	bg.rect(rgb(0x8a857b), 0, 512, 1400, 288)
	for i := range 12 { // flagstones towards the eye
		y := 512 + 288*math.Pow(float64(i)/12, 1.7)
		bg.line(rgb(0x5d5952), 1.5+float64(i)*.25, 0, y, 1400, y+4)
	}
	for i := -14; i < 15; i++ {
		bg.line(rgb(0x5d5952), 2.5, 700+float64(i)*34, 512, 700+float64(i)*150, 800)
	}
	bg.grit(0, 505, 1400, 295, 60, 16, .34, 44)
	bg.shade(0, 505, 1400, 295, .9, 1.08)
	bg.finish()

	trike := newTexture(760, 980)
	coat, skin := rgb(0x3d4f45), rgb(0xb98d72)
	trike.line(rgb(0x2b2b2b), 16, 240, 330, 520, 330) // handlebar
	trike.poly(coat, 262, 470, 272, 250, 330, 205, 430, 205, 488, 250, 498, 470)
	trike.line(coat, 52, 292, 262, 236, 352)
	trike.line(coat, 52, 468, 262, 524, 352)
	trike.oval(skin, 380, 140, 50, 62)
	trike.poly(rgb(0xc8a13e), 322, 128, 330, 84, 380, 66, 430, 84, 438, 128) // cap
	trike.grit(230, 60, 300, 420, 30, 30, .28, 70)
	for _, cx := range []float64{96, 664} { // front wheels, edge on
		trike.oval(rgb(0x1c1c1c), cx, 780, 34, 170)
		trike.oval(rgb(0x4a4a48), cx, 780, 17, 140)
		trike.oval(rgb(0x242424), cx, 780, 10, 120)
	}
	trike.line(rgb(0x303030), 22, 96, 800, 664, 800)
	trike.rect(rgb(0x5a3d26), 128, 380, 504, 420)
	trike.planks(rgb(0x8a5f3a), 134, 386, 492, 408, 7, true, 81)
	for _, px := range []float64{140, 606} {
		trike.rect(rgb(0x3a3a3a), px, 384, 14, 412)
		for i := range 7 {
			trike.oval(rgb(0x9b9b96), px+7, 414+float64(i)*58, 4, 4)
		}
	}
	trike.text(boldFont, 46, rgb(0xe9dcb6), 380, 480, "SKERRY CARGO", false)
	trike.text(boldFont, 30, rgb(0xe9dcb6), 380, 528, "fish · ice · rope", false)
	const px, py, pw, ph = 232., 628., 296., 92.
	trike.rect(rgb(0x15181b), px-7, py-7, pw+14, ph+14)
	trike.rect(rgb(0xf1efe4), px, py, pw, ph)
	trike.rect(rgb(0x2c5a86), px, py, 34, ph)
	trike.text(boldFont, 22, rgb(0xf1efe4), px+17, py+ph-12, "O", false)
	trike.text(boldFont, 50, rgb(0x17191c), px+165, py+64, "KS 47 OH", false)
	for _, bx := range []float64{px + 48, px + pw - 12} {
		trike.oval(rgb(0x8e8e88), bx, py+12, 4, 4)
		trike.oval(rgb(0x8e8e88), bx, py+ph-12, 4, 4)
	}
	trike.grit(128, 380, 504, 420, 90, 90, .16, 99)
	trike.finish()

	shadow := newTexture(400, 60)
	for i := range 10 {
		shadow.oval(color.NRGBA{15, 15, 15, 26}, 200, 30, 196-float64(i)*12, 28-float64(i)*2)
	}
	shadow.finish()

	walker := newTexture(420, 900)
	walker.poly(rgb(0x2a2f3d), 110, 900, 92, 420, 130, 250, 190, 205, 250, 205, 310, 250, 348, 420, 330, 900)
	walker.oval(rgb(0x8e6a55), 220, 130, 60, 74)
	walker.poly(rgb(0x4d2f2b), 150, 140, 158, 60, 220, 42, 282, 60, 292, 140, 262, 96, 180, 96)
	walker.poly(rgb(0x8b3a32), 150, 226, 290, 226, 300, 290, 142, 290) // scarf
	walker.grit(80, 30, 280, 870, 44, 60, .3, 120)
	walker.finish()

	return func(t float64) moment {
		cam := shake(t, 7, 1)
		k := t / 199
		s := 270 + 420*math.Pow(k, 1.5)
		road := 3 * math.Sin(t*.9) * s / 600 // cobbles
		c := geom.Pt(450+300*smooth(k)+16*math.Sin(t*.06), 470+120*math.Pow(k, 1.4)-s*.1).Add(cam).Add(geom.Pt(0, road))
		at := pose(trike, c, s, 24*math.Sin(t*.028+.5), 2, 2.2*math.Sin(t*.21)+1.2*math.Sin(t*.9), 3.5)
		light := 1 + .1*math.Sin(t*.05)
		m := moment{surface: corners(at, px, py, pw, ph)}
		m.layers = []layer{
			backdrop(bg, 1280, 720, cam),
			{tex: shadow, light: 1, at: pose(shadow, c.Add(geom.Pt(0, s*.475-road)), s*.12, 0, 0, 0, 9)},
			{tex: trike, light: light, at: at},
		}
		m.layers[0].light = .97 + .06*math.Sin(t*.05)
		wx := 1500 - 2000*(t-62)/64 // crosses between frames 70 and 120
		m.layers = append(m.layers, layer{
			tex: walker, light: .85, front: true,
			at: pose(walker, geom.Pt(wx, 480+9*math.Sin(t*.5)).Add(cam.Mul(1.6)), 780, 12, 0, 1.5*math.Sin(t*.5), 4),
		})
		return m
	}
}

func chandlersSign() func(float64) moment {
	wall := newTexture(1700, 960)
	wall.masonry(rgb(0x8d8273), 0, 0, 1700, 960, 46, 7)
	wall.shade(0, 0, 1700, 960, 1.05, .82)
	wall.rect(rgb(0x4b4036), 1250, 470, 250, 490) // door
	wall.planks(rgb(0x35574f), 1266, 486, 218, 474, 5, false, 17)
	wall.rect(rgb(0xcfc7b4), 150, 560, 300, 260) // window
	wall.rect(rgb(0x232b30), 166, 576, 268, 228)
	wall.poly(color.NRGBA{160, 180, 190, 110}, 166, 576, 330, 576, 166, 740)
	wall.rect(rgb(0xcfc7b4), 292, 576, 14, 228)
	const sx, sy, sw, sh = 480., 170., 640., 260.
	wall.rect(color.NRGBA{20, 18, 16, 120}, sx+14, sy+18, sw, sh)
	wall.rect(rgb(0xa8873f), sx, sy, sw, sh)
	wall.rect(rgb(0x1f3a46), sx+10, sy+10, sw-20, sh-20)
	wall.grit(int(sx), int(sy), int(sw), int(sh), 120, 40, .22, 27)
	wall.text(boldFont, 56, rgb(0xeadfae), sx+sw/2, sy+98, "BRANNOCK & TOLL", false)
	wall.line(rgb(0xa8873f), 3, sx+70, sy+124, sx+sw-70, sy+124)
	wall.text(boldFont, 38, rgb(0xd9cfae), sx+sw/2, sy+176, "SHIP CHANDLERS", false)
	wall.text(boldFont, 26, rgb(0xb9b08e), sx+sw/2, sy+220, "rope · lamps · oilskins · Orsholm", false)
	wall.finish()

	pallet := newTexture(620, 760)
	pallet.line(rgb(0x2b2a26), 7, 310, 0, 110, 330)
	pallet.line(rgb(0x2b2a26), 7, 310, 0, 510, 330)
	for j := range 3 {
		for i := range 3 {
			x, y := 70+float64(i)*162, 330+float64(j)*118
			if j == 0 && i == 2 {
				continue
			}
			pallet.rect(rgb(0x3d2a1a), x, y, 158, 116)
			pallet.planks(rgb([]uint32{0xa77f4c, 0x96703f, 0xb08a58}[(i+j)%3]), x+4, y+4, 150, 108, 4, true, 200+10*i+j)
			pallet.line(rgb(0x6d4e2c), 12, x+8, y+8, x+150, y+106)
		}
	}
	pallet.planks(rgb(0x7d6341), 50, 686, 520, 22, 1, true, 300)
	pallet.rect(rgb(0x5e4a30), 60, 708, 60, 36)
	pallet.rect(rgb(0x5e4a30), 280, 708, 60, 36)
	pallet.rect(rgb(0x5e4a30), 500, 708, 60, 36)
	pallet.finish()

	return func(t float64) moment {
		cam := shake(t, 10, 2)
		zoom := 1000 + 60*smooth((t-30)/120)
		at := pose(wall, geom.Pt(640, 350).Add(cam), zoom, 20+1.5*math.Sin(t*.03), -3, 1.2*math.Sin(t*.037), 2.6)
		cloud := 1 - .24*smooth((t-60)/50) + .1*smooth((t-140)/30)
		x := -330 + 1900*(t-45)/95 // from the left, gone by frame 145
		sway := 5 * math.Sin(t*.11)
		return moment{surface: corners(at, sx, sy, sw, sh), layers: []layer{
			{tex: wall, at: at, light: cloud},
			{
				tex: pallet, front: true, light: 1.05 * cloud,
				at: pose(pallet, geom.Pt(x, 205+12*math.Sin(t*.08)).Add(cam.Mul(1.3)), 720, 14+sway, 0, sway*.6, 4),
			},
		}}
	}
}

func rowerNumber() func(float64) moment {
	bg := newTexture(860, 1440)
	bg.sky(420, rgb(0x8fa9bb), rgb(0xd5d9d2), 13)
	for i := range 9 {
		bg.house(rgb([]uint32{0x7c6a5a, 0x8d8b80, 0x6b5550, 0x93815f}[i%4]), float64(i)*104-20, 432, 100,
			60+50*hash(i, 1, 9), 60+i)
	}
	bg.masonry(rgb(0x6b675f), 0, 425, 860, 26, 9, 61)
	bg.water(450, 990, rgb(0x24404a), rgb(0x7f979b), 71)
	bg.finish()

	boat := newTexture(700, 560)
	boat.poly(rgb(0x6a3b26), 40, 210, 660, 210, 560, 470, 140, 470)
	boat.planks(rgb(0x8c5232), 110, 250, 480, 190, 5, true, 140)
	boat.poly(rgb(0x3d2418), 40, 205, 660, 205, 650, 240, 50, 240)
	boat.finish()

	back := newTexture(520, 700)
	jersey := rgb(0xb6402f)
	back.oval(rgb(0xa97c60), 260, 86, 58, 72)
	back.poly(rgb(0x3a2a20), 202, 84, 208, 30, 260, 10, 312, 30, 318, 84, 300, 120, 220, 120)
	back.poly(jersey, 120, 690, 96, 300, 110, 215, 190, 165, 330, 165, 410, 215, 424, 300, 400, 690)
	back.line(jersey, 72, 130, 240, 60, 420)
	back.line(jersey, 72, 390, 240, 460, 420)
	back.line(rgb(0xa97c60), 52, 60, 420, 96, 560)
	back.line(rgb(0xa97c60), 52, 460, 420, 424, 560)
	back.line(rgb(0xf0e9d8), 20, 112, 330, 408, 330)
	back.grit(40, 160, 440, 540, 46, 90, .3, 150)
	const nx, ny, nw, nh = 165., 370., 190., 170.
	back.rect(rgb(0xf3efe3), nx, ny, nw, nh)
	back.text(boldFont, 150, rgb(0x1d2430), nx+nw/2, ny+138, "27", false)
	back.grit(int(nx), int(ny), int(nw), int(nh), 60, 90, .1, 160)
	back.finish()

	oar := newTexture(1100, 60)
	oar.line(rgb(0xb98d55), 20, 0, 30, 800, 30)
	oar.poly(rgb(0xd6cba9), 790, 10, 1090, 0, 1090, 60, 790, 50)
	oar.poly(rgb(0x2d5d73), 960, 5, 1090, 0, 1090, 60, 960, 55)
	oar.grit(0, 0, 1100, 60, 60, 12, .25, 170)
	oar.finish()

	return func(t float64) moment {
		cam := shake(t, 8, 3)
		stroke := t * 2 * math.Pi / 44
		lean := math.Sin(stroke)
		body := geom.Pt(360+10*math.Sin(t*.05), 700-46*lean+8*math.Sin(t*.13)).Add(cam)
		at := pose(back, body, 640*(1-.05*lean), 7*math.Sin(t*.07), 16*lean, 2.4*math.Sin(t*.09), 3)
		// The near oar's loom sweeps over the back at the end of each stroke.
		sweep := -34 + 64*smooth(.5+.9*math.Cos(stroke))
		return moment{surface: corners(at, nx, ny, nw, nh), layers: []layer{
			backdrop(bg, 720, 1280, cam.Add(geom.Pt(0, 4*math.Sin(t*.13)))),
			{tex: back, at: at, light: 1 + .06*math.Sin(t*.11)},
			{
				tex: boat, at: pose(boat, geom.Pt(360, 1090+8*math.Sin(t*.13)).Add(cam), 520, 0, 0, 1.4*math.Sin(t*.09), 5),
				light: 1,
			},
			{tex: oar, front: true, light: 1, at: pose(oar,
				geom.Pt(560+40*math.Cos(stroke), 800+60*math.Sin(stroke)).Add(cam), 44, 0, 0, 180+sweep, 40)},
		}}
	}
}

func departures() func(float64) moment {
	hall := newTexture(2100, 1200)
	hall.rect(rgb(0x4f5356), 0, 0, 2100, 1200)
	for i := range 15 {
		hall.rect(rgb([]uint32{0x575b5e, 0x4b4f52}[i%2]), float64(i)*140, 0, 137, 760)
	}
	hall.rect(rgb(0x3b3d3f), 0, 760, 2100, 14)
	hall.rect(rgb(0x6b665c), 0, 774, 2100, 426)
	hall.grit(0, 0, 2100, 1200, 150, 150, .2, 181)
	hall.shade(0, 0, 2100, 1200, 1.2, .75)
	for i := range 4 {
		hall.rect(rgb(0xe8e9e2), 160+float64(i)*500, 40, 260, 18)
	}
	hall.rect(rgb(0xb0894a), 80, 560, 150, 250)
	hall.text(boldFont, 92, rgb(0x1e2022), 155, 720, "B", false)
	for i := range 5 {
		hall.oval(rgb(0x2a2725), 340+float64(i)*390, 1120, 120, 60)
		hall.rect(rgb(0x33302d), 250+float64(i)*390, 960, 180, 150)
	}
	hall.finish()

	screen := newTexture(1400, 800)
	screen.rect(rgb(0x121314), 0, 0, 1400, 800)
	const bx, by, bw, bh = 36., 36., 1328., 728.
	screen.rect(rgb(0x10263a), bx, by, bw, bh)
	screen.rect(rgb(0xd8b23e), bx, by, bw, 104)
	screen.text(boldFont, 70, rgb(0x10263a), bx+44, by+76, "DEPARTURES", true)
	screen.text(monoFont, 60, rgb(0x10263a), bx+bw-230, by+74, "14:27", true)
	rows := [][4]string{
		{"14:35", "Velmouth", "B2", "Boarding"},
		{"14:50", "Hask Island", "A1", "On time"},
		{"15:05", "Trennick Bay", "C4", "Late 10"},
		{"15:20", "Low Ferrow", "B1", "On time"},
		{"15:45", "Skarnhaven", "A3", "On time"},
		{"16:10", "Ottersund Quay", "C2", "Cancelled"},
	}
	for i, r := range rows {
		y := by + 104 + float64(i)*102
		if i%2 == 1 {
			screen.rect(rgb(0x173450), bx, y, bw, 102)
		}
		for k, x := range []float64{40, 270, 800, 960} {
			c := rgb(0xf2f0e6)
			if k == 3 && (i == 2 || i == 5) {
				c = rgb(0xe59a5a)
			}
			screen.text(monoFont, 54, c, bx+x, y+68, r[k], true)
		}
	}
	screen.finish()

	head := newTexture(560, 620)
	head.poly(rgb(0x2b2622), 0, 620, 40, 480, 170, 400, 390, 400, 520, 480, 560, 620)
	head.oval(rgb(0x3a2c22), 280, 220, 150, 190)
	head.oval(rgb(0x6d4d3b), 280, 380, 88, 60)
	head.grit(0, 0, 560, 620, 26, 60, .5, 190)
	head.finish()

	return func(t float64) moment {
		cam := shake(t, 20, 4).Add(geom.Pt(2.2*math.Sin(t*1.1), 1.6*math.Sin(t*1.37)))
		c := geom.Pt(960+90*math.Sin(t*.021), 500).Add(cam)
		at := pose(screen, c, 700+50*math.Sin(t*.017), -18+7*math.Sin(t*.02), 4, 2*math.Sin(t*.033), 3)
		x := 2300 - 2700*(t-55)/80
		return moment{surface: corners(at, bx, by, bw, bh), layers: []layer{
			backdrop(hall, 1920, 1080, cam.Mul(.8)),
			{tex: screen, at: at, light: 1 + .025*math.Sin(t*2.3)},
			{tex: head, front: true, light: .9, at: pose(head, geom.Pt(x, 850+16*math.Sin(t*.4)).Add(cam.Mul(1.2)), 760, 0, 0,
				2*math.Sin(t*.4), 5)},
		}}
	}
}

func craneCrate() func(float64) moment {
	bg := newTexture(1500, 860)
	bg.sky(615, rgb(0x6f8ea8), rgb(0xc7d0d3), 23)
	for i := range 6 {
		bg.house(rgb([]uint32{0x7d5548, 0x8f8a7c, 0x5f6f72}[i%3]), float64(i)*260-30, 610, 230, 110+60*hash(i, 2, 11), 90+i)
	}
	bg.masonry(rgb(0x6d6860), 0, 600, 1500, 40, 13, 91)
	bg.water(640, 220, rgb(0x2a4650), rgb(0x8ba0a2), 92)
	for _, x := range []float64{220, 1280} { // cranes on the far side
		bg.line(rgb(0x3c4247), 12, x, 610, x+20, 250)
		bg.line(rgb(0x3c4247), 9, x+20, 260, x-150, 190)
		bg.line(rgb(0x3c4247), 4, x-140, 194, x-140, 400)
	}
	bg.finish()

	crate := newTexture(720, 620)
	crate.rect(rgb(0x37271a), 0, 0, 720, 620)
	crate.planks(rgb(0xa98553), 8, 8, 704, 604, 8, true, 210)
	for _, x := range []float64{8, 652} {
		crate.rect(rgb(0x6f5230), x, 8, 60, 604)
		crate.grit(int(x), 8, 60, 604, 8, 80, .3, 220)
	}
	const mx, my, mw, mh = 150., 130., 420., 340.
	ink := rgb(0x3a1c1a)
	crate.oval(ink, 360, 235, 92, 92)
	crate.oval(rgb(0xb08c59), 360, 235, 74, 74)
	for i := range 8 {
		s, c := math.Sincos(float64(i) * math.Pi / 4)
		crate.line(ink, 14, 360+16*c, 235+16*s, 360+80*c, 235+80*s)
	}
	crate.text(boldFont, 70, ink, 360, 400, "HULDER", false)
	crate.text(boldFont, 36, ink, 360, 450, "WORKS No 9", false)
	crate.grit(140, 120, 440, 360, 34, 34, .2, 230)
	crate.finish()

	chain := newTexture(260, 900)
	for i := range 30 {
		chain.oval(rgb(0x2c2d2e), 130, float64(i)*30, 11, 19)
		chain.oval(rgb(0x77797a), 127, float64(i)*30-3, 4, 9)
	}
	chain.poly(rgb(0xb3892c), 70, 560, 190, 560, 205, 740, 130, 800, 55, 740)
	chain.oval(rgb(0x3b3b3b), 130, 650, 30, 30)
	chain.line(rgb(0x2f2f2f), 20, 130, 790, 130, 880)
	chain.grit(40, 550, 180, 260, 30, 30, .3, 240)
	chain.finish()

	sling := newTexture(400, 300)
	sling.line(rgb(0x2a2925), 7, 200, 0, 10, 300)
	sling.line(rgb(0x2a2925), 7, 200, 0, 390, 300)
	sling.finish()

	return func(t float64) moment {
		cam := shake(t, 9, 5)
		k := t / 199
		// Across to the right, out of the picture, and back.
		x := 380 + 620*smooth((t-30)/70) + 420*smooth((t-95)/30) - 760*smooth((t-140)/45)
		c := geom.Pt(x+14*math.Sin(t*.09), 360+22*math.Sin(t*.045)).Add(cam)
		yaw := -38 + 92*smooth(k*1.2) - 22*math.Sin(t*.05)
		roll := 3.5 * math.Sin(t*.09)
		at := pose(crate, c, 330, yaw*.8, 5*math.Sin(t*.06), roll, 3)
		hx := 1430 - 1500*(t-40)/62 // a second hook passes in front
		return moment{surface: corners(at, mx, my, mw, mh), layers: []layer{
			backdrop(bg, 1280, 720, cam.Mul(.8)),
			{tex: sling, light: 1, at: pose(sling, c.Add(geom.Pt(0, -255)), 190, 0, 0, roll, 9)},
			{tex: crate, at: at, light: .95 + .18*math.Cos((yaw-10)*math.Pi/180)},
			{tex: chain, front: true, light: 1, at: pose(chain, geom.Pt(hx, 170).Add(cam.Mul(1.3)), 820, 0, 0,
				2*math.Sin(t*.13), 9)},
		}}
	}
}

// Clearance is a shot's entry of the clearance list.
func (s Shot) Clearance() clearance.Details {
	i := clearance.Details{Name: s.Item, Kind: s.Kind}
	switch s.Name {
	case "quay-trike":
		i.Description, i.Reason, i.Requester, i.Due = "Rear plate of the cargo trike coming along the quay",
			"Plates of private vehicles are not shown", "Skerry compliance", "2026-12-04"
	case "chandlers-sign":
		i.Description, i.Reason, i.Requester, i.Due = "Shop sign; a pallet of crates crosses it",
			"The owner has not agreed", "Skerry legal", "2026-12-02"
	case "rower-number":
		i.Description, i.Reason, i.Requester, i.Due = "Number on the rower's jersey", "The rower is under age",
			"Skerry compliance", "2026-12-04"
	case "departures":
		i.Description, i.Reason, i.Requester, i.Due = "All of the screen: names of ferries and harbours",
			"Out of date at broadcast", "Producer", "2026-12-09"
	case "crane-crate":
		i.Description, i.Reason, i.Requester, i.Due = "Mark on the crate; it turns and leaves the picture",
			"Sponsor of another station", "Skerry legal", "2026-12-09"
	}
	return i
}
