package cover

import (
	"errors"
	"fmt"
	"slices"
)

// ErrNoTrack says that a command names a track that the document has not.
var ErrNoTrack = errors.New("edit: the track is not there any more")

// SetTrack enters a track, or changes it.
type SetTrack struct {
	Track Track `json:"track"`
}

func (e SetTrack) about() subject { return subject{track: e.Track.ID} }

func (e SetTrack) apply(d *draft) (string, error) {
	t := e.Track
	t.Surface, t.Anchors = slices.Clone(t.Surface), cloneAnchors(t.Anchors)
	defer d.link()
	if old := d.Track(t.ID); old != nil {
		label := "changed " + t.Name
		if t.Attempt != old.Attempt {
			label = "took another attempt for " + t.Name
		}
		*old = t
		return label, nil
	}
	d.Tracks = append(d.Tracks, t)
	return "followed " + t.Name, nil
}

// RemoveTrack removes a track that nothing rides on.
type RemoveTrack struct {
	ID string `json:"id" doc:"of the track"`
}

func (e RemoveTrack) about() subject { return subject{track: e.ID} }

func (e RemoveTrack) apply(d *draft) (string, error) {
	t := d.Track(e.ID)
	if t == nil {
		return "", ErrNoTrack
	}
	name := t.Name
	for _, c := range d.Covers {
		if c.Track == e.ID {
			return "", fmt.Errorf("edit: %s rides on %s; put it on another track or turn it into hand keys first", c.Name, name)
		}
	}
	d.Tracks = slices.DeleteFunc(d.Tracks, func(t Track) bool { return t.ID == e.ID })
	d.Labels = slices.DeleteFunc(slices.Clone(d.Labels), func(l Label) bool { return l.Track == e.ID })
	d.link()
	return "removed " + name, nil
}

// NameTrack gives a track another name.
type NameTrack struct {
	ID   string `json:"id" doc:"of the track"`
	Name string `json:"name"`
}

func (e NameTrack) about() subject { return subject{track: e.ID} }

func (e NameTrack) apply(d *draft) (string, error) {
	t := d.Track(e.ID)
	if t == nil {
		return "", ErrNoTrack
	}
	if e.Name == "" {
		return "", errors.New("edit: a track needs a name")
	}
	was := t.Name
	t.Name = e.Name
	return fmt.Sprintf("named the track %s %s", was, e.Name), nil
}

// TrimTrack lets only the poses of some frames count, or all again. What was followed
// beyond stays with the attempt.
type TrimTrack struct {
	ID   string `json:"id" doc:"of the track"`
	Trim *Span  `json:"trim,omitempty" doc:"the frames that count; all where it is missing"`
}

func (e TrimTrack) about() subject { return subject{track: e.ID} }

func (e TrimTrack) apply(d *draft) (string, error) {
	t := d.Track(e.ID)
	if t == nil {
		return "", ErrNoTrack
	}
	t.Trim = nil
	label := "took back the trimming of " + t.Name
	if e.Trim != nil {
		s := *e.Trim
		t.Trim, label = &s, fmt.Sprintf("trimmed %s to f %d to %d", t.Name, s.First, s.Last)
	}
	// At once: what is decided by the poses, such as whether an approval still stands, is
	// asked of this document.
	if t.whole != nil {
		t.Poses = t.whole.within(t.Trim)
	}
	d.link()
	return label, nil
}

// RideTrack puts a cover on a track, as it lies on a frame.
type RideTrack struct {
	Cover string `json:"cover"`
	ID    string `json:"id" doc:"of the track"`
	Frame Time   `json:"frame"`
}

func (e RideTrack) about() subject { return subject{cover: e.Cover, track: e.ID} }

func (e RideTrack) apply(d *draft) (string, error) {
	c, err := d.still(e.Cover)
	if err != nil {
		return "", err
	}
	t := d.Track(e.ID)
	if t == nil {
		return "", ErrNoTrack
	}
	if !inShot(e.Frame, d.Frames) {
		return "", fmt.Errorf("edit: the shot has no frame %v", e.Frame)
	}
	c.ride(t, e.Frame)
	return fmt.Sprintf("put %s on the track %s", c.Name, t.Name), nil
}

// TurnIntoKeys takes a cover off its track: its outlines get keys of their own.
type TurnIntoKeys struct {
	Cover     string  `json:"cover"`
	Tolerance float64 `json:"number" doc:"how far a knot may be off, px, 0.05 to 100"`
}

func (e TurnIntoKeys) about() subject { return subject{cover: e.Cover} }

func (e TurnIntoKeys) apply(d *draft) (string, error) {
	c, err := d.unlocked(e.Cover)
	if err != nil {
		return "", err
	}
	if c.on == nil {
		return "", fmt.Errorf("edit: %s rides on no track", c.Name)
	}
	if !(e.Tolerance >= .05 && e.Tolerance <= 100) {
		return "", errors.New("edit: the tolerance is 0.05 to 100 px")
	}
	return fmt.Sprintf("turned the track of %s into %s", c.Name, count(c.byHand(e.Tolerance, d.Step()), "key")), nil
}
