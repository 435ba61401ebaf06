package track

import (
	"math"

	"celator/core/geom"
)

// State says how a frame's pose is known.
type State string

const (
	Anchor  State = "anchor"  // given, not found
	Good    State = "good"    // within two pixels, as far as can be told
	Weak    State = "weak"    // found, but not surely within two pixels
	Lost    State = "lost"    // not found; the pose is the best estimate
	Outside State = "outside" // the surface is out of the picture
)

// Known reports whether the surface was found.
func (s State) Known() bool { return s == Anchor || s == Good || s == Weak }

// Pose is where a surface is on one frame.
type Pose struct {
	Map        geom.Map // reference coordinates to the frame's
	Confidence float64  // 0 to 1
	State      State
	Bend       *geom.Bend // before the map, of what bends; nil where there is none
}

// Warp takes the reference's coordinates to the frame's, by the bend as well.
func (p Pose) Warp() geom.Warp { return geom.Warp{Map: p.Map, Bend: p.Bend} }

// Spread returns the root mean square distance of the corners of two poses.
func Spread(a, b geom.Map, quad [4]geom.Point) float64 {
	var s float64
	for _, q := range quad {
		d := a.Apply(q).Sub(b.Apply(q))
		s += d.Dot(d)
	}
	return math.Sqrt(s / 4)
}
