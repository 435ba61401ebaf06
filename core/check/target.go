package check

import (
	"image"
	"math"
	"slices"

	"celator/core/cover"
	"celator/core/frame"
	"celator/core/geom"
	"celator/core/plate"
	"celator/core/raster"
	"celator/core/track"
	"celator/core/treat"
)

// target is what a cover hides: what it outlines on a frame on which somebody said where
// it is, and where that is found on others. Its coordinates are the picture's on that
// frame.
type target struct {
	c       *cover.Cover
	width   int
	height  int
	ref     int // the frame
	loc     *track.Locator
	o       geom.Point  // where the part it learned from lies in the picture
	paths   []geom.Path // the outlines on it
	area    float64     // px²
	plate   *plate.Plate
	stands  []float32  // of its samples, those that stand out from what is around the outlines
	smooth  plate.Laid // work
	view    plate.View
	looks   []glance
	unknown bool // it has too little texture to be looked for
}

// glance is the part of a picture around a cover.
type glance struct {
	f    int
	at   image.Point // of the part, in the picture
	pic  *frame.Picture
	gray track.Frame
}

// glanceAt takes the part of a picture that holds a rectangle.
func glanceAt(f int, p *frame.Picture, r image.Rectangle) (glance, bool) {
	r = image.Rect(r.Min.X&^1, r.Min.Y&^1, (r.Max.X+1)&^1, (r.Max.Y+1)&^1).Intersect(p.Rect())
	if r.Dx() < 16 || r.Dy() < 16 {
		return glance{}, false
	}
	g := glance{f: f, at: r.Min, pic: part(p, r)}
	luma := track.NewGray(r.Dx(), r.Dy())
	unit := 1 / float32(int(1)<<(p.Depth-8))
	for i, v := range g.pic.Read(0, g.pic.Rect()).Pix {
		luma.Pix[i] = v * unit
	}
	var err error
	g.gray, err = track.Prepare(luma)
	return g, err == nil
}

// part copies a rectangle, on even coordinates or the picture's edge.
func part(p *frame.Picture, r image.Rectangle) *frame.Picture {
	f := p.Format
	f.Width, f.Height = r.Dx(), r.Dy()
	out := frame.New(f, nil)
	for plane := range out.Planes {
		pr := p.PlaneRect(plane, r)
		for y := pr.Min.Y; y < pr.Max.Y; y++ {
			copy(out.Row(plane, y-pr.Min.Y, 0, pr.Dx()), p.Row(plane, y, pr.Min.X, pr.Max.X))
		}
	}
	return out
}

// here turns a map onto the picture into one onto the part.
func (g *glance) here(m geom.Map) geom.Map {
	return geom.Translate(geom.Pt(-float64(g.at.X), -float64(g.at.Y))).Mul(m)
}

func (g *glance) there(m geom.Map) geom.Map {
	return geom.Translate(geom.Pt(float64(g.at.X), float64(g.at.Y))).Mul(m)
}

// carried takes picture coordinates on frame a to where the cover has them on frame b.
// An outline that moves by its own keys is followed by its knots.
func carried(c *cover.Cover, a, b int) geom.Map {
	if a == b {
		return geom.Identity
	}
	still := true
	for _, o := range c.Outlines {
		still = still && len(o.Keys) == 1
	}
	if still {
		back, err := c.Map(a).Inverse()
		if err != nil {
			return geom.Identity
		}
		return unit(c.Map(b).Mul(back))
	}
	var p, q []geom.Point
	was, now := c.Paths(a), c.Paths(b)
	for i := range was {
		for k := range was[i] {
			p, q = append(p, was[i][k].P), append(q, now[i][k].P)
		}
	}
	if len(p) == 4 {
		if m, err := geom.QuadToQuad([4]geom.Point(p), [4]geom.Point(q)); err == nil {
			return m
		}
	}
	return affine(p, q)
}

func unit(m geom.Map) geom.Map {
	for i := range m {
		m[i] /= m[8]
	}
	return m
}

