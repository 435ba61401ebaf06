// Package server is the HTTP side: one contract made from the Go types, events,
// files and the front end. No rule of the job lives here.
package server

import (
	"context"
	"errors"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"reflect"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"
	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"
	lru "github.com/hashicorp/golang-lru/v2"

	"celator/core/cover"
	"celator/internal/library"
	"celator/internal/media"
	"celator/internal/preview"
	"celator/internal/store"
)

// Config is what the server works with.
type Config struct {
	Store   *store.Store
	Library library.Library
	Patches *preview.Patches
	Web     fs.FS // the built front end
	Log     *slog.Logger
}

type server struct {
	Config
	hub *hub
	// What never changes, by its key, so that a patch needs no query.
	shots     *lru.Cache[string, readable]
	documents *lru.Cache[revisionKey, *cover.Document]
}

// New returns the handler. Events are passed on until ctx ends.
func New(ctx context.Context, c Config) (http.Handler, error) {
	s := &server{Config: c, hub: newHub()}
	s.shots, _ = lru.New[string, readable](256)
	s.documents, _ = lru.New[revisionKey, *cover.Document](256)
	if c.Store != nil { // the contract alone is made without one
		go c.Store.Listen(ctx, s.hub.send)
	}
	r := chi.NewRouter()
	r.Use(middleware.Recoverer, loopbackOnly, http.NewCrossOriginProtection().Handler)
	uploads, err := s.uploads()
	if err != nil {
		return nil, err
	}
	r.Mount("/api/uploads", http.StripPrefix("/api/uploads", uploads))
	r.Get("/api/sources/{id}/views/{frame}", s.view)
	r.Get("/api/sources/{id}/frames/{frame}", s.fullFrame)
	r.Get("/api/deliveries/{id}/file", s.deliveryFile)
	r.Get("/api/attempts/{id}/strip/{first}", s.strip)
	r.Get("/api/shots/{id}/front/{revision}/{cover}/{frame}", s.frontMatte)
	r.Get("/api/shots/{id}/mattes/{cover}", s.frontMattes)
	r.Get("/api/shots/{id}/stills/{frame}", s.still)
	r.Get("/api/findings/{id}/recovered", s.recoveredPicture)
	r.Get("/api/programmes/{id}/list.csv", s.listCSV)
	r.Get("/api/programmes/{id}/report.html", s.reportHTML)
	r.Get("/api/programmes/{id}/report.csv", s.reportCSV)
	r.Get("/api/programmes/{id}/report.pdf", s.reportPDF)
	r.Get("/api/events", s.events)
	s.register(humachi.New(r, contract()))
	r.NotFound(s.page)
	return r, nil
}

func contract() huma.Config {
	huma.DefaultArrayNullable = false // answers have empty lists, never null
	c := huma.DefaultConfig("Celator", "1")
	c.OpenAPIPath, c.DocsPath, c.SchemasPath = "/api/openapi", "", "/api/schemas"
	c.CreateHooks = nil // no $schema member in answers
	c.Info.Description = "Everything the interface does. Documents are described by document.schema.json as well; errors are RFC 9457 problems whose detail is written for people."
	c.Components.Schemas.RegisterTypeAlias(reflect.TypeOf(cover.Value{}), reflect.TypeOf(valueSchema{}))
	return c
}

// valueSchema describes cover.Value: a number, or keys.
type valueSchema struct{}

func (valueSchema) Schema(r huma.Registry) *huma.Schema {
	keys := r.Schema(reflect.TypeOf([]cover.ValueKey{}), true, "")
	return &huma.Schema{OneOf: []*huma.Schema{
		{Type: huma.TypeNumber},
		{Type: huma.TypeObject, Properties: map[string]*huma.Schema{"keys": keys}, Required: []string{"keys"}, AdditionalProperties: false},
	}}
}

// OpenAPI returns the contract as JSON.
func OpenAPI() ([]byte, error) {
	r := chi.NewRouter()
	api := humachi.New(r, contract())
	(&server{}).register(api)
	return api.OpenAPI().MarshalJSON()
}

