package cover

import (
	"fmt"
	"math"
	"strconv"
)

// Time is a moment of a shot, in frames from its first one. Whole numbers are frames, or,
// where pictures are woven of fields, the first fields of frames; their second fields, which
// are taken half a frame's time later, lie at a half more.
type Time float64

// Frame is the frame that a moment belongs to.
func (t Time) Frame() int { return int(math.Floor(float64(t))) }

// Second reports whether it is a frame's second field.
func (t Time) Second() bool { return t != Time(t.Frame()) }

// String writes 12 and 12.5.
func (t Time) String() string { return strconv.FormatFloat(float64(t), 'f', -1, 64) }

// ParseTime reads what String writes, for a shot of so many frames.
func ParseTime(s string, frames int) (Time, error) {
	v, err := strconv.ParseFloat(s, 64)
	if t := Time(v); err == nil && inShot(t, frames) {
		return t, nil
	}
	return 0, fmt.Errorf("%q is no frame of the shot (0 to %d)", s, frames-1)
}

// signed writes a way in time with its sign.
func (t Time) signed() string {
	if t < 0 {
		return t.String()
	}
	return "+" + t.String()
}

func (t Time) abs() Time { return max(t, -t) }

// inShot reports whether a moment is a frame of a shot, or one's field.
func inShot(t Time, frames int) bool {
	return t >= 0 && t < Time(frames) && t*2 == Time((t*2).Frame())
}

// place is where a moment stands in a list that begins with frame first and has an entry
// for each frame, or for each field.
func place(first int, fields bool, t Time) int {
	if fields {
		return ((t - Time(first)) * 2).Frame()
	}
	return t.Frame() - first
}

// perFrame is over how many frames so many entries go.
func perFrame(n int, fields bool) int {
	if fields {
		return (n + 1) / 2
	}
	return n
}

// Step is how far apart a document's moments are: a frame, or a field.
func (d *Document) Step() Time {
	if d.Fields {
		return .5
	}
	return 1
}

// Moments are those of a span of the document, in order.
func (d *Document) Moments(s Span) func(yield func(Time) bool) {
	return func(yield func(Time) bool) {
		for t := Time(s.First); s.Holds(t); t += d.Step() {
			if !yield(t) {
				return
			}
		}
	}
}
