package server

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"testing/fstest"

	"github.com/prometheus/client_golang/prometheus"

	"celator/internal/await"
	"celator/internal/budget"
	"celator/internal/decode"
	"celator/internal/jobs"
	"celator/internal/preview"
	"celator/internal/storage"
	"celator/internal/store"
	"celator/internal/testdb"
)

// site is the whole program behind its HTTP side, over a moving test pattern.
type site struct {
	t   *testing.T
	h   http.Handler
	st  *store.Store
	lib storage.Library
}

func TestMain(m *testing.M) { testdb.Main(m) }

func open(t *testing.T, with ...func(*Config)) (site, string) {
	t.Helper()
	ctx, stop := context.WithCancel(context.Background())
	t.Cleanup(stop)
	dir := t.TempDir()
	st, _ := testdb.Open(t)
	lib, err := storage.New(dir, dir)
	if err != nil {
		t.Fatal(err)
	}
	if out, err := exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i",
		"testsrc2=size=480x270:rate=25:duration=2", "-c:v", "libx264", "-preset", "ultrafast", "-pix_fmt", "yuv420p",
		filepath.Join(dir, "clip.mp4")).CombinedOutput(); err != nil {
		t.Fatalf("%v %s", err, out)
	}
	b := budget.New(budget.Default)
	frames := decode.NewFrames(b, nil)
	t.Cleanup(frames.Close)
	r, err := jobs.Start(ctx, jobs.Config{
		Store: st, Library: lib, Log: slog.New(slog.DiscardHandler), Bench: frames,
		Budget: b,
	})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { // what listens lets go of its connections before the store is closed
		r.Stop()
		stop()
	})
	c := Config{
		Store: st, Library: lib, Patches: preview.NewPatches(b, frames), Budget: b,
		Metrics: prometheus.NewRegistry(), Web: fstest.MapFS{"index.html": {}}, Beside: new(sync.WaitGroup),
	}
	t.Cleanup(func() { stop(); c.Beside.Wait() })
	for _, w := range with {
		w(&c)
	}
	h, err := New(ctx, c)
	if err != nil {
		t.Fatal(err)
	}
	s := site{t, h, st, lib}
	var programme, source struct{ ID, State string }
	s.ask("POST", "/api/programmes", map[string]any{"name": "Harbour"}, 201, &programme)
	s.ask("POST", "/api/programmes/"+programme.ID+"/sources", map[string]any{"media": "clip.mp4"}, 201, &source)
	s.until("the source", func() bool {
		s.ask("GET", "/api/sources/"+source.ID, nil, 200, &source)
		return source.State == "ready"
	})
	var whole struct{ Shots []struct{ ID string } }
	s.ask("GET", "/api/programmes/"+programme.ID, nil, 200, &whole)
	return s, "/api/shots/" + whole.Shots[0].ID
}

// ask sends JSON and expects a status; the answer is read into out where given, and
// returned as text.
func (s site) ask(method, path string, in any, want int, out any) string {
	s.t.Helper()
	var body bytes.Buffer
	if in != nil {
		if err := json.NewEncoder(&body).Encode(in); err != nil {
			s.t.Fatal(err)
		}
	}
	r := httptest.NewRequest(method, "http://127.0.0.1"+path, &body)
	r.Header.Set("Content-Type", "application/json")
	w := httptest.NewRecorder()
	s.h.ServeHTTP(w, r)
	if w.Code != want {
		s.t.Fatalf("%s %s: %d, not %d: %s", method, path, w.Code, want, w.Body)
	}
	if out != nil {
		if err := json.Unmarshal(w.Body.Bytes(), out); err != nil {
			s.t.Fatalf("%s %s: %v", method, path, err)
		}
	}
	return w.Body.String()
}

func (s site) until(what string, ok func() bool) {
	s.t.Helper()
	await.True(s.t, what, ok)
}

type m = map[string]any

// revision is what answers to edits say.
type revision struct {
	Number   int
	Label    string
	CanUndo  bool
	CanRedo  bool
	Document struct {
		Covers []struct{ ID, Name, Track string }
		Tracks []struct {
			ID, Attempt string
			Poses       any
		}
	}
}

func box(x0, y0, x1, y1 float64) []m {
	var out []m
	for _, p := range [][2]float64{{x0, y0}, {x1, y0}, {x1, y1}, {x0, y1}} {
		out = append(out, m{"x": p[0], "y": p[1]})
	}
	return out
}

