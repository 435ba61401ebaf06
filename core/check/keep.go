package check

import "celator/core/cover"

// State is where a kept finding stands.
type State string

const (
	Open   State = "open"
	Waived State = "waived" // it stands, for a reason that somebody gave
	Mended State = "mended" // a later check did not find it again
)

// Kept is a finding that an earlier check left, open or waived.
type Kept struct {
	ID    string
	State State
	Finding
}

// Keep holds what a check found against what earlier ones left. For each finding it
// returns the one it was before, with the state it has now; new ones have no ID and are
// open. mended are those that are not there any more. Findings of a cover that looked
// denies were not looked for: they stay as they are.
//
// A waiver is for what was seen when it was given: it does not hold for what is worse now.
func Keep(left []Kept, found []Finding, looked func(cover string) bool) (now []Kept, mended []string) {
	taken := make([]bool, len(left))
	for _, f := range found {
		k := Kept{State: Open, Finding: f}
		if i := same(left, taken, f); i >= 0 {
			taken[i] = true
			k.ID, k.State = left[i].ID, left[i].State
			if k.State == Waived && worse(f, left[i].Finding) {
				k.State = Open
			}
		}
		now = append(now, k)
	}
	for i, l := range left {
		if !taken[i] && looked(l.Cover) {
			mended = append(mended, l.ID)
		}
	}
	return now, mended
}

// same finds what a finding was before: of the same kind and cover, the one that shares
// most frames with it, or -1.
func same(left []Kept, taken []bool, f Finding) int {
	best, most := -1, 0
	for i, l := range left {
		if l.Kind != f.Kind || l.Cover != f.Cover || taken[i] {
			continue
		}
		if n := shared(l.Frames, f.Frames); n > most {
			best, most = i, n
		}
	}
	return best
}

// worse reports whether a finding is more than it was: by a quarter, of more weight, or
// on other frames.
func worse(f, was Finding) bool {
	return f.Figure > 1.25*was.Figure+1 || f.Severity == Severe && was.Severity != Severe ||
		shared(f.Frames, was.Frames) < count(f.Frames)
}

// shared counts the frames that two lists of stretches, each in order, have in common.
func shared(a, b []cover.Span) (n int) {
	for _, x := range a {
		for _, y := range b {
			n += max(min(x.Last, y.Last)-max(x.First, y.First)+1, 0)
		}
	}
	return n
}

func count(s []cover.Span) (n int) {
	for _, v := range s {
		n += v.Last - v.First + 1
	}
	return n
}
