package cover

import (
	"cmp"
	"fmt"
	"slices"
	"sort"
	"strings"

	"celator/core/geom"
)

// Lane is one thing of a cover that has keys of its own: "placement",
// "outline/ID", "grow", "soften/across", "treatment/ID/sigma/down", …
type Lane struct {
	Name   string `json:"name"`
	Frames []Time `json:"frames"`
	Eases  []Ease `json:"eases"`
}

// Lanes returns what of a cover is keyed. An outline that does not reshape (it
// has the one key it was drawn with) is left out.
func (c *Cover) Lanes() []Lane {
	var out []Lane
	for _, l := range c.lanes() {
		n := l.len()
		if n == 0 || n == 1 && strings.HasPrefix(l.name, "outline/") {
			continue
		}
		v := Lane{Name: l.name, Frames: make([]Time, n), Eases: make([]Ease, n)}
		for i := range n {
			f, e := l.key(i).timing()
			v.Frames[i], v.Eases[i] = *f, *e
		}
		out = append(out, v)
	}
	return out
}

// KeyFrames returns, sorted, the frames at which the cover has a key of any
// kind.
func (c *Cover) KeyFrames() []Time {
	var frames []Time
	for _, l := range c.Lanes() {
		frames = append(frames, l.Frames...)
	}
	slices.Sort(frames)
	return slices.Compact(frames)
}

// Outside counts the frames with keys that lie outside the span.
func (c *Cover) Outside() int {
	n := 0
	for _, f := range c.KeyFrames() {
		if !c.Span.Holds(f) {
			n++
		}
	}
	return n
}

// value returns a keyable number of the cover by its lane's name, or nil.
func (c *Cover) value(name string) *Value {
	switch name {
	case "grow":
		return &c.Grow
	case "soften/across":
		return &c.Soften.Across
	case "soften/down":
		return &c.Soften.Down
	case "transparency":
		return &c.Transparency
	}
	rest, ok := strings.CutPrefix(name, "treatment/")
	id, what, _ := strings.Cut(rest, "/")
	if !ok {
		return nil
	}
	for i := range c.Treatments {
		if t := &c.Treatments[i]; t.ID == id {
			if slices.ContainsFunc(t.settings(), func(s Setting) bool { return s.Name == what }) {
				return t.number(what)
			}
		}
	}
	return nil
}

// timed is a key of any kind.
type timed interface{ timing() (*Time, *Ease) }

func (k *PathKey) timing() (*Time, *Ease)      { return &k.Frame, &k.Ease }
func (k *PlacementKey) timing() (*Time, *Ease) { return &k.Frame, &k.Ease }
func (k *ValueKey) timing() (*Time, *Ease)     { return &k.Frame, &k.Ease }

// lane is the working form of a Lane.
type lane struct {
	name   string
	len    func() int
	key    func(i int) timed
	whole  func(i int) bool // whether the key fixes all that the lane has
	remove func(i int) error
	sort   func()
	// paste keys at a frame what was copied from a lane of this kind.
	paste func(f Time, k Copied) error
	copy  func(f Time) Copied
}

func laneOf[K any, P interface {
	*K
	timed
}](name string, keys *[]K) lane {
	at := func(i int) Time { f, _ := P(&(*keys)[i]).timing(); return *f }
	return lane{
		name:  name,
		len:   func() int { return len(*keys) },
		key:   func(i int) timed { return P(&(*keys)[i]) },
		whole: func(int) bool { return true },
		remove: func(i int) error {
			if len(*keys) == 1 {
				return fmt.Errorf("edit: the last key holds the cover in its place and stays")
			}
			*keys = slices.Delete(*keys, i, i+1)
			return nil
		},
		sort: func() {
			sort.SliceStable(*keys, func(i, j int) bool { return at(i) < at(j) })
		},
	}
}

// find returns the index of the key at frame f, or -1.
func (l lane) find(f Time) int {
	for i := range l.len() {
		if at, _ := l.key(i).timing(); *at == f {
			return i
		}
	}
	return -1
}

// placement is the lane of the cover's motion.
func (c *Cover) placement() lane {
	place := laneOf("placement", &c.Motion.Keys)
	place.whole = func(i int) bool { return c.Motion.Keys[i].Free == Parts{} }
	place.copy = func(f Time) Copied { p := c.Motion.At(f); return Copied{Placement: &p} }
	place.paste = func(f Time, k Copied) error {
		if k.Placement == nil {
			return errPaste
		}
		setKey(&c.Motion.Keys, PlacementKey{Frame: f, Placement: *k.Placement},
			func(old *PlacementKey) { old.Placement, old.Free = *k.Placement, Parts{} })
		return nil
	}
	return place
}

