package follow

import (
	"context"
	"math"
	"slices"

	"celator/core/cleanplate"
	"celator/core/cover"
	"celator/core/frame"
	"celator/core/geom"
	"celator/core/holdout"
	"celator/internal/media"
)

// Foreground says where to look for what passes in front of a followed surface.
type Foreground struct {
	Clip    media.Clip
	Outline []geom.Point // of the surface, in its own coordinates
	// Pose returns where the surface is on a frame, and how well it was found there; ok is false where nothing is known
	// of it or it is out of the picture.
	Pose     func(f int) (w geom.Warp, found Sight, ok bool)
	Anchors  []int // frames on which the editor has seen it
	From, To int   // the frames to look at, both included
	First    int   // and those that may show what the surface looks like
	Last     int
	Settings holdout.Settings
	// Known, when given, is what an earlier look found the surface to look like.
	Known *cleanplate.Plate
	// Surveyed is told how many of the frames that are looked at first are done.
	Surveyed func(done, all int)
	// Found is told a frame's foreground, in the order of frames.
	Found func(f int, found holdout.Found) error
}

// Sight is how well a surface was found on a frame.
type Sight int

const (
	Guessed Sight = iota // it was not found
	Seen                 // but not surely within two pixels
	Surely
)

// ForegroundOf looks for what passes in front of a document's track, over a span.
func ForegroundOf(clip media.Clip, t *cover.Track, span cover.Span, set holdout.Settings) Foreground {
	j := Foreground{
		Clip: clip, Outline: t.Surface, From: span.First, To: span.Last, Last: clip.Info.Frames - 1,
		Anchors: []int{t.Frame.Frame()}, Settings: set,
	}
	for _, a := range t.Anchors {
		j.Anchors = append(j.Anchors, a.Frame.Frame())
	}
	j.Pose = func(f int) (geom.Warp, Sight, bool) {
		s := t.Poses.State(cover.Time(f))
		found := map[byte]Sight{'a': Surely, 'g': Surely, 'w': Seen}[s]
		return t.Warp(cover.Time(f)), found, s != '-' && s != 'o'
	}
	return j
}

// Find looks for the foreground and returns the plate it used. Errors are those of
// reading and of core/holdout, and what Found returns.
func (j *Foreground) Find(ctx context.Context) (*cleanplate.Plate, error) {
	plate := j.Known
	if plate == nil {
		var err error
		if plate, err = j.CleanPlate(ctx); err != nil {
			return nil, err
		}
	}
	r, err := j.Clip.Open(ctx, j.From, j.To)
	if err != nil {
		return nil, err
	}
	defer r.Close()
	finder := holdout.NewFinder(plate, j.Settings)
	pic := frame.New(j.Clip.Info.Format(), nil)
	for f := j.From; f <= j.To; f++ {
		if err := r.Read(pic); err != nil {
			return nil, ended(err, f)
		}
		var found holdout.Found
		if m, _, ok := j.Pose(f); ok {
			found = finder.Find(pic, m, j.Speed(f))
		}
		if err := j.Found(f, found); err != nil {
			return nil, err
		}
	}
	return plate, nil
}

// Speed is how far the surface's middle moves in the time of a frame, around frame f.
func (j *Foreground) Speed(f int) geom.Point {
	mid := geom.Bounds(j.Outline).Centre()
	a, _, before := j.Pose(f - 1)
	b, _, here := j.Pose(f)
	c, _, after := j.Pose(f + 1)
	switch {
	case before && after:
		return c.Apply(mid).Sub(a.Apply(mid)).Mul(.5)
	case before && here:
		return b.Apply(mid).Sub(a.Apply(mid))
	case here && after:
		return c.Apply(mid).Sub(b.Apply(mid))
	}
	return geom.Point{}
}

// surveyFrames chooses the frames that show what the surface looks like: all anchors, and the calmest.
func (j *Foreground) surveyFrames() []int {
	var anchors []int
	for _, f := range j.Anchors {
		if f >= j.First && f <= j.Last && len(anchors) < cleanplate.MaxViews/3 {
			anchors = append(anchors, f)
		}
	}
	at := append(anchors, j.calmest(cleanplate.MaxViews-len(anchors))...)
	slices.Sort(at)
	return slices.Compact(at)
}

// calmest are from n even parts of the shot the frames in which the surface moves least, of those in which it is surely
// found or, where there are none, is seen: what stands in front for long is told only by frames from all of the shot.
func (j *Foreground) calmest(n int) (at []int) {
	for k := range n {
		lo, hi := j.First+(j.Last-j.First+1)*k/n, j.First+(j.Last-j.First+1)*(k+1)/n
		best, least, well := -1, math.Inf(1), Seen
		for f := lo; f < hi; f++ {
			_, found, ok := j.Pose(f)
			if v := j.Speed(f).Len(); ok && (found > well || found == well && v < least) {
				best, least, well = f, v, found
			}
		}
		if best >= 0 {
			at = append(at, best)
		}
	}
	return at
}

// CleanPlate finds what the surface looks like with nothing in front of it.
func (j *Foreground) CleanPlate(ctx context.Context) (*cleanplate.Plate, error) {
	at := j.surveyFrames()
	if len(at) == 0 {
		return nil, cleanplate.ErrNoView
	}
	var scales []float64
	mid := geom.Bounds(j.Outline).Centre()
	for _, f := range at {
		m, _, _ := j.Pose(f)
		o := m.Apply(mid)
		scales = append(scales, math.Sqrt(math.Abs(m.Apply(mid.Add(geom.Pt(1, 0))).Sub(o).Cross(
			m.Apply(mid.Add(geom.Pt(0, 1))).Sub(o)))))
	}
	slices.Sort(scales)
	g, err := cleanplate.NewGather(j.Outline, scales[len(scales)*3/4])
	if err != nil {
		return nil, err
	}
	r, err := j.Clip.Open(ctx, at[0], at[len(at)-1])
	if err != nil {
		return nil, err
	}
	defer r.Close()
	pic := frame.New(j.Clip.Info.Format(), nil)
	for f := at[0]; f <= at[len(at)-1]; f++ {
		if err := r.Read(pic); err != nil {
			return nil, ended(err, f)
		}
		i, look := slices.BinarySearch(at, f)
		if !look {
			continue
		}
		switch m, found, _ := j.Pose(f); {
		case found == Surely || slices.Contains(j.Anchors, f):
			g.Add(pic, m, slices.Contains(j.Anchors, f))
		default:
			g.Offer(pic, m)
		}
		if j.Surveyed != nil {
			j.Surveyed(i+1, len(at))
		}
	}
	return g.Plate()
}
