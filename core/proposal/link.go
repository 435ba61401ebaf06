package proposal

import (
	"cmp"
	"slices"

	"celator/core/geom"
	"celator/core/reading"
	"celator/core/track"
)

// Linker links what is seen on some frames of a shot into proposals. What is seen again
// where it was, reading the same, is the same thing; everything else is followed over the
// frames between: forward to where it went, and back to where it came into sight.
type Linker struct {
	// Smaller is by how much the frames are smaller than the pictures that sights are of; 0 is not at all. What is
	// followed need not be known to the pixel.
	Smaller    int
	open, done []*chain
	before     *passed   // the frame that was looked at last
	between    []*passed // those after it
}

// passed is a frame, made ready when it is needed.
type passed struct {
	frame  int
	gray   *track.Gray
	ready  track.Frame
	before *passed // the one that was given before it, until it is known whether a cut lies between
	cut    bool
}

// afterCut reports whether the frame is of another shot than the one before it.
func (p *passed) afterCut() bool {
	if b := p.before; b != nil {
		p.before = nil
		p.cut = b.pic().Ready() && p.pic().Ready() && track.Cut(b.pic(), p.pic())
	}
	return p.cut
}

func (p *passed) pic() track.Frame {
	if !p.ready.Ready() {
		p.ready, _ = track.Prepare(p.gray) // one that is too small is not ready, and nothing is seen on it
	}
	return p.ready
}

// chain is a thing that was seen.
type chain struct {
	sights      []Sight
	first, last int
	start       geom.Quad     // where it was on the first
	at          geom.Quad     // where it is, as far as known
	known       bool          // at is where it is on the last frame that was looked at
	way         track.Tracker // that follows it since it was seen, from where it was then
	from        geom.Quad
	unseen      int // frames looked at since it was seen
	// unseenBefore is what unseen was when it was seen last.
	unseenBefore int
}

const (
	// overlaps is what two boxes must share, of the smaller, to be of one thing.
	overlaps = .5
	// stays and reads are how near two readings must be to be of one thing that stays where it
	// was, and of one whose place is not known. That may be strays of its heights away.
	stays  = .6
	reads  = .7
	strays = 6
	// returns is how near the readings must be of a thing that went and of one that came later,
	// for the two to be one.
	returns = .8
	// endures is how many frames in a row that were looked at a thing may be followed without
	// being seen: turned away, smeared, or something passes.
	endures = 3
	// wider is by how much of its height a box is enlarged to be followed: its rim tells where
	// it is too.
	wider = .25
)

// Pass gives a frame that is not looked at.
func (l *Linker) Pass(frame int, gray *track.Gray) {
	if l.before != nil {
		l.between = append(l.between, &passed{frame: frame, gray: gray, before: l.latest()})
	}
}

// latest is the frame that was given last, or nil.
func (l *Linker) latest() *passed {
	if n := len(l.between); n > 0 {
		return l.between[n-1]
	}
	return l.before
}

// Look gives a frame that was looked at, and what was seen on it.
func (l *Linker) Look(frame int, gray *track.Gray, sights []Sight) {
	now := &passed{frame: frame, gray: gray, before: l.latest()}
	way := append(l.between, now)
	// What reads as nothing else does tells how the things around it moved.
	rest := l.give(l.open, sights, single(l.open, sights))
	moved := motions(l.open, frame)
	gone := unseen(l.open, frame)
	rest = l.give(gone, rest, func(c *chain, s Sight) float64 { return c.stayed(s, moved) })
	gone = unseen(gone, frame)
	for _, c := range gone {
		c.follow(l.before, way, l.smaller())
	}
	rest = l.give(gone, rest, (*chain).went)
	for _, c := range unseen(gone, frame) {
		c.unseen++
	}
	for _, s := range rest {
		c := &chain{sights: []Sight{s}, first: frame, last: frame, start: s.Quad, at: s.Quad, known: true}
		c.back(way, l.smaller())
		l.open = append(l.open, c)
	}
	l.open = slices.DeleteFunc(l.open, func(c *chain) bool {
		over := c.unseen > endures || c.unseen > 0 && !c.known
		if over {
			l.done = append(l.done, c)
		}
		return over
	})
	l.before, l.between = now, nil
}

// give gives sights to chains, the best fits first, and returns those that fit none.
func (l *Linker) give(chains []*chain, sights []Sight, fits func(*chain, Sight) float64) (rest []Sight) {
	type pair struct {
		c, s int
		fit  float64
	}
	var pairs []pair
	for i, c := range chains {
		for j, s := range sights {
			if fit := fits(c, s); fit > 0 {
				pairs = append(pairs, pair{i, j, fit})
			}
		}
	}
	slices.SortStableFunc(pairs, func(a, b pair) int { return cmp.Compare(b.fit, a.fit) })
	given, taken := map[int]bool{}, map[int]bool{}
	for _, p := range pairs {
		if !given[p.c] && !taken[p.s] {
			given[p.c], taken[p.s] = true, true
			chains[p.c].see(sights[p.s])
		}
	}
	for j, s := range sights {
		if !taken[j] {
			rest = append(rest, s)
		}
	}
	return rest
}

