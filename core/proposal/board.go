package proposal

import (
	"math"
	"slices"

	"celator/core/geom"
	"celator/core/track"
)

const (
	// reach is how far beside a line a board's edge is looked for, in the line's heights: above and below it, and to the
	// left and right, where a plate has its stripe.
	reachUp, reachSide = 1.6, 2.2
	// stripe is how wide, in the line's heights, a stripe at a plate's end may be: beyond the nearest edge there the
	// farthest within it counts.
	stripe = 1.1
	// inward is by how much of its height a box may reach beyond the board's edge. There only steps count that letters
	// do not make: from the board to what is as dark, or as light, as they are.
	inward  = .12
	columns = 24 // places along a side at which the edge is looked for
	slants  = 7  // px by which an edge's end may lie farther out than its other, a tenth of its length at most
	// edge is how much, codes of 8 bit over two pixels, an edge must step in the mean over its
	// places, and agreeing how many of them must step that way.
	edge, agreeing = 7., .8
	// firstOf is how strong, of the strongest edge, the nearest one must be: behind a board's edge lie others, and what
	// is between it and the letters is even.
	firstOf = .6
)

// Board is the edge of the board that a line stands on: the nearest straight edges around it,
// where all four, or all but one, are there. ok is false where they are not.
//
// Each side is looked for as the line along which the picture steps most, in the mean over places along the side of
// the box (a Hough transform over the two ends' distances; Duda and Hart, CACM 15(1), 1972).
func Board(g *track.Gray, q geom.Quad) (board geom.Quad, ok bool) {
	h := q.Height()
	if h < 6 || q.Width() < 6 {
		return q, false
	}
	ink := inkStep(g, q)
	var sides [4][2]geom.Point
	found := 0
	var missing int
	for i := range 4 {
		a, b := q[i], q[(i+1)%4]
		out := outward(q, i)
		far := reachUp * h
		if i%2 == 1 {
			far = reachSide * h
		}
		beside := 0.
		if i%2 == 1 {
			beside = stripe * h
		}
		from, to, yes := nearestEdge(g, a, b, out, -inward*h, far, ink, beside)
		if !yes {
			missing = i
			continue
		}
		found++
		sides[i] = [2]geom.Point{a.Add(out.Mul(from)), b.Add(out.Mul(to))}
	}
	if found < 3 {
		return q, false
	}
	if found == 3 { // as far out as the side across from it
		across := (missing + 2) % 4
		d := (sides[across][0].Sub(q[across]).Dot(outward(q, across)) +
			sides[across][1].Sub(q[(across+1)%4]).Dot(outward(q, across))) / 2
		out := outward(q, missing)
		sides[missing] = [2]geom.Point{q[missing].Add(out.Mul(d)), q[(missing+1)%4].Add(out.Mul(d))}
	}
	for i := range 4 {
		p, yes := crossing(sides[(i+3)%4], sides[i])
		if !yes {
			return q, false
		}
		board[i] = p
	}
	// A board that a line stands on holds it, and is not much larger.
	for _, p := range board {
		if p.Sub(q.Centre()).Len() > 1.5*q.Width()+2*reachSide*h {
			return q, false
		}
	}
	return board, board.Grown(inward*h).Holds(q.Centre()) && geom.Area(board[:]) > 0
}

// outward is the direction away from a quadrilateral's middle, across side i.
func outward(q geom.Quad, i int) geom.Point {
	d := q[(i+1)%4].Sub(q[i])
	n := geom.Pt(d.Y, -d.X).Mul(1 / max(d.Len(), 1e-9))
	if n.Dot(q.Centre().Sub(q[i])) > 0 {
		n = n.Mul(-1)
	}
	return n
}

// inkStep is the sign of the step from a letter outward to its board: 1 where letters are darker.
func inkStep(g *track.Gray, q geom.Quad) float64 {
	var rim []float64
	var sum float64
	n := 0
	for k := range columns {
		for i := range 4 {
			if v, in := sample(g, q[i].Lerp(q[(i+1)%4], (float64(k)+.5)/columns)); in {
				rim = append(rim, v)
			}
			u := (float64(k) + .5) / columns
			w := (float64(i) + .5) / 4
			if v, in := sample(g, q[0].Lerp(q[1], u).Lerp(q[3].Lerp(q[2], u), w)); in {
				sum += v
				n++
			}
		}
	}
	if len(rim) == 0 || n == 0 {
		return 1
	}
	slices.Sort(rim)
	return math.Copysign(1, rim[len(rim)/2]-sum/float64(n))
}

