package server

import (
	"encoding/csv"
	"fmt"
	"net/http/httptest"
	"strings"
	"testing"
)

type listAnswer struct {
	Items       []struct{ ID, Name, Kind, Reason string }
	Appearances []struct {
		Item, Shot, State, By, Note string
		First, Last, Severe, Minor  int
		Covered, Checked            bool
	}
	Shots []struct {
		ID, Name      string
		First, Frames int
	}
}

// text asks for what is not JSON.
func (s site) text(path string) string {
	s.t.Helper()
	w := httptest.NewRecorder()
	s.h.ServeHTTP(w, httptest.NewRequest("GET", "http://127.0.0.1"+path, nil))
	if w.Code != 200 {
		s.t.Fatalf("GET %s: %d: %s", path, w.Code, w.Body)
	}
	return w.Body.String()
}

// From an imported list to an approved item and its report: what may not be skipped is
// refused, a finding closes itself when it is mended, and a change ends an approval.
//
// Long: one scenario, told from its beginning to its end.
func TestFromListToReport(t *testing.T) {
	s, shot := open(t)
	type m = map[string]any
	var view struct {
		Programme, Name string
		Revision        struct{ Number int }
	}
	s.ask("GET", shot, nil, 200, &view)
	programme := "/api/programmes/" + view.Programme
	id := strings.TrimPrefix(shot, "/api/shots/")

	// A list with a line that cannot stand: it is named, and nothing is entered.
	good := "name,kind,reason,requested by,due,source,in,out\r\nClock,number,It " +
		"runs,Producer,2026-12-01,clip.mp4,4,44\r\nMark,logo,\"A, b\",Legal,,,,\r\n"
	var read struct {
		New, Changed, Same int
		Done               bool
		Wrong              []struct {
			Line int
			Why  string
		}
	}
	s.ask("POST", programme+"/import", m{"csv": good + "Sign,sign,,,,nowhere.mp4,,\r\n", "by": "Ada", "do": true}, 200,
		&read)
	var l listAnswer
	s.ask("GET", programme+"/list", nil, 200, &l)
	if read.Done || len(read.Wrong) != 1 || read.Wrong[0].Line != 4 || len(l.Items) != 0 {
		t.Fatalf("%+v, list %+v", read, l)
	}
	s.ask("POST", programme+"/import", m{"csv": good, "by": "Ada"}, 200, &read)
	if read.Done || read.New != 2 {
		t.Fatalf("looked at: %+v", read)
	}
	s.ask("POST", programme+"/import", m{"csv": good, "by": "Ada", "do": true}, 200, &read)
	s.ask("GET", programme+"/list", nil, 200, &l)
	if !read.Done || len(l.Items) != 2 || len(l.Appearances) != 1 || l.Appearances[0].First != 4 ||
		l.Appearances[0].Last != 44 ||
		l.Appearances[0].State != "todo" || l.Items[1].Reason != "A, b" {
		t.Fatalf("entered: %+v, list %+v", read, l)
	}
	// What is exported says the same.
	s.ask("POST", programme+"/import", m{"csv": s.text(programme + "/list.csv"), "by": "Ada", "do": true}, 200, &read)
	if read.New+read.Changed != 0 || read.Same != 2 {
		t.Fatalf("the export comes to %+v", read)
	}

	item := l.Items[0].ID
	decide := func(want int, body m) string {
		t.Helper()
		return s.ask("POST", shot+"/items/"+item+"/decisions", body, want, nil)
	}
	if why := decide(409, m{"state": "ready", "by": "Ada"}); !strings.Contains(why, "nothing hides it") &&
		!strings.Contains(why, "Nothing hides it") {
		t.Errorf("ready while bare: %s", why)
	}
	edit := func(cmds ...m) {
		t.Helper()
		s.ask("GET", shot, nil, 200, &view)
		s.ask("POST", shot+"/edits", m{"base": view.Revision.Number, "commands": cmds}, 201, nil)
	}
	box := func(x, y, w, h float64) []m {
		k := func(x, y float64) m {
			return m{"p": m{"x": x, "y": y}}
		}
		return []m{k(x, y), k(x+w, y), k(x+w, y+h), k(x, y+h)}
	}
	treatment := m{"id": "t", "kind": "mosaic", "strength": 1, "cell": m{"across": 2, "down": 2}}
	edit(m{"do": "add", "new": m{
		"id": "c", "item": item, "name": "Clock", "span": m{"first": 4, "last": 44}, "grow": 0,
		"soften": m{"across": 0, "down": 0}, "motion": m{"pivot": m{"x": 0, "y": 0}, "keys": []m{}},
		"outlines":   []m{{"id": "o", "shape": "box", "keys": []m{{"frame": 4, "knots": box(120, 60, 200, 90)}}}},
		"treatments": []m{treatment},
	}})
	row := func() (r struct {
		State           string
		Severe          int
		Checked         bool
		Kinds, Finished string
	},
	) {
		s.ask("GET", programme+"/list", nil, 200, &l)
		for _, x := range l.Appearances {
			if x.Item == item {
				r.State, r.Severe, r.Checked = x.State, x.Severe, x.Checked
			}
		}
		return r
	}
	if r := row(); r.State != "work" || r.Checked {
		t.Fatalf("covered: %+v", r)
	}
	// The check comes by itself, after a pause.
	var found struct {
		State    string
		Error    string
		Revision int
		Current  bool
		Findings []struct {
			ID, Kind, State, Severity, Item, Reason string
			Frames                                  []struct{ First, Last int }
		}
	}
	settled := func() {
		t.Helper()
		s.until("the check", func() bool {
			s.ask("GET", shot+"/check", nil, 200, &found)
			if found.State == "failed" {
				t.Fatalf("the check failed: %+v", found)
			}
			return found.State == "done" && found.Current
		})
	}
	settled()
	has := func(kind, state string) string {
		for _, f := range found.Findings {
			if f.Kind == kind && f.State == state {
				return f.ID
			}
		}
		return ""
	}
	if has("readable", "open") == "" || row().Severe == 0 {
		t.Fatalf("cells of two pixels: %+v", found)
	}
	decide(201, m{"state": "ready", "by": "Editor"})
	if why := decide(409, m{"state": "approved", "by": "Maren"}); !strings.Contains(why, "severe") {
		t.Errorf("approved with a finding: %s", why)
	}
	decide(201, m{"state": "back", "by": "Maren", "note": "I can read it", "frame": 9, "x": 150.5, "y": 80})
	// Mended: the finding closes itself.
	edit(m{"do": "treat", "cover": "c", "treatments": []m{
		{"id": "t", "kind": "fill", "strength": 1, "colour": "#606060"},
	}})
	if r := row(); r.State != "work" || r.Checked {
		t.Fatalf("mended: %+v", r)
	}
	settled()
	if has("readable", "open") != "" || has("readable-over-frames", "open") != "" {
		t.Fatalf("under a fill: %+v", found)
	}
	// What else stands in the way, such as what moves on beyond the span, is waived.
	s.ask("POST", "/api/findings/00000000-0000-0000-0000-000000000000/waive", m{"by": "Ada", "reason": "x"}, 404, nil)
	for _, f := range found.Findings {
		if f.Severity == "severe" {
			s.ask("POST", "/api/findings/"+f.ID+"/waive", m{"by": " ", "reason": "x"}, 422, nil)
			s.ask("POST", "/api/findings/"+f.ID+"/waive", m{"by": "Ada", "reason": "A test pattern is everywhere"}, 200, nil)
		}
	}
	// A waiver outlasts a check that finds the same.
	s.ask("POST", shot+"/check", m{"afresh": true}, 202, nil)
	s.until("the second check", func() bool {
		s.ask("GET", shot+"/check", nil, 200, &found)
		return found.State == "done" && found.Current
	})
	if r := row(); r.Severe != 0 {
		t.Fatalf("after the waivers: %+v, %+v", r, found)
	}
	decide(201, m{"state": "ready", "by": "Editor"})
	if why := decide(409, m{"state": "approved", "by": "editor"}); !strings.Contains(why, "omebody else") {
		t.Errorf("approved by who covered it: %s", why)
	}
	decide(201, m{"state": "approved", "by": "Maren", "note": "Clean"})
	var review struct {
		Checked bool
		Items   []struct {
			Item      struct{ ID string }
			Decisions []struct {
				State, By, Note string
				Frame           *int
				X               *float64
			}
		}
	}
	s.ask("GET", shot+"/review", nil, 200, &review)
	for _, it := range review.Items {
		if it.Item.ID != item {
			continue
		}
		if d := it.Decisions[0]; d.State != "approved" || d.By != "Maren" {
			t.Errorf("the newest decision is %+v", d)
		}
		pinned := false
		for _, d := range it.Decisions {
			pinned = pinned || d.State == "back" && d.Frame != nil && *d.Frame == 9 && *d.X == 150.5
		}
		if !pinned {
			t.Errorf("the note lost its place: %+v", it.Decisions)
		}
	}
	html := s.text(programme + "/report.html")
	for _, want := range []string{
		"Clock", "Approved", "Maren", "I can read it", "Mended", "data:image/jpeg;base64,",
		"00:00:00:04", "Mark",
	} {
		if !strings.Contains(html, want) {
			t.Errorf("the report does not say %q", want)
		}
	}
	lines, err := csv.NewReader(strings.NewReader(s.text(programme + "/report.csv"))).ReadAll()
	if err != nil || len(lines) != 3 || lines[1][0] != "Clock" || lines[1][11] != "Approved" || lines[1][14] != "yes" ||
		lines[1][18] != "Maren" {
		t.Errorf("%v %v", lines, err)
	}
	// A change takes the approval back, and undoing it does not give it again.
	edit(m{"do": "set", "cover": "c", "lane": "grow", "number": 3, "frame": 9})
	if r := row(); r.State != "ready" || r.Checked {
		t.Errorf("changed after the approval: %+v", r)
	}
	s.ask("POST", programme+"/list", m{
		"rows": []m{{"item": item, "shot": id}, {"item": l.Items[1].ID, "shot": id}},
		"by":   "Ada", "state": "waived", "note": "Not on air",
	}, 200, nil)
	if r := row(); r.State != "waived" {
		t.Errorf("waived together with one that is not there: %+v", r)
	}
}

