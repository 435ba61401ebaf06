package handover

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"io"
	"log/slog"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"sync/atomic"
	"testing"

	"celator/internal/fault"
	"celator/internal/intake"
	"celator/internal/media"
)

// station is an intake that can be cut off in the middle, and started again over what it has.
type station struct {
	dir    string
	cut    atomic.Int64 // bytes after which a connection is cut; 0 lets all through
	taken  atomic.Int64
	server *httptest.Server
	end    context.CancelFunc
}

func (s *station) start(t *testing.T) {
	t.Helper()
	in, err := intake.Open(s.dir, intake.Usual, slog.New(slog.DiscardHandler))
	if err != nil {
		t.Fatal(err)
	}
	ctx, end := context.WithCancel(context.Background())
	h, err := in.Handler(ctx)
	if err != nil {
		t.Fatal(err)
	}
	go in.Watch(ctx)
	s.end = end
	s.server = httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		r.Body = &cutter{r.Body, s}
		h.ServeHTTP(w, r)
	}))
	t.Cleanup(func() { s.server.Close(); end() })
}

type cutter struct {
	io.ReadCloser
	s *station
}

func (c *cutter) Read(b []byte) (int, error) {
	if most := c.s.cut.Load(); most > 0 && c.s.taken.Load() > most {
		c.s.server.CloseClientConnections()
		return 0, io.ErrUnexpectedEOF
	}
	n, err := c.ReadCloser.Read(b)
	c.s.taken.Add(int64(n))
	return n, err
}

// film makes a small clip that plays, with something behind it that makes it large.
func film(t *testing.T, name string, padding int) File {
	t.Helper()
	path := filepath.Join(t.TempDir(), name)
	err := media.Run(context.Background(), []string{
		"-f", "lavfi", "-i", "testsrc2=size=160x90:rate=25:duration=1", "-c:v", "mpeg2video", "-f", "mxf", path,
	}, nil)
	if err != nil {
		t.Fatal(err)
	}
	b, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	r := rand.New(rand.NewPCG(1, 2))
	for range padding {
		b = append(b, byte(r.Uint32()))
	}
	if err := os.WriteFile(path, b, 0o600); err != nil {
		t.Fatal(err)
	}
	sum := sha256.Sum256(b)
	return File{Path: path, Name: name, SHA256: hex.EncodeToString(sum[:])}
}

// A file arrives whole although the connection breaks and the intake is ended in the middle, without being sent from
// its beginning again; the receipt is for what arrived.
func TestResumed(t *testing.T) {
	ctx := context.Background()
	s := &station{dir: t.TempDir()}
	s.start(t)
	f := film(t, "Week 12 master.mxf", 9<<20)
	st, _ := os.Stat(f.Path)

	at, upload := int64(0), ""
	tell := func(sent int64, to string) bool {
		at, upload = sent, to
		return true
	}
	s.cut.Store(4 << 20)
	_, err := Send(ctx, s.server.URL, "", f, tell)
	if err == nil || !fault.IsMachine(err) || upload == "" {
		t.Fatalf("%v at %q", err, upload)
	}
	s.server.Close() // and the intake is started again
	s.end()
	old := s.server.URL
	s.start(t)
	s.cut.Store(0)
	s.taken.Store(0)
	r, err := Send(ctx, s.server.URL, strings.Replace(upload, old, s.server.URL, 1), f, tell)
	if err != nil || r.State != intake.Acknowledged || r.SHA256 != f.SHA256 || r.Size != st.Size() || at != st.Size() {
		t.Fatalf("%+v, %v, %d sent", r, err, at)
	}
	if n := s.taken.Load(); n >= st.Size() || n == 0 {
		t.Errorf("%d of %d bytes were sent the second time", n, st.Size())
	}
	got, err := os.ReadFile(filepath.Join(s.dir, "accepted", f.Name))
	want, _ := os.ReadFile(f.Path)
	if err != nil || !bytes.Equal(got, want) {
		t.Errorf("what arrived differs, %v", err)
	}
	// Handed over again it is the same file; another one of that name is not.
	if _, err := Send(ctx, s.server.URL, "", f, tell); err != nil {
		t.Error(err)
	}
	other := film(t, "Week 12 master.mxf", 10)
	if _, err := Send(ctx, s.server.URL, "", other, tell); !errors.Is(err, ErrRefused) {
		t.Errorf("another file of the name: %v", err)
	}
}

