package cover

import (
	"errors"
	"fmt"
	"slices"
	"strings"
)

// AddCover adds a cover.
type AddCover struct {
	New Cover `json:"new"`
}

func (e AddCover) about() subject { return subject{} }

func (e AddCover) apply(d *draft) (string, error) {
	d.Covers = append(d.Covers, e.New.clone())
	d.own[e.New.ID] = true
	d.link()
	return "added " + e.New.Name, nil
}

// RemoveCover removes a cover, with its labels and what is held out of it alone.
type RemoveCover struct {
	Cover string `json:"cover"`
}

func (e RemoveCover) about() subject { return subject{cover: e.Cover} }

func (e RemoveCover) apply(d *draft) (string, error) {
	c, err := d.unlocked(e.Cover)
	if err != nil {
		return "", err
	}
	name := c.Name
	d.Covers = slices.DeleteFunc(d.Covers, func(c Cover) bool { return c.ID == e.Cover })
	for i := range d.Covers {
		h := &d.Covers[i]
		if slices.Contains(h.HoldsOut, e.Cover) {
			h.HoldsOut = slices.DeleteFunc(slices.Clone(h.HoldsOut), func(id string) bool { return id == e.Cover })
			h.Off = h.Off || len(h.HoldsOut) == 0
		}
	}
	d.Covers = slices.DeleteFunc(d.Covers, func(c Cover) bool { return c.HoldsOut != nil && len(c.HoldsOut) == 0 })
	d.Labels = slices.DeleteFunc(slices.Clone(d.Labels), func(l Label) bool { return l.Cover == e.Cover })
	return "removed " + name, nil
}

// ReplaceCover gives a cover all of another but its id, item and name, and takes it off
// its track.
type ReplaceCover struct {
	Cover string `json:"cover"`
	New   Cover  `json:"new"`
}

func (e ReplaceCover) about() subject { return subject{cover: e.Cover} }

func (e ReplaceCover) apply(d *draft) (string, error) {
	c, err := d.unlocked(e.Cover)
	if err != nil {
		return "", err
	}
	n := e.New.clone()
	n.ID, n.Item, n.Name, n.Track, n.From, n.HoldsOut = c.ID, c.Item, c.Name, "", 0, c.HoldsOut
	n.on, n.Draft = nil, false
	*c = n
	return "replaced all of " + c.Name, nil
}

// DuplicateCover makes a cover once more for another item, with its track, its motion and
// its treatments. What is held out of the one is held out of the other too.
type DuplicateCover struct {
	Cover string `json:"cover"`
	ID    string `json:"id" doc:"of the new cover"`
	Item  string `json:"item,omitempty" doc:"that the new one hides"`
	Name  string `json:"name"`
}

func (e DuplicateCover) about() subject { return subject{cover: e.Cover} }

func (e DuplicateCover) apply(d *draft) (string, error) {
	c := d.Find(e.Cover)
	if c == nil {
		return "", ErrNoCover
	}
	if len(c.HoldsOut) > 0 {
		return "", fmt.Errorf("edit: %s is a holdout; only covers are duplicated", c.Name)
	}
	twin := c.clone()
	twin.ID, twin.Item, twin.Name, twin.Locked, twin.Draft = e.ID, e.Item, e.Name, false, false
	for i := range d.Covers {
		if slices.Contains(d.Covers[i].HoldsOut, e.Cover) {
			h, err := d.cover(d.Covers[i].ID)
			if err != nil {
				return "", err
			}
			h.HoldsOut = append(slices.Clone(h.HoldsOut), e.ID)
		}
	}
	d.Covers = append(d.Covers, twin)
	d.own[e.ID] = true
	d.link()
	return fmt.Sprintf("duplicated %s as %s", c.Name, e.Name), nil
}

// RenameCover gives a cover another name.
type RenameCover struct {
	Cover string `json:"cover"`
	Name  string `json:"name"`
}

func (e RenameCover) about() subject { return subject{cover: e.Cover} }

