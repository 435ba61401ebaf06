package cover

import (
	"bytes"
	"errors"
	"fmt"
	"image"
	"image/png"
	"math"
	"slices"
	"sort"

	"celator/core/frame"
	"celator/core/geom"
)

// Crossing marks the four frames of a thing that crosses a cover, in order; -1 where
// one is not marked yet.
type Crossing [4]int

// The frames of a crossing.
const (
	Touches = iota // it first touches the cover
	Covers         // it covers it wholly
	Clears         // its back edge arrives
	Gone           // and has left
)

var crossingWords = [4]string{"first touches", "covers it wholly", "lets go", "is gone"}

// Proposed makes a holdout of mattes that were found in the picture: what differs from
// a followed surface is in front of it. It has no outlines.
type Proposed struct {
	Surface string `json:"surface" doc:"the track whose surface it was held against"`
	Run     string `json:"run,omitempty" doc:"whose mattes are used"`
	// Settings the run was made with, for people to go on from.
	Sensitivity float64 `json:"sensitivity"`
	Edge        float64 `json:"edge"`
	Least       float64 `json:"least"`
	// Accepted are the stretches that an editor has looked at and taken; elsewhere
	// nothing is held out.
	Accepted []Span   `json:"accepted"`
	Strokes  []Stroke `json:"strokes"`
	// Mattes are kept apart from the document, under the run; a document that goes out
	// of the program carries them.
	Mattes *Mattes `json:"mattes,omitempty"`
}

// Stroke is a brush's: it adds to a proposed matte or takes away from it.
type Stroke struct {
	Frame  Time         `json:"frame" doc:"on which it was painted"`
	Span   Span         `json:"span" doc:"on which it holds"`
	Add    bool         `json:"add"`
	Radius float64      `json:"radius" doc:"px"`
	Points []geom.Point `json:"points" doc:"along its middle, in picture coordinates on its frame"`
}

// Mattes are what a run found in the picture, frame by frame.
type Mattes struct {
	First  int          `json:"first"`
	Fields bool         `json:"fields,omitempty" doc:"there are two for each frame, one of each field"`
	Frames []MatteFrame `json:"frames"`
}

// MatteFrame is one frame's matte: a grey picture, white in front, at a place.
type MatteFrame struct {
	X     int     `json:"x"`
	Y     int     `json:"y"`
	Share float64 `json:"share" doc:"of the surface that is held out"`
	// Move is how far the foreground moved since the frame before, px; absent where
	// that could not be seen.
	Move *geom.Point `json:"move,omitempty"`
	PNG  []byte      `json:"png,omitempty" doc:"8 bit grey; absent where nothing is in front"`
}

// Rect is where the matte lies, px; empty where nothing is in front.
func (m *MatteFrame) Rect() image.Rectangle {
	c, err := png.DecodeConfig(bytes.NewReader(m.PNG))
	if err != nil {
		return image.Rectangle{}
	}
	return image.Rect(m.X, m.Y, m.X+c.Width, m.Y+c.Height)
}

// at returns a frame's matte, or nil.
func (m *Mattes) at(f Time) *MatteFrame {
	if m == nil {
		return nil
	}
	if i := place(m.First, m.Fields, f); i >= 0 && i < len(m.Frames) {
		return &m.Frames[i]
	}
	return nil
}

// Found is what was found in front on one frame, with the strokes on it.
type Found struct {
	Run     string        `json:"run"`
	Frame   Time          `json:"frame"`
	Strokes []PlacedBrush `json:"strokes,omitempty"` // in order

	matte *MatteFrame
	size  geom.Point // of the picture it is for, against the source's; zero is as large
}

// PlacedBrush is a stroke as it lies on a frame.
type PlacedBrush struct {
	Add    bool         `json:"add"`
	Radius float64      `json:"radius"`
	Points []geom.Point `json:"points"`
}

// Scaled returns it as it is on a picture of another size.
func (f *Found) Scaled(sx, sy float64) *Found {
	out := *f
	out.size = geom.Pt(sx, sy)
	out.Strokes = slices.Clone(f.Strokes)
	for i := range out.Strokes {
		s := &out.Strokes[i]
		s.Radius *= math.Sqrt(sx * sy)
		s.Points = slices.Clone(s.Points)
		for j, p := range s.Points {
			s.Points[j] = geom.Pt(p.X*sx, p.Y*sy)
		}
	}
	return &out
}

