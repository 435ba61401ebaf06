// Package server is the HTTP side: one contract made from the Go types, events,
// files and the front end. No rule of the job lives here.
package server

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"regexp"
	"strings"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"
	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"
	lru "github.com/hashicorp/golang-lru/v2"
	"github.com/prometheus/client_golang/prometheus"

	"celator/core/cover"
	"celator/internal/budget"
	"celator/internal/fault"
	"celator/internal/media"
	"celator/internal/preview"
	"celator/internal/storage"
	"celator/internal/store"
)

// Config is what the server works with.
type Config struct {
	Store   *store.Store
	Library storage.Library
	Patches *preview.Patches
	Budget  *budget.Budget
	Web     fs.FS // the built front end
	Log     *slog.Logger
	Metrics *prometheus.Registry // nil measures nothing
	Intakes []Intake
	// Beside counts what the server does beside requests, which ends with its context; nil counts nothing.
	Beside *sync.WaitGroup
}

type server struct {
	Config
	hub    *hub
	blocks blocks
	ctx    context.Context // of the whole server
	// What never changes, by its key, so that a patch needs no query.
	shots     *lru.Cache[string, readable]
	documents *budget.Cache[revisionKey, *cover.Document]
	pictures  turns        // at having a picture read
	printer   *budget.Pool // of reports
	seen      *prometheus.HistogramVec
	patches   *prometheus.HistogramVec
}

// New returns the handler. Events are passed on until ctx ends.
func New(ctx context.Context, c Config) (http.Handler, error) {
	if c.Budget == nil {
		c.Budget = budget.New(budget.Default)
	}
	if c.Log == nil {
		c.Log = slog.New(slog.DiscardHandler)
	}
	s := &server{Config: c, ctx: ctx, hub: newHub(), printer: budget.NewPool(1, 8)}
	s.shots, _ = lru.New[string, readable](1024)
	s.documents = budget.NewCache[revisionKey](c.Budget.Documents, (*cover.Document).Bytes)
	if c.Store != nil { // the contract alone is made without one
		go c.Store.Listen(ctx, s.hub.send)
	}
	r := chi.NewRouter()
	r.Use(middleware.RequestID, s.logged, middleware.Recoverer, headers, loopbackOnly, plainText, identity,
		http.NewCrossOriginProtection().Handler, patient, timely, personally, s.roomy, s.working)
	r.Get("/healthz", s.healthz)
	r.Get("/readyz", s.readyz)
	if c.Metrics != nil {
		s.measure(c.Metrics)
		r.Handle("/metrics", metrics(c.Metrics))
	}
	uploads, err := s.uploads()
	if err != nil {
		return nil, err
	}
	r.Mount("/api/uploads", http.StripPrefix("/api/uploads", uploads))
	for path, f := range map[string]http.HandlerFunc{
		"/api/sources/{id}/views/{frame}":                       s.view,
		"/api/sources/{id}/frames/{frame}":                      s.fullFrame,
		"/api/sources/{id}/sound/{track}/peaks":                 s.peaks,
		"/api/deliveries/{id}/file":                             s.deliveryFile,
		"/api/deliveries/{id}/certificate":                      s.certificate,
		"/api/attempts/{id}/strip/{first}":                      s.strip,
		"/api/shots/{id}/foreground/{revision}/{cover}/{frame}": s.foregroundMatte,
		"/api/shots/{id}/mattes/{cover}":                        s.foregroundMattes,
		"/api/shots/{id}/stills/{frame}":                        s.still,
		"/api/shots/{id}/sheets/{revision}/{first}":             s.sheet,
		"/api/findings/{id}/recovered":                          s.recoveredPicture,
		"/api/proposals/{id}/still":                             s.proposalStill,
		"/api/marks/{id}/picture":                               s.markPicture,
		"/api/programmes/{id}/list.csv":                         s.listCSV,
		"/api/programmes/{id}/report.html":                      s.reportHTML,
		"/api/programmes/{id}/report.csv":                       s.reportCSV,
		"/api/programmes/{id}/report.pdf":                       s.reportPDF,
	} {
		r.Get(path, identified(f))
	}
	r.Get("/api/events", s.events)
	r.Get("/api/certificate-key", s.certificateKey)
	s.register(humachi.New(r, contract()))
	r.NotFound(s.page)
	return r, nil
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
			refuse(w, http.StatusForbidden, "This server answers on loopback addresses only.")
			return
		}
		next.ServeHTTP(w, r)
	})
}

// work is what somebody who works on the bench asks for: pictures of a source, what covers
// change of them, and edits; not how far something has come.
var work = regexp.MustCompile(
	`^/api/(sources/[^/]+/(views|frames)|shots/[^/]+/(patches|preview|through|edits|undo|redo))(/|$)`)

// goesOn is how long somebody is taken to be at work after a page was opened, or said that
// it plays: a browser that has all pictures at hand asks for nothing.
const goesOn = 1500 * time.Millisecond

// working tells the bench's frames that somebody works there: what they ask for comes
// before what is made ahead, and before checks.
func (s *server) working(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch {
		case s.Patches == nil:
		case views.MatchString(r.URL.Path): // a page opens
			s.Patches.Frames.Touch(goesOn)
		case work.MatchString(r.URL.Path) && r.URL.Query().Get("prepare") == "":
			s.Patches.Frames.Touch(0)
		}
		next.ServeHTTP(w, r)
	})
}

// views are the front end's own addresses; App.svelte shows what is at each.
var views = regexp.MustCompile(`^/(|programmes/[^/]+|proposals/[^/]+|review/[^/]+|sources/[^/]+|shots/[^/]+)$`)

