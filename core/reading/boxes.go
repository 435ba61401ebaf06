package reading

import (
	"context"
	"image"
	"math"

	"celator/core/geom"
)

// Box is where something is, and how sure that is, 0 to 1.
type Box struct {
	Quad geom.Quad
	Sure float64
}

const (
	inText  = .3  // a sample with more may belong to text
	isText  = .5  // a box whose samples have fewer in the mean is none
	unclip  = 1.6 // the network shrinks text by a share of its area over its rim; boxes are grown back by as much
	leastIn = 3   // samples: a box that is lower is noise

	tile = 736 // samples: parts of a picture that the network is given at once, for its memory's sake
	lap  = 128 // by which parts overlap: what stands at a part's rim is not seen whole
	unit = 32  // the network halves five times
)

// What the network was taught with: means and deviations of B'G'R' between 0 and 1.
var (
	mean      = [3]float32{.485, .456, .406}
	deviation = [3]float32{.229, .224, .225}
)

// Boxes finds where text stands, without reading it.
func (r *Reader) Boxes(ctx context.Context, pic *image.RGBA, scale float64) ([]Box, error) {
	b := pic.Bounds()
	w, h := int(math.Round(float64(b.Dx())*scale)), int(math.Round(float64(b.Dy())*scale))
	if w < leastIn || h < leastIn {
		return nil, nil
	}
	small := resized(pic, w, h)
	all := NewTensor(h, w)
	tiles := parts(w, h)
	maps, err := each(ctx, tiles, func(ctx context.Context, part image.Rectangle) (Tensor, error) {
		in := planes(small, part)
		out, err := r.Net.Run(ctx, Detect, in)
		if err != nil {
			return Tensor{}, err
		}
		return one(out), one(out).check(1, 1, in.Shape[2], in.Shape[3])
	})
	if err != nil {
		return nil, err
	}
	for i, part := range tiles {
		wide := maps[i].Shape[3]
		for y := part.Min.Y; y < part.Max.Y; y++ {
			row := maps[i].Data[(y-part.Min.Y)*wide:]
			for x := part.Min.X; x < part.Max.X; x++ {
				at := &all.Data[y*w+x]
				*at = max(*at, row[x-part.Min.X])
			}
		}
	}
	boxes := Outlines(all)
	for i := range boxes {
		for k, p := range boxes[i].Quad {
			boxes[i].Quad[k] = geom.Pt(p.X*float64(b.Dx())/float64(w)+float64(b.Min.X),
				p.Y*float64(b.Dy())/float64(h)+float64(b.Min.Y))
		}
	}
	return boxes, nil
}

func one(out []Tensor) Tensor {
	if len(out) != 1 {
		return Tensor{}
	}
	return out[0]
}

// parts cuts a picture into overlapping parts, as equal as can be.
func parts(w, h int) []image.Rectangle {
	var out []image.Rectangle
	for _, y := range pieces(h, tile, lap) {
		for _, x := range pieces(w, tile, lap) {
			out = append(out, image.Rect(x[0], y[0], x[1], y[1]))
		}
	}
	return out
}

// pieces cuts a length of n into the fewest equal pieces that overlap by lap or more and are
// at most most long.
func pieces(n, most, lap int) [][2]int {
	count := max(1, (n-lap+most-lap-1)/(most-lap))
	length := (n + (count-1)*lap + count - 1) / count
	out := make([][2]int, count)
	for i := range out {
		start := i * (n - length) / max(count-1, 1)
		out[i] = [2]int{start, start + length}
	}
	return out
}

// planes are a part of a picture as Detect wants it, up to whole units, the rest grey.
func planes(pic *image.RGBA, part image.Rectangle) Tensor {
	up := func(n int) int { return (n + unit - 1) / unit * unit }
	w, h := up(part.Dx()), up(part.Dy())
	t := NewTensor(1, 3, h, w)
	for y := range part.Dy() {
		row := pic.Pix[pic.PixOffset(part.Min.X, part.Min.Y+y):]
		for c := range 3 {
			out := t.Data[(c*h+y)*w:]
			for x := range part.Dx() {
				out[x] = (float32(row[4*x+2-c])/255 - mean[c]) / deviation[c]
			}
		}
	}
	return t
}