// place returns where the matte lies, given its own size.
func (f *Found) place(w, h int) image.Rectangle {
	r := image.Rect(f.matte.X, f.matte.Y, f.matte.X+w, f.matte.Y+h)
	if f.size == (geom.Point{}) {
		return r
	}
	return image.Rect(int(float64(r.Min.X)*f.size.X), int(float64(r.Min.Y)*f.size.Y),
		int(math.Ceil(float64(r.Max.X)*f.size.X)), int(math.Ceil(float64(r.Max.Y)*f.size.Y)))
}

// Matte returns what was found, without the strokes: 1 in front. It is empty where
// nothing was, or where the mattes are not at hand.
func (f *Found) Matte() frame.Plane {
	if f.matte == nil || len(f.matte.PNG) == 0 {
		return frame.Plane{}
	}
	img, err := png.Decode(bytes.NewReader(f.matte.PNG))
	g, ok := img.(*image.Gray)
	if err != nil || !ok {
		return frame.Plane{}
	}
	w, h := g.Rect.Dx(), g.Rect.Dy()
	out := frame.NewPlane(f.place(w, h))
	kx, ky := 1., 1.
	if f.size != (geom.Point{}) {
		kx, ky = 1/f.size.X, 1/f.size.Y
	}
	for y := range out.Rect.Dy() { // the sample nearest to the pixel's centre
		row := g.Pix[min(max(int((float64(out.Rect.Min.Y+y)+.5)*ky)-f.matte.Y, 0), h-1)*g.Stride:]
		dst := out.Pix[y*out.Rect.Dx():][:out.Rect.Dx()]
		for x := range dst {
			dst[x] = float32(row[min(max(int((float64(out.Rect.Min.X+x)+.5)*kx)-f.matte.X, 0), w-1)]) / 255
		}
	}
	return out
}

// Bounds returns the rectangle that may be in front.
func (f *Found) Bounds() image.Rectangle {
	var r image.Rectangle
	if f.matte != nil {
		if m := f.matte.Rect(); !m.Empty() {
			r = f.place(m.Dx(), m.Dy())
		}
	}
	for _, s := range f.Strokes {
		if s.Add {
			b := geom.Bounds(s.Points).Grow(s.Radius+1, s.Radius+1)
			r = r.Union(image.Rect(int(math.Floor(b.Min.X)), int(math.Floor(b.Min.Y)), int(math.Ceil(b.Max.X)),
				int(math.Ceil(b.Max.Y))))
		}
	}
	return r
}

// found returns what a proposed holdout says of a frame.
func (p *Proposed) found(f Time) *Found {
	out := &Found{Run: p.Run, Frame: f, matte: p.Mattes.at(f)}
	for _, s := range p.Strokes {
		if !s.Span.Holds(f) {
			continue
		}
		d := p.Mattes.way(s.Frame, f)
		b := PlacedBrush{Add: s.Add, Radius: s.Radius, Points: make([]geom.Point, len(s.Points))}
		for i, q := range s.Points {
			b.Points[i] = q.Add(d)
		}
		out.Strokes = append(out.Strokes, b)
	}
	return out
}

// way is how far the foreground moved from one frame to another. Where its motion
// could not be seen for a frame or three it is taken to go on as before.
func (m *Mattes) way(from, to Time) (d geom.Point) {
	step := Time(1)
	if m != nil && m.Fields {
		step = .5
	} else { // the two fields of a frame have one matte
		from, to = Time(from.Frame()), Time(to.Frame())
	}
	forth := 1.
	if to < from {
		step, forth = -step, -1
	}
	var last geom.Point
	missed := 0
	for f := from; f != to; f += step {
		k := f + step // the motion from f to f+1 stands with f+1
		if step < 0 {
			k = f
		}
		move := last
		if g := m.at(k); g != nil && g.Move != nil {
			move, missed = *g.Move, 0
			last = move
		} else if missed++; missed > 3 {
			move, last = geom.Point{}, geom.Point{}
		}
		d = d.Add(move.Mul(forth))
	}
	return d
}

// accepted reports whether an editor has taken the proposal on a frame.
func (p *Proposed) accepted(f Time) bool {
	return slices.ContainsFunc(p.Accepted, func(s Span) bool { return s.Holds(f) })
}

