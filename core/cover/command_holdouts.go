package cover

import (
	"errors"
	"fmt"
	"slices"
	"strings"
)

// holdout returns a holdout to change.
func (d *draft) holdout(id string) (*Cover, error) {
	c, err := d.unlocked(id)
	if err == nil && len(c.HoldsOut) == 0 {
		return nil, fmt.Errorf("edit: %s is no holdout", c.Name)
	}
	return c, err
}

// proposal returns a holdout that was found in the picture, to change.
func (d *draft) proposal(id string) (*Cover, error) {
	c, err := d.holdout(id)
	if err == nil && c.Proposed == nil {
		return nil, fmt.Errorf("edit: %s was drawn, not found in the picture", c.Name)
	}
	return c, err
}

// HoldOutOf says which covers a holdout passes before.
type HoldOutOf struct {
	Cover string   `json:"cover"`
	For   []string `json:"for" doc:"ids of covers, or * for all"`
}

func (e HoldOutOf) about() subject { return subject{cover: e.Cover} }

func (e HoldOutOf) apply(d *draft) (string, error) {
	c, err := d.holdout(e.Cover)
	if err != nil {
		return "", err
	}
	if len(e.For) == 0 {
		return "", errors.New("edit: a holdout holds out of one cover at least; remove it instead")
	}
	c.HoldsOut = slices.Clone(e.For)
	whom := count(len(e.For), "cover")
	if slices.Contains(e.For, "*") {
		whom = "all covers"
	}
	return "let " + c.Name + " pass before " + whom, nil
}

// MarkCrossing says on which frame a drawn holdout is so far in its crossing: it gets a
// key there, and its span begins and ends with the crossing.
type MarkCrossing struct {
	Cover string `json:"cover"`
	Index int    `json:"index" doc:"0 it first touches the cover, 1 covers it wholly, 2 lets go, 3 is gone"`
	Frame int    `json:"frame"`
}

func (e MarkCrossing) about() subject { return subject{cover: e.Cover} }

func (e MarkCrossing) apply(d *draft) (string, error) {
	c, err := d.holdout(e.Cover)
	if err != nil {
		return "", err
	}
	i, f := e.Index, e.Frame
	if c.Proposed != nil {
		return "", fmt.Errorf("edit: %s is no holdout that is drawn", c.Name)
	}
	if i < 0 || i > Gone {
		return "", errors.New("edit: a crossing has four frames")
	}
	at := Crossing{-1, -1, -1, -1}
	if c.Crossing != nil {
		at = *c.Crossing
	}
	at[i] = f
	for k, g := range at {
		if g >= 0 && (k < i && g > f || k > i && g < f) {
			return "", fmt.Errorf("edit: it %s at f %d, so it cannot be that it %s at f %d", crossingWords[k], g,
				crossingWords[i], f)
		}
	}
	switch {
	case i == Touches:
		c.Span = Span{f, max(c.Span.Last, f)}
	case i == Gone:
		c.Span = Span{min(c.Span.First, f), f}
	case !c.Span.Holds(Time(f)):
		c.Span = Span{min(c.Span.First, f), max(c.Span.Last, f)}
	}
	c.Crossing = &at
	return fmt.Sprintf("%s %s at f %d", c.Name, crossingWords[i], f), c.keyMotion(Time(f))
}

// keyMotion keys place and shape at a frame where they have no key; on a track none are
// needed.
func (c *Cover) keyMotion(f Time) error {
	if c.on != nil {
		return nil
	}
	for _, l := range c.lanes() {
		if (l.name == "placement" || strings.HasPrefix(l.name, "outline/")) && l.find(f) < 0 {
			if err := l.paste(f, l.copy(f)); err != nil {
				return err
			}
		}
	}
	return nil
}

// AcceptProposal says that an editor has looked at a stretch of a proposed holdout and
// takes it, or no more.
type AcceptProposal struct {
	Cover string `json:"cover"`
	Span  Span   `json:"span"`
	On    bool   `json:"on,omitempty"`
}

func (e AcceptProposal) about() subject { return subject{cover: e.Cover} }

func (e AcceptProposal) apply(d *draft) (string, error) {
	c, err := d.proposal(e.Cover)
	if err != nil {
		return "", err
	}
	c.Proposed.accept(e.Span, e.On)
	return fmt.Sprintf("%s %s from f %d to f %d", word(e.On, "accepted", "put back"), c.Name, e.Span.First,
		e.Span.Last), nil
}

// PaintProposal adds a stroke of the brush to a proposed holdout.
type PaintProposal struct {
	Cover  string `json:"cover"`
	Stroke Stroke `json:"stroke"`
}

func (e PaintProposal) about() subject { return subject{cover: e.Cover} }

func (e PaintProposal) apply(d *draft) (string, error) {
	c, err := d.proposal(e.Cover)
	if err != nil {
		return "", err
	}
	c.Proposed.Strokes = append(slices.Clip(c.Proposed.Strokes), e.Stroke)
	return fmt.Sprintf("%s%s at f %v", word(e.Stroke.Add, "added to ", "took away from "), c.Name, e.Stroke.Frame), nil
}

// ProposeAgain gives a proposed holdout the mattes of another run. What was accepted is
// no more: another matte wants another look. Strokes stay.
type ProposeAgain struct {
	Cover    string   `json:"cover"`
	Proposed Proposed `json:"proposed"`
}

func (e ProposeAgain) about() subject { return subject{cover: e.Cover} }

func (e ProposeAgain) apply(d *draft) (string, error) {
	c, err := d.proposal(e.Cover)
	if err != nil {
		return "", err
	}
	n := e.Proposed
	n.Accepted, n.Strokes = []Span{}, c.Proposed.Strokes
	c.Proposed = &n
	return "looked again for " + c.Name, nil
}
