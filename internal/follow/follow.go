// Package follow runs trackers over the frames of a clip: from its anchors forward
// and backward, both ways at once, each frame decoded once.
package follow

import (
	"context"
	"fmt"
	"slices"
	"sync"

	"celator/core/frame"
	"celator/core/geom"
	"celator/core/track"
	"celator/internal/media"
)

// Anchor is a frame on which the surface's place is given.
type Anchor struct {
	Frame  int
	Map    geom.Map     // from the surface's own coordinates, those of the first anchor
	Places []geom.Point // of points, instead of Map; nil where they are as the job has them
}

// Job says what is followed, and over which frames.
type Job struct {
	Clip    media.Clip
	Outline []geom.Point // of the surface, in its own coordinates; or
	Points  []geom.Point // points instead, likewise
	Model   track.Model  // of a surface
	Channel Channel
	Anchors []Anchor // in the order of frames
	From    int
	To      int // both included
	// AtHand, when given, returns frames that are decoded already, or nil. Following
	// then begins at once, even where a few frames are decoded twice for that.
	AtHand func(f int) *frame.Picture
	// Known, when given, returns poses found before: following goes on from the
	// nearest of them beside the frames From to To instead of from the anchor.
	Known func(f int) (geom.Warp, bool)
	// Hidden, when given, returns what is known to pass in front on a frame, or nil.
	Hidden func(f int) *track.Gray
	// Found is told a frame's poses as they are known, one for the surface or one
	// for each point, in the surface's own coordinates; never two calls at a time.
	// Between two anchors a frame is told once more when both sides are known, and one
	// in which the surface was lost when it is found again, with a better estimate. All are told anew where something
	// that stands in front on an anchor had led the surface's track astray.
	Found func(f int, p []track.Pose)
	// Bends, when given, is told at the end of each way by how much the surface seems to bend: see track.Planar.Bends.
	Bends func(px float64)
}

// CutError says that following stopped at a cut: Frame is the first one past it, in
// the direction of following.
type CutError struct{ Frame int }

func (e *CutError) Error() string {
	return fmt.Sprintf("following stops at a cut: frame %d is of another shot", e.Frame)
}

// leg is following in one direction from an anchor, or from a pose found before.
type leg struct {
	anchor      Anchor
	start       int // the frame whose pose is known
	from        geom.Warp
	first, last int // in the order of following
	step        int
}

// legs plans the ways to go.
func (j *Job) legs() []leg {
	var out []leg
	add := func(a Anchor, first, last, step int) {
		if (last-first)*step < 0 {
			return
		}
		l := leg{anchor: a, start: a.Frame, from: a.Map.Warp(), first: first, last: last, step: step}
		if l.first-step != a.Frame {
			if m, ok := j.known(first - step); ok {
				l.start, l.from = first-step, m
			} else {
				l.first = a.Frame + step // the way there is followed too
			}
		}
		out = append(out, l)
	}
	for i, a := range j.Anchors {
		before, after := j.From, j.To
		if i > 0 {
			before = max(before, j.Anchors[i-1].Frame+1)
		}
		if i+1 < len(j.Anchors) {
			after = min(after, j.Anchors[i+1].Frame-1)
		}
		add(a, min(a.Frame-1, after), before, -1)
		add(a, max(a.Frame+1, before), after, 1)
	}
	return out
}

func (j *Job) known(f int) (geom.Warp, bool) {
	if j.Known == nil {
		return geom.Warp{}, false
	}
	return j.Known(f)
}

func (j *Job) check() error {
	if len(j.Points) == 0 && !j.Model.Valid() {
		return fmt.Errorf("%q is no model of motion; there are %q", j.Model, track.Models)
	}
	if err := j.Channel.Validate(); err != nil {
		return err
	}
	if j.From < 0 || j.To < j.From {
		return fmt.Errorf("there are no frames %d to %d", j.From, j.To)
	}
	if len(j.Anchors) == 0 {
		return fmt.Errorf("a reference frame is needed")
	}
	for i, a := range j.Anchors {
		if a.Frame < 0 || i > 0 && a.Frame <= j.Anchors[i-1].Frame {
			return fmt.Errorf("the anchors are not in the order of their frames")
		}
		if a.Places != nil && len(a.Places) != len(j.Points) {
			return fmt.Errorf("the anchor at frame %d has %d points of %d", a.Frame, len(a.Places), len(j.Points))
		}
		if a.Frame >= j.Clip.Info.Frames {
			return fmt.Errorf("the reference frame %d is not among the clip's %d frames", a.Frame, j.Clip.Info.Frames)
		}
	}
	return nil
}

// Run follows. What was found before an error or the context's end has been told;
// beyond a cut nothing is told, and the error is a *CutError.
func Run(ctx context.Context, j Job) error {
	if err := j.check(); err != nil {
		return err
	}
	r := run{job: &j, astray: map[int][]*track.Planar{}}
	var err error
	for range 1 + mostAnew {
		r.anew = false
		err = r.once(ctx)
		if _, cut := err.(*CutError); err != nil && !cut || !r.anew {
			break
		}
	}
	return err
}