// A long source is cut into shots: each has its own frames, items fall into them, and what
// was worked in is not counted anew.
//
// Long: one scenario, told from its beginning to its end.
func TestShotsOfASource(t *testing.T) {
	s, shot := open(t)
	type m = map[string]any
	var view struct{ Programme, Source string }
	s.ask("GET", shot, nil, 200, &view)
	programme, source := "/api/programmes/"+view.Programme, "/api/sources/"+view.Source
	s.until("the search", func() bool {
		var b struct{ Searched bool }
		s.ask("GET", source+"/boundaries", nil, 200, &b)
		return b.Searched
	})
	var item struct{ ID string }
	s.ask("POST", shot+"/items", m{"name": "Clock", "kind": "number"}, 201, &item)
	s.ask("PUT", shot+"/items/"+item.ID, m{"first": 15, "last": 32}, 204, nil)
	for _, bad := range []string{
		`[{"frame":0,"from":0,"dissolve":false}]`,
		`[{"frame":20,"from":20,"dissolve":false},{"frame":20,"from":20,"dissolve":false}]`,
		`[{"frame":50,"from":50,"dissolve":false}]`,
	} {
		r := httptest.NewRequest("POST", "http://127.0.0.1"+source+"/shots", strings.NewReader(`{"boundaries":`+bad+`}`))
		r.Header.Set("Content-Type", "application/json")
		w := httptest.NewRecorder()
		s.h.ServeHTTP(w, r)
		if w.Code != 422 {
			t.Errorf("%s: %d", bad, w.Code)
		}
	}
	s.ask("POST", source+"/shots", m{"boundaries": []m{
		{"frame": 20, "from": 20, "dissolve": false}, {"frame": 30, "from": 30, "dissolve": false},
	}}, 201, nil)
	var l listAnswer
	s.ask("GET", programme+"/list", nil, 200, &l)
	if len(l.Shots) != 3 || l.Shots[1].First != 20 || l.Shots[1].Frames != 10 || l.Shots[2].Frames != 20 {
		t.Fatalf("%+v", l.Shots)
	}
	place := map[string]string{}
	for _, x := range l.Appearances {
		place[x.Shot] = fmt.Sprint(x.First, x.Last)
	}
	if place[l.Shots[0].ID] != "15 19" || place[l.Shots[1].ID] != "0 9" || place[l.Shots[2].ID] != "0 2" {
		t.Errorf("the item lies at %v", place)
	}
	// Frame 3 of the second shot is frame 23 of the source, before and in the stills.
	if a, b := s.text("/api/shots/"+l.Shots[1].ID+"/stills/3?before=1&place=0,0,480,270"),
		s.text("/api/shots/"+l.Shots[0].ID+"/stills/3?before=1&place=0,0,480,270"); a == b {
		t.Error("both shots show the same frame")
	}
	second := "/api/shots/" + l.Shots[1].ID
	s.ask("POST", second+"/edits", m{"base": 0, "commands": []m{{"do": "add", "new": m{
		"id": "c", "item": item.ID, "name": "Clock", "span": m{"first": 0, "last": 9}, "grow": 0,
		"soften": m{"across": 0, "down": 0}, "motion": m{"pivot": m{"x": 0, "y": 0}, "keys": []m{}},
		"outlines": []m{{"id": "o", "shape": "box", "keys": []m{
			{"frame": 0, "knots": []m{
				{"p": m{"x": 10, "y": 10}},
				{"p": m{"x": 90, "y": 10}},
				{"p": m{"x": 90, "y": 60}},
				{"p": m{"x": 10, "y": 60}},
			}},
		}}}, "treatments": []m{{"id": "t", "kind": "fill", "strength": 1, "colour": "#606060"}},
	}}}}, 201, nil)
	// The delivery of a shot has its frames and no others.
	var d struct{ ID, State, Error string }
	s.ask("POST", second+"/deliveries", m{"preset": "archive"}, 201, &d)
	s.until("the delivery", func() bool {
		s.ask("GET", "/api/deliveries/"+d.ID, nil, 200, &d)
		return d.State == "done" || d.State == "failed"
	})
	if d.State != "done" {
		t.Fatalf("%+v", d)
	}
	// Boundaries that leave the worked shot alone may move; others may not.
	s.ask("POST", source+"/shots", m{"boundaries": []m{
		{"frame": 20, "from": 20, "dissolve": false},
		{"frame": 30, "from": 30, "dissolve": false},
		{"frame": 40, "from": 40, "dissolve": false},
	}}, 201, nil)
	if why := s.ask("POST", source+"/shots", m{"boundaries": []m{{"frame": 25, "from": 25, "dissolve": false}}}, 409,
		nil); !strings.Contains(why, "has covers") {
		t.Errorf("cut through work: %s", why)
	}
	s.ask("GET", programme+"/list", nil, 200, &l)
	if len(l.Shots) != 4 {
		t.Errorf("%+v", l.Shots)
	}
}
