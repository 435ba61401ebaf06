package server

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"image/jpeg"
	"io"
	"mime"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/tus/tusd/v2/pkg/filelocker"
	"github.com/tus/tusd/v2/pkg/filestore"
	tus "github.com/tus/tusd/v2/pkg/handler"
	"golang.org/x/exp/slog"

	"celator/core/cover"
	"celator/core/treat"
	"celator/internal/budget"
	"celator/internal/certificate"
	"celator/internal/media"
	"celator/internal/storage"
	"celator/internal/store"
)

// MaxUpload is the largest file taken, in bytes.
const MaxUpload = 2 << 40

// Bounds of what is uploaded. Uploads that nobody goes on with are swept away.
const (
	mostUploads = 50 // under way at a time
)

// uploads is the resumable upload (tus 1.0).
func (s *server) uploads() (http.Handler, error) {
	dir := filepath.Join(s.Library.Store, "uploads")
	files := filestore.New(dir)
	files.DirModePerm, files.FileModePerm = 0o700, 0o600
	c := tus.NewStoreComposer()
	c.UseCore(files)
	c.UseTerminater(files)
	filelocker.New(dir).UseIn(c)
	h, err := tus.NewHandler(tus.Config{
		StoreComposer: c, BasePath: "/api/uploads/", MaxSize: MaxUpload,
		Logger:          slog.New(slog.NewTextHandler(io.Discard, nil)),
		DisableDownload: true, Cors: &tus.CorsConfig{Disable: true}, NetworkTimeout: patience,
		PreUploadCreateCallback: func(e tus.HookEvent) (tus.HTTPResponse, tus.FileInfoChanges, error) {
			return tus.HTTPResponse{}, tus.FileInfoChanges{}, s.roomFor(e.Upload.Size)
		},
	})
	if err != nil {
		return nil, err
	}
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if id := strings.Trim(r.URL.Path, "/"); id != "" && !storage.IsUpload(id) {
			refuse(w, http.StatusNotFound, "There is no such upload.")
			return
		}
		h.ServeHTTP(w, r)
	}), nil
}

// roomFor refuses an upload for which there is no room beside those under way.
func (s *server) roomFor(size int64) error {
	n, missing, err := s.Library.Uploads()
	if err != nil {
		return err
	}
	if n >= mostUploads {
		return tus.NewError("ERR_TOO_MANY_UPLOADS", fmt.Sprintf(
			"%d uploads are under way already; finish or remove some first", n), http.StatusServiceUnavailable)
	}
	if err := s.Library.Room(missing + size); err != nil {
		return tus.NewError("ERR_NO_ROOM", sentence(err), http.StatusInsufficientStorage)
	}
	return nil
}

// view serves a view frame, which never changes once it is there; with near that of its second, of a long source.
func (s *server) view(w http.ResponseWriter, r *http.Request) {
	t, err := moment(strings.TrimSuffix(chi.URLParam(r, "frame"), ".jpg"))
	if err != nil {
		refuse(w, http.StatusNotFound, "There is no such frame.")
		return
	}
	near := r.URL.Query().Get("near") != ""
	path, err := s.viewFile(r.Context(), chi.URLParam(r, "id"), t, near)
	if err != nil {
		failed(w, err)
		return
	}
	if near && path != media.View(s.Library.Dir(chi.URLParam(r, "id")), t) {
		w.Header().Set("Cache-Control", "no-cache")
	}
	made(w, r, path, "image/jpeg", "This frame's picture is not made yet.")
}

// made serves a file that never changes once it is there, or says why it is not.
func made(w http.ResponseWriter, r *http.Request, path, kind, missing string) {
	file, err := os.Open(path)
	if err != nil {
		refuse(w, http.StatusNotFound, missing)
		return
	}
	defer file.Close()
	w.Header().Set("Content-Type", kind)
	if w.Header().Get("Cache-Control") == "" {
		w.Header().Set("Cache-Control", "private, max-age=31536000, immutable")
	}
	http.ServeContent(w, r, "", time.Time{}, file)
}

// moment reads a frame's number, or that of its second field, which ends in .5; how many frames
// there are is asked later.
func moment(s string) (cover.Time, error) { return cover.ParseTime(s, cover.MaxFrames) }

