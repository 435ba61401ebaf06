package track

import (
	"errors"
	"math"
	"slices"

	"celator/core/geom"
)

// Tracker follows one thing or several in one direction, away from its reference.
type Tracker interface {
	Step(Frame) []Pose // on the next frame, one for each thing
	Fork() Tracker     // anew from the reference, for the other direction
}

// sameWithin is the distance of two solutions, px, up to which they see the same thing.
const sameWithin = 3

// Blend joins two ways of following a stretch between two anchors: forward from the
// one before it, backward from the one after it, frame by frame in the order of
// time. Where both see the same the poses pass evenly from the first to the second,
// which shares the drift out; where one has slipped or lost the surface the other is
// taken, and the change between them is put where both are surest. quad is the box
// around the surface in the coordinates that the poses are of.
func Blend(forward, back []Pose, quad [4]geom.Point) []Pose {
	n := len(forward)
	out := make([]Pose, n)
	together := true
	cost := make([]float64, n+1) // of changing over before frame i
	for i := range n {
		together = together && forward[i].State.Known() && back[i].State.Known() &&
			Spread(forward[i].Map, back[i].Map, quad) < sameWithin
		cost[0] += doubt(back[i])
	}
	best := 0
	for i := range n {
		cost[i+1] = cost[i] - doubt(back[i]) + doubt(forward[i])
		if cost[i+1] < cost[best] {
			best = i + 1
		}
	}
	for i := range n {
		share := 0. // of the backward one
		switch {
		case together:
			share = float64(i+1) / float64(n+1)
		case forward[i].State.Known() && back[i].State.Known() && Spread(forward[i].Map, back[i].Map, quad) < sameWithin:
			share = min(max(.5+(float64(i-best)+.5)/10, 0), 1)
		case i >= best:
			share = 1
		}
		out[i] = mix(forward[i], back[i], quad, share)
	}
	return out
}

// Between fills n frames in which the surface was not found, between two in which it
// was: its corners go on as they moved before and come as they move after (cubic
// Hermite), where before and after are given two poses, the nearer to the gap last
// and first. States and confidence stay what they are.
func Between(before, after [2]geom.Map, n int, quad [4]geom.Point) []geom.Map {
	out := make([]geom.Map, n)
	for i := range out {
		t := float64(i+1) / float64(n+1)
		var to [4]geom.Point
		for k, c := range quad {
			p, q := before[1].Apply(c), after[0].Apply(c)
			u, v := p.Sub(before[0].Apply(c)), after[1].Apply(c).Sub(q)
			w := float64(n + 1)
			to[k] = p.Mul(1 - t*t*(3-2*t)).Add(q.Mul(t * t * (3 - 2*t))).Add(u.Mul(w * t * (1 - t) * (1 - t))).Sub(
				v.Mul(w * t * t * (1 - t)))
		}
		m, err := geom.QuadToQuad(quad, to)
		if err != nil {
			m = before[1]
		}
		out[i] = m
	}
	return out
}

// doubt is how little a pose is believed.
func doubt(p Pose) float64 {
	switch p.State {
	case Anchor, Good:
		return .25 * (1 - p.Confidence)
	case Weak:
		return 1 - p.Confidence
	}
	return 2
}

// mix takes the corners a share of the way from one pose to another.
func mix(p, q Pose, quad [4]geom.Point, share float64) Pose {
	if share <= 0 {
		return p
	}
	if share >= 1 {
		return q
	}
	var to [4]geom.Point
	for i, c := range quad {
		to[i] = p.Map.Apply(c).Lerp(q.Map.Apply(c), share)
	}
	m, err := geom.QuadToQuad(quad, to)
	if err != nil {
		return p
	}
	r := Pose{
		Map: m, Confidence: max(p.Confidence, q.Confidence), State: p.State, Bend: p.Bend.Lerp(q.Bend, share),
	}
	if doubt(q) < doubt(p) {
		r.State = q.State
	}
	return r
}

// Figures is what is measured of a track, to compare attempts by.
type Figures struct {
	Frames    int     `json:"frames"`
	Good      float64 `json:"good"`      // share of the frames in the picture that are good
	Lost      int     `json:"lost"`      // frames
	Agreement float64 `json:"agreement"` // mean confidence where the surface is found
	Jitter    float64 `json:"jitter"`    // px, root mean square second difference of the corners over found frames
	Apart     float64 `json:"apart"`     // px, rms distance of forward and backward; -1 where there is but one
	Bends     float64 `json:"bends"`     // px, by which a surface followed as a plane bends; 0 where it does not
	Rank      float64 `json:"rank"`      // 0 to 1, from the others: what attempts are ordered by
}

// Measure returns the figures of poses in the order of time.
func Measure(poses []Pose, quad [4]geom.Point, apart float64) Figures {
	f := Figures{Frames: len(poses), Apart: apart}
	var found, seen, good int
	var jitter float64
	var triples int
	for i, p := range poses {
		if p.State != Outside {
			seen++
		}
		switch {
		case p.State == Lost:
			f.Lost++
		case p.State.Known():
			found++
			f.Agreement += p.Confidence
			if p.State != Weak {
				good++
			}
		}
		if i < 2 || !p.State.Known() || !poses[i-1].State.Known() || !poses[i-2].State.Known() {
			continue
		}
		for _, c := range quad {
			d := p.Map.Apply(c).Sub(poses[i-1].Map.Apply(c).Mul(2)).Add(poses[i-2].Map.Apply(c))
			jitter += d.Dot(d) / 4
		}
		triples++
	}
	f.Good = float64(good) / float64(max(seen, 1))
	f.Agreement /= float64(max(found, 1))
	f.Jitter = math.Sqrt(jitter / float64(max(triples, 1)))
	closes := .5 // not known
	if apart >= 0 {
		closes = max(1-apart/4, 0)
	}
	f.Rank = (f.Good + f.Agreement + closes + 1/(1+f.Jitter)) / 4
	return f
}