// accept takes the proposal on a span, or no more; stretches stay sorted and apart.
func (p *Proposed) accept(s Span, on bool) {
	var out []Span
	for _, a := range p.Accepted {
		if !on { // what is left of it on both sides
			if a.First < s.First {
				out = append(out, Span{a.First, min(a.Last, s.First-1)})
			}
			if a.Last > s.Last {
				out = append(out, Span{max(a.First, s.Last+1), a.Last})
			}
			continue
		}
		if a.First <= s.Last+1 && s.First <= a.Last+1 {
			s = Span{min(a.First, s.First), max(a.Last, s.Last)}
			continue
		}
		out = append(out, a)
	}
	if on {
		out = append(out, s)
	}
	sort.Slice(out, func(i, j int) bool { return out[i].First < out[j].First })
	if out == nil {
		out = []Span{}
	}
	p.Accepted = out
}

const maxStrokes = 5000

func (p *Proposed) validate(frames int) error {
	in := func(s Span) bool { return s.First >= 0 && s.First <= s.Last && s.Last < frames }
	switch {
	case len(p.Surface) > 64 || len(p.Run) > 64:
		return errors.New("surface or run is too long")
	case !(p.Sensitivity >= 0 && p.Sensitivity <= 1):
		return errors.New("the sensitivity is not between 0 and 1")
	case !(p.Edge >= 1 && p.Edge <= 40):
		return errors.New("the edge is not between 1 and 40 px")
	case !(p.Least >= 0 && p.Least <= 1e5):
		return errors.New("the smallest area is not between 0 and 100000 px²")
	case len(p.Strokes) > maxStrokes || len(p.Accepted) > maxKeys:
		return fmt.Errorf("more than %d strokes", maxStrokes)
	}
	for i, s := range p.Accepted {
		if !in(s) || i > 0 && s.First <= p.Accepted[i-1].Last {
			return fmt.Errorf("accepted[%d] lies outside the shot, not in order or on another", i)
		}
	}
	for i, s := range p.Strokes {
		if !in(s.Span) || !inShot(s.Frame, frames) || !(s.Radius >= .5 && s.Radius <= 1000) ||
			len(s.Points) == 0 || len(s.Points) > maxKnots {
			return fmt.Errorf("strokes[%d]: its frames, its size or its points", i)
		}
		for _, q := range s.Points {
			if !(math.Abs(q.X) <= maxCoord && math.Abs(q.Y) <= maxCoord) {
				return fmt.Errorf("strokes[%d] lies too far out", i)
			}
		}
	}
	if m := p.Mattes; m != nil {
		if m.First < 0 || m.First+perFrame(len(m.Frames), m.Fields) > frames {
			return errors.New("mattes lie outside the shot")
		}
		for i, g := range m.Frames {
			if !(g.Share >= 0 && g.Share <= 1) || g.X < 0 || g.Y < 0 || g.X > frame.MaxSide || g.Y > frame.MaxSide ||
				g.Move != nil && !(math.Abs(g.Move.X) <= maxCoord && math.Abs(g.Move.Y) <= maxCoord) {
				return fmt.Errorf("mattes: frame %d", m.First+i)
			}
			if len(g.PNG) == 0 {
				continue
			}
			if c, err := png.DecodeConfig(bytes.NewReader(g.PNG)); err != nil || c.Width > frame.MaxSide ||
				c.Height > frame.MaxSide {
				return fmt.Errorf("mattes: frame %d is no picture that can be read", m.First+i)
			}
		}
	}
	return nil
}

func (c Crossing) validate(frames int) error {
	last := -1
	for i, f := range c {
		if f < -1 || f >= frames || f >= 0 && f < last {
			return fmt.Errorf("crossing: the frame on which it %s is outside the shot or before one that comes earlier",
				crossingWords[i])
		}
		last = max(last, f)
	}
	return nil
}

// AttachMattes gives the proposed holdouts their mattes, by run. Where of returns nil
// they have none.
func (d *Document) AttachMattes(of func(run string) *Mattes) {
	for i := range d.Covers {
		if p := d.Covers[i].Proposed; p != nil {
			q := *p
			q.Mattes = of(q.Run)
			d.Covers[i].Proposed = &q
		}
	}
}
