package check

import (
	"fmt"
	"math/rand"
	"reflect"
	"slices"
	"testing"

	"celator/core/cover"
)

// Whatever checks find one after another, no finding is lost or doubled, nothing that was
// not looked for is called mended, the same again changes nothing, and a waiver never
// holds for what is worse.
//
// Long: one scenario, told from its beginning to its end.
func TestKeep(t *testing.T) {
	rng := rand.New(rand.NewSource(7))
	kinds := []Kind{Exposed, Readable, Jumping}
	random := func(c string) Finding {
		f := Finding{
			Cover: c, Kind: kinds[rng.Intn(len(kinds))], Severity: []Severity{Severe, Minor}[rng.Intn(2)],
			Figure: float64(rng.Intn(40)),
		}
		for at := rng.Intn(20); at < 60 && len(f.Frames) < 3; at += 2 + rng.Intn(20) {
			last := at + rng.Intn(8)
			f.Frames = append(f.Frames, cover.Span{First: at, Last: last})
			at = last
		}
		return f
	}
	holds := func(s []cover.Span, f int) bool {
		return slices.ContainsFunc(s, func(v cover.Span) bool { return v.Holds(cover.Time(f)) })
	}
	var waivers, reopened, mends int
	for round := range 300 {
		var left []Kept
		ids := 0
		for check := range 12 {
			looked := map[string]bool{"a": rng.Intn(4) > 0, "b": rng.Intn(4) > 0, "": true}
			var found []Finding
			for range rng.Intn(5) {
				if c := []string{"a", "b", ""}[rng.Intn(3)]; looked[c] {
					found = append(found, random(c))
				}
			}
			for _, l := range left { // much is found again, at times a little else
				if looked[l.Cover] && rng.Intn(3) > 0 {
					f := l.Finding
					f.Figure += float64(rng.Intn(3)) * f.Figure / 4
					if rng.Intn(3) == 0 {
						f.Frames = slices.Clone(f.Frames)
						f.Frames[len(f.Frames)-1].Last++
					}
					found = append(found, f)
				}
			}
			now, mended := Keep(left, found, func(c string) bool { return looked[c] })
			what := fmt.Sprintf("round %d, check %d", round, check)
			if len(now) != len(found) {
				t.Fatalf("%s: %d were found, %d are kept", what, len(found), len(now))
			}
			before := map[string]Kept{}
			for _, l := range left {
				before[l.ID] = l
			}
			again := map[string]bool{}
			for i, k := range now {
				if !reflect.DeepEqual(k.Finding, found[i]) {
					t.Fatalf("%s: %+v became %+v", what, found[i], k.Finding)
				}
				was, is := before[k.ID]
				if k.ID == "" {
					if k.State != Open {
						t.Fatalf("%s: new and %s", what, k.State)
					}
					continue
				}
				if !is || again[k.ID] || was.Kind != k.Kind || was.Cover != k.Cover {
					t.Fatalf("%s: %+v cannot be what %+v was", what, k, was)
				}
				again[k.ID] = true
				if was.State == Waived && k.State == Open {
					reopened++
				}
				if k.State == Waived {
					waivers++
					if was.State != Waived || k.Figure > 1.25*was.Figure+1 || k.Severity == Severe && was.Severity == Minor {
						t.Fatalf("%s: the waiver of %+v holds for %+v", what, was, k)
					}
					for f := range 100 {
						if holds(k.Frames, f) && !holds(was.Frames, f) {
							t.Fatalf("%s: the waiver of %+v holds on frame %d", what, was.Frames, f)
						}
					}
				}
			}
			mends += len(mended)
			for _, id := range mended {
				if l := before[id]; !looked[l.Cover] || again[id] {
					t.Fatalf("%s: %+v is called mended", what, l)
				}
			}
			var rest []Kept
			for _, l := range left {
				if !again[l.ID] && !slices.Contains(mended, l.ID) {
					if looked[l.Cover] {
						t.Fatalf("%s: %+v is neither there nor mended", what, l)
					}
					rest = append(rest, l)
				}
			}
			for i := range now {
				if now[i].ID == "" {
					ids++
					now[i].ID = fmt.Sprint(ids)
				}
				if rng.Intn(3) == 0 {
					now[i].State = Waived
				}
			}
			same, gone := Keep(now, found, func(c string) bool { return looked[c] })
			if len(gone) > 0 {
				t.Fatalf("%s: the same again mends %v", what, gone)
			}
			for _, k := range same {
				if k.ID == "" {
					t.Fatalf("%s: the same again is new: %+v in %+v", what, k, now)
				}
			}
			left = append(now, rest...)
		}
	}
	if waivers < 100 || reopened < 100 || mends < 100 {
		t.Errorf("too little was tried: %d waivers held, %d were opened, %d findings mended", waivers, reopened, mends)
	}
}