// mostAnew is how often all ways are followed anew, without what led them astray.
const mostAnew = 2

// once follows all ways.
func (r *run) once(ctx context.Context) error {
	j := r.job
	legs := j.legs()
	r.sources, r.told, r.bends = nil, map[int][2][]track.Pose{}, map[int]*geom.Bend{}
	// Somebody who waits sees both ways begin at once when each has its own decoder.
	groups := [][]leg{legs}
	if j.AtHand != nil && len(legs) == 2 && len(j.Anchors) == 1 {
		groups = [][]leg{legs[:1], legs[1:]}
	}
	for _, g := range groups {
		f, err := openSource(ctx, j, g)
		if err != nil {
			return err
		}
		defer f.close()
		r.sources = append(r.sources, f)
	}
	// Each anchor's reference serves both its directions.
	begun := make([]func() (track.Tracker, error), len(j.Anchors))
	for i, a := range j.Anchors {
		begun[i] = sync.OnceValues(func() (track.Tracker, error) { return r.begin(ctx, a) })
	}
	var wg sync.WaitGroup
	var mu sync.Mutex
	var first error
	astray := map[int][]*track.Planar{}
	for n, l := range legs {
		wg.Go(func() {
			i := slices.IndexFunc(j.Anchors, func(a Anchor) bool { return a.Frame == l.anchor.Frame })
			var surface *track.Planar // nil for points
			t, err := begun[i]()
			if err == nil {
				t = t.Fork()
				surface, _ = t.(*track.Planar)
				err = r.follow(ctx, r.sources[min(n, len(r.sources)-1)], t, l)
			}
			mu.Lock()
			defer mu.Unlock()
			if surface != nil && l.start == l.anchor.Frame && surface.Astray() {
				astray[l.start] = append(astray[l.start], surface)
			}
			if _, cut := err.(*CutError); err != nil && (first == nil || cut && ctx.Err() == nil) {
				first = err
			}
		})
	}
	if len(legs) == 0 {
		_, first = begun[0]()
	}
	wg.Wait()
	for f, led := range astray {
		r.astray[f], r.anew = append(r.astray[f], led...), true
	}
	if first != nil && ctx.Err() != nil {
		return ctx.Err()
	}
	return first
}

type run struct {
	job     *Job
	sources []*frameSource // one, or one for each leg
	mu      sync.Mutex
	told    map[int][2][]track.Pose // between anchors: forward, backward
	bends   map[int]*geom.Bend      // of cloth, on anchors
	astray  map[int][]*track.Planar // by anchor, what followed the surface and was led astray
	anew    bool                    // there are more of these since all ways were followed last
}

// begin makes the tracker of an anchor and tells the anchor's own pose.
func (r *run) begin(ctx context.Context, a Anchor) (track.Tracker, error) {
	j := r.job
	f, err := r.sources[0].read(ctx, a.Frame)
	if err != nil {
		return nil, err
	}
	var t track.Tracker
	if ref := j.reference(a); ref.Frame != a.Frame {
		return r.again(ctx, ref, a, f)
	}
	if len(j.Points) > 0 {
		t, err = track.NewPoints(f, j.places(a))
	} else {
		t, err = track.NewPlanar(r.without(a, f), mapped(j.Outline, a.Map), j.Model)
	}
	if err == nil && j.From <= a.Frame && a.Frame <= j.To {
		poses := make([]track.Pose, max(len(j.Points), 1))
		for i := range poses {
			poses[i] = track.Pose{Map: j.at(a, i), Confidence: 1, State: track.Anchor}
		}
		r.mu.Lock()
		j.Found(a.Frame, poses)
		r.mu.Unlock()
	}
	return t, err
}

// without is an anchor's frame without what led the surface's track astray, unless nothing to follow is left then.
func (r *run) without(a Anchor, f track.Frame) track.Frame {
	all := r.astray[a.Frame]
	if len(all) == 0 {
		return f
	}
	g := f
	for _, led := range all {
		g = led.Without(g)
	}
	if _, err := track.NewPlanar(g, mapped(r.job.Outline, a.Map), r.job.Model); err != nil {
		return f
	}
	return g
}

// reference is the anchor whose picture a surface is compared with that is followed from anchor a: cloth is always
// compared with the first, on which it does not bend.
func (j *Job) reference(a Anchor) Anchor {
	if j.Model != track.Cloth || len(j.Points) > 0 {
		return a
	}
	for _, b := range j.Anchors {
		if b.Map == geom.Identity {
			return b
		}
	}
	return a
}