// fullFrame serves a frame at the source's size, from its decoded samples: of a woven picture
// one field, or both.
func (s *server) fullFrame(w http.ResponseWriter, r *http.Request) {
	t, err := moment(chi.URLParam(r, "frame"))
	if err != nil {
		refuse(w, http.StatusNotFound, "There is no such frame.")
		return
	}
	b, err := s.wholeFrame(r.Context(), chi.URLParam(r, "id"), t, r.URL.Query().Get("woven") != "")
	if err != nil {
		failed(w, err)
		return
	}
	w.Header().Set("Content-Type", "image/jpeg")
	w.Header().Set("Cache-Control", "private, max-age=86400, immutable")
	w.Write(b)
}

func (s *server) wholeFrame(ctx context.Context, source string, t cover.Time, woven bool) ([]byte, error) {
	src, err := s.Store.Source(ctx, source)
	if err != nil {
		return nil, err
	}
	if t.Frame() >= src.Frames {
		return nil, store.ErrNone
	}
	clip, err := s.Library.Clip(src)
	if err != nil {
		return nil, err
	}
	pic, err := s.Patches.Frames.Get(ctx, budget.Soon, src.ID, clip, t.Frame())
	if err != nil {
		return nil, err
	}
	free, err := s.Budget.Pictures.Hold(ctx, budget.Soon, 4*int64(pic.Width*pic.Height))
	if err != nil {
		return nil, err
	}
	defer free()
	turn, err := s.Budget.Processor.Hold(ctx, budget.Soon, 1)
	if err != nil {
		return nil, err
	}
	defer turn()
	if !woven {
		pic = treat.FieldAt(pic, t)
	}
	var out bytes.Buffer
	err = jpeg.Encode(&out, pic.RGBA(pic.Rect()), &jpeg.Options{Quality: 95})
	return out.Bytes(), err
}

func (s *server) deliveryFile(w http.ResponseWriter, r *http.Request) {
	d, err := s.Store.Delivery(r.Context(), chi.URLParam(r, "id"))
	if err != nil && !errors.Is(err, store.ErrNone) {
		failed(w, err)
		return
	}
	if err != nil || d.State != store.Done {
		refuse(w, http.StatusNotFound, "There is no finished file for this delivery.")
		return
	}
	file, err := os.Open(s.Library.DeliveryFile(d.ID, d.Name))
	if err != nil {
		failed(w, media.ErrGone)
		return
	}
	defer file.Close()
	w.Header().Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": d.Name}))
	http.ServeContent(w, r, d.Name, time.Time{}, file)
}

// certificate gives that of a finished master.
func (s *server) certificate(w http.ResponseWriter, r *http.Request) {
	d, err := s.Store.Delivery(r.Context(), chi.URLParam(r, "id"))
	if err != nil && !errors.Is(err, store.ErrNone) {
		failed(w, err)
		return
	}
	file, openErr := os.Open(s.Library.CertificateFile(d.ID, d.Name))
	if err != nil || d.State != store.Done || openErr != nil {
		refuse(w, http.StatusNotFound, "This delivery has no certificate: masters alone have one, when they are done.")
		return
	}
	defer file.Close()
	name := d.Name + ".certificate.json"
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": name}))
	http.ServeContent(w, r, name, time.Time{}, file)
}

// certificateKey gives the public key that certificates are checked with.
func (s *server) certificateKey(w http.ResponseWriter, _ *http.Request) {
	key, err := certificate.Key(s.Library.Store)
	var pub []byte
	if err == nil {
		pub, err = certificate.Public(key)
	}
	if err != nil {
		failed(w, err)
		return
	}
	w.Header().Set("Content-Type", "application/x-pem-file")
	w.Header().Set("Content-Disposition", `attachment; filename="celator-public-key.pem"`)
	w.Write(pub)
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

// mostListeners is how many windows may be open at a time.
const mostListeners = 1000

func (s *server) events(w http.ResponseWriter, r *http.Request) {
	c := make(chan store.Event, 64)
	s.hub.mu.Lock()
	full := len(s.hub.subs) >= mostListeners
	if !full {
		s.hub.subs[c] = true
	}
	s.hub.mu.Unlock()
	if full {
		refuse(w, http.StatusServiceUnavailable, "Too many windows listen already; close some.")
		return
	}
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
