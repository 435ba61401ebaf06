package clearance

import (
	"fmt"
	"slices"
	"strings"

	"celator/core/timecode"
)

// Reel is a shot as the list knows it: a range of a source's frames, both included.
type Reel struct {
	ID       string
	Name     string
	Source   string // its name
	First    int
	Last     int
	Timecode timecode.Timecode // of the source
}

// Entry is an item with the shots in which it is seen.
type Entry struct {
	ID string
	Details
	Appearances []Appearance
}

// Appearance is an item in a shot. First and Last are frames of the shot, both included, or
// -1 where they are not known.
type Appearance struct {
	Shot     string
	First    int
	Last     int
	State    State
	Assignee string
	Note     string
}

// Made is what a row of a list comes to.
type Made struct {
	Line  int      `json:"line"`
	Name  string   `json:"name"`
	Kind  string   `json:"kind"`
	What  string   `json:"what" enum:"new,changed,same"`
	Shots []string `json:"shots" doc:"the names of the shots it is placed in by this row"`
}

// Merge lays rows over a list. An item is known by its id or, where a row has none, by
// its name and kind; rows of one item add up. It returns the entries that are new (without
// an id) or changed, what each row came to, and the rows that cannot stand. What a list
// does not say stays as it is.
func Merge(now []Entry, rows []Row, shots []Reel) (changed []Entry, made []Made, wrong []RowError) {
	made, wrong = []Made{}, []RowError{}
	byID, byName := map[string]int{}, map[string]int{}
	var all []Entry
	known := map[string]Entry{}
	name := func(i Details) string { return i.Kind + "/" + strings.ToLower(i.Name) }
	for _, e := range now {
		e.Appearances = slices.Clone(e.Appearances)
		byID[e.ID] = len(all)
		if _, twice := byName[name(e.Details)]; !twice {
			byName[name(e.Details)] = len(all)
		}
		all = append(all, e)
		known[e.ID] = e
	}
	reels := map[string]Reel{}
	for _, s := range shots {
		reels[s.ID] = s
	}
	touched := map[int]bool{}
	for _, r := range rows {
		fail := func(err error) { wrong = append(wrong, RowError{r.Line, err.Error()}) }
		at, found := byName[name(r.Details)]
		if r.ID != "" {
			if at, found = byID[r.ID]; !found {
				fail(fmt.Errorf("there is no item with the id %q in this programme; leave the id empty for a new one", r.ID))
				continue
			}
		}
		seen, err := place(r, shots)
		if err != nil {
			fail(err)
			continue
		}
		e := Entry{Details: r.Details}
		if found {
			e = all[at]
			e.Appearances = slices.Clone(e.Appearances)
			e.lay(r)
		}
		m := Made{Line: r.Line, Name: r.Name, Kind: r.Kind, What: "same", Shots: []string{}}
		for _, s := range seen {
			m.Shots = append(m.Shots, reels[s.Shot].Name)
			if err = e.see(s, r); err != nil {
				break
			}
		}
		if err != nil {
			fail(err)
			continue
		}
		switch {
		case !found:
			m.What = "new"
			at = len(all)
			all = append(all, e)
			byName[name(r.Details)] = at
		case !same(all[at], e):
			m.What = "changed"
			all[at] = e
		}
		if m.What != "same" {
			touched[at] = true
		}
		made = append(made, m)
	}
	for i, e := range all {
		if touched[i] && (e.ID == "" || !same(known[e.ID], e)) {
			changed = append(changed, e)
		}
	}
	return changed, made, wrong
}

func same(a, b Entry) bool {
	return a.Details == b.Details && slices.Equal(a.Appearances, b.Appearances)
}

// lay takes what a row says of an item; empty cells say nothing.
func (e *Entry) lay(r Row) {
	e.Name, e.Kind = r.Name, r.Kind
	for _, t := range []struct{ to, from *string }{
		{&e.Description, &r.Description},
		{&e.Reason, &r.Reason},
		{&e.Requester, &r.Requester},
		{&e.Due, &r.Due},
	} {
		if *t.from != "" {
			*t.to = *t.from
		}
	}
}