// What the rules do not take is refused in words, and for good; that nobody is there is the machine's fault.
func TestRefused(t *testing.T) {
	ctx := context.Background()
	s := &station{dir: t.TempDir()}
	s.start(t)
	good := film(t, "good.mxf", 0)
	text := filepath.Join(t.TempDir(), "text.mxf")
	if err := os.WriteFile(text, []byte("no film at all"), 0o600); err != nil {
		t.Fatal(err)
	}
	sum := sha256.Sum256([]byte("no film at all"))
	for _, c := range []struct {
		why  string
		file File
		says string
	}{
		{"name", File{good.Path, "über?.mxf", good.SHA256}, "name"},
		{"format", File{good.Path, "good.exe", good.SHA256}, ".exe"},
		{"checksum", File{good.Path, "good.mxf", strings.Repeat("0", 64)}, "checksum"},
		{"no checksum", File{good.Path, "good.mxf", ""}, "SHA-256"},
		{"no film", File{text, "text.mxf", hex.EncodeToString(sum[:])}, "played"},
	} {
		for _, address := range []string{s.server.URL, filepath.Join(s.dir, "watch")} {
			_, err := Send(ctx, address, "", c.file, func(int64, string) bool { return true })
			said := err != nil && (c.why == "no checksum" || strings.Contains(err.Error(), c.says))
			if !errors.Is(err, ErrRefused) || fault.IsMachine(err) || !said {
				t.Errorf("%s by %s: %v", c.why, address, err)
			}
		}
	}
	wild := intake.Usual
	wild.Names = regexp.MustCompile(`.*`)
	for _, name := range []string{"../good.mxf", "a/b.mxf", ".hidden.mxf", "..", ""} {
		if err := wild.Takes(name, 9); !errors.Is(err, intake.ErrRefused) {
			t.Errorf("the name %q is taken by rules that take any, %v", name, err)
		}
	}
	if left, _ := filepath.Glob(filepath.Join(s.dir, "accepted", "*")); len(left) > 0 {
		t.Errorf("taken all the same: %v", left)
	}
	r, err := Send(ctx, filepath.Join(s.dir, "watch"), "", good, func(int64, string) bool { return true })
	if err != nil || r.SHA256 != good.SHA256 {
		t.Errorf("by the watched folder: %+v, %v", r, err)
	}
	// What still waits in a folder that nobody watches is not written over.
	dead := t.TempDir()
	if err := os.WriteFile(filepath.Join(dead, good.Name+intake.SumEnding), []byte("11  "+good.Name), 0o600); err != nil {
		t.Fatal(err)
	}
	if _, err := Send(ctx, dead, "", good, func(int64, string) bool { return true }); !fault.IsMachine(err) {
		t.Errorf("a file of that name waits already: %v", err)
	}
	if _, err := Send(ctx, s.server.URL, "", good, func(sent int64, _ string) bool { return sent == 0 }); !errors.Is(err,
		ErrUnwanted) {
		t.Errorf("not wanted any more: %v", err)
	}
	s.server.Close()
	if _, err := Send(ctx, s.server.URL, "", good, func(int64, string) bool { return true }); !fault.IsMachine(err) {
		t.Errorf("nobody there: %v", err)
	}
}

func TestCheck(t *testing.T) {
	for address, ok := range map[string]bool{
		"http://127.0.0.1:8421": true, "https://intake.example/in": true, "/srv/watch": true, "watch": false,
		"ftp://x": false, "http://": false, "": false,
	} {
		if (Check(address) == nil) != ok {
			t.Errorf("%q: %v", address, Check(address))
		}
	}
}