// page serves the front end.
func (s *server) page(w http.ResponseWriter, r *http.Request) {
	name := strings.TrimPrefix(r.URL.Path, "/")
	if views.MatchString(r.URL.Path) {
		name = "index.html"
	}
	st, err := fs.Stat(s.Web, name)
	if err != nil || st.IsDir() || r.Method != http.MethodGet && r.Method != http.MethodHead {
		refuse(w, http.StatusNotFound, "There is nothing at this address.")
		return
	}
	if strings.HasPrefix(name, "assets/") {
		w.Header().Set("Cache-Control", "public, max-age=31536000, immutable")
	} else {
		w.Header().Set("Cache-Control", "no-cache")
	}
	w.Header().Set("Content-Security-Policy", "default-src 'self'; script-src 'self' 'wasm-unsafe-eval'; "+
		"style-src 'self' 'unsafe-inline'; img-src 'self' blob: data:; frame-ancestors 'none'; base-uri 'none'; "+
		"form-action 'self'")
	http.ServeFileFS(w, r, s.Web, name)
}

// refuse answers with a problem, as the contract's routes do.
func refuse(w http.ResponseWriter, status int, detail string) {
	w.Header().Set("Content-Type", "application/problem+json")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(status)
	json.NewEncoder(w).Encode(huma.ErrorModel{Title: http.StatusText(status), Status: status, Detail: detail})
}

var errNoDatabase = errors.New("the database does not answer; it is started again and the request can be sent " +
	"again in a few seconds")

// problem turns an error into one for people, with the status that fits. What nobody
// outside can do anything about is told in the log alone.
func problem(err error) error {
	var conflict *store.Conflict
	later := func(why error) error {
		return huma.ErrorWithHeaders(huma.Error503ServiceUnavailable(sentence(why)), http.Header{"Retry-After": {"1"}})
	}
	var known huma.StatusError
	switch {
	case err == nil:
		return nil
	case errors.As(err, &known):
		return err
	case errors.Is(err, store.ErrNone), errors.Is(err, cover.ErrNoCover), errors.Is(err, cover.ErrNoTrack):
		return huma.Error404NotFound(sentence(err))
	case errors.As(err, &conflict), errors.Is(err, store.ErrNothing):
		return huma.Error409Conflict(sentence(err))
	case errors.Is(err, media.ErrGone):
		return huma.Error410Gone(sentence(err))
	case errors.Is(err, media.ErrUnusable), errors.Is(err, storage.ErrOutside), errors.Is(err, store.ErrForeign),
		errors.Is(err, cover.ErrLarge),
		errors.Is(err, storage.ErrNoUpload), errors.Is(err, storage.ErrUnfinished), errors.Is(err, storage.ErrDigest):
		return huma.Error422UnprocessableEntity(sentence(err))
	case store.Unfit(err):
		return huma.Error422UnprocessableEntity("A text holds a character that cannot be kept.")
	case errors.Is(err, context.Canceled):
		return huma.NewError(499, "The request was withdrawn.")
	case errors.Is(err, budget.ErrBusy), errors.Is(err, errSlow):
		return later(err)
	case fault.IsFull(err), store.Full(err):
		return huma.NewError(http.StatusInsufficientStorage, sentence(err)+" Make room and try again; nothing is lost.")
	case store.Unavailable(err), errors.Is(err, context.DeadlineExceeded):
		slog.Warn("the database cannot be asked", "error", err)
		return later(errNoDatabase)
	}
	id := middleware.NextRequestID()
	slog.Error("a request failed", "fault", id, "error", err)
	text := fmt.Sprintf("The server could not do it. Its log says why, under fault %d.", id)
	if fault.IsMachine(err) {
		return huma.ErrorWithHeaders(huma.Error503ServiceUnavailable(text), http.Header{"Retry-After": {"5"}})
	}
	return huma.Error500InternalServerError(text)
}

// sentence makes an error's text a sentence.
func sentence(err error) string {
	t := err.Error()
	for _, p := range []string{"edit: ", "document: ", "media: "} {
		t = strings.TrimPrefix(t, p)
	}
	return strings.ToUpper(t[:1]) + t[1:] + "."
}

// Listen opens an address. Any but a loopback one is refused: there is no sign-in yet.
func Listen(addr string) (net.Listener, error) {
	host, _, err := net.SplitHostPort(addr)
	if err != nil {
		return nil, err
	}
	if ip := net.ParseIP(host); host != "localhost" && (ip == nil || !ip.IsLoopback()) {
		return nil, errors.New("serve: without sign-in the server listens on loopback addresses only, such as 127.0.0.1:8420")
	}
	return net.Listen("tcp", addr)
}

// Serve answers on l until ctx ends, then lets running requests finish for a few seconds.
func Serve(ctx context.Context, l net.Listener, h http.Handler) error {
	requests, cancel := context.WithCancel(context.WithoutCancel(ctx))
	defer cancel()
	srv := &http.Server{
		Handler: h, ReadHeaderTimeout: 10 * time.Second, IdleTimeout: resting, MaxHeaderBytes: 64 << 10,
		BaseContext: func(net.Listener) context.Context { return requests },
	}
	done := make(chan error, 1)
	go func() { done <- srv.Serve(l) }()
	select {
	case err := <-done:
		return err
	case <-ctx.Done():
	}
	stop, end := context.WithTimeout(context.Background(), 5*time.Second)
	defer end()
	// Those who listen for events would stay; they come again when the server is back.
	time.AfterFunc(time.Second, cancel)
	if srv.Shutdown(stop) != nil {
		srv.Close()
	}
	return nil
}
