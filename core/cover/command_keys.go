package cover

import (
	"errors"
	"fmt"
	"slices"
	"strings"
)

// SetNumber sets a number of a cover.
type SetNumber struct {
	Cover  string  `json:"cover"`
	Lane   string  `json:"lane"`
	Number float64 `json:"number"`
	Frame  Time    `json:"frame,omitempty" doc:"that the number holds on; keys elsewhere change as much"`
	Scope  Scope   `json:"scope,omitempty" enum:"frame,span"`
}

func (e SetNumber) about() subject { return subject{cover: e.Cover} }

func (e SetNumber) apply(d *draft) (string, error) {
	c, err := d.drawn(e.Cover)
	if err == nil && e.Scope == ThisFrame {
		_, err = d.drawnAt(e.Cover, e.Frame)
	}
	if e.Scope == AroundHere || e.Scope == FromHere {
		err = errors.Join(err, fmt.Errorf("edit: a number changes on a frame or over the span, not %q", e.Scope))
	}
	if err = errors.Join(err, e.Scope.validate()); err != nil {
		return "", err
	}
	v := c.value(e.Lane)
	if v == nil {
		return "", fmt.Errorf("edit: %q is no value of %s", e.Lane, c.Name)
	}
	if e.Scope == ThisFrame {
		v.set(e.Frame, e.Number)
		return fmt.Sprintf("set %s of %s at f %v", LaneTitle(e.Lane), c.Name, e.Frame), nil
	}
	v.shift(e.Number - v.At(e.Frame))
	if len(v.Keys) == 0 {
		v.Constant = e.Number
	}
	return fmt.Sprintf("set %s of %s", LaneTitle(e.Lane), c.Name), nil
}

// shift adds to the constant, or to all keys.
func (v *Value) shift(by float64) {
	if len(v.Keys) == 0 {
		v.Constant += by
	}
	for i := range v.Keys {
		v.Keys[i].Value += by
	}
}

// AddKey keys what is there.
type AddKey struct {
	Cover string `json:"cover"`
	Lane  string `json:"lane"`
	Frame Time   `json:"frame"`
}

func (e AddKey) about() subject { return subject{cover: e.Cover} }

func (e AddKey) apply(d *draft) (string, error) {
	c, err := d.drawnAt(e.Cover, e.Frame)
	if err != nil {
		return "", err
	}
	l, err := c.lane(e.Lane)
	if err != nil {
		return "", err
	}
	return fmt.Sprintf("keyed %s of %s at f %v", LaneTitle(e.Lane), c.Name, e.Frame), l.paste(e.Frame, l.copy(e.Frame))
}

// HoldKeys lets a cover's place and shape rest from the key before a frame up to it: what
// comes before a movement.
type HoldKeys struct {
	Cover string `json:"cover"`
	Frame Time   `json:"frame"`
}

func (e HoldKeys) about() subject { return subject{cover: e.Cover} }

func (e HoldKeys) apply(d *draft) (string, error) {
	c, err := d.drawnAt(e.Cover, e.Frame)
	if err != nil {
		return "", err
	}
	held := Time(-1)
	for _, l := range c.keyed(nil) {
		if l.name != "placement" && !strings.HasPrefix(l.name, "outline/") {
			continue
		}
		before := Time(-1)
		for i := range l.len() {
			if k, _ := l.key(i).timing(); *k < e.Frame {
				before = *k
			}
		}
		if before < 0 {
			continue
		}
		was := l.copy(before)
		if err := errors.Join(l.paste(before, was), l.paste(e.Frame, was)); err != nil {
			return "", err
		}
		held = max(held, before)
	}
	if held < 0 {
		return "", fmt.Errorf("edit: %s has no key before f %v to be held", c.Name, e.Frame)
	}
	return fmt.Sprintf("held %s from f %v to f %v", c.Name, held, e.Frame), nil
}

// lane returns one of the cover's lanes.
func (c *Cover) lane(name string) (lane, error) {
	for _, l := range c.lanes() {
		if l.name == name {
			return l, nil
		}
	}
	return lane{}, fmt.Errorf("edit: %s has no %q", c.Name, name)
}

// keyed returns the lanes of these names, or all, that change over time: an outline's
// one key is the outline.
func (c *Cover) keyed(names []string) []lane {
	return slices.DeleteFunc(c.lanes(), func(l lane) bool {
		return len(names) > 0 && !slices.Contains(names, l.name) || strings.HasPrefix(l.name, "outline/") && l.len() == 1
	})
}

// once returns frames in order, each once, and how they are spoken of.
func once(frames []Time) (sorted []Time, at string) {
	sorted = slices.Clone(frames)
	slices.Sort(sorted)
	sorted = slices.Compact(sorted)
	if len(sorted) == 1 {
		at = fmt.Sprintf(" at f %v", sorted[0])
	}
	return sorted, at
}

// none is the error of an edit that found no key.
func (c *Cover) none(found int) error {
	if found == 0 {
		return fmt.Errorf("edit: %s has no such key", c.Name)
	}
	return nil
}

// outside is the error of a key that would be lost from sight.
func (c *Cover) outside(f Time) error {
	if !c.Span.Holds(f) {
		return fmt.Errorf("edit: a key would come to lie at frame %v, outside the span (%d to %d)", f, c.Span.First,
			c.Span.Last)
	}
	return nil
}

// MoveKeys moves keys to other frames.
type MoveKeys struct {
	Cover  string   `json:"cover"`
	Frames []Time   `json:"frames"`
	By     Time     `json:"by" doc:"frames"`
	Lanes  []string `json:"lanes,omitempty" doc:"these only; all where absent"`
}

func (e MoveKeys) about() subject { return subject{cover: e.Cover} }

