package treat

import (
	"encoding/json"
	"math"
	"slices"

	"celator/core/cleanplate"
	"celator/core/cover"
	"celator/core/filter"
	"celator/core/frame"
	"celator/core/geom"
	"celator/core/raster"
)

// References is what treatments know of a shot beyond the frame at hand.
type References struct {
	CleanPlates map[string]*CleanPlate // by cover
	Graphics    map[string]*Graphic    // by id
}

// CleanPlate is what is known of the surface that a cover lies on, in the coordinates in
// which the cover was drawn: what it looks like, what it would look like without the
// thing that is hidden, and the grain and sharpness of the pictures of it. It is made
// once for a shot and does not change.
type CleanPlate struct {
	plate *cleanplate.Plate // as it is
	clean *cleanplate.Plate // the outline filled from its rim
	rim   [3]float32        // mean colour around the outline, 8 bit
	grain *grain
	sharp float64 // sigma of the picture's own softness, px
}

// Survey gathers looks at the clean plate of a cover from some frames.
type Survey struct {
	lives []cover.Live
	from  int // the look whose light counts as the clean plate's own
	g     *cleanplate.Gather
	kept  []sample
	done  int
}

// sample is a frame's part with its map, to measure what a mean of looks has lost.
type sample struct {
	v     cleanplate.View
	w     geom.Warp
	depth int
}

const (
	maxSamples  = 9
	keptSamples = 3
	rimWide     = 14 // px around the grown outline that are looked at, at least
)

// Wants reports whether any treatment of a live cover needs its clean plate.
func Wants(l *cover.Live) bool {
	return slices.ContainsFunc(l.Treatments, func(t cover.LiveTreatment) bool {
		d := cover.Describe(t.Kind)
		return d != nil && d.CleanPlate && (t.Kind != cover.Fill || t.Around || t.Grain > 0)
	})
}

// SampleFrames returns the frames from which the clean plate of a cover is made, in order: from even
// parts of its span those in which its surface is clear and moves least, and the one on
// which it was drawn.
func SampleFrames(d *cover.Document, c *cover.Cover) []int {
	n := min(maxSamples, c.Span.Last-c.Span.First+1)
	track := d.Track(c.Track)
	clear := func(f int) bool {
		if track == nil {
			return true
		}
		s := track.Poses.State(cover.Time(f))
		return s == 'a' || s == 'g'
	}
	var at []int
	for k := range n {
		lo, hi := c.Span.First+(c.Span.Last-c.Span.First+1)*k/n, c.Span.First+(c.Span.Last-c.Span.First+1)*(k+1)/n
		best, least := -1, math.Inf(1)
		for f := lo; f < hi; f++ {
			if !clear(f) {
				continue
			}
			before, after := cover.Time(max(f-1, c.Span.First)), cover.Time(min(f+1, c.Span.Last))
			if v := c.Centre(after).Sub(c.Centre(before)).Len(); v < least {
				best, least = f, v
			}
		}
		if best >= 0 {
			at = append(at, best)
		}
	}
	if drawn := c.Drawn(); c.Span.Holds(drawn) {
		at = append(at, drawn.Frame())
	}
	if len(at) == 0 {
		at = append(at, c.Span.First)
	}
	slices.Sort(at)
	return slices.Compact(at)
}

// NewSurvey begins a survey, given a cover as it is on the frames that will be added;
// from is the index of the one on which it was drawn. The error is cleanplate.ErrOutline.
func NewSurvey(lives []cover.Live, from int) (*Survey, error) {
	s := &Survey{lives: lives, from: from}
	var box geom.Rect
	var scales []float64
	reach := 0.
	for _, l := range lives {
		back, err := l.Warp().Back()
		if err != nil {
			continue
		}
		for _, p := range l.Paths {
			box = box.Union(p.Carry(back).Bounds())
		}
		mid := box.Centre()
		o := l.Map.Apply(mid)
		scales = append(scales, math.Sqrt(math.Abs(l.Map.Apply(mid.Add(geom.Pt(1, 0))).Sub(o).Cross(
			l.Map.Apply(mid.Add(geom.Pt(0, 1))).Sub(o)))))
		reach = max(reach, (l.Grow+max(l.Soften.X, l.Soften.Y)+rimWide)/max(scales[len(scales)-1], .05))
	}
	if len(scales) == 0 || box.Empty() {
		return nil, cleanplate.ErrOutline
	}
	slices.Sort(scales)
	reach = min(reach, 400)
	b := box.Grow(reach, reach)
	var err error
	s.g, err = cleanplate.NewGather([]geom.Point{b.Min, {X: b.Max.X, Y: b.Min.Y}, b.Max, {X: b.Min.X, Y: b.Max.Y}},
		scales[len(scales)*3/4])
	return s, err
}

// Add takes the next frame.
func (s *Survey) Add(p *frame.Picture) {
	i := s.done
	s.done++
	if i >= len(s.lives) {
		return
	}
	w := s.lives[i].Warp()
	s.g.Add(p, w, i == s.from)
	if i == s.from || len(s.kept) < keptSamples {
		k := sample{w: w, depth: p.Depth}
		if r, bin := s.g.Part(w, p.Width, p.Height); !r.Empty() && bin == 1 {
			k.v.Read(p, r, bin)
			if len(s.kept) == keptSamples {
				s.kept = s.kept[1:]
			}
			s.kept = append(s.kept, k)
		}
	}
}

