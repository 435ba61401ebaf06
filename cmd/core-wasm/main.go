//go:build js && wasm

// Command core-wasm is the core's cover and timecode packages for the browser,
// so that the bench evaluates and edits covers by the very rules that the server
// and a delivery follow. It holds one shot's document.
package main

import (
	"bytes"
	"encoding/json"
	"errors"
	"strconv"
	"syscall/js"

	"celator/core/cover"
	"celator/core/geom"
	"celator/core/interchange"
	"celator/core/timecode"
)

// state is the shot on the bench: its saved document, and the draft that a drag
// is changing.
var (
	saved, draft *cover.Document
	clock        timecode.Timecode
	known        = map[string]*cover.Poses{}  // by attempt
	mattes       = map[string]*cover.Mattes{} // by run, without pictures
)

// attach gives a document the poses and mattes that are known.
func attach(d *cover.Document) *cover.Document {
	d.Attach(func(id string) *cover.Poses { return known[id] })
	d.AttachMattes(func(run string) *cover.Mattes { return mattes[run] })
	return d
}

// glance is a cover at a frame, as the bench draws it when it is not in hand.
type glance struct {
	ID     string `json:"id"`
	Inside bool   `json:"inside"` // of its span
	Path   string `json:"path"`   // SVG path data of all outlines, picture coordinates
}

// hand is the cover in hand at a frame, with everything that can be changed.
type hand struct {
	ID        string             `json:"id"`
	Inside    bool               `json:"inside"`
	Carry     geom.Map           `json:"carry"` // where it was drawn to the frame, by its track
	Back      geom.Map           `json:"back"`  // and the other way
	Home      geom.Point         `json:"home"`  // the centre before it is carried
	Placement cover.Placement    `json:"placement"`
	Centre    geom.Point         `json:"centre"`
	Size      geom.Point         `json:"size"` // of the box around the outlines before turning
	Outlines  []outline          `json:"outlines"`
	Lanes     []cover.Lane       `json:"lanes"`
	Keyed     []string           `json:"keyed"`  // the lanes with a key at the frame
	Values    map[string]float64 `json:"values"` // by lane
}

type outline struct {
	ID    string      `json:"id"`
	Shape cover.Shape `json:"shape"`
	Path  string      `json:"path"`
	Knots geom.Path   `json:"knots"` // picture coordinates
}

// slat is what the louvre shows of a cover.
type slat struct {
	ID      string       `json:"id"`
	Keys    []int        `json:"keys"`
	Lanes   []cover.Lane `json:"lanes"`
	Outside int          `json:"outside"` // keys outside the span
	First   int          `json:"first"`   // frame of the first letter
	States  string       `json:"states"`  // of its track, a letter for each frame
	Anchors []int        `json:"anchors"`
	Sure    []float64    `json:"sure"` // confidence, likewise
	// Of a holdout: what of the surface it holds out, from frame Begin on.
	Begin  int       `json:"begin"`
	Shares []float64 `json:"shares"`
}

