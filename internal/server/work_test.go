package server

import (
	"context"
	"net/http"
	"net/http/httptest"
	"testing"
	"testing/fstest"

	"celator/internal/budget"
	"celator/internal/decode"
	"celator/internal/preview"
)

// Pictures, what is drawn on them and edits are work, and a page that opens or plays goes on
// with it; asking how far something has come, over and over, is none, or a check that is
// waited for would never come.
func TestWork(t *testing.T) {
	const none, now, goesOn = "none", "now", "goes on"
	for _, c := range []struct{ method, path, want string }{
		{"GET", "/api/sources/s/views/12.jpg", now},
		{"GET", "/api/sources/s/frames/12", now},
		{"GET", "/api/shots/x/patches/3/7", now},
		{"POST", "/api/shots/x/preview", now},
		{"POST", "/api/shots/x/edits", now},
		{"POST", "/api/shots/x/undo", now},
		{"GET", "/shots/x", goesOn},
		{"GET", "/", goesOn},
		{"POST", "/api/shots/01a21ffc-c4e2-761e-846d-233cc1b2f841/playing", goesOn},
		{"GET", "/api/shots/x/patches/3/7?prepare=true", none},
		{"GET", "/api/shots/x/check", none},
		{"GET", "/api/shots/x", none},
		{"GET", "/api/sources/s", none},
		{"GET", "/api/programmes/p/list", none},
		{"GET", "/api/shots/x/attempts", none},
		{"GET", "/assets/a.js", none},
	} {
		b := budget.New(budget.Default)
		frames := decode.NewFrames(b, nil)
		h, err := New(context.Background(), Config{Patches: preview.NewPatches(b, frames), Budget: b, Web: fstest.MapFS{}})
		if err != nil {
			t.Fatal(err)
		}
		never := frames.Quiet()
		// There is no store behind it: what comes of a request does not matter here.
		h.ServeHTTP(httptest.NewRecorder(), httptest.NewRequest(c.method, "http://127.0.0.1"+c.path, http.NoBody))
		got := none
		switch q := frames.Quiet(); {
		case q < 0:
			got = goesOn
		case q < never:
			got = now
		}
		if got != c.want {
			t.Errorf("%s %s counts as work: %s, want %s", c.method, c.path, got, c.want)
		}
	}
}