// nearestEdge is the nearest edge outward of the side from a to b: how far out it lies at its two ends. Within the box,
// below 0, edges that step as ink does are letters. Of those up to beside px behind it the farthest is taken.
func nearestEdge(g *track.Gray, a, b, out geom.Point, from, to, ink, beside float64) (first, last float64, ok bool) {
	n := int(to-from) + 1
	if n < 3 {
		return 0, 0, false
	}
	// steps[c][k] is by how much the picture steps outward at place c, k px from the beginning.
	steps := make([][]float64, columns)
	for c := range steps {
		steps[c] = make([]float64, n)
		p := a.Lerp(b, (float64(c)+.5)/columns)
		for k := range n {
			d := from + float64(k)
			s, in := sample(g, p.Add(out.Mul(d+1)))
			t, in2 := sample(g, p.Add(out.Mul(d-1)))
			if in && in2 {
				steps[c][k] = s - t
			} else {
				steps[c][k] = math.NaN()
			}
		}
	}
	slant := min(slants, int(b.Sub(a).Len()/10)+1)
	type line struct {
		first, last int
		step        float64
	}
	var lines []line
	strongest := 0.
	for k := 1; k < n-1; k++ {
		for s := -slant; s <= slant; s++ {
			if m := k + s; m >= 1 && m < n-1 {
				within := from+float64(k+m)/2 < 0
				if v, yes := along(steps, k, m); yes && math.Abs(v) >= edge && !(within && v*ink > 0) {
					lines = append(lines, line{k, m, math.Abs(v)})
					strongest = max(strongest, math.Abs(v))
				}
			}
		}
	}
	out2 := func(l line) int { return l.first + l.last } // twice how far out it lies
	strong := slices.DeleteFunc(slices.Clone(lines), func(l line) bool { return l.step < firstOf*strongest })
	if len(strong) == 0 {
		return 0, 0, false
	}
	best := slices.MinFunc(strong, func(a, b line) int { return out2(a) - out2(b) })
	limit := out2(best) + int(2*beside)
	for _, l := range lines {
		if out2(l) > out2(best) && out2(l) <= limit {
			best = l
		}
	}
	at := out2(best)
	for _, l := range lines { // of those beside it, the strongest
		if d := out2(l) - at; d <= 8 && d >= -8 && l.step > best.step {
			best = l
		}
	}
	// A side ends at its corners, half a place beyond the outermost places.
	slope := float64(best.last-best.first) / (columns - 1)
	return from + float64(best.first) - slope/2, from + float64(best.last) + slope/2, true
}

// along is the mean step along a line, and whether most of its places step so.
func along(steps [][]float64, first, last int) (mean float64, ok bool) {
	var sum float64
	up, down, n := 0, 0, 0
	for c, row := range steps {
		k := first + int(math.Round(float64((last-first)*c)/(columns-1)))
		v := row[k]
		if math.IsNaN(v) {
			continue
		}
		// What a single place says counts no more than a few edges do.
		sum += min(max(v, -8*edge), 8*edge)
		n++
		if v > edge/3 {
			up++
		} else if v < -edge/3 {
			down++
		}
	}
	if n < columns*2/3 {
		return 0, false
	}
	return sum / float64(n), float64(max(up, down)) >= agreeing*float64(n)
}

// sample is the picture at a place; false beside it.
func sample(g *track.Gray, p geom.Point) (float64, bool) {
	if p.X < .5 || p.Y < .5 || p.X > float64(g.W)-.5 || p.Y > float64(g.H)-.5 {
		return 0, false
	}
	return float64(g.At(p)), true
}

// crossing is where two lines cross.
func crossing(a, b [2]geom.Point) (geom.Point, bool) {
	u, v := a[1].Sub(a[0]), b[1].Sub(b[0])
	d := u.Cross(v)
	if math.Abs(d) < 1e-6*u.Len()*v.Len() {
		return geom.Point{}, false
	}
	t := b[0].Sub(a[0]).Cross(v) / d
	return a[0].Add(u.Mul(t)), true
}
