package cover

import (
	"errors"
	"fmt"
	"slices"

	"celator/core/geom"
)

// AddOutline adds an outline to a cover. Its one key has the knots as they lie in the
// picture at the frame.
type AddOutline struct {
	Cover   string  `json:"cover"`
	Frame   Time    `json:"frame"`
	Outline Outline `json:"outline"`
}

func (e AddOutline) about() subject { return subject{cover: e.Cover} }

func (e AddOutline) apply(d *draft) (string, error) {
	c, err := d.drawnAt(e.Cover, e.Frame)
	if err != nil {
		return "", err
	}
	if len(e.Outline.Keys) != 1 {
		return "", errors.New("edit: addOutline needs an outline with one key")
	}
	back, err := c.Warp(e.Frame).Back()
	if err != nil {
		return "", err
	}
	o := e.Outline
	o.Keys = []PathKey{{Frame: e.Frame, Knots: o.Keys[0].Knots.Carry(back)}}
	c.Outlines = append(c.Outlines, o)
	return "added an outline to " + c.Name, nil
}

// outline returns an outline of a drawn cover to change, and its place among them.
func (d *draft) outline(cover, id string) (*Cover, int, error) {
	c, err := d.drawn(cover)
	if err != nil {
		return nil, 0, err
	}
	i := slices.IndexFunc(c.Outlines, func(o Outline) bool { return o.ID == id })
	if i < 0 {
		return nil, 0, fmt.Errorf("edit: %s has no outline %q any more", c.Name, id)
	}
	return c, i, nil
}

// knots returns an outline whose knots are to be changed on all keys alike.
func (d *draft) knots(cover, id string, indexes ...int) (*Outline, string, error) {
	c, i, err := d.outline(cover, id)
	if err != nil {
		return nil, "", err
	}
	o := &c.Outlines[i]
	for _, k := range indexes {
		if k < 0 || k >= len(o.Keys[0].Knots) {
			return nil, "", fmt.Errorf("edit: the outline has no knot %d", k)
		}
	}
	return o, c.Name, nil
}

// RemoveOutline removes an outline of a cover that has others.
type RemoveOutline struct {
	Cover string `json:"cover"`
	ID    string `json:"id" doc:"of the outline"`
}

func (e RemoveOutline) about() subject { return subject{cover: e.Cover} }

func (e RemoveOutline) apply(d *draft) (string, error) {
	c, i, err := d.outline(e.Cover, e.ID)
	if err != nil {
		return "", err
	}
	if len(c.Outlines) == 1 {
		return "", errors.New("edit: a cover keeps at least one outline")
	}
	c.Outlines = slices.Delete(c.Outlines, i, i+1)
	return "removed an outline of " + c.Name, nil
}

// ConvertOutline makes a box free corners, or any outline a path.
type ConvertOutline struct {
	Cover string `json:"cover"`
	ID    string `json:"id" doc:"of the outline"`
	Shape Shape  `json:"shape" enum:"corners,path"`
}

func (e ConvertOutline) about() subject { return subject{cover: e.Cover} }

func (e ConvertOutline) apply(d *draft) (string, error) {
	c, i, err := d.outline(e.Cover, e.ID)
	if err != nil {
		return "", err
	}
	o := &c.Outlines[i]
	if e.Shape != ShapePath && (e.Shape != ShapeCorners || o.Shape != ShapeBox) {
		return "", fmt.Errorf("edit: %s %s cannot become %q", word(o.Shape == ShapeEllipse, "an", "a"), o.Shape, e.Shape)
	}
	o.Shape = e.Shape
	return "made the outline of " + c.Name + word(o.Shape == ShapePath, " a path", " free corners"), nil
}

// ReshapeOutline changes an outline's knots.
type ReshapeOutline struct {
	Cover string    `json:"cover"`
	ID    string    `json:"id" doc:"of the outline"`
	Frame Time      `json:"frame"`
	Knots geom.Path `json:"knots" doc:"as many as it has"`
	Scope Scope     `json:"scope,omitempty" enum:"frame,around,on,span"`
	Reach int       `json:"reach,omitempty" doc:"as of place"`
}

func (e ReshapeOutline) about() subject { return subject{cover: e.Cover} }

func (e ReshapeOutline) apply(d *draft) (string, error) {
	c, i, err := d.outline(e.Cover, e.ID)
	if err == nil {
		_, err = d.drawnAt(e.Cover, e.Frame)
	}
	if err = errors.Join(err, e.Scope.validate()); err != nil {
		return "", err
	}
	back, err := c.Warp(e.Frame).Back()
	if err != nil {
		return "", err
	}
	if err := c.reshape(i, e, e.Knots.Carry(back), d.Step()); err != nil {
		return "", err
	}
	return "reshaped the outline of " + c.Name + e.Scope.at(e.Frame), nil
}

