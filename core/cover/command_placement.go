package cover

import (
	"errors"
	"fmt"

	"celator/core/geom"
)

// PlaceCover places a cover by hand.
type PlaceCover struct {
	Cover     string    `json:"cover"`
	Frame     int       `json:"frame"`
	Placement Placement `json:"placement"`
	Scope     Scope     `json:"scope,omitempty" enum:"frame,span"`
}

func (e PlaceCover) about() subject { return subject{cover: e.Cover} }

func (e PlaceCover) apply(d *draft) (string, error) {
	c, err := d.drawnAt(e.Cover, e.Frame)
	if err = errors.Join(err, e.Scope.validate()); err != nil {
		return "", err
	}
	old := c.Motion.At(e.Frame)
	c.Motion.place(e.Frame, e.Placement, e.Scope)
	return changeOf(old, e.Placement) + " " + c.Name + e.Scope.at(e.Frame), nil
}

// FitCover places a cover, turned as it is, so that its box lies on a rectangle.
type FitCover struct {
	Cover string    `json:"cover"`
	Frame int       `json:"frame"`
	Rect  geom.Rect `json:"rect"`
	Scope Scope     `json:"scope,omitempty" enum:"frame,span"`
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
	p, err := c.fitted(e.Frame, e.Rect)
	if err != nil {
		return "", err
	}
	c.Motion.place(e.Frame, p, e.Scope)
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
	f := c.Span.First
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

// place changes the placement at a frame, or all keys by as much.
func (m *Motion) place(f int, p Placement, scope Scope) {
	if scope != WholeSpan || len(m.Keys) == 0 {
		setKey(&m.Keys, PlacementKey{Frame: f, Placement: p}, func(k *PlacementKey) { k.Placement = p })
		return
	}
	old := m.At(f)
	for i := range m.Keys {
		k := &m.Keys[i].Placement
		k.Move = k.Move.Add(p.Move.Sub(old.Move))
		k.Turn += p.Turn - old.Turn
		k.Size = geom.Pt(k.Size.X*p.Size.X/old.Size.X, k.Size.Y*p.Size.Y/old.Size.Y)
	}
}

// fitted returns the placement, of the turn that the cover has, whose box has
// the size and the centre of r at frame f.
func (c *Cover) fitted(f int, r geom.Rect) (Placement, error) {
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
