// Package feature recognises a surface wherever it stands: places of a picture are described so
// that their descriptions stay the same when it is turned, sized and lit otherwise, and a surface
// is where many of its places are, each as the others say. What is found so is compared with the
// picture, sample by sample, before it is believed.
package feature

import (
	"cmp"
	"math"
	"slices"

	"celator/core/filter"
	"celator/core/geom"
	"celator/core/track"
)

// Feature is a place of a picture that looks like no other near it.
type Feature struct {
	P     geom.Point // px
	Size  float64    // standard deviation of the blob that it is, px
	Turn  float64    // radians clockwise, of the direction in which the picture brightens most around it
	Clear float64    // how much it differs from what is around it, codes of 8 bit
	desc  [descriptor]float32
}

const (
	// intervals is into how many scales an octave is parted, and sharpest the blur, px, of its first: both Lowe's.
	// One octave more than there are sizes, from half that blur on the same samples, finds what is small.
	intervals = 3
	sharpest  = 1.6
	assumed   = .5 // blur, px, that a picture has
	// clearFrom is how much a feature must differ, codes of 8 bit; the strongest are taken anyway.
	clearFrom = 1.2
	// edgeRatio is how much more it may be curved across than along: on an edge its place is not known.
	edgeRatio = 10.
	leastSide = 16 // samples of an octave
)

// octave is a picture at scales up to twice the first, and their differences.
type octave struct {
	step   float64 // px of the picture from sample to sample
	sigma  float64 // of the first scale, samples
	levels []*track.Gray
	dogs   []*track.Gray
}

// Detect finds the features of a picture, at most so many: those that are clearest.
//
// Extrema of differences of Gaussians over place and scale, placed by a quadratic through their neighbours, with the
// directions of their gradients: Lowe, "Distinctive image features from scale-invariant keypoints", IJCV 60(2), 2004.
func Detect(g *track.Gray, most int) []Feature {
	var found []extremum
	octaves := scales(g)
	for i := range octaves {
		found = append(found, octaves[i].extrema(i)...)
	}
	slices.SortStableFunc(found, func(a, b extremum) int { return cmp.Compare(b.clear, a.clear) })
	found = found[:min(len(found), most)]
	var out []Feature
	for _, e := range found {
		o := &octaves[e.octave]
		for _, turn := range o.turns(e) {
			f := Feature{
				P: geom.Pt((e.x+.5)*o.step, (e.y+.5)*o.step), Size: e.sigma * o.step, Turn: turn, Clear: e.clear,
			}
			o.describe(e, turn, &f.desc)
			out = append(out, f)
		}
	}
	return out
}

// scales are the octaves of a picture.
func scales(g *track.Gray) (out []octave) {
	if min(g.W, g.H) < leastSide {
		return nil
	}
	first := blurred(g, math.Sqrt(sharpest*sharpest/4-assumed*assumed))
	o := newOctave(first, 1, sharpest/2)
	out = append(out, o)
	o = newOctave(o.levels[intervals], 1, sharpest)
	for {
		out = append(out, o)
		next := o.levels[intervals]
		if min(next.W, next.H)/2 < leastSide {
			return out
		}
		o = newOctave(every2nd(next), 2*o.step, sharpest)
	}
}

func newOctave(first *track.Gray, step, sigma float64) octave {
	o := octave{step: step, sigma: sigma, levels: []*track.Gray{first}}
	for i := 1; i < intervals+3; i++ {
		was, now := o.at(float64(i-1)), o.at(float64(i))
		next := blurred(o.levels[i-1], math.Sqrt(now*now-was*was))
		d := track.NewGray(first.W, first.H)
		for k, v := range next.Pix {
			d.Pix[k] = v - o.levels[i-1].Pix[k]
		}
		o.levels, o.dogs = append(o.levels, next), append(o.dogs, d)
	}
	return o
}

// at is the blur of a scale, samples.
func (o *octave) at(level float64) float64 { return o.sigma * math.Exp2(level/intervals) }

func blurred(g *track.Gray, sigma float64) *track.Gray {
	out := &track.Gray{W: g.W, H: g.H, Pix: slices.Clone(g.Pix)}
	filter.Gauss(out.Pix, g.W, g.H, sigma, sigma)
	return out
}

// every2nd is a picture at half its size: means of four, as what is left of its blur lets it be.
func every2nd(g *track.Gray) *track.Gray {
	out := track.NewGray(g.W/2, g.H/2)
	for y := range out.H {
		a, b := g.Pix[2*y*g.W:], g.Pix[(2*y+1)*g.W:]
		for x := range out.W {
			out.Pix[y*out.W+x] = (a[2*x] + a[2*x+1] + b[2*x] + b[2*x+1]) / 4
		}
	}
	return out
}

