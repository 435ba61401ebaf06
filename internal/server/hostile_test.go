package server

import (
	"bufio"
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"celator/internal/store"
)

// routes are all that the server answers: the contract's, and the few outside it.
func routes(t *testing.T) (out [][2]string) {
	b, err := OpenAPI()
	if err != nil {
		t.Fatal(err)
	}
	var c struct {
		Paths map[string]map[string]any
	}
	if err := json.Unmarshal(b, &c); err != nil {
		t.Fatal(err)
	}
	for path, methods := range c.Paths {
		for m := range methods {
			out = append(out, [2]string{strings.ToUpper(m), path})
		}
	}
	for _, p := range []string{
		"/api/sources/{id}/views/1.jpg", "/api/sources/{id}/frames/1", "/api/deliveries/{id}/file",
		"/api/attempts/{id}/strip/0", "/api/shots/{id}/foreground/1/{item}/1",
		"/api/shots/{id}/mattes/{item}", "/api/shots/{id}/stills/1", "/api/shots/{id}/sheets/1/0",
		"/api/findings/{id}/recovered",
		"/api/programmes/{id}/list.csv", "/api/programmes/{id}/report.html",
		"/api/programmes/{id}/report.csv", "/api/uploads/{id}", "/programmes/{id}", "/{id}",
	} {
		out = append(out, [2]string{"GET", p})
	}
	return append(out, [2]string{"PATCH", "/api/uploads/{id}"}, [2]string{"DELETE", "/api/uploads/{id}"},
		[2]string{"HEAD", "/api/uploads/{id}"})
}

// files are those of a folder, with their contents' digests, but for what comes and goes.
func files(t *testing.T, dir string) map[string][32]byte {
	out := map[string][32]byte{}
	filepath.WalkDir(dir, func(p string, d os.DirEntry, err error) error {
		if err != nil || d.IsDir() || strings.Contains(p, "/pg/") || strings.HasSuffix(p, ".lock") {
			return nil
		}
		b, err := os.ReadFile(p)
		if err == nil {
			out[p] = sha256.Sum256(b)
		}
		return nil
	})
	return out
}

// No identifier, whatever it is, leads anywhere but to a plain refusal: every route is
// asked with all of them, as an address and in a body, and no file changes.
func TestHostileIdentifiers(t *testing.T) {
	s, _ := open(t)
	before := files(t, s.lib.Store)
	bad := []string{
		".", "..", "../..", "..%2f..%2f", "%2e%2e", "%00", "a%00b", "%", "%zz", "/etc/passwd", "uploads",
		"sources", "*", "'; DROP TABLE shot; --", "\\..\\", strings.Repeat("a", 5000),
		"00000000-0000-0000-0000-00000000000g", "NaN", "-1", "💥", "\u202e",
	}
	for _, r := range routes(t) {
		for _, id := range bad {
			path := r[1]
			for {
				a, b := strings.Index(path, "{"), strings.Index(path, "}")
				if a < 0 {
					break
				}
				e := id
				if !strings.Contains(id, "%") {
					e = url.PathEscape(id)
				}
				path = path[:a] + e + path[b+1:]
			}
			u, err := url.Parse("http://127.0.0.1" + path)
			if err != nil { // no client can send it either
				continue
			}
			req := httptest.NewRequest("GET", "http://127.0.0.1/",
				strings.NewReader(fmt.Sprintf(`{"upload":%q,"media":%q,"name":%q}`, id, "", id)))
			req.Method, req.URL = r[0], u
			req.Header.Set("Content-Type", "application/json")
			req.Header.Set("Tus-Resumable", "1.0.0")
			ctx, cancel := context.WithTimeout(req.Context(), 5*time.Second)
			w := httptest.NewRecorder()
			s.h.ServeHTTP(w, req.WithContext(ctx))
			cancel()
			if w.Code >= 500 {
				t.Errorf("%s %s: %d %s", r[0], path, w.Code, w.Body)
			}
			if w.Header().Get("X-Content-Type-Options") != "nosniff" ||
				!strings.Contains(w.Header().Get("Content-Security-Policy"), "frame-ancestors 'none'") {
				t.Errorf("%s %s: an answer without its headers", r[0], path)
			}
			if strings.Contains(w.Body.String(), s.lib.Store) {
				t.Errorf("%s %s tells where files lie: %s", r[0], path, w.Body)
			}
		}
	}
	var p struct{ ID string }
	s.ask("POST", "/api/programmes", map[string]any{"name": "Hostile"}, 201, &p)
	for _, id := range bad {
		for _, field := range []string{"upload", "media"} {
			if !strings.Contains(id, "%") {
				s.ask("POST", "/api/programmes/"+p.ID+"/sources", map[string]any{field: id, "name": id[:min(len(id), 200)]},
					422, nil)
			}
		}
	}
	after := files(t, s.lib.Store)
	for f, sum := range before {
		if after[f] != sum {
			t.Errorf("%s was changed or taken away", f)
		}
	}
	for _, d := range []string{"uploads", "sources", "segments", "deliveries"} {
		if _, err := os.Stat(filepath.Join(s.lib.Store, d)); err != nil {
			t.Error(err)
		}
	}
}