// surface is a followed surface on a frame.
type surface struct {
	Path       string        `json:"path"`
	Corners    [4]geom.Point `json:"corners"` // of the box around it
	Outline    []geom.Point  `json:"outline"` // its own, or the points
	State      string        `json:"state"`
	Confidence float64       `json:"confidence"`
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
			saved = attach(d)
			draft = saved
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
			draft = attach(d)
		}
		return label, err
	})
	export("keep", func([]js.Value) (any, error) { saved = draft; return nil, nil })
	export("untouched", func(a []js.Value) (any, error) {
		base, err := cover.Parse([]byte(a[0].String()))
		if err != nil {
			return false, err
		}
		head, err := cover.Parse([]byte(a[1].String()))
		if err != nil {
			return false, err
		}
		var cmds []cover.Command
		err = json.Unmarshal([]byte(a[2].String()), &cmds)
		return err == nil && cover.Untouched(base, head, cmds), err
	})
	export("document", func([]js.Value) (any, error) { return draft.Bare(), nil })
	export("poses", func(a []js.Value) (any, error) {
		var p *cover.Poses
		if err := json.Unmarshal([]byte(a[1].String()), &p); err != nil {
			return nil, err
		}
		known[a[0].String()] = p
		if saved != nil {
			attach(saved)
			if draft != saved {
				attach(draft)
			}
		}
		return nil, nil
	})
	export("mattes", func(a []js.Value) (any, error) {
		var m *cover.Mattes
		if err := json.Unmarshal([]byte(a[1].String()), &m); err != nil {
			return nil, err
		}
		mattes[a[0].String()] = m
		for _, d := range []*cover.Document{saved, draft} {
			if d != nil {
				attach(d)
			}
		}
		return nil, nil
	})
	// A surface as an attempt has it on a frame, and a cover that would ride there.
	export("surface", func(a []js.Value) (any, error) {
		t, err := trackOf(a[0], a[1])
		if err != nil {
			return nil, err
		}
		return surfaceAt(t, a[2].Int()), nil
	})
	// The frames that an anchor at a frame decides.
	export("stretch", func(a []js.Value) (any, error) {
		t, err := trackOf(a[0], js.ValueOf(""))
		var span cover.Span
		err = errors.Join(err, json.Unmarshal([]byte(a[2].String()), &span))
		return t.Stretch(a[1].Int(), span), err
	})
	export("ghost", func(a []js.Value) (any, error) {
		t, err := trackOf(a[0], a[1])
		if err != nil {
			return nil, err
		}
		d, _, err := draft.Apply(cover.Command{Do: "track", Track: t},
			cover.Command{Do: "ride", Cover: a[3].String(), ID: t.ID, Frame: a[4].Int()})
		if err != nil {
			return "", nil
		}
		path := ""
		for _, p := range d.Find(a[3].String()).Paths(a[2].Int()) {
			path += svg(p)
		}
		return path, nil
	})
	export("cover", func(a []js.Value) (any, error) { return find(a[0]) })
	export("at", func(a []js.Value) (any, error) { return at(draft, a[0].Int()), nil })
	export("hand", func(a []js.Value) (any, error) {
		c, err := find(a[0])
		if err != nil {
			return nil, err
		}
		return inHand(c, a[1].Int()), nil
	})
	export("slats", func([]js.Value) (any, error) {
		out := []slat{}
		for i := range draft.Covers {
			c := &draft.Covers[i]
			v := slat{
				ID: c.ID, Keys: notNil(c.KeyFrames()), Lanes: notNil(c.Lanes()), Outside: c.Outside(), Anchors: []int{},
				Sure: []float64{}, Shares: []float64{},
			}
			if p := c.Proposed; p != nil && p.Mattes != nil {
				v.Begin = p.Mattes.First
				for _, f := range p.Mattes.Frames {
					v.Shares = append(v.Shares, f.Share)
				}
			}
			if t := draft.Track(c.Track); t != nil {
				v.Anchors = append(v.Anchors, t.Frame)
				for _, a := range t.Anchors {
					v.Anchors = append(v.Anchors, a.Frame)
				}
				if t.Poses != nil {
					v.First, v.States, v.Sure = t.Poses.First, t.Poses.States, t.Poses.Confidence
				}
			}
			out = append(out, v)
		}
		return out, nil
	})
	// The centre of the cover at every frame of its span.
	export("course", func(a []js.Value) (any, error) {
		c, err := find(a[0])
		if err != nil {
			return nil, err
		}
		out := []geom.Point{}
		for f := c.Span.First; f <= c.Span.Last; f++ {
			out = append(out, c.Centre(f))
		}
		return out, nil
	})
	// Where the map that takes four corners to others takes four more.
	export("mapped", func(a []js.Value) (any, error) {
		var from, to, pts [4]geom.Point
		if err := errors.Join(json.Unmarshal([]byte(a[0].String()), &from), json.Unmarshal([]byte(a[1].String()), &to),
			json.Unmarshal([]byte(a[2].String()), &pts)); err != nil {
			return nil, err
		}
		m, err := geom.QuadToQuad(from, to)
		for i, p := range pts {
			pts[i] = m.Apply(p)
		}
		return pts, err
	})
	export("warp", func(a []js.Value) (any, error) {
		c, err := find(a[0])
		if err != nil {
			return nil, err
		}
		var from, to [4]geom.Point
		if err := errors.Join(json.Unmarshal([]byte(a[2].String()), &from),
			json.Unmarshal([]byte(a[3].String()), &to)); err != nil {
			return nil, err
		}
		m, err := geom.QuadToQuad(from, to)
		if err != nil {
			return nil, err
		}
		out := []outline{}
		for i, p := range c.Paths(a[1].Int()) {
			out = append(out, outline{ID: c.Outlines[i].ID, Shape: c.Outlines[i].Shape, Knots: p.Map(m)})
		}
		return out, nil
	})
	// Open formats out and in.
	export("trackOut", func(a []js.Value) (any, error) {
		t := draft.Track(a[0].String())
		if t == nil || t.Poses == nil {
			return nil, cover.ErrNoTrack
		}
		if a[1].String() == "csv" {
			return string(interchange.TrackCSV(t)), nil
		}
		b, err := interchange.TrackJSON(t)
		return string(b), err
	})
	export("trackIn", func(a []js.Value) (any, error) {
		b := []byte(a[0].String())
		if bytes.HasPrefix(bytes.TrimSpace(b), []byte("{")) {
			return interchange.ParseTrackJSON(b, draft.Frames)
		}
		return interchange.ParseTrackCSV(b, draft.Frames)
	})
	export("outlineOut", func(a []js.Value) (any, error) {
		c, err := find(a[0])
		if err != nil {
			return nil, err
		}
		return string(interchange.OutlineSVG(draft.Width, draft.Height, c.Paths(a[1].Int()))), nil
	})
	export("outlineIn", func(a []js.Value) (any, error) { return interchange.ParseOutlineSVG([]byte(a[0].String())) })
	export("keysOut", func(a []js.Value) (any, error) {
		c, err := find(a[0])
		if err != nil {
			return nil, err
		}
		return string(interchange.KeysCSV(c)), nil
	})
	export("keysIn", func(a []js.Value) (any, error) {
		return interchange.ParseKeysCSV([]byte(a[0].String()), draft.Frames)
	})
	export("coverIn", func(a []js.Value) (any, error) { return interchange.ParseCover([]byte(a[0].String())) })
	export("coverOut", func(a []js.Value) (any, error) {
		c, err := find(a[0])
		if err != nil {
			return nil, err
		}
		b, err := json.MarshalIndent(c, "", "  ")
		return string(b), err
	})
	export("copy", func(a []js.Value) (any, error) {
		c, err := find(a[0])
		if err != nil {
			return nil, err
		}
		var frames []int
		err = json.Unmarshal([]byte(a[1].String()), &frames)
		return notNil(c.Copy(frames)), err
	})
	export("nearest", func(a []js.Value) (any, error) {
		c, err := find(a[0])
		if err != nil {
			return nil, err
		}
		q := geom.Pt(a[2].Float(), a[3].Float())
		best := map[string]any{"distance": 1e9}
		for i, p := range c.Paths(a[1].Int()) {
			if s, t, d := p.Nearest(q); d < best["distance"].(float64) {
				best = map[string]any{"id": c.Outlines[i].ID, "segment": s, "at": t, "distance": d}
			}
		}
		return best, nil
	})
	export("digest", func(a []js.Value) (any, error) {
		c, err := find(a[0])
		if err != nil {
			return nil, err
		}
		return digest(c, a[1].Int()), nil
	})
	// Of what was looked at, the frames that have not changed since.
	export("looked", func(a []js.Value) (any, error) {
		var looks map[string]map[string]string // cover, frame, digest
		if err := json.Unmarshal([]byte(a[0].String()), &looks); err != nil {
			return nil, err
		}
		out := map[string][]int{}
		for i := range draft.Covers {
			c := &draft.Covers[i]
			out[c.ID] = []int{}
			for f := c.Span.First; f <= c.Span.Last; f++ {
				if d, ok := looks[c.ID][strconv.Itoa(f)]; ok && d == digest(c, f) {
					out[c.ID] = append(out[c.ID], f)
				}
			}
		}
		return out, nil
	})
	export("clock", func(a []js.Value) (any, error) {
		t, err := timecode.New(timecode.Rate{Num: int64(a[0].Int()), Den: int64(a[1].Int())}, a[2].String())
		t.Offset += int64(a[3].Int()) // of the shot in its source
		clock = t
		return nil, err
	})
	export("timecode", func(a []js.Value) (any, error) { return clock.Format(int64(a[0].Int())), nil })
	export("frameOf", func(a []js.Value) (any, error) { return clock.ParseFrom(a[0].String(), int64(a[1].Int())) })
	export("treatment", func(a []js.Value) (any, error) {
		return cover.NewTreatment(a[0].String(), cover.Kind(a[1].String())), nil
	})
	export("labels", func(a []js.Value) (any, error) { return draft.LabelsAt(a[0].Int()), nil })
	export("kinds", func([]js.Value) (any, error) { return cover.Kinds, nil })
	// What of a cover a house style holds, and whether two look alike.
	export("style", func(a []js.Value) (any, error) {
		c := draft.Find(a[0].String())
		if c == nil {
			return nil, cover.ErrNoCover
		}
		return c.StyleOf(), nil
	})
	export("same", func(a []js.Value) (any, error) {
		var x, y cover.Style
		err := errors.Join(json.Unmarshal([]byte(a[0].String()), &x), json.Unmarshal([]byte(a[1].String()), &y))
		return err == nil && x.Same(&y), err
	})
	export("outline", func(a []js.Value) (any, error) {
		r := geom.Rect{Min: geom.Pt(a[3].Float(), a[4].Float()), Max: geom.Pt(a[5].Float(), a[6].Float())}
		o := cover.Outline{ID: a[0].String(), Shape: cover.Shape(a[1].String())}
		k := cover.PathKey{Frame: a[2].Int(), Knots: geom.Box(r)}
		if o.Shape == cover.ShapeEllipse {
			k.Knots = geom.Ellipse(r)
		}
		o.Keys = []cover.PathKey{k}
		return o, nil
	})
	export("path", func(a []js.Value) (any, error) {
		var p geom.Path
		if err := json.Unmarshal([]byte(a[0].String()), &p); err != nil {
			return nil, err
		}
		b := p.Bounds()
		return map[string]any{"path": svg(p), "min": b.Min, "max": b.Max, "flat": p.Flatten(.5)}, nil
	})
	js.Global().Set("celatorCore", api)
	select {}
}