// see enters a sight.
func (c *chain) see(s Sight) {
	c.sights = append(c.sights, s)
	c.at, c.known, c.last, c.way = s.Quad, true, s.Frame, nil
	c.unseenBefore, c.unseen = c.unseen, 0
}

func (c *chain) seen() Sight { return c.sights[len(c.sights)-1] }

// unseen are the chains that were not seen on a frame.
func unseen(all []*chain, frame int) (out []*chain) {
	for _, c := range all {
		if c.seen().Frame != frame {
			out = append(out, c)
		}
	}
	return out
}

// single fits sights to things that read the same, and as no other does.
func single(chains []*chain, sights []Sight) func(*chain, Sight) float64 {
	texts := map[string][2]int{}
	for _, c := range chains {
		n := texts[reading.Fold(c.seen().Text)]
		texts[reading.Fold(c.seen().Text)] = [2]int{n[0] + 1, n[1]}
	}
	for _, s := range sights {
		n := texts[reading.Fold(s.Text)]
		texts[reading.Fold(s.Text)] = [2]int{n[0], n[1] + 1}
	}
	return func(c *chain, s Sight) float64 {
		t := reading.Fold(s.Text)
		if !c.like(s) || len(t) < leastSingle || t != reading.Fold(c.seen().Text) || texts[t] != [2]int{1, 1} {
			return 0
		}
		return 1
	}
}

// leastSingle is how many characters a reading has that is of one thing alone.
const leastSingle = 3

// motion is how something moved between two frames that were looked at.
type motion struct{ at, by geom.Point }

func motions(chains []*chain, frame int) (out []motion) {
	for _, c := range chains {
		if n := len(c.sights); n > 1 && c.seen().Frame == frame && c.unseenBefore == 0 {
			from := c.sights[n-2].Quad.Centre()
			out = append(out, motion{from, c.seen().Quad.Centre().Sub(from)})
		}
	}
	return out
}

// stayed is how well a sight is of a thing that is where it was, or moved as what is nearest to it did; 0 where it is
// not.
func (c *chain) stayed(s Sight, moved []motion) float64 {
	near := reading.Near(s.Text, c.seen().Text)
	at := c.at
	if i := nearest(moved, at.Centre()); i >= 0 {
		at = at.Under(geom.Translate(moved[i].by))
	}
	o := shared(at.Bounds(), s.Quad.Bounds())
	if !c.like(s) || !c.known || o < overlaps || s.Kind != Face && near < stays {
		return 0
	}
	return o + near
}

// nearest is the motion of what was nearest to a place, -1 where there is none.
func nearest(moved []motion, p geom.Point) int {
	best := -1
	for i, m := range moved {
		if best < 0 || m.at.Sub(p).Len() < moved[best].at.Sub(p).Len() {
			best = i
		}
	}
	return best
}

// went is how well a sight is of a thing that was followed, or that reads the same nearby.
func (c *chain) went(s Sight) float64 {
	if !c.like(s) {
		return 0
	}
	near := reading.Near(s.Text, c.seen().Text)
	if o := shared(c.at.Bounds(), s.Quad.Bounds()); c.known && o >= overlaps {
		return 1 + o + near
	}
	far := c.at.Centre().Sub(s.Quad.Centre()).Len() / max(s.Quad.Height(), 1)
	if near >= reads && len(reading.Fold(s.Text)) > 1 && far < strays {
		return near
	}
	return 0
}

// like reports whether a sight may be of the thing at all.
func (c *chain) like(s Sight) bool {
	k := c.seen().Kind
	return (s.Kind == Face) == (k == Face) && (s.Kind == Mark) == (k == Mark)
}

// smaller takes the pictures' places to the frames'.
func (l *Linker) smaller() geom.Map {
	k := 1 / float64(max(l.Smaller, 1))
	return geom.Map{k, 0, 0, 0, k, 0, 0, 0, 1}
}

// tracker follows what lies in a box.
func tracker(p *passed, q geom.Quad, smaller geom.Map) track.Tracker {
	around := q.Grown(wider * q.Height()).Under(smaller)
	t, err := track.NewPlanar(p.pic(), around[:], track.Similarity)
	if err != nil {
		return nil
	}
	return t
}

