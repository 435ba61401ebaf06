package follow

import (
	"slices"

	"gonum.org/v1/gonum/mat"

	"celator/core/geom"
	"celator/core/track"
)

// stretch remembers frames in which one thing was not surely found, until it is known where it came back. Then a
// surface is followed back from there, and each frame has the surer of two poses; what neither way found lies between
// what was.
type stretch struct {
	quad [4]geom.Point // around the thing
	lost bool          // only frames in which it was not found at all count

	known  []geom.Map // the last two before it
	in     []told
	frames []track.Frame // of the last of those
	after  []geom.Map    // the first two past it
}

// told is what was said of a frame.
type told struct {
	f     int
	poses []track.Pose
	cov   *mat.SymDense // of a surface's pose: see track.Planar.Cov
}

// mostKept is how many samples of frames wait for the way back; those further back stay as they were found.
const mostKept = 24 << 20

// next takes what was found of thing i on a frame. It reports whether the thing was surely found twice since.
func (s *stretch) next(t told, i int, g track.Frame) bool {
	p := t.poses[i]
	found := p.State == track.Good || p.State == track.Weak && s.lost
	if !found {
		// What was found once and lost at once belongs to the stretch.
		s.after = nil
		s.take(t, g)
		return false
	}
	if len(s.in) == 0 {
		s.know(p.Map)
		return false
	}
	if s.after = append(s.after, p.Map); len(s.after) < 2 {
		s.take(t, g)
		return false
	}
	s.in = s.in[:len(s.in)-1] // the first that was found is past it
	if !s.lost {
		s.frames = s.frames[:len(s.frames)-1]
	}
	return true
}

// take enters a frame. Only a surface is followed back.
func (s *stretch) take(t told, g track.Frame) {
	s.in = append(s.in, t)
	if s.lost {
		return
	}
	s.frames = append(s.frames, g)
	if n := max(mostKept/max(g.Samples(), 1), 2); len(s.frames) > n {
		s.frames = slices.Delete(s.frames, 0, len(s.frames)-n)
	}
}

func (s *stretch) know(m geom.Map) {
	s.known = append(s.known, m)
	if len(s.known) > 2 {
		s.known = s.known[1:]
	}
}

// back follows a surface back into the stretch from where it was found again, as far as it is seen from there. to takes
// the surface's own coordinates to its anchor's, away those back.
func (s *stretch) back(t *track.Planar, to, away geom.Map) {
	way := t.Rewind(s.after[0].Mul(away), s.after[1].Mul(away))
	before, behind := make([]track.Pose, len(s.in)), make([]track.Pose, len(s.in))
	for k, b := range s.in {
		before[k], behind[k] = b.poses[0], track.Pose{Map: b.poses[0].Map, State: track.Lost}
	}
	covs := make([]*mat.SymDense, len(s.in))
	seen := false
	for k := len(s.frames) - 1; k >= 0; k-- {
		p := way.Step(s.frames[k])[0]
		if p.State != track.Good && p.State != track.Weak {
			break
		}
		at := len(s.in) - len(s.frames) + k
		p.Map, seen = p.Map.Mul(to), true
		behind[at], covs[at] = p, way.Cov()
	}
	if !seen {
		return
	}
	for k, p := range track.Blend(before, behind, s.quad) {
		if p == behind[k] {
			s.in[k].cov = covs[k]
		}
		s.in[k].poses = []track.Pose{p}
	}
}

// settled ends the stretch and returns its frames with better estimates of thing i, where there are any.
func (s *stretch) settled(i int) []told {
	for from := 0; from < len(s.in); {
		if s.in[from].poses[i].State.Known() {
			s.know(s.in[from].poses[i].Map)
			from++
			continue
		}
		to := from
		for to < len(s.in) && !s.in[to].poses[i].State.Known() {
			to++
		}
		then := s.after
		if to < len(s.in) {
			then = []geom.Map{s.in[to].poses[i].Map}
			if to+1 == len(s.in) {
				then = append(then, s.after[0])
			} else if s.in[to+1].poses[i].State.Known() {
				then = append(then, s.in[to+1].poses[i].Map)
			}
		}
		if n := to - from; len(s.known) == 2 {
			was := s.known[1]
			if len(then) == 1 { // alone: it goes on as it came
				then = append(then, s.between(then[0], was, -1/float64(n+1)))
			}
			for k, m := range track.Between([2]geom.Map(s.known), [2]geom.Map(then), n, s.quad) {
				better := slices.Clone(s.in[from+k].poses)
				better[i].Map = m
				s.in[from+k].poses = better
			}
			s.known = []geom.Map{was, s.between(then[0], was, 1/float64(n+1))}
		}
		from = to
	}
	out := s.in
	s.in, s.frames, s.known, s.after = nil, nil, s.after, nil
	return out
}

// between is a share of the way from one place to another, corner by corner.
func (s *stretch) between(from, to geom.Map, share float64) geom.Map {
	var quad [4]geom.Point
	for c, q := range s.quad {
		quad[c] = from.Apply(q).Lerp(to.Apply(q), share)
	}
	m, err := geom.QuadToQuad(s.quad, quad)
	if err != nil {
		return from
	}
	return m
}
