package server

import (
	"strings"
	"testing"
)

// A house preset is tried before it is kept, is offered for every source with what it changes, and a delivery goes by
// it as it was when it was ordered.
func TestHousePresets(t *testing.T) {
	s, shot := open(t)
	var sh struct{ Source string }
	s.ask("GET", shot, nil, 200, &sh)
	house := m{"name": "station", "title": "Station mezzanine", "codec": "prores-lt", "container": "mov"}
	s.ask("PUT", "/api/presets/station", house, 200, nil)
	for name, wrong := range map[string]m{
		"review": {"name": "review", "title": "Ours", "codec": "h264", "container": "mp4"},
		"other":  {"name": "else", "title": "Else", "codec": "h264", "container": "mp4"},
		"mxf":    {"name": "mxf", "title": "ProRes in MXF", "codec": "prores", "container": "mxf"},
		"deep":   {"name": "deep", "title": "Deep", "codec": "mpeg2", "container": "mxf", "samples": "422p10"},
	} {
		s.ask("PUT", "/api/presets/"+name, wrong, 422, nil)
	}
	type preset struct {
		Name, Refusal string
		House         bool
		Changes       []string
	}
	var all []preset
	s.ask("GET", "/api/sources/"+sh.Source+"/presets", nil, 200, &all)
	found := map[string]preset{}
	for _, p := range all {
		found[p.Name] = p
	}
	deeper := func(p preset) bool { return strings.Contains(strings.Join(p.Changes, "; "), "10 bit instead of 8") }
	if p := found["station"]; !p.House || p.Refusal != "" || !deeper(p) {
		t.Errorf("%+v", p)
	}
	if p := found["imx-50"]; !strings.Contains(p.Refusal, "720x576") || found["archive"].Refusal != "" {
		t.Errorf("%+v", p)
	}
	var d struct{ ID, State, Error, Name string }
	s.ask("POST", shot+"/deliveries", m{"preset": "station", "first": 3, "last": 20}, 201, &d)
	s.ask("DELETE", "/api/presets/station", nil, 204, nil)
	s.ask("DELETE", "/api/presets/station", nil, 404, nil)
	s.until("the delivery", func() bool {
		s.ask("GET", "/api/deliveries/"+d.ID, nil, 200, &d)
		return d.State == "done" || d.State == "failed"
	})
	if d.State != "done" || !strings.HasSuffix(d.Name, ".mov") {
		t.Errorf("%+v", d)
	}
	s.ask("POST", shot+"/deliveries", m{"preset": "station"}, 422, nil)
	s.ask("POST", shot+"/deliveries", m{"preset": "imx-50"}, 422, nil)
}
