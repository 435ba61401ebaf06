package cover

import (
	"errors"
	"fmt"
	"slices"
	"sort"
	"strings"
)

// Command is one edit of a document, named by Do; the other fields are its
// operands. Interface, API and scripts edit through commands, so that the rules
// of editing stand here once.
//
//	add        New                      a new cover
//	remove     Cover
//	rename     Cover, Name
//	switch     Cover, Off               stop or resume hiding
//	span       Cover, Span
//	place      Cover, Frame, Placement  keys the placement at the frame
//	removeKey  Cover, Frame             the placement's key there
//	moveKey    Cover, Frame, To         …to another frame
//	set        Cover, Value, Number     "grow", "soften.across", "soften.down"
//	treat      Cover, Treatments        all treatments, in order
type Command struct {
	Do         string      `json:"do" enum:"add,remove,rename,switch,span,place,removeKey,moveKey,set,treat"`
	Cover      string      `json:"cover,omitempty"`
	New        *Cover      `json:"new,omitempty"`
	Name       string      `json:"name,omitempty"`
	Off        bool        `json:"off,omitempty"`
	Span       *Span       `json:"span,omitempty"`
	Frame      int         `json:"frame,omitempty"`
	To         int         `json:"to,omitempty"`
	Placement  *Placement  `json:"placement,omitempty"`
	Value      string      `json:"value,omitempty"`
	Number     float64     `json:"number,omitempty"`
	Treatments []Treatment `json:"treatments,omitempty"`
}

// ErrNoCover says that a command names a cover that the document has not.
var ErrNoCover = errors.New("edit: the cover is not there any more")

// Apply returns a copy of the document with the commands applied in order, and
// what the first of them did, in words. On an error the document is unchanged.
func (d *Document) Apply(cmds ...Command) (*Document, string, error) {
	next := d.Clone()
	label := ""
	for _, cmd := range cmds {
		l, err := next.apply(cmd)
		if err != nil {
			return nil, "", err
		}
		if label == "" {
			label = l
		}
	}
	if err := next.Validate(); err != nil {
		return nil, "", err
	}
	next.tidy()
	return next, label, nil
}

// Clone returns a deep copy.
func (d *Document) Clone() *Document {
	n := *d
	n.Covers = slices.Clone(d.Covers)
	for i := range n.Covers {
		c := &n.Covers[i]
		c.Outlines = slices.Clone(c.Outlines)
		for j := range c.Outlines {
			o := &c.Outlines[j]
			o.Keys = slices.Clone(o.Keys)
			for k := range o.Keys {
				o.Keys[k].Knots = slices.Clone(o.Keys[k].Knots)
			}
		}
		c.Motion.Keys = slices.Clone(c.Motion.Keys)
		c.Treatments = slices.Clone(c.Treatments)
		values := []*Value{&c.Grow, &c.Soften.Across, &c.Soften.Down}
		for j := range c.Treatments {
			t := &c.Treatments[j]
			values = append(values, &t.Strength, &t.Sigma.Across, &t.Sigma.Down, &t.Cell.Across, &t.Cell.Down)
		}
		for _, v := range values {
			v.Keys = slices.Clone(v.Keys)
		}
	}
	return &n
}

func (d *Document) apply(cmd Command) (string, error) {
	if cmd.Do == "add" {
		if cmd.New == nil {
			return "", errors.New("edit: add needs the new cover")
		}
		d.Covers = append(d.Covers, *cmd.New)
		return "added " + cmd.New.Name, nil
	}
	c := d.Find(cmd.Cover)
	if c == nil {
		return "", ErrNoCover
	}
	switch cmd.Do {
	case "remove":
		d.Covers = slices.DeleteFunc(d.Covers, func(c Cover) bool { return c.ID == cmd.Cover })
		return "removed " + c.Name, nil
	case "rename":
		old := c.Name
		c.Name = strings.TrimSpace(cmd.Name)
		if c.Name == "" {
			return "", errors.New("edit: a cover needs a name")
		}
		return fmt.Sprintf("renamed %s to %s", old, c.Name), nil
	case "switch":
		c.Off = cmd.Off
		return map[bool]string{true: "switched off ", false: "switched on "}[cmd.Off] + c.Name, nil
	case "span":
		if cmd.Span == nil {
			return "", errors.New("edit: span needs its first and last frame")
		}
		c.Span = *cmd.Span
		return fmt.Sprintf("set the span of %s to f %d–%d", c.Name, c.Span.First, c.Span.Last), nil
	case "place":
		if cmd.Placement == nil {
			return "", errors.New("edit: place needs a placement")
		}
		verb := placed(c.Motion.At(cmd.Frame), *cmd.Placement)
		c.Motion.set(cmd.Frame, *cmd.Placement)
		return fmt.Sprintf("%s %s at f %d", verb, c.Name, cmd.Frame), nil
	case "removeKey":
		i := c.Motion.find(cmd.Frame)
		if i < 0 {
			return "", fmt.Errorf("edit: %s has no key at frame %d", c.Name, cmd.Frame)
		}
		c.Motion.Keys = slices.Delete(c.Motion.Keys, i, i+1)
		return fmt.Sprintf("removed the key of %s at f %d", c.Name, cmd.Frame), nil
	case "moveKey":
		i := c.Motion.find(cmd.Frame)
		switch {
		case i < 0:
			return "", fmt.Errorf("edit: %s has no key at frame %d", c.Name, cmd.Frame)
		case cmd.To == cmd.Frame:
			return "left the keys as they were", nil
		case c.Motion.find(cmd.To) >= 0:
			return "", fmt.Errorf("edit: %s has a key at frame %d already", c.Name, cmd.To)
		}
		c.Motion.Keys[i].Frame = cmd.To
		sort.Slice(c.Motion.Keys, func(a, b int) bool { return c.Motion.Keys[a].Frame < c.Motion.Keys[b].Frame })
		return fmt.Sprintf("moved a key of %s from f %d to f %d", c.Name, cmd.Frame, cmd.To), nil
	case "set":
		v := map[string]*Value{"grow": &c.Grow, "soften.across": &c.Soften.Across, "soften.down": &c.Soften.Down}[cmd.Value]
		if v == nil {
			return "", fmt.Errorf("edit: %q is no value of a cover", cmd.Value)
		}
		*v = Const(cmd.Number)
		return fmt.Sprintf("set %s of %s", strings.ReplaceAll(cmd.Value, ".", " "), c.Name), nil
	case "treat":
		c.Treatments = cmd.Treatments
		return "changed the treatment of " + c.Name, nil
	}
	return "", fmt.Errorf("edit: %q is no command", cmd.Do)
}

func (m Motion) find(f int) int {
	return slices.IndexFunc(m.Keys, func(k PlacementKey) bool { return k.Frame == f })
}

// set keys a placement at a frame, keeping the ease of a key that is there.
func (m *Motion) set(f int, p Placement) {
	if i := m.find(f); i >= 0 {
		m.Keys[i].Placement = p
		return
	}
	i := sort.Search(len(m.Keys), func(i int) bool { return m.Keys[i].Frame > f })
	m.Keys = slices.Insert(m.Keys, i, PlacementKey{Frame: f, Placement: p})
}

// placed names what changed from one placement to another.
func placed(old, new Placement) string {
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
