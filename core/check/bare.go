package check

import (
	"image"
	"math"
	"slices"
	"sync"

	"celator/core/cover"
	"celator/core/filter"
	"celator/core/frame"
	"celator/core/geom"
	"celator/core/raster"
	"celator/core/track"
)

// Reported limits, chosen so that what the eye would find is found: parts of at least 4 %
// of a surface or 40 px². Both are measured after taking away what lies within the error
// of measuring, at the rim.
const (
	leastShare  = .022
	leastArea   = 22
	leastSample = 8 // px², of surfaces so small that their share says nothing
)

// cells compares what is hidden with where the target is, sample by sample.
//
// Long: the cells of one frame are weighed in one pass over shared sums.
func (w *watch) cells(f int, g *sight, m geom.Map, s track.Sight, speed geom.Point, shape, live cover.Live, hides,
	slipped bool,
) {
	// What lies this near to the cover's edge may be hidden or not: nobody can tell.
	slack := .3 + min(.3*s.Spread, .6) + 2*max(.97-s.Share, 0) // where much is hidden the far corners are guessed
	if !s.Sure() {
		slack++
	}
	if slipped {
		slack = .1
	}
	shape.Grow += slack
	if shape.Side != cover.SoftenInside { // where it hides by two thirds, which is quicker than its softness
		if shape.Side == cover.SoftenOutside {
			shape.Grow += .35 * min(shape.Soften.X, shape.Soften.Y)
		}
		shape.Soften = geom.Point{}
	}
	open := shape
	open.Holdouts = nil
	var full, held frame.Plane
	var drawing sync.WaitGroup
	if hides {
		drawing.Go(func() {
			full = raster.Matte(open, w.width, w.height)
			held = full
			if len(shape.Holdouts) > 0 {
				held = raster.Matte(shape, w.width, w.height)
			}
		})
	}
	seen, ok := w.compare(g, m, min(s.Spread+speed.Len()*.25, 4))
	drawing.Wait()
	if !ok {
		return
	}
	whole := seen.whole
	back, ok := w.backFrom(f, m)
	if !ok {
		return
	}
	exposed, leak, foreground := newMask(&seen), newMask(&seen), newMask(&seen)
	var in float64
	for y := range seen.h {
		for x := range seen.w {
			px, py := seen.rect.Min.X+x*seen.bin+seen.bin/2, seen.rect.Min.Y+y*seen.bin+seen.bin/2
			if at(whole, px, py) < .5 {
				continue
			}
			in++
			i := y*seen.w + x
			like := seen.like[i]
			here := image.Rect(px, py, px+1, py+1)
			a, b := at(full, px, py), at(held, px, py)
			switch {
			case a < .65:
				if like > 0 && w.content(back, px, py) {
					exposed.add(i, here)
				}
			case b < .4 && like == 1:
				if w.content(back, px, py) {
					leak.add(i, here)
				}
			case b > .65 && like == 0:
				foreground.add(i, here)
			}
		}
	}
	if in == 0 {
		return
	}
	unit := float64(seen.bin * seen.bin)
	all := in * unit
	least := math.Max(math.Min(leastArea, leastShare*w.areaOn(m)), leastSample)
	limit := math.Max(least, .002*w.areaOn(m))
	bare := float64(exposed.n) * unit
	if slipped && seen.bin > 1 { // a line may be thinner than a sample
		bare = w.bareLine(&seen, full, back, &exposed.box)
	}
	for _, t := range live.Treatments { // a graphic may leave some of the outline bare
		if p := w.d.GraphicOf(t.Graphic); hides && len(live.Treatments) == 1 && t.Kind == cover.Patch {
			if p == nil {
				bare = all
			} else if u := live.Uncovered(t, p.Width, p.Height); u*all > bare {
				bare = u * all
			}
			if exposed.box.Empty() {
				exposed.box = bounds(w.c, f, 0)
			}
		}
	}
	// A thin line along the rim says something only where it is long; what is thick does
	// in any case.
	lies := exposed.thick()*unit >= .65*limit || s.Sure() && exposed.solid() && bare >= math.Max(limit, .3*w.rim(m))
	if slipped { // where the cover is known to lie off, a line is enough
		lies = bare >= least
	} else if bare > float64(exposed.n)*unit {
		lies = bare >= limit
	}
	if lies {
		w.exposed.add(f, 100*bare/math.Max(w.areaOn(m), 1), bare, exposed.box)
	}
	// Of what is held out, and of what is in front, only patches count: thin rims and
	// single samples that look alike by chance do not.
	if n := leak.opened() * unit; s.Share > .6 && n >= math.Max(limit, .003*w.areaOn(m)) {
		w.leaks.add(f, 100*n/w.areaOn(m), n, leak.box)
	}
	if n := foreground.near(2, 15) * unit; s.Sure() && n > .08*all && n < .8*all && n > 60 {
		w.foreground.add(f, 100*n/w.areaOn(m), n, foreground.box)
	}
}

