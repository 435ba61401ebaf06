// Package clearance is the clearance list's rules: what an item is, the states it goes
// through in each shot, who may move it on, and the list as CSV.
package clearance

import (
	"errors"
	"fmt"
	"slices"
	"strings"
)

// Details are what an entry of the clearance list says: something that must be hidden wherever it is
// seen.
type Details struct {
	Name        string `json:"name" db:"name"`
	Kind        string `json:"kind" db:"kind" enum:"plate,logo,sign,number,text,face,speech,other"`
	Description string `json:"description" db:"description"`
	Reason      string `json:"reason" db:"reason" doc:"why it must be hidden"`
	Requester   string `json:"requester" db:"requester" doc:"who asked"`
	Due         string `json:"due" db:"due" doc:"a day, as 2026-11-30; empty where there is none"`
}

// ItemKinds are what an item can be.
var ItemKinds = []string{"plate", "logo", "sign", "number", "text", "face", "speech", "other"}

// Limits of a list's texts, in bytes.
const (
	MaxName = 200
	MaxText = 2000
)

// Tidy trims the texts, and returns an error for people where one cannot stand.
func (i *Details) Tidy() error {
	for _, t := range []*string{&i.Name, &i.Kind, &i.Description, &i.Reason, &i.Requester, &i.Due} {
		*t = strings.TrimSpace(*t)
	}
	switch {
	case i.Name == "":
		return errors.New("an item needs a name")
	case len(i.Name) > MaxName:
		return errors.New("the name is too long")
	case len(i.Description) > MaxText || len(i.Reason) > MaxText || len(i.Requester) > MaxName:
		return errors.New("a text is too long")
	case !slices.Contains(ItemKinds, i.Kind):
		return fmt.Errorf("there is no kind %q; there are %s", i.Kind, strings.Join(ItemKinds, ", "))
	}
	if i.Due != "" {
		if !day(i.Due) {
			return fmt.Errorf("the due day %q is none; write it as 2026-11-30", i.Due)
		}
	}
	return nil
}

// day reports whether a text is a day of the calendar, as 2026-11-30.
func day(t string) bool {
	var y, m, d int
	if n, err := fmt.Sscanf(t, "%4d-%2d-%2d", &y, &m, &d); n != 3 || err != nil ||
		t != fmt.Sprintf("%04d-%02d-%02d", y, m, d) || m < 1 || m > 12 || d < 1 {
		return false
	}
	days := [12]int{31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31}
	if y%4 == 0 && (y%100 != 0 || y%400 == 0) {
		days[1] = 29
	}
	return d <= days[m-1]
}

// State is how far an item has come in a shot.
type State string

const (
	ToDo     State = "todo"
	InWork   State = "work"
	Ready    State = "ready"    // for the reviewer
	SentBack State = "back"     // by the reviewer, with a note
	Approved State = "approved" // by somebody else than who covered it
	Waived   State = "waived"   // needs no cover, for a reason
)

// States are all of them, in the order of the work.
var States = []State{ToDo, InWork, Ready, SentBack, Approved, Waived}

var titles = map[State]string{
	ToDo: "To do", InWork: "In work", Ready: "Ready", SentBack: "Sent back",
	Approved: "Approved", Waived: "Waived",
}

// Title is what a state is called.
func (s State) Title() string { return titles[s] }

// Ended reports whether nothing more is to be done.
func (s State) Ended() bool { return s == Approved || s == Waived }

// StateOf returns the state that is called so, or has that short name.
func StateOf(name string) (State, bool) {
	name = strings.ToLower(strings.TrimSpace(name))
	for s, t := range titles {
		if name == string(s) || name == strings.ToLower(t) {
			return s, true
		}
	}
	return "", false
}

// Standing is what decides whether an item may be moved on in a shot.
type Standing struct {
	State   State
	Covered bool     // something that hides it is in the shot
	Drafts  int      // covers that hide it and to which nobody has said yes
	Editors []string // who changed what hides it since it was last approved
	Checked bool     // as it stands
	Severe  int      // open severe findings
}

// reviewMargin is how many frames before and after a reviewer sees, where a bare end would
// show: half a second at 25 frames a second.
const reviewMargin = 12

// ReviewRange returns the frames that a reviewer plays of an item that is hidden, or
// appears, from first to last in a shot of so many frames; all of them where first is -1.
func ReviewRange(first, last, frames int) (from, to int) {
	if first < 0 {
		return 0, frames - 1
	}
	return max(first-reviewMargin, 0), min(last+reviewMargin, frames-1)
}

// Note returns an error for people unless by may leave a note.
func Note(by, note string) error {
	by, note = strings.TrimSpace(by), strings.TrimSpace(note)
	switch {
	case by == "":
		return errors.New("say who you are: every note and every change of state has a name")
	case note == "":
		return errors.New("the note is empty")
	case len(by) > MaxName || len(note) > MaxText:
		return errors.New("the name or the note is too long")
	}
	return nil
}

// Move returns an error for people unless by may move an item from where it stands to a
// state; note is what is said with it.
func (s Standing) Move(to State, by, note string) error {
	by, note = strings.TrimSpace(by), strings.TrimSpace(note)
	if !slices.Contains(States, to) {
		return fmt.Errorf("there is no state %q", to)
	}
	if err := Note(by, note+"."); err != nil {
		return err
	}
	switch to {
	case Ready:
		if !s.Covered {
			return errors.New("nothing hides it in this shot yet; cover it, or waive it with a reason")
		}
		if s.Drafts > 0 {
			return errors.New("a draft hides it; look at it on the bench and say yes, or change it")
		}
	case Approved:
		switch {
		case s.State != Ready:
			return fmt.Errorf("only what is ready can be approved; this is %s", strings.ToLower(s.State.Title()))
		case slices.ContainsFunc(s.Editors, func(e string) bool { return strings.EqualFold(e, by) }):
			return errors.New("somebody else than who covered it approves")
		case s.Drafts > 0:
			return errors.New("a draft hides it, to which nobody has said yes")
		case !s.Checked:
			return errors.New("it was not checked as it stands; wait for the check, or run it")
		case s.Severe > 0:
			return fmt.Errorf("it has %d open severe %s; mend or waive them first", s.Severe,
				map[bool]string{true: "finding", false: "findings"}[s.Severe == 1])
		}
	case SentBack:
		if s.State != Ready && s.State != Approved {
			return errors.New("only what is ready or approved can be sent back")
		}
		if note == "" {
			return errors.New("say why it is sent back")
		}
	case Waived:
		if note == "" {
			return errors.New("say why it is waived")
		}
	}
	return nil
}

// Edited is the state after what hides an item was changed: work that was not begun or
// was sent back is in work, and an approval holds no longer.
func (s State) Edited() State {
	switch s {
	case ToDo, SentBack:
		return InWork
	case Approved:
		return Ready
	}
	return s
}