func (e MoveKeys) apply(d *draft) (string, error) {
	c, err := d.drawn(e.Cover)
	if err != nil {
		return "", err
	}
	frames, _ := once(e.Frames)
	found := 0
	for _, l := range c.keyed(e.Lanes) {
		n, err := c.moveKeys(l, frames, e.By)
		if err != nil {
			return "", err
		}
		found += n
	}
	if len(frames) == 1 {
		return fmt.Sprintf("moved a key of %s from f %v to f %v", c.Name, frames[0], frames[0]+e.By), c.none(found)
	}
	return fmt.Sprintf("moved %s of %s by %s frames", count(len(frames), "key"), c.Name, e.By.signed()), c.none(found)
}

// moveKeys moves a lane's keys at the frames, and says how many there were.
func (c *Cover) moveKeys(l lane, frames []Time, by Time) (int, error) {
	moving := map[int]bool{}
	for _, f := range frames {
		if i := l.find(f); i >= 0 {
			moving[i] = true
		}
	}
	for i := range moving {
		f, _ := l.key(i).timing()
		to := *f + by
		if j := l.find(to); j >= 0 && !moving[j] {
			return 0, fmt.Errorf("edit: %s has a key at frame %v already", c.Name, to)
		}
		if err := c.outside(to); err != nil {
			return 0, err
		}
	}
	for i := range moving {
		f, _ := l.key(i).timing()
		*f += by
	}
	l.sort()
	return len(moving), nil
}

// RemoveKeys removes keys.
type RemoveKeys struct {
	Cover  string   `json:"cover"`
	Frames []Time   `json:"frames"`
	Lanes  []string `json:"lanes,omitempty" doc:"these only; all where absent"`
}

func (e RemoveKeys) about() subject { return subject{cover: e.Cover} }

func (e RemoveKeys) apply(d *draft) (string, error) {
	c, err := d.drawn(e.Cover)
	if err != nil {
		return "", err
	}
	frames, at := once(e.Frames)
	found := 0
	for _, l := range c.keyed(e.Lanes) {
		for _, f := range frames {
			if i := l.find(f); i >= 0 {
				found++
				if err := l.remove(i); err != nil {
					return "", err
				}
			}
		}
	}
	return fmt.Sprintf("removed %s of %s%s", count(len(frames), "key"), c.Name, at), c.none(found)
}

// EaseKeys says how values go on from keys.
type EaseKeys struct {
	Cover  string   `json:"cover"`
	Frames []Time   `json:"frames"`
	Ease   Ease     `json:"ease,omitempty"`
	Lanes  []string `json:"lanes,omitempty" doc:"these only; all where absent"`
}

func (e EaseKeys) about() subject { return subject{cover: e.Cover} }

func (e EaseKeys) apply(d *draft) (string, error) {
	c, err := d.drawn(e.Cover)
	if err != nil {
		return "", err
	}
	frames, at := once(e.Frames)
	found := 0
	for _, l := range c.keyed(e.Lanes) {
		for _, f := range frames {
			if i := l.find(f); i >= 0 {
				found++
				_, ease := l.key(i).timing()
				*ease = e.Ease
			}
		}
	}
	how := map[Ease]string{Even: "evenly", Held: "held", Eased: "eased"}[e.Ease]
	return fmt.Sprintf("made %s of %s%s go on %s", count(len(frames), "key"), c.Name, at, how), c.none(found)
}

// PasteKeys keys at a frame, and as far after it, what was copied.
type PasteKeys struct {
	Cover string   `json:"cover"`
	Frame Time     `json:"frame"`
	Keys  []Copied `json:"keys"`
}

func (e PasteKeys) about() subject { return subject{cover: e.Cover} }

func (e PasteKeys) apply(d *draft) (string, error) {
	c, err := d.drawn(e.Cover)
	if err != nil {
		return "", err
	}
	for _, k := range e.Keys {
		f := e.Frame + k.Offset
		l, err := c.lane(k.Lane)
		if err != nil {
			return "", err
		}
		if err := c.outside(f); err != nil {
			return "", err
		}
		if err := l.paste(f, k); err != nil {
			return "", err
		}
		_, ease := l.key(l.find(f)).timing()
		*ease = k.Ease
	}
	return fmt.Sprintf("pasted keys of %s at f %v", c.Name, e.Frame), c.none(len(e.Keys))
}

// PasteOntoAll gives every key there is what was copied of one frame.
type PasteOntoAll struct {
	Cover string   `json:"cover"`
	Keys  []Copied `json:"keys"`
}

func (e PasteOntoAll) about() subject { return subject{cover: e.Cover} }

func (e PasteOntoAll) apply(d *draft) (string, error) {
	c, err := d.drawn(e.Cover)
	if err != nil {
		return "", err
	}
	for _, k := range e.Keys {
		if k.Offset != 0 {
			return "", errors.New("edit: copy the keys of one frame to paste them onto all")
		}
		l, err := c.lane(k.Lane)
		if err != nil {
			return "", err
		}
		if strings.HasPrefix(l.name, "outline/") && l.len() == 1 {
			return "", fmt.Errorf("edit: %s has no %q", c.Name, k.Lane)
		}
		for i := range l.len() {
			f, _ := l.key(i).timing()
			if err := l.paste(*f, k); err != nil {
				return "", err
			}
		}
	}
	return "pasted onto all keys of " + c.Name, c.none(len(e.Keys))
}

// LaneTitle is what a lane is called.
func LaneTitle(lane string) string {
	switch {
	case lane == "placement":
		return "the placement"
	case strings.HasPrefix(lane, "outline/"):
		return "the outline"
	}
	parts := strings.Split(lane, "/")
	if parts[0] == "treatment" {
		parts = parts[2:]
	}
	return strings.Join(parts, " ")
}