func plate() m {
	var knots []m
	for _, p := range box(20, 20, 160, 120) {
		knots = append(knots, m{"p": p})
	}
	return m{
		"id": "c", "name": "Counter", "span": m{"first": 0, "last": 49}, "grow": 0, "soften": m{"across": 0, "down": 0},
		"outlines":   []m{{"id": "o", "shape": "box", "keys": []m{{"frame": 0, "knots": knots}}}},
		"motion":     m{"pivot": m{"x": 90, "y": 70}, "keys": []m{}},
		"treatments": []m{{"id": "t", "kind": "fill", "strength": 1, "colour": "#808080"}},
	}
}

// Edits, undo, redo, the list of changes, going back to any of them, and what was
// looked at; an outdated base and bad input are refused with a word and change nothing.
func TestEditing(t *testing.T) {
	s, shot := open(t)
	var r revision
	edit := func(base, want int, cmds ...m) string {
		t.Helper()
		if want == 201 {
			return s.ask("POST", shot+"/edits", m{"base": base, "commands": cmds}, want, &r)
		}
		return s.ask("POST", shot+"/edits", m{"base": base, "commands": cmds}, want, nil)
	}
	edit(0, 201, m{"do": "add", "new": plate()})
	edit(1, 201, m{"do": "rename", "cover": "c", "name": "Clock"})
	if r.Number != 2 || r.Document.Covers[0].Name != "Clock" || !r.CanUndo || r.CanRedo {
		t.Fatalf("%+v", r)
	}
	if body := edit(1, 409, m{"do": "rename", "cover": "c", "name": "Late"}); !strings.Contains(body,
		"changed in the meantime") {
		t.Error(body)
	}
	edit(2, 404, m{"do": "rename", "cover": "nobody", "name": "x"})
	if body := edit(2, 422, m{"do": "span", "cover": "c", "span": m{"first": 9, "last": 3}}); !strings.Contains(body,
		"span 9 to 3") {
		t.Error(body)
	}
	edit(2, 422, m{"do": "dance", "cover": "c"})
	s.ask("POST", shot+"/undo", m{"base": 2}, 201, &r)
	if r.Number != 3 || r.Document.Covers[0].Name != "Counter" || !r.CanRedo {
		t.Fatalf("undone: %+v", r)
	}
	s.ask("POST", shot+"/redo", m{"base": 3}, 201, &r)
	s.ask("POST", shot+"/redo", m{"base": 4}, 409, nil)
	var edits []struct {
		State   int
		Label   string
		Current bool
	}
	s.ask("GET", shot+"/edits", nil, 200, &edits)
	if len(edits) != 3 || edits[0].Label != "renamed Counter to Clock" || !edits[0].Current || edits[2].State != 0 {
		t.Fatalf("%+v", edits)
	}
	s.ask("POST", shot+"/jump", m{"base": 4, "state": 0}, 201, &r)
	if len(r.Document.Covers) != 0 {
		t.Errorf("before the first change: %+v", r)
	}
	s.ask("POST", shot+"/jump", m{"base": 5, "state": 77}, 404, nil)
	s.ask("POST", shot+"/jump", m{"base": 5, "state": 2}, 201, &r)

	s.ask("POST", shot+"/looks", m{"cover": "c", "frames": m{"3": "abc", "7": "def"}}, 204, nil)
	s.ask("POST", shot+"/looks", m{"cover": "c", "frames": m{"7": "new"}}, 204, nil)
	s.ask("POST", shot+"/looks", m{"cover": "c", "frames": m{"-1": "x"}}, 422, nil)
	var looks map[string]map[string]string
	s.ask("GET", shot+"/looks", nil, 200, &looks)
	if fmt.Sprint(looks) != "map[c:map[3:abc 7:new]]" {
		t.Error(looks)
	}
	s.ask("GET", "/api/shots/00000000-0000-0000-0000-000000000000/looks", nil, 200, &looks)
	s.ask("GET", "/api/shots/00000000-0000-0000-0000-000000000000", nil, 404, nil)
	var doc m
	s.ask("PUT", shot+"/document", m{"base": 6, "document": m{
		"version": 1, "width": 9, "height": 9, "frames": 9, "covers": []m{},
	}}, 422, nil)
	s.ask("GET", shot, nil, 200, &doc)
	if doc["revision"].(m)["number"].(float64) != 6 {
		t.Error("something refused was entered")
	}
}