// affine is the map that takes points p to q best, by least squares.
func affine(p, q []geom.Point) geom.Map {
	var mp, mq geom.Point
	for i := range p {
		mp, mq = mp.Add(p[i]), mq.Add(q[i])
	}
	n := 1 / float64(len(p))
	mp, mq = mp.Mul(n), mq.Mul(n)
	var xx, xy, yy, ax, ay, bx, by float64
	for i := range p {
		u, v := p[i].Sub(mp), q[i].Sub(mq)
		xx, xy, yy = xx+u.X*u.X, xy+u.X*u.Y, yy+u.Y*u.Y
		ax, ay, bx, by = ax+u.X*v.X, ay+u.Y*v.X, bx+u.X*v.Y, by+u.Y*v.Y
	}
	det := xx*yy - xy*xy
	if math.Abs(det) < 1e-9 {
		return geom.Translate(mq.Sub(mp))
	}
	a, b := (ax*yy-ay*xy)/det, (ay*xx-ax*xy)/det
	c, d := (bx*yy-by*xy)/det, (by*xx-bx*xy)/det
	return geom.Map{a, b, mq.X - a*mp.X - b*mp.Y, c, d, mq.Y - c*mp.X - d*mp.Y, 0, 0, 1}
}

// bounds is the rectangle around the cover's outlines on a frame, grown by some px.
func bounds(c *cover.Cover, f int, grow float64) image.Rectangle {
	var b geom.Rect
	for _, p := range c.Paths(f) {
		b = b.Union(p.Bounds())
	}
	return pixels(b.Grow(grow, grow))
}

func pixels(b geom.Rect) image.Rectangle {
	clamp := func(v float64) int { return int(min(max(v, -1<<20), 1<<20)) }
	return image.Rect(clamp(math.Floor(b.Min.X)), clamp(math.Floor(b.Min.Y)), clamp(math.Ceil(b.Max.X)), clamp(math.Ceil(b.Max.Y)))
}

// margin is how far around a cover its target is looked for first, px.
const margin = 28

// lookFrames are the frames from which a target is learned: those on which somebody said
// where it is, and some between.
func lookFrames(d *cover.Document, c *cover.Cover) []int {
	at := []int{min(max(c.Drawn(), c.Span.First), c.Span.Last)}
	if t := d.Track(c.Track); t != nil && c.Span.Holds(t.Frame) {
		at = append(at, t.Frame)
	}
	const between = 6
	for k := range between {
		at = append(at, c.Span.First+(c.Span.Last-c.Span.First)*(2*k+1)/(2*between))
	}
	slices.Sort(at)
	return slices.Compact(at)
}

// learn settles what the target looks like from the looks that were taken: as on that
// frame which agrees best with the others. The one on which it was drawn comes first, but
// something may pass in front there, or the cover may lie wrong.
func (t *target) learn(d *cover.Document) {
	t.unknown = true
	for i := range t.looks {
		t.looks[i].clear(d, t.c)
	}
	drawn := t.c.Drawn()
	order := slices.Clone(t.looks)
	slices.SortStableFunc(order, func(a, b glance) int { return abs(a.f-drawn) - abs(b.f-drawn) })
	// Where it is half out of the picture it cannot be learned.
	inside := func(g glance) float64 {
		b := bounds(t.c, g.f, 0)
		in := b.Intersect(image.Rect(0, 0, d.Width, d.Height))
		return float64(in.Dx()*in.Dy()) / math.Max(float64(b.Dx()*b.Dy()), 1)
	}
	whole := 0.
	for _, g := range order {
		whole = math.Max(whole, inside(g))
	}
	order = slices.DeleteFunc(order, func(g glance) bool { return inside(g) < .8*whole })
	best, tried := target{}, 0
	most := -1.
	for _, g := range order {
		if tried == 4 || !t.from(g) {
			continue
		}
		score, off := t.agreement()
		if off && t.c.Track == "" {
			score *= .5
		}
		if score > most+.08 {
			best, most = *t, score
		}
		if tried++; score > .93 {
			break
		}
	}
	if most >= 0 {
		t.loc, t.o, t.ref, t.paths, t.unknown = best.loc, best.o, best.ref, best.paths, false
	}
	t.gather()
	t.looks = nil
}

// clear leaves out of a look what the document holds out of the cover.
func (g *glance) clear(d *cover.Document, c *cover.Cover) {
	for _, l := range d.At(g.f) {
		if l.Cover != c.ID || len(l.Holdouts) == 0 {
			continue
		}
		front := raster.Foreground(l.Holdouts, d.Width, d.Height)
		m := track.NewGray(g.pic.Width, g.pic.Height)
		for y := range m.H {
			for x := range m.W {
				m.Pix[y*m.W+x] = at(front, g.at.X+x, g.at.Y+y)
			}
		}
		if f, err := g.gray.Except(m); err == nil {
			g.gray = f
		}
	}
}