// Names with zero bytes are refused in words, wherever they come.
func TestZeroBytes(t *testing.T) {
	s, shot := open(t)
	zero := "Har\x00bour"
	var p struct{ ID string }
	s.ask("POST", "/api/programmes", map[string]any{"name": "Fine"}, 201, &p)
	for path, body := range map[string]any{
		"/api/programmes": map[string]any{"name": zero},
		shot + "/items":   map[string]any{"name": zero, "kind": "plate"},
		"/api/programmes/" + p.ID + "/items": map[string]any{
			"name": zero, "kind": "plate", "description": zero, "reason": "", "requester": "", "due": "",
		},
		shot + "/edits": map[string]any{"base": 0, "commands": []any{
			map[string]any{"do": "add", "new": map[string]any{
				"id": "c", "name": zero, "span": map[string]int{"first": 0, "last": 1},
			}},
		}},
	} {
		if text := s.ask("POST", path, body, 422, nil); strings.Contains(text, "SQLSTATE") {
			t.Errorf("%s: %s", path, text)
		}
	}
}

// upload announces and sends a file; whole says whether all of it comes.
func (s site) upload(b []byte, send int) string {
	s.t.Helper()
	do := func(method, path string, h map[string]string, body []byte) *httptest.ResponseRecorder {
		r := httptest.NewRequest(method, "http://127.0.0.1"+path, bytes.NewReader(body))
		r.Header.Set("Tus-Resumable", "1.0.0")
		for k, v := range h {
			r.Header.Set(k, v)
		}
		w := httptest.NewRecorder()
		s.h.ServeHTTP(w, r)
		return w
	}
	w := do("POST", "/api/uploads/", map[string]string{"Upload-Length": fmt.Sprint(len(b))}, nil)
	if w.Code != 201 {
		s.t.Fatalf("announcing: %d %s", w.Code, w.Body)
	}
	at, err := url.Parse(w.Header().Get("Location"))
	if err != nil {
		s.t.Fatal(err)
	}
	if w := do("PATCH", at.Path, map[string]string{
		"Upload-Offset": "0",
		"Content-Type":  "application/offset+octet-stream",
	}, b[:send]); w.Code != 204 {
		s.t.Fatalf("sending: %d %s", w.Code, w.Body)
	}
	return filepath.Base(at.Path)
}

