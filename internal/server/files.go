package server

import (
	"encoding/json"
	"fmt"
	"image/jpeg"
	"io"
	"mime"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/tus/tusd/v2/pkg/filelocker"
	"github.com/tus/tusd/v2/pkg/filestore"
	tus "github.com/tus/tusd/v2/pkg/handler"
	"golang.org/x/exp/slog"

	"celator/core/frame"
	"celator/internal/media"
	"celator/internal/store"
)

// MaxUpload is the largest file taken, in bytes.
const MaxUpload = 2 << 40

// uploads is the resumable upload (tus 1.0).
func (s *server) uploads() (http.Handler, error) {
	dir := filepath.Join(s.Library.Store, "uploads")
	c := tus.NewStoreComposer()
	filestore.New(dir).UseIn(c)
	filelocker.New(dir).UseIn(c)
	return tus.NewHandler(tus.Config{StoreComposer: c, BasePath: "/api/uploads/", MaxSize: MaxUpload, Logger: slog.New(slog.NewTextHandler(io.Discard, nil)),
		DisableDownload: true, Cors: &tus.CorsConfig{Disable: true}})
}

// view serves a view frame, which never changes once it is there.
func (s *server) view(w http.ResponseWriter, r *http.Request) {
	f, err := strconv.Atoi(strings.TrimSuffix(chi.URLParam(r, "frame"), ".jpg"))
	id := chi.URLParam(r, "id")
	if err != nil || f < 0 || !filepath.IsLocal(id) {
		http.NotFound(w, r)
		return
	}
	file, err := os.Open(media.ViewPath(s.Library.Dir(id), f))
	if err != nil {
		w.Header().Set("Cache-Control", "no-store")
		http.Error(w, "This frame's picture is not made yet.", http.StatusNotFound)
		return
	}
	defer file.Close()
	w.Header().Set("Content-Type", "image/jpeg")
	w.Header().Set("Cache-Control", "private, max-age=31536000, immutable")
	http.ServeContent(w, r, "", time.Time{}, file)
}

// fullFrame serves a frame at the source's size, from its decoded samples.
func (s *server) fullFrame(w http.ResponseWriter, r *http.Request) {
	f, err := strconv.Atoi(chi.URLParam(r, "frame"))
	src, err2 := s.Store.Source(r.Context(), chi.URLParam(r, "id"))
	if err != nil || err2 != nil || f < 0 || f >= src.Frames {
		http.NotFound(w, r)
		return
	}
	clip, err := s.Library.Clip(src)
	if err == nil {
		var pic *frame.Picture
		if pic, err = s.Patches.Frames.Get(r.Context(), src.ID, clip, f); err == nil {
			w.Header().Set("Content-Type", "image/jpeg")
			w.Header().Set("Cache-Control", "private, max-age=86400, immutable")
			jpeg.Encode(w, pic.RGBA(pic.Rect()), &jpeg.Options{Quality: 95})
			return
		}
	}
	http.Error(w, "This frame cannot be read: "+err.Error(), http.StatusInternalServerError)
}

func (s *server) deliveryFile(w http.ResponseWriter, r *http.Request) {
	d, err := s.Store.Delivery(r.Context(), chi.URLParam(r, "id"))
	if err != nil || d.State != store.Done {
		http.Error(w, "There is no finished file for this delivery.", http.StatusNotFound)
		return
	}
	w.Header().Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": d.Name}))
	http.ServeFile(w, r, s.Library.DeliveryFile(d.ID, d.Name))
}

// hub passes events on to the browsers that listen.
type hub struct {
	mu   sync.Mutex
	subs map[chan store.Event]bool
}

func newHub() *hub { return &hub{subs: map[chan store.Event]bool{}} }

// send never waits: a listener that falls behind misses events and asks anew at
// the next one.
func (h *hub) send(e store.Event) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for c := range h.subs {
		select {
		case c <- e:
		default:
		}
	}
}

func (s *server) events(w http.ResponseWriter, r *http.Request) {
	c := make(chan store.Event, 64)
	s.hub.mu.Lock()
	s.hub.subs[c] = true
	s.hub.mu.Unlock()
	defer func() {
		s.hub.mu.Lock()
		delete(s.hub.subs, c)
		s.hub.mu.Unlock()
	}()
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("Cache-Control", "no-store")
	out := http.NewResponseController(w)
	fmt.Fprint(w, ": hello\n\n")
	out.Flush()
	for {
		select {
		case <-r.Context().Done():
			return
		case e := <-c:
			b, _ := json.Marshal(e)
			fmt.Fprintf(w, "data: %s\n\n", b)
		case <-time.After(20 * time.Second):
			fmt.Fprint(w, ": still here\n\n")
		}
		if out.Flush() != nil {
			return
		}
	}
}
