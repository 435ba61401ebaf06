package check

import (
	"math"
	"slices"

	"celator/core/cleanplate"
	"celator/core/cover"
	"celator/core/filter"
	"celator/core/geom"
	"celator/core/raster"
	"celator/core/treat"
)

// standsOut marks what of a plate inside outlines could not be taken for what is around
// them: where an outline reaches beyond its thing, nothing is given away.
func standsOut(p *cleanplate.Plate, paths []geom.Path) []float32 {
	form := cover.Form{Grow: 1.5}
	for _, q := range paths {
		form.Paths = append(form.Paths, q.Map(p.Of))
	}
	m := raster.Matte(cover.Live{Form: form}, p.W, p.H)
	hole := make([]bool, p.W*p.H)
	for y := range p.H {
		for x := range p.W {
			hole[y*p.W+x] = at(m, x, y) > 0
		}
	}
	clean := treat.Heal(p, hole)
	// How restless and how light it is around: the mean difference of neighbours there, and the mean.
	var sum, level, n float64
	for y := 2; y < p.H; y++ {
		for x := 2; x < p.W; x++ {
			if i := y*p.W + x; !hole[i] && p.Pix[i][5] > 0 {
				sum += math.Abs(float64(p.Pix[i][0]-p.Pix[i-2][0])) + math.Abs(float64(p.Pix[i][0]-p.Pix[i-2*p.W][0]))
				level += float64(p.Pix[i][0])
				n++
			}
		}
	}
	room := float32(10)
	if n > 0 {
		light := min(max((level/n-black)/wellLit, leastLight), 1)
		room = float32(min(8*light+1.5*sum/(2*n), 20))
	}
	out, far := make([]float32, p.W*p.H), make([]float32, p.W*p.H)
	sum, n = 0, 0
	for i := range out {
		a, b := &p.Pix[i], &clean.Pix[i]
		far[i] = max(abs32(a[0]-b[0]), 2*abs32(a[1]-b[1]), 2*abs32(a[2]-b[2]))
		if far[i] > room {
			sum, n = sum+float64(far[i]), n+1
		}
	}
	// And it must stand out about as much as the rest does.
	room = max(room, .35*float32(sum/max(n, 1)))
	for i, d := range far {
		if d > room {
			out[i] = 1
		}
	}
	// What is thin and alone is a grain of the material.
	filter.BoxAcross(out, p.W, p.H, 2)
	filter.BoxDown(out, p.W, p.H, 2)
	alone(out, p.W, p.H)
	return smoothed(out, p.W, p.H)
}

// The eye goes by shares of the light (Weber's law): in the dark, fewer codes stand out. Codes of 8 bit, of a limited
// range; a full one is taken for a little darker than it is, and looked at with more care. From wellLit on what stands
// out is as before; of the darkest, noise would.
const (
	black, wellLit = 16, 80.
	leastLight     = .2
)

// alone takes away what stands out by itself and is small against the largest part that
// does: a knot in the wood, and no letter.
func alone(v []float32, w, h int) {
	part := make([]int, len(v))
	var sizes []int
	var todo []int
	for i := range v {
		if v[i] <= leastStanding || part[i] > 0 {
			continue
		}
		sizes = append(sizes, 0)
		n := len(sizes)
		part[i], todo = n, append(todo[:0], i)
		for len(todo) > 0 {
			k := todo[len(todo)-1]
			todo = todo[:len(todo)-1]
			sizes[n-1]++
			for _, j := range [4]int{k - 1, k + 1, k - w, k + w} {
				if j >= 0 && j < len(v) && (j/w == k/w || j%w == k%w) && part[j] == 0 && v[j] > leastStanding {
					part[j], todo = n, append(todo, j)
				}
			}
		}
	}
	if len(sizes) == 0 {
		return
	}
	most := slices.Max(sizes)
	for i, n := range part {
		if n > 0 && sizes[n-1] < most/12 {
			v[i] = 0
		}
	}
}

// smoothed takes away what bulges out of a solid form: an opening by a square. What is made
// of strokes stays as it is.
func smoothed(v []float32, w, h int) []float32 {
	r := min(max(.07*float64(min(w, h)), 2), 5)
	box := func(least float32, from []float32) ([]float32, int) {
		out := slices.Clone(from)
		filter.BoxAcross(out, w, h, r)
		filter.BoxDown(out, w, h, r)
		n := 0
		for i, x := range out {
			if out[i] = 0; x >= least {
				out[i] = 1
				n++
			}
		}
		return out, n
	}
	all := 0
	hard := make([]float32, len(v))
	for i, x := range v {
		if x > leastStanding {
			hard[i] = 1
			all++
		}
	}
	core, _ := box(.995, hard)
	open, n := box(1e-4, core)
	if n < all*6/10 {
		return v
	}
	for i := range open {
		open[i] *= hard[i]
	}
	return open
}

// leastStanding is the share of the samples around that must stand out.
const leastStanding = .55

// backFrom returns what takes places of a frame to the plate, given where the target's plane lies there.
func (t *target) backFrom(f int, m geom.Map) (back func(geom.Point) geom.Point, ok bool) {
	if back = t.bent(f, m).Unbent(t.plate.Of); back != nil {
		return back, true
	}
	flat, err := m.Mul(t.plate.To).Inverse()
	return flat.Apply, err == nil
}

// content says whether what the target has at a place of a frame stands out from what is
// around it.
func (t *target) content(back func(geom.Point) geom.Point, x, y int) bool {
	q := back(geom.Pt(float64(x)+.5, float64(y)+.5))
	i, j := int(q.X), int(q.Y)
	return t.stands == nil || i >= 0 && j >= 0 && i < t.plate.W && j < t.plate.H && t.stands[j*t.plate.W+i] > leastStanding
}