// follow follows the thing from the frame looked at before over those since.
func (c *chain) follow(before *passed, way []*passed, smaller geom.Map) {
	if c.way == nil && c.known && before != nil && before.pic().Ready() {
		if t := tracker(before, c.at, smaller); t != nil {
			c.way, c.from = t, c.at
		}
	}
	c.known = false
	if c.way == nil {
		return
	}
	for _, p := range way {
		c.known = false
		if p.afterCut() {
			c.way = nil
			return
		}
		to, ok := step(c.way, p.pic(), c.from, c.at, smaller)
		if !ok {
			c.way = nil
			return
		}
		c.at, c.last, c.known = to, p.frame, true
	}
}

// step follows what lay in a box to the next picture. Something else that looks like it is found where that passes in
// front: what does not even touch the place where it was has not come there in a frame's time.
func step(t track.Tracker, next track.Frame, from, was geom.Quad, smaller geom.Map) (to geom.Quad, ok bool) {
	larger, err := smaller.Inverse()
	pose := t.Step(next)[0]
	if err != nil || !pose.State.Known() {
		return to, false
	}
	to = from.Under(larger.Mul(pose.Map).Mul(smaller))
	return to, shared(to.Bounds(), was.Bounds()) > 0
}

// back follows a thing that was just seen first to where it came into sight, at most to the
// frame after the one looked at before, on which it was not seen.
func (c *chain) back(way []*passed, smaller geom.Map) {
	now := way[len(way)-1]
	if len(way) < 2 || !now.pic().Ready() {
		return
	}
	t := tracker(now, c.at, smaller)
	for i := len(way) - 2; t != nil && i >= 0 && !way[i+1].afterCut(); i-- {
		to, ok := step(t, way[i].pic(), c.at, c.start, smaller)
		if !ok {
			return
		}
		c.start, c.first = to, way[i].frame
	}
}

// Proposals ends the shot and returns what was linked, in the order of their first frames.
// What reads the same and was never beside the other is one thing that came back.
func (l *Linker) Proposals() []Proposal {
	all := append(l.done, l.open...)
	slices.SortStableFunc(all, func(a, b *chain) int { return a.first - b.first })
	var out []Proposal
	for i, c := range all {
		if c == nil {
			continue
		}
		text := vote(c.sights)
		for j := i + 1; j < len(all); j++ {
			d := all[j]
			if d == nil || !c.before(d) || c.seen().Kind == Face || len(reading.Fold(text)) < 3 {
				continue
			}
			if reading.Near(text, vote(d.sights)) >= returns {
				c.sights, c.at, c.last = append(c.sights, d.sights...), d.at, max(c.last, d.last)
				all[j] = nil
			}
		}
	}
	joinParts(all)
	for _, c := range all {
		if c == nil {
			continue
		}
		out = append(out, sum(c.sights, c.first, c.last))
	}
	return out
}

// before reports whether a thing may have come back as another: no frame shows both, or only frames to which the one
// was followed on and the other back, and there they were at one place.
func (c *chain) before(d *chain) bool {
	return c.last < d.first ||
		c.seen().Frame < d.sights[0].Frame && shared(c.at.Bounds(), d.start.Bounds()) >= overlaps
}

// joinParts puts what reads a part of something else, about where that was and then, to it: a
// line that something passes, or that leaves the picture, is seen in parts.
func joinParts(all []*chain) {
	for j, d := range all {
		if d == nil || d.seen().Kind == Face || d.seen().Kind == Mark {
			continue
		}
		part := vote(d.sights)
		n := len(reading.Fold(part))
		for _, c := range all {
			if c == nil || c == d || n < leastPart || c.seen().Kind == Face {
				continue
			}
			text := vote(c.sights)
			if n < len(reading.Fold(text)) && reading.Holds(text, part) >= returns && c.passes(text, d) {
				c.sights = append(c.sights, d.sights...)
				c.first, c.last = min(c.first, d.first), max(c.last, d.last)
				all[j] = nil
				break
			}
		}
	}
}

// leastPart is how many characters of a line tell that they are of it.
const leastPart = 3

// passes reports whether a part was seen about where the thing was when it was seen whole, nearest in time.
func (c *chain) passes(text string, part *chain) bool {
	s := part.sights[0]
	var near *Sight
	for i, o := range c.sights {
		if reading.Near(o.Text, text) >= returns && (near == nil || abs(o.Frame-s.Frame) < abs(near.Frame-s.Frame)) {
			near = &c.sights[i]
		}
	}
	return near != nil && near.Quad.Centre().Sub(s.Quad.Centre()).Len() < near.Quad.Width()
}

func abs(n int) int { return max(n, -n) }

// shared is how much of the smaller of two boxes both hold.
func shared(a, b geom.Rect) float64 { return a.Common(b) / max(min(a.Area(), b.Area()), 1e-9) }