// reshape changes an outline's knots (as drawn) at a frame, or moves the knots of several
// keys by as much.
func (c *Cover) reshape(outline int, e ReshapeOutline, knots geom.Path, step Time) error {
	o := &c.Outlines[outline]
	old := o.At(e.Frame)
	if len(knots) != len(old) {
		return fmt.Errorf("edit: the outline has %d knots, not %d", len(old), len(knots))
	}
	l, err := c.lane("outline/" + o.ID)
	if err == nil {
		err = c.fence(l, e.Frame, e.Scope, reach{e.Reach, step})
	}
	if err != nil {
		return err
	}
	if e.Scope == FromHere {
		o.set(e.Frame, slices.Clone(old))
	}
	if e.Scope != WholeSpan && e.Scope != FromHere {
		o.set(e.Frame, knots)
		return nil
	}
	for k := range o.Keys {
		if !e.Scope.moves(e.Frame, o.Keys[k].Frame) {
			continue
		}
		for i := range o.Keys[k].Knots {
			q := &o.Keys[k].Knots[i]
			q.P = q.P.Add(knots[i].P.Sub(old[i].P))
			q.In = q.In.Add(knots[i].In.Sub(old[i].In))
			q.Out = q.Out.Add(knots[i].Out.Sub(old[i].Out))
		}
	}
	return nil
}

// InsertKnot adds a knot to all keys of an outline; the shape stays.
type InsertKnot struct {
	Cover string  `json:"cover"`
	ID    string  `json:"id" doc:"of the outline"`
	Index int     `json:"index" doc:"of the knot before"`
	At    float64 `json:"at" doc:"share of the way to the next, between 0 and 1"`
}

func (e InsertKnot) about() subject { return subject{cover: e.Cover} }

func (e InsertKnot) apply(d *draft) (string, error) {
	o, name, err := d.knots(e.Cover, e.ID, e.Index)
	if err != nil {
		return "", err
	}
	if !(e.At > 0 && e.At < 1) {
		return "", errors.New("edit: a knot is inserted between two others, at a share above 0 and below 1")
	}
	for k := range o.Keys {
		o.Keys[k].Knots = o.Keys[k].Knots.Split(e.Index, e.At)
	}
	o.Shape = ShapePath
	return "added a knot to " + name, nil
}

// RemoveKnots takes knots away from all keys of an outline.
type RemoveKnots struct {
	Cover   string `json:"cover"`
	ID      string `json:"id" doc:"of the outline"`
	Indexes []int  `json:"indexes"`
}

func (e RemoveKnots) about() subject { return subject{cover: e.Cover} }

func (e RemoveKnots) apply(d *draft) (string, error) {
	o, name, err := d.knots(e.Cover, e.ID, e.Indexes...)
	if err != nil {
		return "", err
	}
	gone := slices.Clone(e.Indexes)
	slices.Sort(gone)
	gone = slices.Compact(gone)
	if len(gone) == 0 || len(o.Keys[0].Knots)-len(gone) < 3 {
		return "", errors.New("edit: an outline keeps at least three knots")
	}
	for k := range o.Keys {
		for _, i := range slices.Backward(gone) {
			o.Keys[k].Knots = o.Keys[k].Knots.Without(i)
		}
	}
	o.Shape = ShapePath
	return fmt.Sprintf("removed %s from %s", count(len(gone), "knot"), name), nil
}

// SmoothKnots gives knots handles on all keys, or makes them corners without.
type SmoothKnots struct {
	Cover   string `json:"cover"`
	ID      string `json:"id" doc:"of the outline"`
	Indexes []int  `json:"indexes"`
	On      bool   `json:"on,omitempty"`
}

func (e SmoothKnots) about() subject { return subject{cover: e.Cover} }

func (e SmoothKnots) apply(d *draft) (string, error) {
	o, name, err := d.knots(e.Cover, e.ID, e.Indexes...)
	if err != nil {
		return "", err
	}
	for k := range o.Keys {
		knots := slices.Clone(o.Keys[k].Knots)
		for _, i := range e.Indexes {
			knots[i] = geom.Knot{P: knots[i].P}
			if e.On {
				knots[i] = o.Keys[k].Knots.Smooth(i)
			}
		}
		o.Keys[k].Knots = knots
	}
	o.Shape = ShapePath
	return fmt.Sprintf("made %s of %s %s", count(len(e.Indexes), "knot"), name, word(e.On, "smooth", "sharp")), nil
}
