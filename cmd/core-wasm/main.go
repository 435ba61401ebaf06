//go:build js && wasm

// Command core-wasm is the core's cover and timecode packages for the browser,
// so that the bench evaluates and edits covers by the very rules that the server
// and a delivery follow. It holds one shot's document.
package main

import (
	"encoding/json"
	"fmt"
	"strings"
	"syscall/js"

	"celator/core/cover"
	"celator/core/geom"
	"celator/core/timecode"
)

// state is the shot on the bench: its saved document, and the draft that a drag
// is changing.
var (
	saved, draft *cover.Document
	clock        timecode.Timecode
)

// coverAt is a cover at a frame, as the bench draws it.
type coverAt struct {
	ID        string          `json:"id"`
	Inside    bool            `json:"inside"` // of its span
	Keyed     bool            `json:"keyed"`  // has a key at the frame
	Path      string          `json:"path"`   // SVG path data of all outlines, picture coordinates
	Placement cover.Placement `json:"placement"`
	Centre    geom.Point      `json:"centre"`
	Size      geom.Point      `json:"size"` // of the box around the outlines before turning
	Keys      []int           `json:"keys"`
}

func main() {
	api := js.Global().Get("Object").New()
	export := func(name string, f func(args []js.Value) (any, error)) {
		api.Set(name, js.FuncOf(func(_ js.Value, args []js.Value) any {
			v, err := f(args)
			if err != nil {
				b, _ := json.Marshal(map[string]string{"error": err.Error()})
				return string(b)
			}
			b, err := json.Marshal(map[string]any{"value": v})
			if err != nil {
				return `{"error":"the core's answer cannot be written"}`
			}
			return string(b)
		}))
	}
	export("load", func(a []js.Value) (any, error) {
		d, err := cover.Parse([]byte(a[0].String()))
		if err == nil {
			saved, draft = d, d
		}
		return nil, err
	})
	export("apply", func(a []js.Value) (any, error) {
		var cmds []cover.Command
		if err := json.Unmarshal([]byte(a[0].String()), &cmds); err != nil {
			return nil, err
		}
		d, label, err := saved.Apply(cmds...)
		if err == nil {
			draft = d
		}
		return label, err
	})
	export("document", func([]js.Value) (any, error) { return draft, nil })
	export("at", func(a []js.Value) (any, error) { return at(draft, a[0].Int()), nil })
	export("clock", func(a []js.Value) (any, error) {
		t, err := timecode.New(timecode.Rate{Num: int64(a[0].Int()), Den: int64(a[1].Int())}, a[2].String())
		clock = t
		return nil, err
	})
	export("timecode", func(a []js.Value) (any, error) { return clock.Format(int64(a[0].Int())), nil })
	export("frameOf", func(a []js.Value) (any, error) { return clock.Parse(a[0].String()) })
	export("treatment", func(a []js.Value) (any, error) {
		return cover.NewTreatment(a[0].String(), cover.Kind(a[1].String())), nil
	})
	export("outline", func(a []js.Value) (any, error) {
		r := geom.Rect{Min: geom.Pt(a[2].Float(), a[3].Float()), Max: geom.Pt(a[4].Float(), a[5].Float())}
		if cover.Shape(a[1].String()) == cover.ShapeEllipse {
			return cover.Outline{ID: a[0].String(), Shape: cover.ShapeEllipse, Keys: []cover.PathKey{{Knots: geom.Ellipse(r)}}}, nil
		}
		return cover.Outline{ID: a[0].String(), Shape: cover.ShapeBox, Keys: []cover.PathKey{{Knots: geom.Box(r)}}}, nil
	})
	js.Global().Set("celatorCore", api)
	select {}
}

func at(d *cover.Document, f int) []coverAt {
	out := []coverAt{}
	for i := range d.Covers {
		c := &d.Covers[i]
		p, rest := c.Motion.At(f), c.RestBounds(f)
		v := coverAt{ID: c.ID, Inside: c.Span.Holds(f), Placement: p, Keys: c.KeyFrames(),
			Centre: c.Motion.Map(f).Apply(rest.Centre()),
			Size:   geom.Pt((rest.Max.X-rest.Min.X)*p.Size.X, (rest.Max.Y-rest.Min.Y)*p.Size.Y)}
		for _, k := range v.Keys {
			v.Keyed = v.Keyed || k == f
		}
		for _, path := range c.Paths(f) {
			v.Path += svg(path)
		}
		out = append(out, v)
	}
	return out
}

// svg writes a path as SVG path data.
func svg(p geom.Path) string {
	var b strings.Builder
	fmt.Fprintf(&b, "M%.2f %.2f", p[0].P.X, p[0].P.Y)
	for i, k := range p {
		l := p[(i+1)%len(p)]
		c, d := k.P.Add(k.Out), l.P.Add(l.In)
		fmt.Fprintf(&b, "C%.2f %.2f %.2f %.2f %.2f %.2f", c.X, c.Y, d.X, d.Y, l.P.X, l.P.Y)
	}
	return b.String() + "Z"
}