// trackOf reads a track, with the poses of an attempt.
func trackOf(track, attempt js.Value) (*cover.Track, error) {
	var t cover.Track
	err := json.Unmarshal([]byte(track.String()), &t)
	t.Poses = known[attempt.String()]
	return &t, err
}

func surfaceAt(t *cover.Track, f int) surface {
	q, _ := t.Corners(f)
	v := surface{Corners: q, State: string(t.Poses.State(f)), Outline: []geom.Point{}}
	if v.State == "-" {
		return v
	}
	i := f - t.Poses.First
	v.Confidence = t.Poses.Confidence[i]
	if t.Kind == cover.Points {
		for k := 0; k+1 < len(t.Poses.Places[i]); k += 2 {
			v.Outline = append(v.Outline, geom.Pt(t.Poses.Places[i][k], t.Poses.Places[i][k+1]))
		}
		return v
	}
	m := t.Map(f)
	var path geom.Path
	for _, p := range t.Surface {
		v.Outline = append(v.Outline, m.Apply(p))
		path = append(path, geom.Knot{P: m.Apply(p)})
	}
	v.Path = svg(path)
	return v
}

func find(id js.Value) (*cover.Cover, error) {
	if c := draft.Find(id.String()); c != nil {
		return c, nil
	}
	return nil, cover.ErrNoCover
}

