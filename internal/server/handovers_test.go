package server

import (
	"log/slog"
	"net/http/httptest"
	"slices"
	"strings"
	"testing"

	"celator/internal/intake"
	"celator/internal/store"
)

// A finished delivery is handed over to an intake that whoever runs the program named, and to no other; where only
// what is settled goes out, nothing else does but for review.
func TestHandoverOverHTTP(t *testing.T) {
	in, err := intake.Open(t.TempDir(), intake.Usual, slog.New(slog.DiscardHandler))
	if err != nil {
		t.Fatal(err)
	}
	handler, err := in.Handler(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	station := httptest.NewServer(handler)
	defer station.Close()
	s, shot := open(t, func(c *Config) { c.Intakes = []Intake{{"Station", station.URL}} })
	var at struct{ Source string }
	s.ask("GET", shot, nil, 200, &at)
	programme := "/api/programmes/" + s.programmeOf(at.Source)
	s.ask("POST", shot+"/items", m{"name": "Plate", "kind": "plate"}, 201, nil)

	s.ask("PUT", programme, m{"name": "Strict", "settledOnly": true}, 204, nil)
	var holds contentsView
	s.ask("GET", shot+"/contents", nil, 200, &holds)
	if !holds.Forbidden || len(holds.Doubts) != 1 || len(holds.Shots) != 1 {
		t.Errorf("%+v", holds)
	}
	master := "/api/sources/" + at.Source + "/deliveries"
	for _, to := range []string{shot + "/deliveries", master} {
		body := m{"preset": "archive"}
		if to == master {
			body["despite"] = true
		}
		if said := s.ask("POST", to, body, 409, nil); !strings.Contains(said, "only what is settled") {
			t.Error(said)
		}
	}
	for _, to := range []string{shot + "/deliveries", master} { // what is made for review comes before approval
		s.ask("POST", to, m{"preset": "review"}, 201, nil)
	}
	s.ask("PUT", programme, m{"name": "Strict", "settledOnly": false}, 204, nil)
	var d deliveryView
	s.ask("POST", shot+"/deliveries", m{"preset": "archive", "name": "week 12"}, 201, &d)
	s.ask("PUT", "/api/deliveries/"+d.ID+"/priority", m{"priority": 4}, 422, nil)
	s.ask("PUT", "/api/deliveries/"+d.ID+"/priority", m{"priority": 1}, 204, nil)
	s.until("the delivery", func() bool {
		s.ask("GET", "/api/deliveries/"+d.ID, nil, 200, &d)
		return slices.Contains([]string{store.Done, store.Failed}, d.State)
	})
	var parts []partView
	s.ask("GET", "/api/deliveries/"+d.ID+"/parts", nil, 200, &parts)
	if len(parts) != 1 || parts[0] != (partView{0, 49, 50, true}) {
		t.Errorf("its parts are %+v", parts)
	}
	to := "/api/deliveries/" + d.ID + "/handovers"
	s.ask("POST", to, m{"intake": "http://elsewhere.example"}, 422, nil)
	var h store.Handover
	s.ask("POST", to, m{"intake": "Station"}, 201, &h)
	if raw := s.text("/api/intakes") + s.text("/api/deliveries/"+d.ID); strings.Contains(raw, station.URL) {
		t.Error("the address of the intake is told")
	}
	s.until("the receipt", func() bool {
		s.ask("GET", "/api/deliveries/"+d.ID, nil, 200, &d)
		return len(d.Handovers) == 1 && d.Handovers[0].Ended()
	})
	if h := d.Handovers[0]; h.State != store.Acknowledged || h.By != nobody || h.Sent != d.Size {
		t.Errorf("%+v", h)
	}
	s.ask("POST", "/api/handovers/"+h.ID+"/cancel", nil, 404, nil) // it has ended
	report := s.text(programme + "/report.html")
	if !strings.Contains(report, "Acknowledged by Station") || !strings.Contains(report, "Delivered although one entry") {
		t.Error("the report does not say how it went out")
	}
}
