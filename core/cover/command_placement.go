package cover

import (
	"errors"
	"fmt"

	"celator/core/geom"
)

// PlaceCover places a cover by hand.
type PlaceCover struct {
	Cover     string    `json:"cover"`
	Frame     Time      `json:"frame"`
	Placement Placement `json:"placement"`
	Scope     Scope     `json:"scope,omitempty" enum:"frame,around,on,span"`
	Reach     int       `json:"reach,omitempty" doc:"frames to each side, around here; 0: up to good ones"`
	Apart     bool      `json:"apart,omitempty" doc:"of place, turn and size only what differs is keyed"`
}

func (e PlaceCover) about() subject { return subject{cover: e.Cover} }

func (e PlaceCover) apply(d *draft) (string, error) {
	c, err := d.drawnAt(e.Cover, e.Frame)
	if err = errors.Join(err, e.Scope.validate()); err != nil {
		return "", err
	}
	old := c.Motion.At(e.Frame)
	if err := c.place(change{e.Frame, e.Placement, e.Scope, e.Apart}, reach{e.Reach, d.Step()}); err != nil {
		return "", err
	}
	return changeOf(old, e.Placement) + " " + c.Name + e.Scope.at(e.Frame), nil
}

// place changes a cover's placement, no further than its reach.
func (c *Cover) place(e change, r reach) error {
	if err := c.fence(c.placement(), e.frame, e.scope, r); err != nil {
		return err
	}
	c.Motion.place(e)
	return nil
}

// FitCover places a cover, turned as it is, so that its box lies on a rectangle. A side
// that is drawn on the picture's edge says nothing of where the thing ends: there the box
// is as large as it was, if that is larger, and placed by the sides that are seen.
type FitCover struct {
	Cover string    `json:"cover"`
	Frame Time      `json:"frame"`
	Rect  geom.Rect `json:"rect"`
	Scope Scope     `json:"scope,omitempty" enum:"frame,around,on,span"`
	Reach int       `json:"reach,omitempty" doc:"as of place"`
	Apart bool      `json:"apart,omitempty" doc:"as of place"`
}

func (e FitCover) about() subject { return subject{cover: e.Cover} }

func (e FitCover) apply(d *draft) (string, error) {
	c, err := d.drawnAt(e.Cover, e.Frame)
	if err = errors.Join(err, e.Scope.validate()); err != nil {
		return "", err
	}
	if e.Rect.Empty() {
		return "", errors.New("edit: fitting needs a rectangle with an area")
	}
	picture := geom.Rect{Max: geom.Pt(float64(d.Width), float64(d.Height))}
	p, err := c.fitted(e.Frame, beyond(e.Rect, c.Bounds(e.Frame), picture))
	if err != nil {
		return "", err
	}
	if err := c.place(change{e.Frame, p, e.Scope, e.Apart}, reach{e.Reach, d.Step()}); err != nil {
		return "", err
	}
	return "fitted " + c.Name + e.Scope.at(e.Frame), nil
}

// MoveLike gives a cover the track and the motion of another one, as both lie on the
// first frame of its span: what is placed by hand moves as far, turns and grows alike.
type MoveLike struct {
	Cover string `json:"cover"`
	Other string `json:"id" doc:"the cover whose motion it takes"`
}

func (e MoveLike) about() subject { return subject{cover: e.Cover} }

func (e MoveLike) apply(d *draft) (string, error) {
	c, err := d.unlocked(e.Cover)
	if err != nil {
		return "", err
	}
	from := d.Find(e.Other)
	if from == nil {
		return "", ErrNoCover
	}
	if from.ID == c.ID || from.Proposed != nil {
		return "", fmt.Errorf("edit: %s has no motion that %s could take", from.Name, c.Name)
	}
	f := Time(c.Span.First)
	label := fmt.Sprintf("gave %s the motion of %s", c.Name, from.Name)
	if from.on != nil {
		c.ride(from.on, f)
		return label, nil
	}
	c.rest(f)
	if len(from.Motion.Keys) == 0 {
		return label, nil
	}
	was := from.Motion.At(f)
	c.Motion.Keys = nil
	for _, k := range from.Motion.Keys {
		k.Move, k.Turn = k.Move.Sub(was.Move), k.Turn-was.Turn
		k.Size = geom.Pt(k.Size.X/was.Size.X, k.Size.Y/was.Size.Y)
		c.Motion.Keys = append(c.Motion.Keys, k)
	}
	return label, nil
}

// onEdge is how near to the picture's edge a drawn side counts as on it, px: a person
// draws as exactly on a picture that is shown at half its size.
const onEdge = 2

// beyond returns a rectangle that was drawn over what is seen of a thing, as large as the
// thing was where it leaves the picture.
func beyond(r, was, picture geom.Rect) geom.Rect {
	r.Min.X, r.Max.X = beyondSides(r.Min.X, r.Max.X, was.Max.X-was.Min.X, picture.Max.X)
	r.Min.Y, r.Max.Y = beyondSides(r.Min.Y, r.Max.Y, was.Max.Y-was.Min.Y, picture.Max.Y)
	return r
}

func beyondSides(lo, hi, size, edge float64) (float64, float64) {
	size = max(size, hi-lo)
	switch before, after := lo <= onEdge, hi >= edge-onEdge; {
	case before && after: // as much to both sides
		return (lo + hi - size) / 2, (lo + hi + size) / 2
	case before:
		return hi - size, hi
	case after:
		return lo, lo + size
	}
	return lo, hi
}

// fitted returns the placement, of the turn that the cover has, whose box has
// the size and the centre of r at frame f.
func (c *Cover) fitted(f Time, r geom.Rect) (Placement, error) {
	rest := c.RestBounds(f)
	if rest.Empty() {
		return Placement{}, errors.New("edit: the outline has no area to fit")
	}
	if c.on != nil { // the rectangle as it lies on the surface
		back, err := c.Carried(f).Inverse()
		if err != nil {
			return Placement{}, err
		}
		q := geom.Box(r).Map(back)
		side := func(a, b, c, d int) float64 {
			return (q[b].P.Sub(q[a].P).Len() + q[d].P.Sub(q[c].P).Len()) / 2
		}
		mid, size := back.Apply(r.Centre()), geom.Pt(side(0, 1, 3, 2)/2, side(1, 2, 0, 3)/2)
		r = geom.Rect{Min: mid.Sub(size), Max: mid.Add(size)}
	}
	p := c.Motion.At(f)
	p.Size = geom.Pt((r.Max.X-r.Min.X)/(rest.Max.X-rest.Min.X), (r.Max.Y-r.Min.Y)/(rest.Max.Y-rest.Min.Y))
	p.Move = geom.Point{}
	at := geom.Placement(c.Motion.Pivot, p.Move, p.Turn, p.Size.X, p.Size.Y).Apply(rest.Centre())
	p.Move = r.Centre().Sub(at)
	return p, nil
}

// changeOf names what changed from one placement to another.
func changeOf(old, new Placement) string {
	switch {
	case old.Size != new.Size:
		return "sized"
	case old.Turn != new.Turn:
		return "turned"
	case old.Move != new.Move:
		return "moved"
	}
	return "keyed"
}