func notNil[T any](s []T) []T {
	if s == nil {
		return []T{}
	}
	return s
}

func digest(c *cover.Cover, f int) string {
	l, ok := c.At(f)
	if !ok {
		return "bare"
	}
	return l.Digest()
}

func at(d *cover.Document, f int) []glance {
	out := []glance{}
	for i := range d.Covers {
		c := &d.Covers[i]
		v := glance{ID: c.ID, Inside: c.Span.Holds(f)}
		if v.Inside {
			for _, path := range c.Paths(f) {
				v.Path += svg(path)
			}
		}
		out = append(out, v)
	}
	return out
}

func inHand(c *cover.Cover, f int) hand {
	p, rest := c.Motion.At(f), c.RestBounds(f)
	carry, home := c.Carried(f), c.Motion.Map(f).Apply(rest.Centre())
	back, err := carry.Inverse()
	if err != nil {
		carry, back = geom.Identity, geom.Identity
	}
	v := hand{
		ID: c.ID, Carry: carry, Back: back, Home: home, Inside: c.Span.Holds(f), Placement: p, Lanes: notNil(c.Lanes()),
		Keyed: []string{}, Values: c.Values(f), Outlines: []outline{},
		Centre: c.Centre(f), Size: geom.Pt((rest.Max.X-rest.Min.X)*p.Size.X, (rest.Max.Y-rest.Min.Y)*p.Size.Y),
	}
	for _, l := range v.Lanes {
		for _, k := range l.Frames {
			if k == f {
				v.Keyed = append(v.Keyed, l.Name)
			}
		}
	}
	for i, path := range c.Paths(f) {
		v.Outlines = append(v.Outlines, outline{c.Outlines[i].ID, c.Outlines[i].Shape, svg(path), path})
	}
	return v
}

// svg writes a path as SVG path data.
func svg(p geom.Path) string {
	if len(p) == 0 {
		return ""
	}
	b := []byte("M")
	at := func(q geom.Point) {
		b = append(strconv.AppendFloat(b, q.X, 'f', 2, 64), ' ')
		b = append(strconv.AppendFloat(b, q.Y, 'f', 2, 64), ' ')
	}
	at(p[0].P)
	for i, k := range p {
		l := p[(i+1)%len(p)]
		b = append(b, 'C')
		at(k.P.Add(k.Out))
		at(l.P.Add(l.In))
		at(l.P)
	}
	return string(append(b, 'Z'))
}
