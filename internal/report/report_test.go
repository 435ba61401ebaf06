package report

import (
	"bytes"
	"encoding/csv"
	"html"
	"math/rand"
	"slices"
	"strings"
	"testing"
	"time"
)

// Whatever people write into a list, a report says it whole, as text and nothing else: no
// markup on the page, no formula in the sheet, no cell or line that runs into another.
//
// Long: one scenario, told from its beginning to its end.
func TestSaysWhatPeopleWrote(t *testing.T) {
	rng := rand.New(rand.NewSource(3))
	bits := []string{
		"Quay", "<script>alert(1)</script>", "\"", "'", ",", ";", "\n", "&amp;", "=1+1", "@x", "-", "+",
		"é", "船", "</dd>", "{{.Name}}", "\t", " ", "javascript:",
	}
	some := func() string {
		text := "x"
		if rng.Intn(3) == 0 {
			text = ""
		}
		for range rng.Intn(6) {
			text += bits[rng.Intn(len(bits))]
		}
		return text
	}
	at := time.Date(2026, 3, 4, 5, 6, 7, 0, time.UTC)
	for range 200 {
		r := Report{
			Programme: some(), Made: at, Sources: []Source{{Name: "s", Digest: "d1"}},
			Deliveries: []Delivery{{Name: "new", Shot: "shot", SHA256: "2"}, {Name: "old", Shot: "shot", SHA256: "1"}},
		}
		for range 3 {
			r.Rows = append(r.Rows, Row{
				Name: some(), Kind: some(), Description: some(), Reason: some(), Requester: some(), Due: some(), Shot: "shot",
				Source: "s", In: "01:00:00:00", Out: "01:00:00:09", Frames: 10, State: "Approved", Note: some(),
				Treatment: some(), Checked: rng.Intn(2) == 0,
				Findings: []Finding{
					{Kind: "Readable", State: "waived", Reason: some(), By: some()},
					{Kind: "Exposed", State: "open", Says: some(), Severe: true},
					{Kind: "Weak", State: "mended"},
				},
				Decisions: []Decision{
					{By: some(), State: "Ready", At: at},
					{By: some(), State: "Approved", Note: some(), At: at.Add(time.Hour)},
				},
			})
		}
		var page, sheet bytes.Buffer
		if err := r.HTML(&page); err != nil {
			t.Fatal(err)
		}
		if err := r.CSV(&sheet); err != nil {
			t.Fatal(err)
		}
		if strings.Contains(page.String(), "<script") ||
			strings.Count(page.String(), "</dd>") != strings.Count(page.String(), "<dd") {
			t.Fatalf("markup got in: %s", &page)
		}
		plain := html.UnescapeString(page.String())
		lines, err := csv.NewReader(&sheet).ReadAll()
		if err != nil || len(lines) != 1+len(r.Rows) {
			t.Fatalf("%d lines, %v", len(lines), err)
		}
		unchecked := 0
		for i, x := range r.Rows {
			for _, text := range []string{
				x.Name, x.Kind, x.Description, x.Reason, x.Requester, x.Due, x.Note, x.Treatment,
				x.Findings[0].Reason, x.Findings[0].By, x.Findings[1].Says, x.Decisions[0].By, x.Decisions[1].Note,
			} {
				if !strings.Contains(plain, text) {
					t.Fatalf("the page does not say %q", text)
				}
			}
			got := map[string]string{}
			for c, name := range Columns {
				v := lines[i+1][c]
				if v != "" && strings.ContainsAny(v[:1], "=+-@\t\r") {
					t.Fatalf("%s is a formula: %q", name, v)
				}
				got[name] = strings.TrimPrefix(v, "'")
			}
			want := map[string]string{
				"name": x.Name, "description": x.Description, "reason": x.Reason, "requested by": x.Requester, "note": x.Note,
				"treatment": x.Treatment, "open findings": "1", "mended findings": "1",
				"checked": map[bool]string{true: "yes", false: "no"}[x.Checked], "approved by": x.Decisions[1].By,
				"approved at": "2026-03-04T06:06:07Z", "source digest": "d1", "delivery": "new", "delivery sha256": "2",
			}
			for name, v := range want {
				if got[name] != strings.TrimPrefix(v, "'") {
					t.Fatalf("%s is %q, not %q", name, got[name], v)
				}
			}
			if !x.Checked {
				unchecked++
			}
		}
		if n := strings.Count(page.String(), "Not checked since the last change"); n != unchecked {
			t.Fatalf("%d entries are called unchecked, %d are", n, unchecked)
		}
	}
}

// The cover page counts every row and every open finding once, and an approval that was
// taken back counts no more.
func TestCountsOfTheCover(t *testing.T) {
	open := func(severe bool) Finding { return Finding{State: "open", Severe: severe} }
	approved := Decision{By: "Ada", State: "Approved"}
	r := Report{Rows: []Row{
		{State: "Approved", In: "x", Checked: true, Decisions: []Decision{{By: "Bo", State: "Ready"}, approved}},
		{State: "In work", In: "x", Decisions: []Decision{approved}, Findings: []Finding{open(true), open(false)}},
		{State: "In work", In: "x", Findings: []Finding{open(false), {State: "waived", Severe: true}}},
		{State: "Sent back"},
		{State: "To do"},
	}}
	want := []Share{{"Approved", 1}, {"In work", 2}, {"Sent back", 1}, {"To do", 1}}
	if got := r.Shares(); !slices.Equal(got, want) {
		t.Errorf("shares are %v, not %v", got, want)
	}
	if got := r.Open(); got != (Findings{Severe: 1, Minor: 2}) {
		t.Errorf("open are %+v", got)
	}
	if n := r.Unchecked(); n != 2 {
		t.Errorf("%d are not checked, not 2", n)
	}
	if d := r.Rows[0].Approval(); d == nil || d.By != "Ada" {
		t.Errorf("approved by %v", d)
	}
	if d := r.Rows[1].Approval(); d != nil {
		t.Errorf("what was changed since is approved by %v", d)
	}
}

// What was looked for is told as far as it was: by picture too where nothing was searched for text.
func TestWhatWasLookedFor(t *testing.T) {
	again := Decided{All: 2, Accepted: 2}
	for want, f := range map[string]Found{
		"<dd>nothing by machine</dd>": {},
		"<dd>1 mark was looked for by picture, in each source; 2 proposals: 2 accepted, 0 not needed, all decided</dd>": {
			Marks: 1, Through: 1, Again: again,
		},
		`<dd><span class="bad">1 of 2 sources</span> was searched for text and faces, 3 of 50 frames looked at; ` +
			`0 proposals; 2 marks were looked for by picture, <span class="bad">only 1 of them in each source</span>; ` +
			`2 proposals`: {
			Sources: 1, Looked: 3, Frames: 50, Marks: 2, Through: 1, Again: again,
		},
	} {
		var page bytes.Buffer
		r := Report{Programme: "P", Sources: []Source{{Name: "a"}, {Name: "b"}}, Found: f}
		if err := r.HTML(&page); err != nil {
			t.Fatal(err)
		}
		if !strings.Contains(page.String(), want) {
			at := strings.Index(page.String(), "Looked for")
			t.Errorf("%q is not said: %s", want, page.String()[at:at+400])
		}
	}
}