func (e RenameCover) apply(d *draft) (string, error) {
	c, err := d.unlocked(e.Cover)
	if err != nil {
		return "", err
	}
	old := c.Name
	if c.Name = strings.TrimSpace(e.Name); c.Name == "" {
		return "", errors.New("edit: a cover needs a name")
	}
	return fmt.Sprintf("renamed %s to %s", old, c.Name), nil
}

// SwitchCover says whether a cover hides its item.
type SwitchCover struct {
	Cover string `json:"cover"`
	On    bool   `json:"on,omitempty"`
}

func (e SwitchCover) about() subject { return subject{cover: e.Cover} }

func (e SwitchCover) apply(d *draft) (string, error) {
	c, err := d.unlocked(e.Cover)
	if err != nil {
		return "", err
	}
	c.Off = !e.On
	return word(e.On, "switched on ", "switched off ") + c.Name, nil
}

// LockCover makes a cover refuse edits, or take them again.
type LockCover struct {
	Cover string `json:"cover"`
	On    bool   `json:"on,omitempty"`
}

func (e LockCover) about() subject { return subject{cover: e.Cover} }

func (e LockCover) apply(d *draft) (string, error) {
	c, err := d.cover(e.Cover)
	if err != nil {
		return "", err
	}
	c.Locked = e.On
	return word(e.On, "locked ", "unlocked ") + c.Name, nil
}

// ConfirmCover says yes to a cover that a machine made.
type ConfirmCover struct {
	Cover string `json:"cover"`
}

func (e ConfirmCover) about() subject { return subject{cover: e.Cover} }

func (e ConfirmCover) apply(d *draft) (string, error) {
	c, err := d.cover(e.Cover)
	if err != nil {
		return "", err
	}
	if !c.Draft {
		return "", fmt.Errorf("edit: %s is no draft", c.Name)
	}
	c.Draft = false
	return "said yes to " + c.Name, nil
}

// HideOutline says that a cover's outline is not drawn on the bench. It still hides its
// item, and a locked cover takes it.
type HideOutline struct {
	Cover string `json:"cover"`
	On    bool   `json:"on,omitempty"`
}

func (e HideOutline) about() subject { return subject{cover: e.Cover} }

func (e HideOutline) apply(d *draft) (string, error) {
	c, err := d.cover(e.Cover)
	if err != nil {
		return "", err
	}
	c.Unseen = e.On
	return word(e.On, "hid the outline of ", "showed the outline of ") + c.Name, nil
}

// ShowOnly hides all outlines but one, or shows all again.
type ShowOnly struct {
	Cover string `json:"cover"`
	On    bool   `json:"on,omitempty"`
}

func (e ShowOnly) about() subject { return subject{cover: e.Cover, all: true} }

func (e ShowOnly) apply(d *draft) (string, error) {
	c, err := d.cover(e.Cover)
	if err != nil {
		return "", err
	}
	for i := range d.Covers {
		d.Covers[i].Unseen = e.On && d.Covers[i].ID != e.Cover
	}
	return word(e.On, "showed only the outline of "+c.Name, "showed all outlines"), nil
}

// InvertCover makes a cover hide everything outside its outlines.
type InvertCover struct {
	Cover string `json:"cover"`
	On    bool   `json:"on,omitempty"`
}

func (e InvertCover) about() subject { return subject{cover: e.Cover} }

func (e InvertCover) apply(d *draft) (string, error) {
	c, err := d.drawn(e.Cover)
	if err != nil {
		return "", err
	}
	c.Inverted = e.On
	return word(e.On, "hid everything outside "+c.Name, "hid what is inside "+c.Name), nil
}

// SetSpan sets the first and the last frame on which a cover is live.
type SetSpan struct {
	Cover string `json:"cover"`
	Span  Span   `json:"span"`
}

func (e SetSpan) about() subject { return subject{cover: e.Cover} }

func (e SetSpan) apply(d *draft) (string, error) {
	c, err := d.unlocked(e.Cover)
	if err != nil {
		return "", err
	}
	c.Span = e.Span
	label := fmt.Sprintf("set the span of %s to f %d–%d", c.Name, c.Span.First, c.Span.Last)
	if n := c.Outside(); n > 0 {
		label += fmt.Sprintf("; %d of its keys lie outside", n)
	}
	return label, nil
}