// Cut reports whether two frames that follow one another show different shots: their
// pictures, a few dozen samples wide, have nothing in common even when one is moved
// against the other. A flash or a fast pan is no cut.
func Cut(a, b Frame) bool {
	p, q := a.pyr[len(a.pyr)-1], b.pyr[len(b.pyr)-1]
	if p.W != q.W || p.H != q.H || p.W < 8 || p.H < 6 {
		return false
	}
	best := -1.
	rx, ry := p.W/4, p.H/6
	for dy := -ry; dy <= ry; dy++ {
		for dx := -rx; dx <= rx; dx++ {
			best = max(best, correlation(p, q, dx, dy))
		}
	}
	return best < .5
}

// correlation is the normalised one of what two pictures share when the second is
// moved.
func correlation(p, q *Gray, dx, dy int) float64 {
	var n, a, b, aa, bb, ab float64
	for y := max(0, -dy); y < min(p.H, p.H-dy); y++ {
		for x := max(0, -dx); x < min(p.W, p.W-dx); x++ {
			u, v := float64(p.Pix[(y+dy)*p.W+x+dx]), float64(q.Pix[y*p.W+x])
			n, a, b, aa, bb, ab = n+1, a+u, b+v, aa+u*u, bb+v*v, ab+u*v
		}
	}
	if n < 12 {
		return -1
	}
	va, vb := aa/n-a*a/n/n, bb/n-b*b/n/n
	if va < 1 || vb < 1 { // nothing to tell by
		return 1
	}
	return (ab/n - a*b/n/n) / math.Sqrt(va*vb)
}

// Texture is how well a surface can be followed.
type Texture struct {
	Share  float64 `json:"share"`  // of it that can be compared
	Spread float64 `json:"spread"` // px that the noise moves a corner by, expected
	Enough bool    `json:"enough"`
	Edge   bool    `json:"-"` // too flat, and followed by its outline alone
}

// Assess returns the texture of a surface on a frame, or why it cannot be followed.
// A surface that is too flat is told with its figures and ErrFlat.
func Assess(f Frame, outline []geom.Point, model Model) (Texture, error) {
	r, err := newReference(f, outline)
	if r == nil {
		return Texture{}, err
	}
	p := r.levels[0]
	var t Texture
	for _, i := range p.points {
		if p.weight[i] > 0 {
			t.Share++
		}
	}
	t.Share /= float64(max(len(p.points), 1))
	var w work
	a := p.align(r.noisy(f), geom.Translate(geom.Pt(.3, .2)), nil, model, 3, .001, false, &w)
	t.Spread = a.spread
	t.Edge = errors.Is(err, ErrFlat) && newRim(f, outline, r.grain).shows()
	t.Enough = err == nil && t.Share > .1 && t.Spread < GoodWithin
	return t, err
}

// noisy returns the picture with as much noise once more as it has around the surface
// (by its response to a difference of Laplacians: Immerkaer, CVIU 64(2), 1996), as
// another frame would.
func (r *reference) noisy(f Frame) pyramid {
	src := f.pyr[0]
	b := geom.Bounds(r.outline)
	x0, y0 := max(int(b.Min.X)-8, 1), max(int(b.Min.Y)-8, 1)
	x1, y1 := min(int(b.Max.X)+8, src.W-1), min(int(b.Max.Y)+8, src.H-1)
	var sum float64
	for y := y0; y < y1; y++ {
		for x := x0; x < x1; x++ {
			i := y*src.W + x
			p := src.Pix
			v := 4*p[i] - 2*(p[i-1]+p[i+1]+p[i-src.W]+p[i+src.W]) + p[i-src.W-1] + p[i-src.W+1] + p[i+src.W-1] + p[i+src.W+1]
			sum += math.Abs(float64(v))
		}
	}
	sigma := math.Sqrt(math.Pi/2) / 6 * sum / float64(max((x1-x0)*(y1-y0), 1))
	g := &Gray{W: src.W, H: src.H, Pix: slices.Clone(src.Pix)}
	state := uint32(2654435761)
	for y := y0; y < y1; y++ {
		for x := x0; x < x1; x++ {
			var n float64 // twelve uniform numbers make one nearly normal
			for range 12 {
				state ^= state << 13
				state ^= state >> 17
				state ^= state << 5
				n += float64(state) / (1 << 32)
			}
			g.Pix[y*g.W+x] += float32(sigma * (n - 6))
		}
	}
	return newPyramid(g)
}

// Enlarge looks for a larger surface around one with too little texture: the same
// shape, grown, whose texture is enough and moves as one over the next frames. It
// returns nil where there is none.
func Enlarge(f Frame, next []Frame, outline []geom.Point, model Model) ([]geom.Point, Texture) {
	c := geom.Bounds(outline).Centre()
	for _, grow := range []float64{1.25, 1.5, 1.8, 2.2, 2.8} {
		larger := make([]geom.Point, len(outline))
		for i, p := range outline {
			larger[i] = c.Add(p.Sub(c).Mul(grow))
		}
		texture, err := Assess(f, larger, model)
		if err != nil || !texture.Enough {
			continue
		}
		t, err := NewPlanar(f, larger, model)
		if err != nil {
			continue
		}
		alike := true
		for _, g := range next {
			// What does not move along disagrees.
			if p := t.step(g); p.State != Good || p.Confidence < .75 {
				alike = false
				break
			}
		}
		if alike {
			return larger, texture
		}
	}
	return nil, Texture{}
}
