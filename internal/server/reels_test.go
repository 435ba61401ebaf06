package server

import (
	"slices"
	"strings"
	"sync/atomic"
	"testing"

	"celator/internal/store"
)

// Chosen shots go out one after another in the order asked for; the shots' own segments are used; what cannot go
// together is refused in words, and so is what is not settled unless it is meant. For what the disk has no room for,
// nothing is begun, of any kind of delivery.
//
// Long: one scenario, told from its beginning to its end.
func TestReelOverHTTP(t *testing.T) {
	var full atomic.Bool
	s, shot := open(t, func(c *Config) {
		c.Library.Space = func(string) (int64, int64, error) {
			if full.Load() {
				return 1 << 20, 1 << 40, nil
			}
			return 1 << 39, 1 << 40, nil
		}
	})
	var at struct{ Source, Programme string }
	s.ask("GET", shot, nil, 200, &at)
	source, programme := "/api/sources/"+at.Source, "/api/programmes/"+at.Programme
	s.until("the search", func() bool {
		var b struct{ Searched bool }
		s.ask("GET", source+"/boundaries", nil, 200, &b)
		return b.Searched
	})
	s.ask("POST", source+"/shots", m{"boundaries": []m{
		{"frame": 20, "from": 20, "dissolve": false}, {"frame": 30, "from": 30, "dissolve": false},
	}}, 201, nil)
	var l listAnswer
	s.ask("GET", programme+"/list", nil, 200, &l)
	a, b, c := l.Shots[0].ID, l.Shots[1].ID, l.Shots[2].ID
	until := func(d *deliveryView) {
		t.Helper()
		s.until("the delivery "+d.Name, func() bool {
			s.ask("GET", "/api/deliveries/"+d.ID, nil, 200, d)
			return slices.Contains([]string{store.Done, store.Failed}, d.State)
		})
		if d.State != store.Done {
			t.Fatalf("%+v", d)
		}
	}
	var d deliveryView
	s.ask("POST", "/api/shots/"+a+"/deliveries", m{"preset": "archive"}, 201, &d)
	until(&d)
	to := programme + "/deliveries"
	s.ask("POST", to, m{"preset": "archive", "shots": []string{c, a}, "name": "Highlights"}, 201, &d)
	until(&d)
	if d.Name != "Highlights.mkv" || !d.Reel || d.Shots != 2 || d.Frames != 40 || d.Proof.Compared != 40 ||
		d.Rendered != 40 {
		t.Errorf("%+v, %+v", d, d.Proof)
	}
	if kept, err := s.st.Delivery(t.Context(), d.ID); err != nil || kept.Reused != 20 {
		t.Errorf("%d frames of the shot's own delivery were used, %v", kept.Reused, err)
	}
	s.ask("POST", "/api/shots/"+b+"/items", m{"name": "Plate", "kind": "plate"}, 201, nil)
	var holds contentsView
	s.ask("GET", programme+"/contents?shots="+b+"&shots="+a, nil, 200, &holds)
	if len(holds.Shots) != 2 || holds.Shots[0].Shot != b || len(holds.Doubts) != 1 || holds.Forbidden {
		t.Errorf("%+v", holds)
	}
	for words, asked := range map[string]struct {
		code int
		body m
	}{
		"neither approved":         {409, m{"preset": "archive", "shots": []string{a, b}}},
		"twice":                    {422, m{"preset": "archive", "shots": []string{a, a}}},
		"coded anew":               {422, m{"preset": "source", "shots": []string{a, c}}},
		"is not known":             {422, m{"preset": "best", "shots": []string{a, c}}},
		"not there":                {404, m{"preset": "archive", "shots": []string{a, "nothing"}}},
		"expected array length >=": {422, m{"preset": "archive", "shots": []string{a}}},
	} {
		if said := s.ask("POST", to, asked.body, asked.code, nil); !strings.Contains(said, words) {
			t.Errorf("%v: %s", asked.body, said)
		}
	}
	full.Store(true)
	for _, way := range []string{to, "/api/shots/" + c + "/deliveries", source + "/deliveries"} {
		body := m{"preset": "archive"}
		if way == to {
			body["shots"] = []string{a, c}
		}
		if way == source+"/deliveries" {
			body["despite"] = true
		}
		if said := s.ask("POST", way, body, 507, nil); !strings.Contains(said, "disk is full") {
			t.Errorf("%s on a full disk: %s", way, said)
		}
	}
	if r := s.text(programme + "/report.html"); !strings.Contains(r, "2 shots, one after another") {
		t.Error("the report does not list it")
	}
}