// extremum is a place and scale at which a difference is the greatest or least around.
type extremum struct {
	octave int
	x, y   float64 // samples, whole at their centres
	sigma  float64 // samples
	level  int     // the scale that is nearest
	clear  float64
}

func (o *octave) extrema(number int) (out []extremum) {
	w, h := o.dogs[0].W, o.dogs[0].H
	for l := 1; l <= intervals; l++ {
		d := o.dogs[l]
		for y := 1; y < h-1; y++ {
			row := d.Pix[y*w : (y+1)*w]
			for x := 1; x < w-1; x++ {
				v := row[x]
				if v < clearFrom*.8 && v > -clearFrom*.8 || !o.extreme(l, x, y, v) {
					continue
				}
				if e, ok := o.placed(l, x, y); ok {
					e.octave = number
					out = append(out, e)
				}
			}
		}
	}
	return out
}

// extreme reports whether a difference is greater, or less, than all its neighbours.
func (o *octave) extreme(l, x, y int, v float32) bool {
	w := o.dogs[0].W
	up := v > 0
	for _, d := range [3]*track.Gray{o.dogs[l], o.dogs[l-1], o.dogs[l+1]} {
		for j := -1; j <= 1; j++ {
			r := d.Pix[(y+j)*w+x-1:][:3]
			for i, n := range r {
				if (up && n >= v || !up && n <= v) && !(d == o.dogs[l] && j == 0 && i == 1) {
					return false
				}
			}
		}
	}
	return true
}

// placed is an extremum to a part of a sample: where a quadratic through its neighbours has it. ok is false of one that
// is faint, or lies along an edge.
func (o *octave) placed(l, x, y int) (e extremum, ok bool) {
	w, h := o.dogs[0].W, o.dogs[0].H
	for range 4 {
		v := func(i, j, k int) float64 { return float64(o.dogs[l+k].Pix[(y+j)*w+x+i]) }
		c := v(0, 0, 0)
		gx, gy, gs := (v(1, 0, 0)-v(-1, 0, 0))/2, (v(0, 1, 0)-v(0, -1, 0))/2, (v(0, 0, 1)-v(0, 0, -1))/2
		xx, yy, ss := v(1, 0, 0)+v(-1, 0, 0)-2*c, v(0, 1, 0)+v(0, -1, 0)-2*c, v(0, 0, 1)+v(0, 0, -1)-2*c
		xy := (v(1, 1, 0) - v(-1, 1, 0) - v(1, -1, 0) + v(-1, -1, 0)) / 4
		xs := (v(1, 0, 1) - v(-1, 0, 1) - v(1, 0, -1) + v(-1, 0, -1)) / 4
		ys := (v(0, 1, 1) - v(0, -1, 1) - v(0, 1, -1) + v(0, -1, -1)) / 4
		det := xx*(yy*ss-ys*ys) - xy*(xy*ss-ys*xs) + xs*(xy*ys-yy*xs)
		if math.Abs(det) < 1e-9 {
			return e, false
		}
		dx := -(gx*(yy*ss-ys*ys) - gy*(xy*ss-xs*ys) + gs*(xy*ys-xs*yy)) / det
		dy := -(-gx*(xy*ss-ys*xs) + gy*(xx*ss-xs*xs) - gs*(xx*ys-xy*xs)) / det
		ds := -(gx*(xy*ys-yy*xs) - gy*(xx*ys-xy*xs) + gs*(xx*yy-xy*xy)) / det
		if math.Abs(dx) <= .6 && math.Abs(dy) <= .6 && math.Abs(ds) <= .6 {
			clear := math.Abs(c + (gx*dx+gy*dy+gs*ds)/2)
			bent := xx*yy - xy*xy
			if clear < clearFrom || bent <= 0 || (xx+yy)*(xx+yy)*edgeRatio >= (edgeRatio+1)*(edgeRatio+1)*bent {
				return e, false
			}
			return extremum{
				x: float64(x) + dx, y: float64(y) + dy, level: l, clear: clear, sigma: o.at(float64(l) + ds),
			}, true
		}
		x += int(math.Round(min(max(dx, -1), 1)))
		y += int(math.Round(min(max(dy, -1), 1)))
		l += int(math.Round(min(max(ds, -1), 1)))
		if l < 1 || l > intervals || x < 1 || y < 1 || x >= w-1 || y >= h-1 {
			return e, false
		}
	}
	return e, false
}
