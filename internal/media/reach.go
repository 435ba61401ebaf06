package media

import (
	"context"
	"errors"

	"celator/core/frame"
)

// Whether the frames of a file without an index can be reached is tried: at one frame of so many, at no fewer and
// no more places than these. A frame in between that is missed all the same is read to from the beginning.
const (
	triedOf   = 250
	leastTry  = 24
	mostTries = 240
)

// Unproved reports whether it must be tried if frames can be reached without reading from the start: the container
// has no index, and nothing else speaks for a copy.
func (i Info) Unproved() bool { return !i.Indexed && !i.Variable && !i.Skipped && i.Still == "" }

// Reaches tries whether the clip's frames, whose checksums are known, are reached by leaping into the file.
func (c Clip) Reaches(ctx context.Context) (bool, error) {
	tries := min(max(len(c.Sums)/triedOf, leastTry), mostTries, len(c.Sums))
	pic := frame.New(c.Info.Format(), nil)
	for i := range tries {
		f := 0
		if tries > 1 {
			f = i * (len(c.Sums) - 1) / (tries - 1)
		}
		err := c.pick(ctx, []int{f}, pic, true, func(int, *frame.Picture) error { return nil })
		switch {
		case errors.Is(err, ErrLanding), errors.Is(err, ErrUnusable):
			return false, nil
		case err != nil:
			return false, err
		}
	}
	return true, nil
}

// Proved is the clip as one whose frames are reached, where that is so by what was seen of them.
func (c Clip) Proved(ctx context.Context, seen Seen) (Clip, error) {
	tried := c
	tried.Sums = seen.Sums
	var err error
	c.Info.Indexed, err = tried.Reaches(ctx)
	return c, err
}