// from takes a look for the reference.
func (t *target) from(g glance) bool {
	outline, ok := surround(t.c.Paths(g.f))
	if !ok {
		return false
	}
	at := geom.Pt(float64(g.at.X), float64(g.at.Y))
	speed := motion(t.c, g.f)
	for _, more := range []float64{0, .12, .3} { // what is flat has its rim at least
		poly := grown(outline, more)
		for i := range poly {
			poly[i] = poly[i].Sub(at)
		}
		loc, err := track.NewLocator(g.gray, poly, speed)
		if err != nil {
			continue
		}
		t.loc, t.o, t.ref, t.paths, t.unknown = loc, at, g.f, t.c.Paths(g.f), false
		return true
	}
	return false
}

// surround is one plain polygon around some outlines.
func surround(paths []geom.Path) ([]geom.Point, bool) {
	if len(paths) == 0 {
		return nil, false
	}
	var all []geom.Point
	for _, p := range paths {
		all = append(all, p.Flatten(.5)...)
	}
	if len(paths) == 1 && len(all) <= 300 && !geom.Crosses(all) {
		return all, len(all) >= 3
	}
	h := hull(all)
	return h, len(h) >= 3
}

// hull is the convex hull of points (Andrew, "Another efficient algorithm for convex
// hulls in two dimensions", IPL 9(5), 1979).
func hull(p []geom.Point) []geom.Point {
	p = slices.Clone(p)
	slices.SortFunc(p, func(a, b geom.Point) int {
		if a.X != b.X {
			return cmp(a.X, b.X)
		}
		return cmp(a.Y, b.Y)
	})
	var out []geom.Point
	for pass := range 2 {
		base := len(out)
		for _, q := range p {
			for len(out) >= base+2 && out[len(out)-1].Sub(out[len(out)-2]).Cross(q.Sub(out[len(out)-2])) <= 0 {
				out = out[:len(out)-1]
			}
			out = append(out, q)
		}
		out = out[:len(out)-1]
		if pass == 0 {
			slices.Reverse(p)
		}
	}
	return out
}

func cmp(a, b float64) int {
	switch {
	case a < b:
		return -1
	case a > b:
		return 1
	}
	return 0
}

// grown enlarges a polygon about its middle.
func grown(p []geom.Point, more float64) []geom.Point {
	b := geom.Bounds(p)
	mid := b.Centre()
	out := make([]geom.Point, len(p))
	for i, q := range p {
		out[i] = mid.Add(q.Sub(mid).Mul(1 + more))
	}
	return out
}

// motion is how far the cover moves on a frame, px a frame.
func motion(c *cover.Cover, f int) geom.Point {
	a, b := max(f-1, c.Span.First), min(f+1, c.Span.Last)
	if a >= b {
		return geom.Point{}
	}
	mid := bounds(c, a, 0)
	p := geom.Pt(float64(mid.Min.X+mid.Max.X)/2, float64(mid.Min.Y+mid.Max.Y)/2)
	return carried(c, a, b).Apply(p).Sub(p).Mul(1 / float64(b-a))
}

// onto returns where the cover has the target on a frame.
func (t *target) onto(f int) geom.Map { return carried(t.c, t.ref, f) }

// corners are those of the box around the target, in its own coordinates.
func (t *target) corners() [4]geom.Point {
	var b geom.Rect
	for _, p := range t.paths {
		b = b.Union(p.Bounds())
	}
	return [4]geom.Point{b.Min, {X: b.Max.X, Y: b.Min.Y}, b.Max, {X: b.Min.X, Y: b.Max.Y}}
}

// off is how far a cover's place for the target is from where it was found: each corner
// of the box, px of the frame, and their mean.
func (t *target) off(found, covered geom.Map) (each [4]geom.Point, mean geom.Point) {
	for i, q := range t.corners() {
		each[i] = covered.Apply(q).Sub(found.Apply(q))
		mean = mean.Add(each[i].Mul(.25))
	}
	return each, mean
}

// agreement says how well the reference is found again in the other looks, 0 to 1, and
// whether it is the one on which the cover lies wrong: on most others the target is off
// by the same.
func (t *target) agreement() (score float64, odd bool) {
	var all []geom.Point
	var sum float64
	for i := range t.looks {
		g := &t.looks[i]
		if g.f == t.ref {
			continue
		}
		m := t.onto(g.f)
		s := t.sight(g, []geom.Map{m}, 20)
		sum += s.Share * s.Mean
		if s.Sure() {
			_, mean := t.off(s.Map, m)
			all = append(all, mean)
		}
	}
	for _, a := range all {
		near := 0
		for _, b := range all {
			if a.Sub(b).Len() < .8 {
				near++
			}
		}
		odd = odd || a.Len() > 1.5 && near >= 3 && near*2 > len(all)
	}
	if len(t.looks) < 2 {
		return 1, false
	}
	return sum / float64(len(t.looks)-1), odd
}