// again makes the tracker of an anchor of cloth that is not its reference, given its frame, and tells its pose.
func (r *run) again(ctx context.Context, ref, a Anchor, f track.Frame) (track.Tracker, error) {
	j := r.job
	g, err := r.sources[0].read(ctx, ref.Frame)
	if err != nil {
		return nil, err
	}
	t, err := track.NewPlanar(g, j.Outline, j.Model)
	if err != nil {
		return nil, err
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	bend := t.BendAt(f, a.Map)
	r.bends[a.Frame] = bend
	if j.From <= a.Frame && a.Frame <= j.To {
		j.Found(a.Frame, []track.Pose{{Map: a.Map, Confidence: 1, State: track.Anchor, Bend: bend}})
	}
	return t, nil
}

// at takes thing i from its own coordinates to where it lies on an anchor.
func (j *Job) at(a Anchor, i int) geom.Map {
	if a.Places == nil {
		return a.Map
	}
	d := a.Places[i].Sub(j.Points[i])
	return geom.Map{1, 0, d.X, 0, 1, d.Y, 0, 0, 1}
}

// places are where the points lie on an anchor.
func (j *Job) places(a Anchor) []geom.Point {
	if a.Places != nil {
		return a.Places
	}
	return mapped(j.Points, a.Map)
}

func mapped(pts []geom.Point, m geom.Map) []geom.Point {
	out := make([]geom.Point, len(pts))
	for i, p := range pts {
		out[i] = m.Apply(p)
	}
	if geom.Area(out) < 0 && len(out) > 2 { // around it one way
		slices.Reverse(out)
	}
	return out
}

// follow takes a leg.
func (r *run) follow(ctx context.Context, frameSource *frameSource, t track.Tracker, l leg) error {
	way := r.begins(t, l)
	var before track.Frame
	for f := l.first; (l.last-f)*l.step >= 0; f += l.step {
		g, err := frameSource.next(ctx, l, f)
		if err != nil {
			return err
		}
		poses := t.Step(g)
		sure := true
		for i := range poses {
			sure = sure && poses[i].State == track.Good
			poses[i].Map = poses[i].Map.Mul(r.job.at(r.job.reference(l.anchor), i))
		}
		// What is surely found has not been cut away.
		if !sure && before.Ready() && track.Cut(before, g) {
			way.ends()
			return &CutError{f}
		}
		before = g
		way.goes(f, g, poses)
	}
	way.ends()
	return nil
}

// beside: nearly all of a box lies out of the picture under a pose.
func (j *Job) beside(m geom.Map, quad [4]geom.Point) bool {
	const n = 8
	in := 0
	for k := range n * n {
		u, v := (float64(k%n)+.5)/n, (float64(k/n)+.5)/n
		p := m.Apply(quad[0].Lerp(quad[1], u).Lerp(quad[3].Lerp(quad[2], u), v))
		if p.X > 0 && p.Y > 0 && p.X < float64(j.Clip.Info.Width) && p.Y < float64(j.Clip.Info.Height) {
			in++
		}
	}
	return in < n*n/10
}

// around is a box around thing i.
func (j *Job) around(i int) [4]geom.Point {
	if len(j.Points) == 0 {
		return j.box()
	}
	p := j.Points[i]
	return [4]geom.Point{p.Add(geom.Pt(-9, -9)), p.Add(geom.Pt(9, -9)), p.Add(geom.Pt(9, 9)), p.Add(geom.Pt(-9, 9))}
}

// tell passes poses on. Between two anchors both sides are kept, and blended once
// every frame of the stretch has them.
func (r *run) tell(f int, l leg, poses []track.Pose) {
	r.mu.Lock()
	defer r.mu.Unlock()
	j := r.job
	if f < j.From || f > j.To {
		return
	}
	i := slices.IndexFunc(j.Anchors, func(a Anchor) bool { return a.Frame > f })
	if i <= 0 { // after the last anchor, or before the first
		j.Found(f, poses)
		return
	}
	side := 0
	if l.step < 0 {
		side = 1
	}
	both := r.told[f]
	both[side] = poses
	r.told[f] = both
	if both[1-side] == nil || lost(both[1-side]) && !lost(poses) {
		j.Found(f, poses)
	}
	lo, hi := max(j.Anchors[i-1].Frame+1, j.From), min(j.Anchors[i].Frame-1, j.To)
	for g := lo; g <= hi; g++ {
		if both := r.told[g]; both[0] == nil || both[1] == nil {
			return
		}
	}
	blended := make([][]track.Pose, hi-lo+1)
	for i := range poses {
		var ways [2][]track.Pose
		for g := lo; g <= hi; g++ {
			for side, p := range r.told[g] {
				ways[side] = append(ways[side], p[i])
			}
		}
		for k, p := range track.Blend(ways[0], ways[1], j.around(i)) {
			blended[k] = append(blended[k], p)
		}
	}
	for k, p := range blended {
		j.Found(lo+k, p)
	}
}

// lost: not one of the things was found.
func lost(poses []track.Pose) bool {
	for _, p := range poses {
		if p.State != track.Lost {
			return false
		}
	}
	return true
}

// box is the rectangle around the surface.
func (j *Job) box() [4]geom.Point {
	b := geom.Bounds(j.Outline)
	return [4]geom.Point{b.Min, {X: b.Max.X, Y: b.Min.Y}, b.Max, {X: b.Min.X, Y: b.Max.Y}}
}
