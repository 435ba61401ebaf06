package feature

import (
	"cmp"
	"errors"
	"math"
	"slices"

	"celator/core/filter"
	"celator/core/geom"
	"celator/core/track"
)

// ErrPlain says that a surface has too few places by which it could be recognised.
var ErrPlain = errors.New("the surface has too little in it that could be recognised elsewhere")

// Mark is a surface that is looked for. It is not for use by two goroutines at once.
type Mark struct {
	quad   geom.Quad // its corners on its own picture
	places []place
	desc   []float32 // theirs, one after the other
	look   *track.Locator
}

// place is a feature of a view of the surface.
type place struct {
	p, feature geom.Point // on the surface's picture; on the view
	size, turn float64    // on the view
	view       geom.Map   // the surface's picture to the view
}

const (
	// A surface is described from the front and slanted by these tilts (one over the cosine of its slant), each to so
	// many sides: Morel and Yu, "ASIFT", SIAM J. Imaging Sciences 2(2), 2009, whose steps they are.
	slantStep  = math.Sqrt2
	slantSteps = 2
	// atView is how long a surface's longer side is at least on its views, px, as far as enlarging goes.
	atView  = 240.
	largest = 4.
	// mostPlaces are kept of a surface, and mostOfView of each view.
	mostPlaces, mostOfView = 600, 100
	leastPlaces            = 8
	around                 = .15 // of a surface's size, that its views show around it
)

// NewMark makes a surface ready to be looked for: its corners, in order, on a picture of it. The errors are ErrPlain
// and those of a surface that cannot be followed.
func NewMark(g *track.Gray, quad geom.Quad) (*Mark, error) {
	f, err := track.Prepare(g)
	if err != nil {
		return nil, err
	}
	m := &Mark{quad: quad}
	if m.look, err = track.NewLocator(f, quad[:], geom.Point{}); err != nil {
		return nil, err
	}
	long := max(quad.Width(), quad.Height())
	size := min(max(atView/long, 1), largest)
	for k := range slantSteps + 1 {
		tilt := math.Pow(slantStep, float64(k))
		sides := 1
		if k > 0 {
			sides = int(math.Ceil(180 * tilt / 72))
		}
		for i := range sides {
			m.see(g, tilt, float64(i)*math.Pi/float64(sides), size)
		}
	}
	if len(m.places) < leastPlaces {
		return nil, ErrPlain
	}
	return m, nil
}

// see adds the features of one view: the picture turned, and narrowed by a tilt.
func (m *Mark) see(g *track.Gray, tilt, turn, size float64) {
	if len(m.places) >= mostPlaces {
		return
	}
	b := m.quad.Bounds()
	d := around * max(b.Max.X-b.Min.X, b.Max.Y-b.Min.Y)
	turned := geom.Placement(geom.Point{}, geom.Point{}, turn*180/math.Pi, size, size)
	q := m.quad.Under(turned).Bounds().Grow(d*size, d*size)
	turned = geom.Translate(q.Min.Mul(-1)).Mul(turned)
	back, err := turned.Inverse()
	if err != nil {
		return
	}
	view := track.NewGray(int(q.Max.X-q.Min.X), int(q.Max.Y-q.Min.Y))
	for y := range view.H {
		for x := range view.W {
			view.Pix[y*view.W+x] = g.At(back.Apply(geom.Pt(float64(x)+.5, float64(y)+.5)))
		}
	}
	if tilt > 1 {
		filter.Gauss(view.Pix, view.W, view.H, .8*math.Sqrt(tilt*tilt-1), 0)
		narrow := track.NewGray(int(float64(view.W)/tilt), view.H)
		for y := range narrow.H {
			for x := range narrow.W {
				narrow.Pix[y*narrow.W+x] = view.At(geom.Pt((float64(x)+.5)*tilt, float64(y)+.5))
			}
		}
		view = narrow
		turned = geom.Map{1 / tilt, 0, 0, 0, 1, 0, 0, 0, 1}.Mul(turned)
		if back, err = turned.Inverse(); err != nil {
			return
		}
	}
	n := 0
	for _, f := range Detect(view, 2*mostOfView) {
		p := back.Apply(f.P)
		if n == mostOfView || len(m.places) == mostPlaces || !m.quad.Holds(p) {
			continue
		}
		m.places = append(m.places, place{p: p, feature: f.P, size: f.Size, turn: f.Turn, view: turned})
		m.desc = append(m.desc, f.desc[:]...)
		n++
	}
}

// Picture is a picture made ready for surfaces to be looked for in it.
type Picture struct {
	frame    track.Frame
	features []Feature
	desc     []float32
}

// mostFeatures are described of a picture.
const mostFeatures = 2500

// Prepare describes a picture.
func Prepare(g *track.Gray) (*Picture, error) {
	f, err := track.Prepare(g)
	if err != nil {
		return nil, err
	}
	p := &Picture{frame: f, features: Detect(g, mostFeatures)}
	for _, f := range p.features {
		p.desc = append(p.desc, f.desc[:]...)
	}
	return p, nil
}

// Sight is a surface where it was found.
type Sight struct {
	Quad geom.Quad // its corners, as the mark's
	Sure float64   // 0 to 1
	Map  geom.Map  // the mark's picture to this one
}

// In finds a surface in a picture, wherever it stands there, the surest first.
func (m *Mark) In(p *Picture) (out []Sight) {
	var all []Sight
	for _, g := range m.guesses(p) {
		if s, ok := m.believed(p, g); ok {
			all = append(all, s)
		}
	}
	slices.SortStableFunc(all, func(a, b Sight) int { return cmp.Compare(b.Sure, a.Sure) })
	for _, s := range all {
		if !slices.ContainsFunc(out, func(o Sight) bool { return o.Quad.Bounds().Common(s.Quad.Bounds()) > 0 }) {
			out = append(out, s)
		}
	}
	return out
}