// A surface is assessed, followed, and taken by the document; its poses travel apart
// from the document and come back with one that carries them; the strip is a picture;
// what cannot be followed is refused in words.
//
// Long: one scenario, told from its beginning to its end.
func TestFollowingOverHTTP(t *testing.T) {
	s, shot := open(t)
	var r revision
	s.ask("POST", shot+"/edits", m{"base": 0, "commands": []m{{"do": "add", "new": plate()}}}, 201, &r)
	var texture struct {
		Share  float64
		Enough bool
		Words  string
	}
	s.ask("POST", shot+"/assess", m{"frame": 5, "surface": box(20, 20, 160, 120), "model": "affine"}, 200, &texture)
	if texture.Share <= 0 || texture.Words == "" {
		t.Errorf("%+v", texture)
	}
	if body := s.ask("POST", shot+"/assess", m{"frame": 5, "surface": box(20, 20, 24, 23), "model": "affine"}, 422,
		nil); !strings.Contains(body, "smaller than 12 pixels") {
		t.Error(body)
	}
	s.ask("POST", shot+"/assess", m{"frame": 500, "surface": box(20, 20, 160, 120), "model": "affine"}, 422, nil)

	track := m{
		"id": "t", "name": "Counter", "kind": "surface", "model": "translation", "channel": "luma", "frame": 20,
		"surface": box(20, 20, 160, 120), "anchors": []m{},
	}
	with := func(k string, v any) m {
		n := m{}
		for k, v := range track {
			n[k] = v
		}
		n[k] = v
		return n
	}
	for words, b := range map[string]m{
		"no frames 9 to 3":   {"track": track, "from": 9, "to": 3},
		"no frames 0 to 50":  {"track": track, "from": 0, "to": 50},
		"lies outside the":   {"track": with("frame", 99), "from": 0, "to": 9},
		"no area":            {"track": with("surface", box(5, 5, 5, 90)), "from": 0, "to": 9},
		"outside the shot":   {"track": with("anchors", []m{{"frame": 20, "corners": box(1, 1, 9, 9)}}), "from": 0, "to": 9},
		"expected value to ": {"track": with("model", "magic"), "from": 0, "to": 9},
	} {
		if body := s.ask("POST", shot+"/attempts", b, 422, nil); !strings.Contains(body, words) {
			t.Errorf("%s: %s", words, body)
		}
	}
	var a struct {
		ID, State, Note string
		At, Done        int
		Poses           struct{ States string }
		Figures         struct{ Rank float64 }
	}
	s.ask("POST", shot+"/attempts", m{"track": track, "from": 0, "to": 49, "ride": "c", "at": 20, "take": true}, 201, &a)
	s.until("the run", func() bool {
		s.ask("GET", "/api/attempts/"+a.ID, nil, 200, &a)
		return a.State == "done"
	})
	if a.Done != 50 || a.At != 49 || len(a.Poses.States) != 50 || a.Poses.States[20] != 'a' || a.Figures.Rank <= 0 {
		t.Errorf("%+v", a)
	}
	s.ask("POST", "/api/attempts/"+a.ID+"/stop", nil, 404, nil)
	var sh struct{ Revision revision }
	s.ask("GET", shot, nil, 200, &sh)
	d := sh.Revision.Document
	if sh.Revision.Number != 2 || d.Covers[0].Track != "t" || d.Tracks[0].Attempt != a.ID || d.Tracks[0].Poses != nil {
		t.Fatalf("%+v", sh.Revision)
	}
	if body := s.ask("GET", "/api/attempts/"+a.ID+"/strip/0", nil, 200, nil); !strings.HasPrefix(body, "\xff\xd8") ||
		len(body) < 2000 {
		t.Errorf("a strip of %d bytes", len(body))
	}
	after := s.ask("GET", shot+"/sheets/2/20", nil, 200, nil)
	before := s.ask("GET", shot+"/sheets/2/20?before=1", nil, 200, nil)
	if !strings.HasPrefix(after, "\xff\xd8") || after == before {
		t.Errorf("contact sheets of %d and %d bytes", len(after), len(before))
	}
	s.ask("GET", shot+"/sheets/2/50", nil, 404, nil)
	s.ask("GET", "/api/attempts/"+a.ID+"/strip/00000000-0000-0000-0000-000000000000", nil, 404, nil)
	s.ask("GET", "/api/attempts/00000000-0000-0000-0000-000000000000/strip/0", nil, 404, nil)
	var list []m
	s.ask("GET", shot+"/attempts", nil, 200, &list)
	if len(list) != 1 || list[0]["poses"] != nil {
		t.Errorf("%v", list)
	}
	s.ask("POST", shot+"/edits", m{"base": 2, "commands": []m{{"do": "untrack", "id": "t"}}}, 422, nil)

	// What passes in front of it is looked for, entered unaccepted, and answered as pictures.
	front := m{
		"track": "t", "from": 10, "to": 29, "cover": "h", "name": "In front", "for": []string{"c"},
		"sensitivity": .5, "edge": 5, "least": 60,
	}
	for words, k := range map[string][2]any{
		"has not been followed": {"track", "none"},
		"no frames 10 to 99":    {"to", 99}, "is no other cover": {"for", []string{"none"}},
	} {
		bad := m{}
		for k, v := range front {
			bad[k] = v
		}
		bad[k[0].(string)] = k[1]
		if body := s.ask("POST", shot+"/foreground-runs", bad, 422, nil); !strings.Contains(body, words) {
			t.Errorf("%s: %s", words, body)
		}
	}
	var run struct {
		ID, State, Foreground string
		Mattes                struct{ Frames []m }
	}
	s.ask("POST", shot+"/foreground-runs", front, 201, &run)
	s.until("the foreground", func() bool {
		s.ask("GET", "/api/attempts/"+run.ID, nil, 200, &run)
		return run.State == "done"
	})
	if run.Foreground != "h" || len(run.Mattes.Frames) != 20 || run.Mattes.Frames[0]["png"] != nil {
		t.Errorf("%+v", run)
	}
	if body := s.ask("GET", shot+"/foreground/3/h/15", nil, 200, nil); !strings.HasPrefix(body, "\x89PNG") {
		t.Error("no picture of what is in front")
	}
	s.ask("GET", shot+"/foreground/3/c/15", nil, 404, nil)
	s.ask("GET", shot+"/foreground/3/h/00000000-0000-0000-0000-000000000000", nil, 404, nil)
	if body := s.ask("GET", shot+"/mattes/h", nil, 200, nil); !strings.HasPrefix(body, "PK") ||
		strings.Count(body, "matte-0000") < 20 {
		t.Error("no sequence of mattes")
	}
	s.ask("POST", shot+"/edits", m{"base": 3, "commands": []m{
		{"do": "paint", "cover": "h", "stroke": m{
			"frame": 15, "span": m{"first": 15, "last": 15}, "add": true,
			"radius": 10, "points": []m{{"x": 80, "y": 60}},
		}},
	}}, 201, nil)
	plain := s.ask("GET", shot+"/patches/4/15?matte=true", nil, 200, nil)
	s.ask("POST", shot+"/edits", m{"base": 4, "commands": []m{
		{"do": "accept", "cover": "h", "on": true, "span": m{"first": 10, "last": 29}},
	}}, 201, nil)
	if s.ask("GET", shot+"/patches/5/15?matte=true", nil, 200, nil) == plain {
		t.Error("what is accepted is not held out")
	}
	s.ask("POST", shot+"/edits", m{"base": 5, "commands": []m{{"do": "remove", "cover": "h"}}}, 201, nil)

	// With the poses in it the document stands by itself, and is taken back as it is.
	var whole, answer m
	s.ask("GET", "/api/attempts/"+a.ID, nil, 200, &answer)
	s.ask("GET", shot, nil, 200, &whole)
	doc := whole["revision"].(m)["document"].(m)
	doc["tracks"].([]any)[0].(m)["poses"] = answer["poses"]
	s.ask("PUT", shot+"/document", m{"base": 6, "document": doc}, 200, &r)
	if got := r.Document.Tracks[0].Attempt; got == a.ID || got == "" {
		t.Errorf("adopted as %q", got)
	}
	one, two := s.ask("GET", shot+"/patches/6/30?matte=true", nil, 200, nil),
		s.ask("GET", shot+"/patches/7/30?matte=true", nil, 200, nil)
	if one != two {
		t.Error("the same document makes another matte")
	}
	given := m{
		"id": "g", "name": "Given", "kind": "surface", "model": "affine", "channel": "luma", "frame": 0,
		"surface": box(10, 10, 90, 60), "anchors": []m{},
	}
	s.ask("POST", shot+"/imported-tracks", given, 422, nil)
	given["poses"] = m{
		"first": 0, "corners": [][]float64{{10, 10, 90, 10, 90, 60, 10, 60}}, "confidence": []float64{1},
		"states": "g",
	}
	s.ask("POST", shot+"/imported-tracks", given, 201, &a)
	r = revision{}
	s.ask("POST", shot+"/edits", m{"base": 7, "commands": []m{{"do": "track", "track": with("attempt", a.ID)}}}, 201, &r)
	if body := s.ask("POST", shot+"/deliveries", m{"preset": "review"}, 422, nil); !strings.Contains(body,
		"which was not followed from f 1") {
		t.Error(body)
	}
}
