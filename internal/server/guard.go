package server

import (
	"context"
	"errors"
	"io"
	"log/slog"
	"net/http"
	"regexp"
	"strconv"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"

	"celator/internal/budget"
)

// patience is how long the other side of a connection may be silent in the middle of a
// body, and how long it may leave an answer unread. Tests have less.
var patience = 30 * time.Second

const (
	// resting is how long a connection may stay open between two requests.
	resting = 2 * time.Minute
	// answering is how long an ordinary request may take.
	answering = time.Minute
	// small is the body that is read without asking for memory.
	small = 64 << 10
)

// headers are what every answer carries, whatever it is: it is what it says it is, no
// other page shows it inside itself, and no address of ours is told to others.
func headers(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("X-Frame-Options", "DENY")
		h.Set("Referrer-Policy", "no-referrer")
		h.Set("Cross-Origin-Resource-Policy", "same-origin")
		h.Set("Content-Security-Policy", "default-src 'none'; frame-ancestors 'none'")
		next.ServeHTTP(w, r)
	})
}

// plainText refuses what no name or address holds: a zero byte ends strings elsewhere,
// and the database does not keep it.
func plainText(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if strings.ContainsRune(r.URL.Path, 0) || strings.Contains(r.URL.RawQuery, "%00") {
			refuse(w, http.StatusBadRequest, "The address holds a character that no name has.")
			return
		}
		next.ServeHTTP(w, r)
	})
}

var uuid = regexp.MustCompile(`^[0-9a-fA-F]{8}(-[0-9a-fA-F]{4}){3}-[0-9a-fA-F]{12}$`)

// identified lets only identifiers through as the {id} of a route outside the contract;
// inside it the contract says so.
func identified(next http.HandlerFunc) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		if !uuid.MatchString(chi.URLParam(r, "id")) {
			refuse(w, http.StatusNotFound, "There is nothing at this address.")
			return
		}
		next(w, r)
	}
}

// patient ends connections on which nothing comes, or from which nothing is taken.
// Without it a body sent a byte a minute would hold its request for ever.
func patient(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		c := http.NewResponseController(w)
		if r.Body != nil && r.Body != http.NoBody {
			r.Body = &steady{r.Body, c}
		}
		next.ServeHTTP(&prompt{ResponseWriter: w, c: c}, r)
	})
}

// steady gives each reading of a body its time.
type steady struct {
	io.ReadCloser
	c *http.ResponseController
}

func (s *steady) Read(b []byte) (int, error) {
	s.c.SetReadDeadline(time.Now().Add(patience))
	n, err := s.ReadCloser.Read(b)
	if errors.Is(err, io.EOF) { // the next request has its own times; a broken body keeps this one
		s.c.SetReadDeadline(time.Time{})
	}
	return n, err
}

// prompt gives each writing of an answer its time.
type prompt struct {
	http.ResponseWriter
	c *http.ResponseController
}

func (p *prompt) Write(b []byte) (int, error) {
	p.c.SetWriteDeadline(time.Now().Add(patience))
	return p.ResponseWriter.Write(b)
}

func (p *prompt) Unwrap() http.ResponseWriter { return p.ResponseWriter }

func (p *prompt) Flush() {
	p.c.SetWriteDeadline(time.Now().Add(patience))
	p.c.Flush()
}

// ReadFrom keeps the fast way of sending files, in pieces that each have their time.
func (p *prompt) ReadFrom(src io.Reader) (n int64, err error) {
	to, ok := p.ResponseWriter.(io.ReaderFrom)
	if !ok {
		return io.Copy(struct{ io.Writer }{p}, src)
	}
	for {
		const piece = 4 << 20
		p.c.SetWriteDeadline(time.Now().Add(patience))
		m, err := to.ReadFrom(io.LimitReader(src, piece))
		if n += m; err != nil || m < piece {
			return n, err
		}
	}
}

// timely ends the context of an ordinary request after a while, so that nothing waits for
// ever for a connection or a decoder.
func timely(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch {
		case strings.HasPrefix(r.URL.Path, "/api/events"), strings.HasPrefix(r.URL.Path, "/api/uploads"),
			// go on as long as somebody is there
			strings.HasSuffix(r.URL.Path, "/file"), strings.Contains(r.URL.Path, "/mattes/"),
			strings.Contains(r.URL.Path, "/report."),
			r.Method == http.MethodPost && strings.HasSuffix(r.URL.Path, "/sources"): // reads a whole file
		default:
			ctx, cancel := context.WithTimeoutCause(r.Context(), answering, errSlow)
			defer cancel()
			r = r.WithContext(ctx)
		}
		next.ServeHTTP(w, r)
	})
}

var errSlow = errors.New("it takes longer than a minute; the server is busy")

// roomy takes memory for large bodies before they are read: what is made of a body takes
// several times what it is.
func (s *server) roomy(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		n := r.ContentLength
		if n >= 0 && n <= small || s.Budget == nil || strings.HasPrefix(r.URL.Path, "/api/uploads") || r.Body == nil ||
			r.Body == http.NoBody {
			next.ServeHTTP(w, r)
			return
		}
		if n < 0 { // not said: as much as most routes take
			n = usual
		}
		free, err := s.Budget.Bodies.Hold(r.Context(), budget.Soon, 4*n)
		if err != nil {
			failed(w, err)
			return
		}
		defer free()
		next.ServeHTTP(w, r)
	})
}

// logged writes a line for every request that failed, and for the others where the log
// wants all; and counts them.
func (s *server) logged(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		begun := time.Now()
		ww := middleware.NewWrapResponseWriter(w, r.ProtoMajor)
		next.ServeHTTP(ww, r)
		status := ww.Status()
		if status == 0 {
			status = http.StatusOK
		}
		route := "other"
		if c := chi.RouteContext(r.Context()); c != nil && c.RoutePattern() != "" {
			route = c.RoutePattern()
		}
		took := time.Since(begun)
		if s.seen != nil && route != "/api/events" {
			s.seen.WithLabelValues(r.Method, route, strconv.Itoa(status)).Observe(took.Seconds())
		}
		level := slog.LevelDebug
		switch {
		case status >= 500:
			level = slog.LevelWarn
		case status >= 400:
			level = slog.LevelInfo
		}
		if s.Log != nil {
			s.Log.Log(r.Context(), level, "request", "method", r.Method, "path", r.URL.Path, "status", status, "ms",
				took.Milliseconds(), "request", middleware.GetReqID(r.Context()))
		}
	})
}
