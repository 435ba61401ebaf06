package main

import (
	"fmt"
	"math"
	"math/rand"

	"celator/core/check"
	"celator/core/cover"
	"celator/core/frame"
	"celator/core/geom"
	"celator/core/treat"
)

// overFrames moves made-up plates under treatments that no single frame can be read
// through, and lets the check lay the frames over each other. Fills are near-misses.
//
// Long: one trial after the other, and what they came to.
func overFrames() {
	rng := rand.New(rand.NewSource(5))
	planted, found, read, fills, flagged, single := 0, 0, 0, 0, 0, 0
	for i := range 24 {
		text := ""
		for range 6 {
			text += string(signs[rng.Intn(len(signs))])
		}
		height := 28 + 30*rng.Float64()
		fill := i%4 == 3
		cell := height * (.42 + .12*rng.Float64())
		const frames = 40
		var clip []*frame.Picture
		var keys []cover.PlacementKey
		vx, vy := 1.1+rng.Float64(), .3+.5*rng.Float64()
		var first board
		for f := range frames {
			b := draw(rng, text, height, 50, 200, 1.2, geom.Pt(vx*float64(f), vy*float64(f)))
			if f == 0 {
				first = b
			}
			wide := frame.New(frame.Format{
				Width: 640, Height: 240, Depth: 8, SubX: 1, SubY: 1, Range: frame.Limited,
				Matrix: frame.BT709,
			}, nil)
			for p := range wide.Planes {
				for k := range wide.Planes[p] {
					wide.Planes[p][k] = byte(110 + 18*(p/1)&0x7f)
				}
			}
			for y := range wide.Height {
				for x := range wide.Width {
					v := 110.
					if x < b.pic.Width && y < b.pic.Height {
						v = float64(b.pic.Planes[0][y*b.pic.Width+x])
					} else {
						v += 1.2 * rng.NormFloat64()
					}
					wide.Planes[0][y*wide.Width+x] = byte(v)
				}
			}
			for p := 1; p < 3; p++ {
				for k := range wide.Planes[p] {
					wide.Planes[p][k] = 128
				}
			}
			clip = append(clip, wide)
			keys = append(keys, cover.PlacementKey{
				Frame:     cover.Time(f),
				Placement: cover.Placement{Move: geom.Pt(vx*float64(f), vy*float64(f)), Size: geom.Pt(1, 1)},
			})
		}
		d := cover.New(640, 240, frames)
		t := cover.NewTreatment("t1", cover.Mosaic)
		t.Cell = cover.ConstPair(cell, cell)
		if fill {
			t = cover.NewTreatment("t1", cover.Fill)
			t.Colour = "#606060"
		}
		d.Covers = []cover.Cover{{
			ID: "c1", Name: "plate", Span: cover.Span{Last: frames - 1}, Grow: cover.Const(2), Treatments: []cover.Treatment{t},
			Outlines: []cover.Outline{{ID: "o1", Shape: cover.ShapeBox, Keys: []cover.PathKey{{Knots: first.live.Paths[0]}}}},
			Motion:   cover.Motion{Keys: keys},
		}}
		b, err := d.Marshal()
		must(err)
		d, err = cover.Parse(b)
		must(err)
		s := check.NewShot(d, 1, nil)
		for _, f := range s.Survey() {
			s.Learn(f, clip[f])
		}
		for f, p := range clip {
			now := p.Clone()
			treat.Conceal(now, d.At(cover.Time(f)), nil)
			s.Frame(f, p, now)
		}
		var hit *check.Finding
		alone := false
		all := s.Findings(nil)
		for k := range all {
			alone = alone || all[k].Kind == check.Readable
			if all[k].Kind == check.ReadableOverFrames {
				hit = &all[k]
			}
		}
		switch {
		case fill:
			fills++
			if hit != nil || alone {
				flagged++
			}
			continue
		case alone:
			single++
			continue
		}
		planted++
		machine := ""
		if hit != nil {
			found++
			machine = machineReads(hit.Recovered.Broken, hit.Recovered.W, hit.Recovered.H)
			if 2*common(text, plain(machine)) >= len(text) {
				read++
			}
		}
		if each {
			detail := math.NaN()
			if hit != nil {
				detail = hit.Figure
			}
			fmt.Printf("    %s %.0f px, cells of %.1f: %.0f %%, a machine reads %q\n", text, height, cell, detail, machine)
		}
	}
	fmt.Printf("over frames: found %d of %d that no single frame gives away (%d more are readable on one), a "+
		"machine reads %d; fills flagged: %d of %d\n", found, planted, single, read, flagged, fills)
}
