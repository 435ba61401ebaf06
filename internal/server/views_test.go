package server

import (
	"bytes"
	"context"
	"image/jpeg"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"sync"
	"testing"

	"celator/internal/media"
	"celator/internal/store"
)

// A long source is brought in in pieces; of each second there is a still, and other views are made when somebody looks,
// by however many at once; they are the frames that were asked for.
func TestLongSource(t *testing.T) {
	s, shot := open(t)
	var at struct{ Source string }
	s.ask("GET", shot, nil, 200, &at)
	path := filepath.Join(s.lib.Media, "long.mp4")
	if err := media.Run(context.Background(), []string{
		"-f", "lavfi", "-i", "testsrc2=size=64x36:rate=25:duration=620", "-f", "lavfi", "-i", "sine=duration=620", "-c:v",
		"libx264", "-preset", "ultrafast", "-g", "50", "-pix_fmt", "yuv420p", path,
	}, nil); err != nil {
		t.Fatal(err)
	}
	var src sourceView
	s.ask("POST", "/api/programmes/"+s.programmeOf(at.Source)+"/sources", m{"media": "long.mp4"}, 201, &src)
	s.until("the long source", func() bool {
		s.ask("GET", "/api/sources/"+src.ID, nil, 200, &src)
		return src.State == store.Ready || src.State == store.Failed
	})
	if src.State != store.Ready || src.Frames != 15500 {
		t.Fatalf("%+v", src)
	}
	get := func(address string) (int, []byte) {
		w := httptest.NewRecorder()
		s.h.ServeHTTP(w, httptest.NewRequest("GET", "http://127.0.0.1"+address, nil))
		return w.Code, w.Body.Bytes()
	}
	views := "/api/sources/" + src.ID + "/views/"
	still, near := 0, []byte(nil)
	if still, near = get(views + "7013.jpg?near=true"); still != http.StatusOK {
		t.Fatalf("a still: %d", still)
	}
	if _, exact := get(views + "7000.jpg"); !bytes.Equal(near, exact) {
		t.Error("the still is not that of its second")
	}
	var wait sync.WaitGroup
	for _, f := range []string{"7013", "7014", "12001", "12002", "1", "15499"} {
		wait.Go(func() {
			code, b := get(views + f + ".jpg")
			if _, err := jpeg.DecodeConfig(bytes.NewReader(b)); code != http.StatusOK || err != nil {
				t.Errorf("view %s: %d, %v", f, code, err)
			}
		})
	}
	wait.Wait()
	if code, _ := get(views + "15500.jpg"); code != http.StatusNotFound {
		t.Errorf("a frame after the last: %d", code)
	}
	_, one := get(views + "7013.jpg")
	_, two := get(views + "7014.jpg")
	if bytes.Equal(one, two) {
		t.Error("two frames have one picture")
	}
}