// An upload becomes a source when all of it is there and it is what was sent, and not
// before; what is refused stays, for another try.
func TestUploads(t *testing.T) {
	s, _ := open(t)
	var p struct{ ID string }
	s.ask("POST", "/api/programmes", map[string]any{"name": "Uploads"}, 201, &p)
	clip, err := os.ReadFile(filepath.Join(s.lib.Media, "clip.mp4"))
	if err != nil {
		t.Fatal(err)
	}
	to := "/api/programmes/" + p.ID + "/sources"
	half := s.upload(clip, len(clip)/2)
	if text := s.ask("POST", to, map[string]any{"upload": half, "name": "half.ts"}, 422, nil); !strings.Contains(text,
		"not finished") {
		t.Error(text)
	}
	whole := s.upload(clip, len(clip))
	if text := s.ask("POST", to, map[string]any{"upload": whole, "name": "a.mp4", "sha256": strings.Repeat("0", 64)},
		422, nil); !strings.Contains(text, "SHA-256") {
		t.Error(text)
	}
	text := s.upload([]byte("no clip"), 7)
	s.ask("POST", to, map[string]any{"upload": text, "name": "b.mp4"}, 422, nil)
	for _, id := range []string{half, whole, text} {
		if _, err := os.Stat(filepath.Join(s.lib.Store, "uploads", id)); err != nil {
			t.Errorf("what was refused is gone: %v", err)
		}
	}
	if all, _ := os.ReadDir(filepath.Join(s.lib.Store, "sources")); len(all) != 1 {
		t.Errorf("%d folders of sources, one is ready", len(all))
	}
	sum := sha256.Sum256(clip)
	var src struct{ ID string }
	s.ask("POST", to, map[string]any{"upload": whole, "name": "../../é%.mp4", "sha256": fmt.Sprintf("%x", sum)}, 201, &src)
	if _, err := os.Stat(filepath.Join(s.lib.Store, "uploads", whole)); !os.IsNotExist(err) {
		t.Errorf("the upload stays beside the source: %v", err)
	}
	found, _ := filepath.Glob(filepath.Join(s.lib.Dir(src.ID), "source*"))
	if len(found) != 1 {
		t.Fatalf("%v", found)
	}
	if got, _ := os.ReadFile(found[0]); sha256.Sum256(got) != sum {
		t.Error("the source is not the upload")
	}
	s.ask("POST", to, map[string]any{"upload": whole, "name": "again.mp4"}, 422, nil)
}

// Uploads beyond what there is room for, and too many of them, are refused when they are
// announced.
func TestUploadsHaveBounds(t *testing.T) {
	s, _ := open(t)
	announce := func(size string) int {
		r := httptest.NewRequest("POST", "http://127.0.0.1/api/uploads/", nil)
		r.Header.Set("Tus-Resumable", "1.0.0")
		r.Header.Set("Upload-Length", size)
		w := httptest.NewRecorder()
		s.h.ServeHTTP(w, r)
		return w.Code
	}
	if got := announce("2000000000000"); got != http.StatusInsufficientStorage {
		t.Errorf("two terabytes: %d", got)
	}
	for range mostUploads {
		if got := announce("10"); got != 201 {
			t.Fatalf("a small one: %d", got)
		}
	}
	if got := announce("10"); got != http.StatusServiceUnavailable {
		t.Errorf("one too many: %d", got)
	}
}

// Each route takes what the contract says, and nothing beyond it.
func TestBodyLimits(t *testing.T) {
	s, _ := open(t)
	id := store.NewID()
	for _, r := range routes(t) {
		if r[0] != "POST" && r[0] != "PUT" || strings.HasPrefix(r[1], "/api/uploads") {
			continue
		}
		limit := int64(usual)
		for name, n := range largest {
			if operation(t, name) == r[1] {
				limit = n
			}
		}
		path := strings.NewReplacer("{id}", id, "{item}", id).Replace(r[1])
		if !bodied(t, r[0], r[1]) {
			continue
		}
		for _, over := range []int64{0, 1} {
			n := limit + over
			body := append(bytes.Repeat([]byte(" "), int(n)-2), "{}"...)
			req := httptest.NewRequest(r[0], "http://127.0.0.1"+path, bytes.NewReader(body))
			req.Header.Set("Content-Type", "application/json")
			if r[1] == "/api/graphics" {
				req.Header.Set("Content-Type", "application/octet-stream")
			}
			w := httptest.NewRecorder()
			s.h.ServeHTTP(w, req)
			if (w.Code == http.StatusRequestEntityTooLarge) != (over == 1) {
				t.Errorf("%s %s with %d of %d bytes: %d %.200s", r[0], r[1], n, limit, w.Code, w.Body)
			}
		}
	}
}

var theContract = sync.OnceValues(OpenAPI)

// contractText is the contract, made once.
func contractText(t *testing.T) []byte {
	t.Helper()
	b, err := theContract()
	if err != nil {
		t.Fatal(err)
	}
	return b
}

