package server

import (
	"net/http"
	"slices"
	"strings"
	"testing"

	"celator/internal/certificate"
	"celator/internal/store"
)

// A source goes out with its shots: what it holds is told before and kept; what speaks against it must be meant; a
// range is typed as timecode or frames; what is wrong is refused in words; and the certificate is the server's own.
func TestMasterOverHTTP(t *testing.T) {
	s, shot := open(t)
	var at struct{ Source string }
	s.ask("GET", shot, nil, 200, &at)
	s.ask("POST", shot+"/edits", m{"base": 0, "commands": []m{{"do": "add", "new": plate()}}}, 201, nil)
	s.ask("POST", shot+"/items", m{"name": "Plate", "kind": "plate"}, 201, nil)
	var holds contentsView
	s.ask("GET", "/api/sources/"+at.Source+"/contents", nil, 200, &holds)
	if len(holds.Shots) != 1 || holds.Shots[0].Covers != 1 || holds.Shots[0].Items[0].Name != "Plate" ||
		len(holds.Doubts) != 1 {
		t.Fatalf("%+v", holds)
	}
	to := "/api/sources/" + at.Source + "/deliveries"
	for words, body := range map[string]m{
		"neither approved":    {"preset": "source"},
		"not in the source's": {"preset": "source", "despite": true, "from": "10", "to": "900"},
		"clock":               {"preset": "source", "despite": true, "from": "00:00:99:00"},
		"has no sound":        {"preset": "sound", "despite": true},
		"is not known":        {"preset": "best", "despite": true},
	} {
		want := http.StatusUnprocessableEntity
		if words == "neither approved" {
			want = http.StatusConflict
		}
		if said := s.ask("POST", to, body, want, nil); !strings.Contains(said, words) {
			t.Errorf("%v: %s", body, said)
		}
	}
	var d deliveryView
	s.ask("POST", to, m{
		"preset": "archive", "despite": true, "name": "Reel / 1", "from": "00:00:00:10", "to": "29",
	}, 201, &d)
	if d.Name != "Reel - 1.mkv" || d.First != 10 || d.Frames != 20 || d.Shots != 1 || d.Shot != "" {
		t.Errorf("%+v", d)
	}
	s.until("the master", func() bool {
		s.ask("GET", "/api/deliveries/"+d.ID, nil, 200, &d)
		return slices.Contains([]string{store.Done, store.Failed}, d.State)
	})
	if d.State != store.Done || d.Proof.Compared != 20 {
		t.Fatalf("%+v", d)
	}
	key, err := certificate.ReadPublic([]byte(s.text("/api/certificate-key")))
	if err != nil {
		t.Fatal(err)
	}
	st, _, err := certificate.Open([]byte(s.text("/api/deliveries/"+d.ID+"/certificate")), key)
	if err != nil || st.File.SHA256 != d.SHA256 || st.Shots[0].Items[0].Name != "Plate" {
		t.Errorf("%+v, %v", st, err)
	}
	if r := s.text("/api/programmes/" + s.programmeOf(at.Source) + "/report.html"); !strings.Contains(r,
		"Delivered although one entry") {
		t.Error("the report does not say what spoke against it")
	}
}

// programmeOf is the programme of a source.
func (s site) programmeOf(source string) string {
	s.t.Helper()
	var v struct{ Programme string }
	s.ask("GET", "/api/sources/"+source, nil, 200, &v)
	return v.Programme
}