// loopbackOnly refuses names other than this machine's own, so that no page from
// elsewhere can reach the server by pointing its own name at it.
func loopbackOnly(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		host, _, err := net.SplitHostPort(r.Host)
		if err != nil {
			host = r.Host
		}
		if ip := net.ParseIP(strings.Trim(host, "[]")); host != "localhost" && (ip == nil || !ip.IsLoopback()) {
			http.Error(w, "This server answers on loopback addresses only.", http.StatusForbidden)
			return
		}
		next.ServeHTTP(w, r)
	})
}

// page serves the front end; any other path is one of its views.
func (s *server) page(w http.ResponseWriter, r *http.Request) {
	if strings.HasPrefix(r.URL.Path, "/api/") || r.Method != http.MethodGet && r.Method != http.MethodHead {
		w.Header().Set("Content-Type", "application/problem+json")
		w.WriteHeader(http.StatusNotFound)
		w.Write([]byte(`{"title":"Not Found","status":404,"detail":"There is nothing at this address."}`))
		return
	}
	name := strings.TrimPrefix(r.URL.Path, "/")
	if name == "" || strings.Contains(name, "..") {
		name = "index.html"
	}
	if _, err := fs.Stat(s.Web, name); err != nil {
		name = "index.html"
	}
	w.Header().Set("X-Content-Type-Options", "nosniff")
	if strings.HasPrefix(name, "assets/") {
		w.Header().Set("Cache-Control", "public, max-age=31536000, immutable")
	} else {
		w.Header().Set("Cache-Control", "no-cache")
		w.Header().Set("Content-Security-Policy", "default-src 'self'; script-src 'self' 'wasm-unsafe-eval'; style-src 'self' 'unsafe-inline'; img-src 'self' blob: data:")
	}
	http.ServeFileFS(w, r, s.Web, name)
}

// problem turns an error into one for people, with the status that fits.
func problem(err error) error {
	var conflict *store.Conflict
	switch {
	case err == nil:
		return nil
	case errors.Is(err, store.ErrNone), errors.Is(err, cover.ErrNoCover), errors.Is(err, cover.ErrNoTrack):
		return huma.Error404NotFound(sentence(err))
	case errors.As(err, &conflict), errors.Is(err, store.ErrNothing):
		return huma.Error409Conflict(sentence(err))
	case errors.Is(err, media.ErrUnusable), errors.Is(err, library.ErrOutside):
		return huma.Error422UnprocessableEntity(sentence(err))
	case errors.Is(err, context.Canceled):
		return huma.NewError(499, "The request was withdrawn.")
	}
	return huma.Error500InternalServerError("The server could not do it: " + err.Error())
}

// sentence makes an error's text a sentence.
func sentence(err error) string {
	t := err.Error()
	for _, p := range []string{"edit: ", "document: ", "media: "} {
		t = strings.TrimPrefix(t, p)
	}
	return strings.ToUpper(t[:1]) + t[1:] + "."
}

// Serve answers on addr until ctx ends, then lets running requests finish. Any
// address but a loopback one is refused: there is no sign-in yet.
func Serve(ctx context.Context, addr string, h http.Handler, ready func(url string)) error {
	host, _, err := net.SplitHostPort(addr)
	if err != nil {
		return err
	}
	if ip := net.ParseIP(host); host != "localhost" && (ip == nil || !ip.IsLoopback()) {
		return errors.New("serve: without sign-in the server listens on loopback addresses only, such as 127.0.0.1:8420")
	}
	l, err := net.Listen("tcp", addr)
	if err != nil {
		return err
	}
	srv := &http.Server{Handler: h, ReadHeaderTimeout: 10 * time.Second, BaseContext: func(net.Listener) context.Context { return ctx }}
	done := make(chan error, 1)
	go func() { done <- srv.Serve(l) }()
	ready("http://" + l.Addr().String())
	select {
	case err := <-done:
		return err
	case <-ctx.Done():
	}
	stop, cancel := context.WithTimeout(context.Background(), 5*time.Second)
	defer cancel()
	if srv.Shutdown(stop) != nil {
		srv.Close()
	}
	return nil
}
