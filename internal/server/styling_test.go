package server

import (
	"bytes"
	"encoding/json"
	"image"
	"image/color"
	"image/png"
	"net/http/httptest"
	"strings"
	"testing"
)

// styled is what of the document the test looks at.
type styled struct {
	Number   int
	Document struct {
		Covers []struct {
			ID, Style  string
			Grow       float64
			Treatments []struct{ Kind, Graphic string }
		}
		Graphics []struct {
			ID  string
			PNG []byte
		}
	}
}

// A house style changed in one place is followed everywhere but where a cover deviates or
// is locked; a graphic is kept once and laid on; what shows through is told.
//
// Long: one scenario, told from its beginning to its end.
func TestStylesAndGraphics(t *testing.T) {
	s, shot := open(t)
	var sh struct{ Programme string }
	s.ask("GET", shot, nil, 200, &sh)
	var r styled
	edit := func(cmds ...m) {
		t.Helper()
		s.ask("POST", shot+"/edits", m{"base": r.Number, "commands": cmds}, 201, &r)
	}
	again := func() {
		t.Helper()
		var now struct{ Revision styled }
		s.ask("GET", shot, nil, 200, &now)
		r = now.Revision
	}
	for _, id := range []string{"a", "b", "d"} {
		c := plate()
		c["id"], c["name"] = id, id
		edit(m{"do": "add", "new": c})
	}
	blur := func(sigma float64) m {
		return m{
			"grow": 2, "soften": m{"across": 3, "down": 3},
			"treatments": []m{{"id": "t", "kind": "blur", "strength": 1, "sigma": m{"across": sigma, "down": sigma}}},
		}
	}
	var st struct{ ID string }
	styles := "/api/programmes/" + sh.Programme + "/styles"
	s.ask("POST", styles, m{"name": "Plates", "kinds": []string{"plate"}, "style": blur(20)}, 201, &st)
	for _, bad := range []m{
		{"name": " ", "kinds": []string{}, "style": blur(20)},
		{"name": "x", "kinds": []string{"ship"}, "style": blur(20)},
		{"name": "x", "kinds": []string{}, "style": blur(-1)},
		{"name": "x", "kinds": []string{}, "style": m{"grow": 0, "soften": m{"across": 0, "down": 0}, "treatments": []m{}}},
	} {
		s.ask("POST", styles, bad, 422, nil)
	}
	for _, id := range []string{"a", "b", "d"} {
		edit(m{"do": "style", "cover": id, "id": st.ID, "style": blur(20)})
	}
	edit(m{"do": "set", "cover": "b", "lane": "grow", "number": 7}) // deviates
	edit(m{"do": "lock", "cover": "d", "on": true})
	var done struct{ Covers, Shots int }
	s.ask("PUT", "/api/styles/"+st.ID, m{
		"name": "Plates", "kinds": []string{"plate"},
		"style": m{
			"grow": 5, "soften": m{"across": 0, "down": 0},
			"treatments": []m{{"id": "t", "kind": "mosaic", "strength": 1, "cell": m{"across": 30, "down": 30}}},
		},
	}, 200, &done)
	if again(); done.Covers != 1 || done.Shots != 1 || r.Document.Covers[0].Treatments[0].Kind != "mosaic" ||
		r.Document.Covers[0].Grow != 5 || r.Document.Covers[1].Grow != 7 ||
		r.Document.Covers[2].Treatments[0].Kind != "blur" {
		t.Fatalf("%+v %+v", done, r)
	}
	s.ask("POST", shot+"/undo", m{"base": r.Number}, 201, &r) // a change like any other
	if r.Document.Covers[0].Treatments[0].Kind != "blur" {
		t.Errorf("%+v", r)
	}
	// A kind of item has one style: the new one takes it from the old.
	var other struct{ ID string }
	s.ask("POST", styles, m{"name": "Dark plates", "kinds": []string{"plate", "sign"}, "style": blur(9)}, 201, &other)
	var all []struct {
		Name  string
		Kinds []string
	}
	if s.ask("GET", styles, nil, 200, &all); len(all) != 2 || len(all[0].Kinds) != 0 || len(all[1].Kinds) != 2 {
		t.Errorf("%+v", all)
	}
	s.ask("DELETE", "/api/styles/"+other.ID, nil, 204, nil)
	s.ask("DELETE", "/api/styles/"+other.ID, nil, 404, nil)

	// A graphic.
	img := image.NewNRGBA(image.Rect(0, 0, 60, 40))
	for i := range img.Pix {
		img.Pix[i] = 255
	}
	img.SetNRGBA(3, 3, color.NRGBA{200, 40, 30, 255})
	var b bytes.Buffer
	if err := png.Encode(&b, img); err != nil {
		t.Fatal(err)
	}
	send := func(body []byte, want int) (g m) {
		t.Helper()
		q := httptest.NewRequest("POST", "http://127.0.0.1/api/graphics?name=flag.png", bytes.NewReader(body))
		q.Header.Set("Content-Type", "application/octet-stream")
		w := httptest.NewRecorder()
		if s.h.ServeHTTP(w, q); w.Code != want {
			t.Fatalf("%d: %s", w.Code, w.Body)
		}
		if err := json.Unmarshal(w.Body.Bytes(), &g); err != nil {
			t.Fatal(err)
		}
		return g
	}
	if e := send([]byte("no picture at all"), 422); !strings.Contains(e["detail"].(string), "PNG") {
		t.Error(e)
	}
	g := send(b.Bytes(), 201)
	delete(g, "$schema")
	patch := func(scale float64) m {
		return m{"do": "treat", "cover": "a", "treatments": []m{
			{"id": "t", "kind": "patch", "strength": 1, "graphic": g["id"], "scale": scale, "light": 1},
		}}
	}
	var seen struct {
		Detail, Stroke, Bare float64
		Readable             bool
	}
	through := func(cmds ...m) {
		t.Helper()
		s.ask("POST", shot+"/through", m{"base": r.Number, "commands": cmds, "frame": 5, "cover": "a"}, 200, &seen)
	}
	through(m{"do": "graphic", "graphic": g}, patch(1))
	if seen.Readable || seen.Bare > 0 {
		t.Errorf("under a graphic: %+v", seen)
	}
	if through(m{"do": "graphic", "graphic": g}, patch(.5)); seen.Bare < .7 || seen.Bare > .8 || !seen.Readable {
		t.Errorf("under one of half the size: %+v", seen)
	}
	if through(m{"do": "treat", "cover": "a", "treatments": []m{
		{"id": "t", "kind": "dim", "strength": 1, "level": .5},
	}}); !seen.Readable {
		t.Errorf("dimmed: %+v", seen)
	}
	edit(m{"do": "graphic", "graphic": g}, patch(1))
	if len(r.Document.Graphics) != 1 || r.Document.Graphics[0].ID != g["id"] || len(r.Document.Graphics[0].PNG) != 0 {
		t.Errorf("the picture goes along with every answer: %+v", r.Document.Graphics)
	}
	if out := s.ask("GET", "/api/graphics/"+g["id"].(string), nil, 200, nil); !strings.HasPrefix(out, "\x89PNG") {
		t.Error("the graphic is no PNG")
	}
	// What is laid on is what a patch of the picture shows.
	if out := s.ask("GET", shot+"/patches/"+itoa(r.Number)+"/5", nil, 200, nil); len(out) < 4*140*100 {
		t.Errorf("a patch of %d bytes", len(out))
	}
}

func itoa(n int) string { b, _ := json.Marshal(n); return string(b) }