// bodied reports whether the contract gives a route a body, with its limit.
func bodied(t *testing.T, method, path string) bool {
	b := contractText(t)
	var c struct {
		Paths map[string]map[string]struct {
			RequestBody any   `json:"requestBody"`
			Limit       int64 `json:"x-max-body-bytes"`
		}
	}
	if err := json.Unmarshal(b, &c); err != nil {
		t.Fatal(err)
	}
	o := c.Paths[path][strings.ToLower(method)]
	if (o.RequestBody != nil) != (o.Limit > 0) {
		t.Errorf("%s %s: the contract says nothing of how long its body may be", method, path)
	}
	return o.RequestBody != nil
}

// operation is the path of an operation of the contract.
func operation(t *testing.T, id string) string {
	b := contractText(t)
	var c struct {
		Paths map[string]map[string]struct {
			OperationID string `json:"operationId"`
		}
	}
	if err := json.Unmarshal(b, &c); err != nil {
		t.Fatal(err)
	}
	for path, methods := range c.Paths {
		for _, m := range methods {
			if m.OperationID == id {
				return path
			}
		}
	}
	t.Fatalf("the contract has no %s, but a limit for it", id)
	return ""
}

// A drawing made to overflow a stack does nothing but be refused; the server answers
// others meanwhile, and afterwards.
func TestHostileGraphic(t *testing.T) {
	s, _ := open(t)
	svg := `<svg viewBox="0 0 9 9"><defs><g id="a"><use href="#a"/></g></defs><use href="#a"/></svg>`
	r := httptest.NewRequest("POST", "http://127.0.0.1/api/graphics?name=x", strings.NewReader(svg))
	r.Header.Set("Content-Type", "application/octet-stream")
	w := httptest.NewRecorder()
	s.h.ServeHTTP(w, r)
	if w.Code != 422 {
		t.Errorf("%d %s", w.Code, w.Body)
	}
	s.ask("GET", "/healthz", nil, 200, nil)
	if text := s.ask("GET", "/readyz", nil, 200, nil); !strings.Contains(text, `"database":"ok"`) {
		t.Error(text)
	}
	for _, path := range []string{"/shots", "/nothing", "/programmes/x/y", "/index.html.bak", "/assets", "/.."} {
		s.ask("GET", path, nil, 404, nil)
	}
	if text := s.ask("GET", "/metrics", nil, 200, nil); !strings.Contains(text, "celator_pool") ||
		!strings.Contains(text, "celator_request_seconds") {
		t.Errorf("%.300s", text)
	}
}

// A media file that was taken away is said to be, without where it lay.
func TestMissingMedia(t *testing.T) {
	s, shot := open(t)
	if err := os.Rename(filepath.Join(s.lib.Media, "clip.mp4"), filepath.Join(s.lib.Media, "moved.bin")); err != nil {
		t.Fatal(err)
	}
	text := s.ask("GET", shot+"/stills/3", nil, 410, nil)
	if !strings.Contains(text, "not there any more") || strings.Contains(text, s.lib.Media) {
		t.Error(text)
	}
}

// A connection that says nothing, or a body that stops in the middle, is ended; others
// are not held up by it.
func TestSlowConnections(t *testing.T) {
	defer func(was time.Duration) { patience = was }(patience)
	patience = time.Second
	s, _ := open(t)
	l, err := Listen("127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	ctx, stop := context.WithCancel(context.Background())
	served := make(chan error, 1)
	go func() { served <- Serve(ctx, l, s.h) }()
	slow, err := net.Dial("tcp", l.Addr().String())
	if err != nil {
		t.Fatal(err)
	}
	defer slow.Close()
	fmt.Fprintf(slow, "POST /api/programmes HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: "+
		"application/json\r\nContent-Length: 400\r\n\r\n{\"na")
	begun := time.Now()
	for range 20 {
		resp, err := http.Get("http://" + l.Addr().String() + "/healthz")
		if err != nil || resp.StatusCode != 200 {
			t.Fatal(err)
		}
		io.Copy(io.Discard, resp.Body)
		resp.Body.Close()
	}
	slow.SetReadDeadline(time.Now().Add(patience + 20*time.Second))
	line, err := bufio.NewReader(slow).ReadString('\n')
	if took := time.Since(begun); err == nil && strings.Contains(line, " 2") || took > patience+10*time.Second {
		t.Errorf("answered %q, %v after %v", line, err, took)
	}
	stop()
	if err := <-served; err != nil {
		t.Error(err)
	}
}
