package server

import (
	"context"
	"encoding/json"
	"net/http/httptest"
	"os"
	"reflect"
	"strings"
	"testing"
	"testing/fstest"

	"celator/internal/storage"
)

// The published contracts are those that the types make. `make contract` writes them,
// and the client's types from them.
func TestContractIsPublished(t *testing.T) {
	for _, c := range []struct {
		write       func() ([]byte, error)
		file, types string
	}{
		{OpenAPI, "../../docs/openapi.json", "../../web/src/api/api.gen.ts"},
		{BrowserCore, "../../docs/browser-core.json", "../../web/src/core/calls.gen.ts"},
	} {
		t.Run(c.file, func(t *testing.T) { published(t, c.write, c.file, c.types) })
	}
}

func published(t *testing.T, write func() ([]byte, error), file, typesFile string) {
	now, err := write()
	if err != nil {
		t.Fatal(err)
	}
	then, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	var a, b any
	if json.Unmarshal(now, &a) != nil || json.Unmarshal(then, &b) != nil || !reflect.DeepEqual(a, b) {
		t.Fatal(file, "is outdated: run make contract")
	}
	types, err := os.ReadFile(typesFile)
	if err != nil {
		t.Fatal(err)
	}
	for path, ops := range a.(map[string]any)["paths"].(map[string]any) {
		if !strings.Contains(string(types), `"`+path+`": {`) {
			t.Errorf("the client's types lack %s: run make contract", path)
		}
		for _, op := range ops.(map[string]any) {
			if id := op.(map[string]any)["operationId"].(string); !strings.Contains(string(types), "    "+id+": {") {
				t.Errorf("the client's types lack %s: run make contract", id)
			}
		}
	}
}

// Only this machine's own names are answered, and only from its own pages.
func TestOnlyLoopback(t *testing.T) {
	lib, err := storage.New(t.TempDir(), t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	h, err := New(context.Background(), Config{Library: lib, Web: fstest.MapFS{"index.html": {Data: []byte("page")}}})
	if err != nil {
		t.Fatal(err)
	}
	ask := func(method, host, path, origin string) int {
		r := httptest.NewRequest(method, "http://"+host+path, nil)
		if origin != "" {
			r.Header.Set("Origin", origin)
			r.Header.Set("Sec-Fetch-Site", "cross-site")
		}
		w := httptest.NewRecorder()
		h.ServeHTTP(w, r)
		return w.Code
	}
	for _, c := range []struct {
		method, host, path, origin string
		want                       int
	}{
		{"GET", "127.0.0.1:8420", "/", "", 200},
		{"GET", "localhost:8420", "/shots/x", "", 200},
		{"GET", "[::1]:8420", "/", "", 200},
		{"GET", "elsewhere.example", "/", "", 403},
		{"POST", "127.0.0.1:8420", "/api/programmes", "https://elsewhere.example", 403},
		{"GET", "127.0.0.1:8420", "/api/nothing", "", 404},
		{"GET", "127.0.0.1:8420", "/api/sources/..%2f..%2fpg/views/1.jpg", "", 404},
	} {
		if got := ask(c.method, c.host, c.path, c.origin); got != c.want {
			t.Errorf("%s %s%s from %q: %d, want %d", c.method, c.host, c.path, c.origin, got, c.want)
		}
	}
	for _, addr := range []string{"0.0.0.0:0", "192.0.2.1:0", ":0"} {
		if _, err := Listen(addr); err == nil || !strings.Contains(err.Error(), "loopback") {
			t.Errorf("served on %s: %v", addr, err)
		}
	}
}