// Outlines finds the boxes of a map of h×w samples, each telling how likely text stands there.
func Outlines(m Tensor) []Box {
	h, w := m.Shape[0], m.Shape[1]
	seen := make([]bool, w*h)
	var out []Box
	var todo []int
	for i := range m.Data {
		if seen[i] || !(m.Data[i] > inText) {
			continue
		}
		// One piece: its outermost samples in each row are all that its hull needs.
		var rim []geom.Point
		seen[i] = true
		todo = append(todo[:0], i)
		for len(todo) > 0 {
			k := todo[len(todo)-1]
			todo = todo[:len(todo)-1]
			x, y := k%w, k/w
			edge := false
			for dy := -1; dy <= 1; dy++ {
				for dx := -1; dx <= 1; dx++ {
					if x+dx < 0 || x+dx >= w || y+dy < 0 || y+dy >= h {
						edge = true
						continue
					}
					n := k + dy*w + dx
					if !(m.Data[n] > inText) {
						edge = true
					} else if !seen[n] {
						seen[n] = true
						todo = append(todo, n)
					}
				}
			}
			if edge {
				fx, fy := float64(x), float64(y)
				rim = append(rim, geom.Pt(fx, fy), geom.Pt(fx+1, fy), geom.Pt(fx, fy+1), geom.Pt(fx+1, fy+1))
			}
		}
		q := smallest(geom.Hull(rim))
		a, b := q[1].Sub(q[0]).Len(), q[3].Sub(q[0]).Len()
		if min(a, b) < leastIn {
			continue
		}
		if sure := inside(m, q); sure >= isText {
			out = append(out, Box{q.Grown(unclip * a * b / (2 * (a + b))), sure})
		}
	}
	return out
}

// smallest is the rectangle of the smallest area around a convex polygon: one of its sides
// lies on one of the polygon's (Freeman and Shapira, CACM 18(7), 1975). Its corners begin at
// the upper left of what it reads, if it is read from left to right along its longer side,
// or downward where it is much higher than it is wide.
func smallest(hull []geom.Point) geom.Quad {
	var best geom.Quad
	least := math.Inf(1)
	for i, p := range hull {
		d := hull[(i+1)%len(hull)].Sub(p)
		if d.Len() == 0 {
			continue
		}
		u := d.Mul(1 / d.Len())
		v := geom.Pt(-u.Y, u.X)
		lo, hi := geom.Pt(math.Inf(1), math.Inf(1)), geom.Pt(math.Inf(-1), math.Inf(-1))
		for _, q := range hull {
			s, t := q.Dot(u), q.Dot(v)
			lo, hi = geom.Pt(min(lo.X, s), min(lo.Y, t)), geom.Pt(max(hi.X, s), max(hi.Y, t))
		}
		if a := (hi.X - lo.X) * (hi.Y - lo.Y); a < least {
			least = a
			at := func(s, t float64) geom.Point { return u.Mul(s).Add(v.Mul(t)) }
			best = geom.Quad{at(lo.X, lo.Y), at(hi.X, lo.Y), at(hi.X, hi.Y), at(lo.X, hi.Y)}
		}
	}
	return upright(best)
}

// upright turns the corners of a rectangle so that its upper edge comes first: of its four
// sides the one that runs most nearly to the right.
func upright(q geom.Quad) geom.Quad {
	first, most := 0, math.Inf(-1)
	for i := range q {
		d := q[(i+1)%4].Sub(q[i])
		if c := d.X / d.Len(); c > most {
			first, most = i, c
		}
	}
	return geom.Quad{q[first], q[(first+1)%4], q[(first+2)%4], q[(first+3)%4]}
}

// inside is the mean of a map over a box.
func inside(m Tensor, q geom.Quad) float64 {
	h, w := m.Shape[0], m.Shape[1]
	b := q.Bounds()
	var sum float64
	n := 0
	for y := max(int(b.Min.Y), 0); y < min(int(math.Ceil(b.Max.Y)), h); y++ {
		for x := max(int(b.Min.X), 0); x < min(int(math.Ceil(b.Max.X)), w); x++ {
			if q.Holds(geom.Pt(float64(x)+.5, float64(y)+.5)) {
				sum += float64(m.Data[y*w+x])
				n++
			}
		}
	}
	return sum / float64(max(n, 1))
}