// bareLine is the area, px², of what lies bare, counted in the picture's samples: the
// view's may be larger than that. Beside the target's edge they hold what is around it
// too, so that it is enough that the target is seen next to them.
func (w *watch) bareLine(s *seen, full frame.Plane, back func(geom.Point) geom.Point, box *image.Rectangle,
) (area float64) {
	near := make([]float32, len(s.like))
	for y := range s.h {
		for x := range s.w {
			for j := max(y-1, 0); j <= min(y+1, s.h-1); j++ {
				for i := max(x-1, 0); i <= min(x+1, s.w-1); i++ {
					near[y*s.w+x] = max(near[y*s.w+x], s.like[j*s.w+i])
				}
			}
		}
	}
	for y := range s.h * s.bin {
		for x := range s.w * s.bin {
			px, py := s.rect.Min.X+x, s.rect.Min.Y+y
			if at(s.whole, px, py) >= .5 && at(full, px, py) < .65 && near[y/s.bin*s.w+x/s.bin] > 0 && w.content(back, px, py) {
				area++
				*box = box.Union(image.Rect(px, py, px+1, py+1))
			}
		}
	}
	return area
}

// areaOn is the target's area on a frame, px².
func (w *watch) areaOn(m geom.Map) float64 {
	var q []geom.Point
	for _, p := range w.paths {
		for _, k := range p.Flatten(1) {
			q = append(q, m.Apply(k))
		}
	}
	if len(w.paths) > 1 {
		q = geom.Hull(q)
	}
	return math.Max(math.Abs(geom.Area(q)), 1)
}

// rim is how long the target's is on a frame, px.
func (w *watch) rim(m geom.Map) (long float64) {
	q := cornersOf(w.corners())
	for i := range q {
		long += m.Apply(q[i]).Sub(m.Apply(q[(i+1)%4])).Len()
	}
	return long
}

// mask is a set of samples of a view.
type mask struct {
	w, h int
	n    int
	box  image.Rectangle // in the picture
	in   []float32
}

func newMask(s *seen) mask { return mask{w: s.w, h: s.h, in: make([]float32, s.w*s.h)} }

func (m *mask) add(i int, at image.Rectangle) {
	m.n++
	m.in[i] = 1
	m.box = m.box.Union(at)
}

// solid: the samples lie together, be it in a line, and are not strewn.
func (m *mask) solid() bool { return m.n > 0 && m.near(1, 3) >= .6*float64(m.n) }

// thick counts the samples that are not part of a line.
func (m *mask) thick() float64 { return m.near(1, 6) }

// opened counts the samples whose surroundings, five by five, belong to it too.
func (m *mask) opened() float64 { return m.near(2, 21) }

// near counts the samples with at least so many of their kind within r of them, with
// themselves.
func (m *mask) near(r, least int) float64 {
	if m.n == 0 {
		return 0
	}
	sum := slices.Clone(m.in)
	filter.BoxAcross(sum, m.w, m.h, float64(r))
	filter.BoxDown(sum, m.w, m.h, float64(r))
	n, side := 0, float32(2*r+1)
	for i, v := range sum {
		if m.in[i] > 0 && v*side*side > float32(least)-.5 {
			n++
		}
	}
	return float64(n)
}