func (c *Cover) lanes() []lane {
	out := []lane{c.placement()}
	for i := range c.Outlines {
		o := &c.Outlines[i]
		l := laneOf("outline/"+o.ID, &o.Keys)
		l.copy = func(f Time) Copied { return Copied{Knots: slices.Clone(o.At(f))} }
		l.paste = func(f Time, k Copied) error {
			if len(k.Knots) != len(o.Keys[0].Knots) {
				return errPaste
			}
			o.set(f, slices.Clone(k.Knots))
			return nil
		}
		out = append(out, l)
	}
	add := func(name string, v *Value) {
		l := laneOf(name, &v.Keys)
		l.remove = func(i int) error { // without keys the last value holds
			v.Constant = v.Keys[i].Value
			v.Keys = slices.Delete(v.Keys, i, i+1)
			if len(v.Keys) > 0 {
				v.Constant = 0
			} else {
				v.Keys = nil
			}
			return nil
		}
		l.copy = func(f Time) Copied { x := v.At(f); return Copied{Number: &x} }
		l.paste = func(f Time, k Copied) error {
			if k.Number == nil {
				return errPaste
			}
			v.set(f, *k.Number)
			return nil
		}
		out = append(out, l)
	}
	add("grow", &c.Grow)
	add("soften/across", &c.Soften.Across)
	add("soften/down", &c.Soften.Down)
	add("transparency", &c.Transparency)
	for i := range c.Treatments {
		t := &c.Treatments[i]
		for _, s := range t.settings() {
			if s.Sort == "number" {
				add("treatment/"+t.ID+"/"+s.Name, t.number(s.Name))
			}
		}
	}
	return out
}

var errPaste = fmt.Errorf("edit: what was copied does not fit: its knots or values are others")

// set keys the knots (as drawn, before placement) at a frame.
func (o *Outline) set(f Time, knots geom.Path) {
	setKey(&o.Keys, PathKey{Frame: f, Knots: knots}, func(old *PathKey) { old.Knots = knots })
}

// set keys a number at a frame.
func (v *Value) set(f Time, x float64) {
	v.Constant = 0
	setKey(&v.Keys, ValueKey{Frame: f, Value: x}, func(old *ValueKey) { old.Value = x })
}

// setKey puts a key in its place, or changes the one that is at its frame, which
// keeps its ease. A new key between two takes the ease of the one before it.
func setKey[K any, P interface {
	*K
	timed
}](keys *[]K, k K, change func(*K)) {
	f, ease := P(&k).timing()
	i, found := slices.BinarySearchFunc(*keys, *f, func(k K, f Time) int {
		at, _ := P(&k).timing()
		return cmp.Compare(*at, f)
	})
	if found {
		change(&(*keys)[i])
		return
	}
	if i > 0 && i < len(*keys) {
		_, before := P(&(*keys)[i-1]).timing()
		*ease = *before
	}
	*keys = slices.Insert(*keys, i, k)
}

// Copied is a key taken out of its place: how many frames after the first one
// copied, of which lane, and its content (one of the three).
type Copied struct {
	Offset    Time       `json:"offset"`
	Lane      string     `json:"lane"`
	Ease      Ease       `json:"ease,omitempty"`
	Placement *Placement `json:"placement,omitempty"`
	Knots     geom.Path  `json:"knots,omitempty"`
	Number    *float64   `json:"number,omitempty"`
}

// Copy takes the cover's keys at the given frames. A frame without a key gives
// the values that everything keyed has there.
func (c *Cover) Copy(frames []Time) []Copied {
	var out []Copied
	frames = slices.Clone(frames)
	slices.Sort(frames)
	for _, f := range slices.Compact(frames) {
		n := len(out)
		for _, keyed := range []bool{true, false} {
			for _, l := range c.lanes() {
				i := l.find(f)
				if l.len() == 0 || strings.HasPrefix(l.name, "outline/") && l.len() == 1 || keyed && i < 0 {
					continue
				}
				k := l.copy(f)
				k.Offset, k.Lane = f-frames[0], l.name
				if i >= 0 {
					_, e := l.key(i).timing()
					k.Ease = *e
				}
				out = append(out, k)
			}
			if len(out) > n {
				break
			}
		}
	}
	return out
}

// Values returns all keyable numbers of the cover at frame f, by lane.
func (c *Cover) Values(f Time) map[string]float64 {
	out := map[string]float64{}
	for _, l := range c.lanes() {
		if v := c.value(l.name); v != nil {
			out[l.name] = v.At(f)
		}
	}
	return out
}

// Keyed returns the keys of those numbers of the cover that are keyed, by lane.
func (c *Cover) Keyed() map[string][]ValueKey {
	out := map[string][]ValueKey{}
	for _, l := range c.lanes() {
		if v := c.value(l.name); v != nil && len(v.Keys) > 0 {
			out[l.name] = v.Keys
		}
	}
	return out
}