// CleanPlate makes the clean plate of what was seen. The error is cleanplate.ErrNoView.
func (s *Survey) CleanPlate() (*CleanPlate, error) {
	p, err := s.g.Plate()
	if err != nil {
		return nil, err
	}
	g := &CleanPlate{plate: p}
	hole := s.hole(p)
	g.clean = Heal(p, hole)
	g.rim = rim(p, hole)
	g.grain = s.measureGrain(p)
	g.sharp = s.sharpness(hole)
	return g, nil
}

// hole marks the samples of the plate that the cover hides on any of the frames, and
// those next to them.
func (s *Survey) hole(p *cleanplate.Plate) []bool {
	hole := make([]bool, p.W*p.H)
	var last []geom.Path
	for _, l := range s.lives {
		back, err := l.Warp().Back()
		if err != nil {
			continue
		}
		var paths []geom.Path
		for _, q := range l.Paths {
			paths = append(paths, q.Carry(back).Map(p.Of))
		}
		if same(paths, last) {
			continue
		}
		last = paths
		o := p.Of.Apply(back(geom.Pt(0, 0)))
		scale := p.Of.Apply(back(geom.Pt(1, 0))).Sub(o).Len()
		f := cover.Form{Paths: paths, Grow: l.Grow*scale + 1.5, Soften: l.Soften.Mul(scale), Side: l.Side}
		m := raster.Matte(cover.Live{Form: f}, p.W, p.H)
		for y := m.Rect.Min.Y; y < m.Rect.Max.Y; y++ {
			for x, v := range m.Row(y) {
				if v > 0 {
					hole[y*p.W+m.Rect.Min.X+x] = true
				}
			}
		}
	}
	return hole
}

func same(a, b []geom.Path) bool {
	if len(a) != len(b) {
		return false
	}
	for i := range a {
		if len(a[i]) != len(b[i]) {
			return false
		}
		for j := range a[i] {
			if a[i][j].P.Sub(b[i][j].P).Len() > .1 {
				return false
			}
		}
	}
	return true
}

// sharpness is the sigma of the picture's own softness, px, from its sharpest edges
// inside and around the outline: blurred once more by a known sigma, an edge loses the
// more of its slope the sharper it was (Zhuo and Sim, "Defocus map estimation from a
// single image", Pattern Recognition 44(9), 2011). Without an edge it is that of an
// ordinary camera.
func (s *Survey) sharpness(hole []bool) float64 {
	const usual, again = .6, 1.
	if len(s.kept) == 0 {
		return usual
	}
	k := &s.kept[len(s.kept)-1]
	w, h := k.v.W, k.v.H
	y0 := k.v.C[0]
	y1 := slices.Clone(y0)
	filter.Gauss(y1, w, h, again, again)
	slope := func(v []float32, i int) float64 {
		return math.Hypot(float64(v[i+1]-v[i-1]), float64(v[i+w]-v[i-w]))
	}
	var all []float64
	for y := 3; y < h-3; y++ {
		for x := 3; x < w-3; x++ {
			i := y*w + x
			g := slope(y0, i)
			if g < 40 || g < slope(y0, i-1) || g < slope(y0, i+1) || g < slope(y0, i-w) || g < slope(y0, i+w) {
				continue
			}
			if q := g / slope(y1, i); q > 1.02 {
				all = append(all, again/math.Sqrt(q*q-1))
			}
		}
	}
	if len(all) < 30 {
		return usual
	}
	slices.Sort(all)
	return min(max(all[len(all)/4], .3), 6)
}

// CleanPlateKey names everything that decides the clean plate made of some looks.
func CleanPlateKey(source string, frames []int, lives []cover.Live) string {
	b, _ := json.Marshal([]any{source, frames, lives})
	return string(b)
}

// alone makes a clean plate of one frame.
func alone(p *frame.Picture, l cover.Live) *CleanPlate {
	if l.Inverted {
		return nil
	}
	s, err := NewSurvey([]cover.Live{l}, 0)
	if err != nil {
		return nil
	}
	s.Add(p)
	g, err := s.CleanPlate()
	if err != nil {
		return nil
	}
	return g
}

// prepare gives the site its clean plate, and the light on it, where a treatment needs them.
func (s *Site) prepare(refs *References) {
	s.light = light{gain: 1}
	s.unit = float32(int(1) << (s.Depth - 8))
	if refs != nil {
		s.CleanPlate, s.graphics = refs.CleanPlates[s.Live.Cover], refs.Graphics
	}
	if Wants(&s.Live) {
		if s.CleanPlate == nil {
			s.CleanPlate = alone(s.Picture, s.Live)
		}
		if s.CleanPlate != nil && s.Matrix != frame.RGB {
			s.light = s.CleanPlate.lightOn(s.Picture, s.Live.Warp())
		}
	}
	if slices.ContainsFunc(s.Live.Treatments, func(t cover.LiveTreatment) bool { return t.Shading > 0 }) {
		s.was = s.Picture.Read(0, s.Matte.Rect)
	}
}