// sight looks for the target in a part of a picture.
func (t *target) sight(g *glance, guesses []geom.Map, reach float64) track.Sight {
	to, from := geom.Translate(t.o), geom.Translate(t.o.Mul(-1)) // of the locator's coordinates
	here := make([]geom.Map, len(guesses))
	for i, m := range guesses {
		here[i] = g.here(m).Mul(to)
	}
	s := t.loc.Near(g.gray, here, motion(t.c, g.f), reach)
	s.Map = unit(g.there(s.Map).Mul(from))
	return s
}

// gather makes the plate of the looks in which the target was found.
func (t *target) gather() {
	if t.unknown {
		return
	}
	outline, _ := surround(t.paths)
	t.area = math.Abs(geom.Area(outline))
	scales := []float64{1}
	type kept struct {
		g *glance
		m geom.Map
	}
	var all []kept
	for i := range t.looks {
		g := &t.looks[i]
		m := t.onto(g.f)
		if g.f != t.ref {
			s := t.sight(g, []geom.Map{m}, 20)
			if !s.Sure() {
				continue
			}
			m = s.Map
		}
		all = append(all, kept{g, m})
		scales = append(scales, scale(m, geom.Bounds(outline).Centre()))
	}
	slices.Sort(scales)
	b := geom.Bounds(outline)
	ga, err := plate.NewGather([]geom.Point{b.Min, {X: b.Max.X, Y: b.Min.Y}, b.Max, {X: b.Min.X, Y: b.Max.Y}}, scales[len(scales)*3/4])
	if err != nil {
		return
	}
	for _, k := range all {
		ga.Add(k.g.pic, k.g.here(k.m), false)
	}
	if p, err := ga.Plate(); err == nil {
		t.plate = p
		t.stands = standsOut(p, t.paths)
	}
}