// see enters that the item is seen in a shot.
func (e *Entry) see(s Appearance, r Row) error {
	i := slices.IndexFunc(e.Appearances, func(o Appearance) bool { return o.Shot == s.Shot })
	was := Appearance{Shot: s.Shot, First: -1, Last: -1, State: ToDo}
	if i >= 0 {
		was = e.Appearances[i]
	}
	next := was
	if s.First >= 0 {
		next.First, next.Last = s.First, s.Last
	}
	if r.Assignee != "" {
		next.Assignee = r.Assignee
	}
	if r.State != "" && r.State != was.State {
		if r.State == Ready || r.State == SentBack || r.State == Approved {
			return fmt.Errorf("%s is said in the work and the review, not by a list", strings.ToLower(r.State.Title()))
		}
		next.State, next.Note = r.State, r.Note
	}
	if i >= 0 {
		e.Appearances[i] = next
	} else {
		e.Appearances = append(e.Appearances, next)
	}
	return nil
}

// place finds the shots that a row names, by the shot's name or by the frames of its
// source.
func place(r Row, shots []Reel) ([]Appearance, error) {
	if r.Source == "" && r.Shot == "" && r.In == "" && r.Out == "" {
		return nil, nil
	}
	var of []Reel
	sources := map[string]bool{}
	for _, s := range shots {
		if (r.Source == "" || strings.EqualFold(s.Source, r.Source)) && (r.Shot == "" || strings.EqualFold(s.Name, r.Shot)) {
			of = append(of, s)
			sources[s.Source] = true
		}
	}
	switch {
	case len(of) == 0 && r.Shot != "":
		return nil, fmt.Errorf("there is no shot %q%s", r.Shot, where(r.Source))
	case len(of) == 0:
		return nil, fmt.Errorf("there is no source %q", r.Source)
	case len(sources) > 1:
		return nil, fmt.Errorf("name the source: there are %d that it could be", len(sources))
	}
	if r.In == "" && r.Out == "" {
		if len(of) > 1 {
			return nil, fmt.Errorf("the source has %d shots; name the shot, or give in and out", len(of))
		}
		return []Appearance{{Shot: of[0].ID, First: -1, Last: -1}}, nil
	}
	if r.In == "" || r.Out == "" {
		return nil, fmt.Errorf("in and out are given both, or neither")
	}
	tc := of[0].Timecode
	in, err := tc.ParseFrom(r.In, 0)
	if err != nil {
		return nil, fmt.Errorf("in %q: %s", r.In, strings.TrimPrefix(err.Error(), "timecode: "))
	}
	out, err := tc.ParseFrom(r.Out, 0)
	if err != nil {
		return nil, fmt.Errorf("out %q: %s", r.Out, strings.TrimPrefix(err.Error(), "timecode: "))
	}
	if out < in {
		return nil, fmt.Errorf("out %s lies before in %s", r.Out, r.In)
	}
	var seen []Appearance
	for _, s := range of {
		first, last := max(int(in), s.First), min(int(out), s.Last)
		if first <= last {
			seen = append(seen, Appearance{Shot: s.ID, First: first - s.First, Last: last - s.First})
		}
	}
	if len(seen) == 0 {
		return nil, fmt.Errorf("%s to %s lies in no shot%s", r.In, r.Out, where(of[0].Source))
	}
	return seen, nil
}

func where(source string) string {
	if source == "" {
		return ""
	}
	return " of " + source
}

// Rows are a list's rows as they are written.
func Rows(list []Entry, shots []Reel) []Row {
	reels := map[string]Reel{}
	for _, s := range shots {
		reels[s.ID] = s
	}
	var out []Row
	for _, e := range list {
		if len(e.Appearances) == 0 {
			out = append(out, Row{ID: e.ID, Details: e.Details})
		}
		for _, v := range e.Appearances {
			s := reels[v.Shot]
			r := Row{
				ID: e.ID, Details: e.Details, Source: s.Source, Shot: s.Name, State: v.State, Assignee: v.Assignee,
				Note: v.Note,
			}
			if v.First >= 0 {
				r.In, r.Out = s.Timecode.Format(int64(s.First+v.First)), s.Timecode.Format(int64(s.First+v.Last))
			}
			out = append(out, r)
		}
	}
	return out
}