// standsOut marks what of a plate inside outlines could not be taken for what is around
// them: where an outline reaches beyond its thing, nothing is given away.
func standsOut(p *plate.Plate, paths []geom.Path) []float32 {
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
	// How restless it is around: the mean difference of neighbours there.
	var sum, n float64
	for y := 2; y < p.H; y++ {
		for x := 2; x < p.W; x++ {
			if i := y*p.W + x; !hole[i] && p.Pix[i][5] > 0 {
				sum += math.Abs(float64(p.Pix[i][0]-p.Pix[i-2][0])) + math.Abs(float64(p.Pix[i][0]-p.Pix[i-2*p.W][0]))
				n += 2
			}
		}
	}
	room := float32(10)
	if n > 0 {
		room = float32(min(8+1.5*sum/n, 20))
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
	raster.BoxAcross(out, p.W, p.H, 2)
	raster.BoxDown(out, p.W, p.H, 2)
	alone(out, p.W, p.H)
	return smoothed(out, p.W, p.H)
}

// alone takes away what stands out by itself and is small against the largest part that
// does: a knot in the wood, and no letter.
func alone(v []float32, w, h int) {
	part := make([]int, len(v))
	var sizes []int
	var todo []int
	for i := range v {
		if v[i] <= stands || part[i] > 0 {
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
				if j >= 0 && j < len(v) && (j/w == k/w || j%w == k%w) && part[j] == 0 && v[j] > stands {
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
		raster.BoxAcross(out, w, h, r)
		raster.BoxDown(out, w, h, r)
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
		if x > stands {
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

// stands is the share of the samples around that must stand out.
const stands = .55

// content says whether what the target has at a place of a frame stands out from what is
// around it.
func (t *target) content(back geom.Map, x, y int) bool {
	q := back.Apply(geom.Pt(float64(x)+.5, float64(y)+.5))
	i, j := int(q.X), int(q.Y)
	return t.stands == nil || i >= 0 && j >= 0 && i < t.plate.W && j < t.plate.H && t.stands[j*t.plate.W+i] > stands
}

// scale is by how much a map enlarges around a place.
func scale(m geom.Map, at geom.Point) float64 {
	o := m.Apply(at)
	return math.Sqrt(math.Abs(m.Apply(at.Add(geom.Pt(1, 0))).Sub(o).Cross(m.Apply(at.Add(geom.Pt(0, 1))).Sub(o))))
}

func abs(i int) int { return max(i, -i) }

// whole is the target as it lies under a map, in a picture.
func (t *target) whole(m geom.Map) frame.Plane {
	f := cover.Form{}
	for _, p := range t.paths {
		f.Paths = append(f.Paths, p.Map(m))
	}
	return raster.Matte(cover.Live{Form: f}, t.width, t.height)
}

// seen is what comparing a frame with the plate tells, sample by sample of its view.
type seen struct {
	rect  image.Rectangle // in the picture
	bin   int
	w, h  int
	like  []float32   // 1 where the target is seen, 0 where it surely is not
	shows float64     // share of the target's samples in the picture that show it
	n     int         // of samples in the picture, px²
	whole frame.Plane // the target as it lies there
}

// mostSamples are compared in one frame.
const mostSamples = 90_000

// compare says where in a frame the target itself is seen, given its place. blurred is
// how far, px, the picture is smeared or the place unsure.
func (t *target) compare(g *glance, m geom.Map, blurred float64) (seen, bool) {
	if t.plate == nil {
		return seen{}, false
	}
	here := g.here(m)
	r, bin := t.plate.Part(here, g.pic.Width, g.pic.Height)
	if r.Empty() {
		return seen{}, false
	}
	for r.Dx()/bin*(r.Dy()/bin) > mostSamples {
		bin *= 2
	}
	r.Max = r.Min.Add(image.Pt(r.Dx()/bin*bin, r.Dy()/bin*bin))
	t.view.Sample(g.pic, r, bin)
	l := &t.smooth
	l.Lay(t.plate, here, &t.view)
	v := &t.view
	s := seen{rect: r.Add(g.at), bin: bin, w: v.W, h: v.H, like: make([]float32, v.W*v.H)}
	whole := t.whole(m)
	s.whole = whole
	gain, bias := t.light(&s, whole)
	var in, like float64
	for y := range v.H {
		for x := range v.W {
			i := y*v.W + x
			if l.Sure[i] <= 0 {
				continue
			}
			up, down, left, right := max(y-1, 0)*v.W+x, min(y+1, v.H-1)*v.W+x, y*v.W+max(x-1, 0), y*v.W+min(x+1, v.W-1)
			slope := max(abs32(l.Pix[0][right]-l.Pix[0][left]), abs32(l.Pix[0][down]-l.Pix[0][up])) / 2
			room := 9 + 2.5*l.SpreadY[i] + slope*float32(.7+blurred)
			d := abs32(v.C[0][i] - gain*l.Pix[0][i] - bias)
			dc := max(abs32(v.C[1][i]-128-gain*(l.Pix[1][i]-128)), abs32(v.C[2][i]-128-gain*(l.Pix[2][i]-128)))
			roomC := 7 + 2.5*l.SpreadC[i]
			switch {
			case d < room && dc < roomC:
				s.like[i] = 1
			case d < room+12 && dc < roomC+7:
				s.like[i] = .5
			}
			if at(whole, s.rect.Min.X+x*bin+bin/2, s.rect.Min.Y+y*bin+bin/2) > .5 {
				in++
				like += float64(s.like[i])
			}
		}
	}
	s.n = int(in) * bin * bin
	if in > 0 {
		s.shows = like / in
	}
	return s, true
}

// light is how the frame's luma goes with the plate's, by least squares over the
// samples that agree.
func (t *target) light(s *seen, whole frame.Plane) (gain, bias float32) {
	v, l := &t.view, &t.smooth
	gain = 1
	for round := range 4 {
		var n, x, y, xx, xy float64
		for j := 0; j < v.H; j++ {
			for k := 0; k < v.W; k++ {
				i := j*v.W + k
				if l.Sure[i] <= 0 || at(whole, s.rect.Min.X+k*s.bin, s.rect.Min.Y+j*s.bin) < .5 {
					continue
				}
				a, b := float64(l.Pix[0][i]), float64(v.C[0][i])
				if lim := []float32{60, 36, 24, 16}[round]; abs32(float32(b)-gain*float32(a)-bias) > lim {
					continue
				}
				n, x, y, xx, xy = n+1, x+a, y+b, xx+a*a, xy+a*b
			}
		}
		if n < 30 {
			break
		}
		if d := xx - x*x/n; d > 40*n {
			g := min(max((xy-x*y/n)/d, .3), 3)
			gain, bias = float32(g), float32((y-g*x)/n)
		} else {
			bias = float32(y/n) - gain*float32(x/n)
		}
	}
	return gain, bias
}

// at is a matte's value at a sample of the picture, 0 beside it.
func at(m frame.Plane, x, y int) float32 {
	if !image.Pt(x, y).In(m.Rect) {
		return 0
	}
	return m.Pix[(y-m.Rect.Min.Y)*m.Rect.Dx()+x-m.Rect.Min.X]
}

func abs32(v float32) float32 { return max(v, -v) }
