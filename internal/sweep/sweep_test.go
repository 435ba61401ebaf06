package sweep

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"testing"
	"time"

	"celator/core/cover"
	"celator/core/geom"
	"celator/internal/media"
	"celator/internal/storage"
	"celator/internal/store"
	"celator/internal/testdb"
)

func TestMain(m *testing.M) { testdb.Main(m) }

// write makes a file of a certain age and returns its path.
func write(t *testing.T, lib storage.Library, age time.Duration, rel string) string {
	t.Helper()
	p := filepath.Join(lib.Store, rel)
	if err := os.MkdirAll(filepath.Dir(p), 0o700); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(p, []byte("content"), 0o600); err != nil {
		t.Fatal(err)
	}
	at := time.Now().Add(-age)
	for _, q := range []string{p, filepath.Dir(p)} {
		if err := os.Chtimes(q, at, at); err != nil {
			t.Fatal(err)
		}
	}
	return p
}

// What nothing uses goes after its time, and nothing else ever does; a dry run says the
// same and takes nothing.
//
// Long: one scenario, told from its beginning to its end.
func TestSweep(t *testing.T) {
	ctx := context.Background()
	st, _ := testdb.Open(t)
	dir := t.TempDir()
	lib, err := storage.New(dir, dir)
	if err != nil {
		t.Fatal(err)
	}
	p, err := st.AddProgramme(ctx, "P")
	if err != nil {
		t.Fatal(err)
	}
	src := store.Source{ID: store.NewID(), Programme: p.ID, Name: "clip", Place: "store", Path: "source.mkv", Frames: 20}
	src.Info.V = media.Info{Width: 640, Height: 360, Frames: 20}
	shot, err := st.AddSource(ctx, src)
	if err != nil {
		t.Fatal(err)
	}
	d := store.Delivery{ID: store.NewID(), Shot: shot.ID, Preset: "archive", Name: "out.mkv", Frames: 20}
	if err := st.AddDelivery(ctx, d, []store.Segment{{First: 0, Last: 19, Key: "needed"}}); err != nil {
		t.Fatal(err)
	}
	tr := cover.Track{
		ID: "t", Name: "t", Kind: cover.Surface, Model: "affine", Channel: "luma",
		Anchors: []cover.TrackAnchor{}, Surface: []geom.Point{
			{X: 50, Y: 40}, {X: 150, Y: 40}, {X: 150, Y: 90}, {X: 50, Y: 90},
		}, Poses: &cover.Poses{},
	}
	for range 20 {
		tr.Poses.Corners, tr.Poses.Confidence, tr.Poses.States = append(tr.Poses.Corners,
			[8]float64{50, 40, 150, 40, 150, 90, 50, 90}), append(tr.Poses.Confidence, 1), tr.Poses.States+"g"
	}
	var attempts []string
	for range 3 {
		a, err := st.Adopt(ctx, shot.ID, tr, "a")
		if err != nil {
			t.Fatal(err)
		}
		attempts = append(attempts, a.ID)
	}
	graphics := make([]string, 2)
	for i := range graphics {
		if graphics[i], err = st.AddGraphic(ctx, fmt.Append(nil, "picture ", i)); err != nil {
			t.Fatal(err)
		}
	}
	used := tr
	used.Poses, used.Attempt = nil, attempts[0]
	g := cover.Graphic{ID: graphics[0], Name: "g", Width: 1, Height: 1}
	head, err := st.Edit(ctx, shot.ID, store.On{}, func(d *cover.Document) (*cover.Document, string, error) {
		return d.Apply(cover.SetTrack{Track: used}, cover.SetGraphic{Graphic: g})
	})
	if err != nil {
		t.Fatal(err)
	}
	// Undone, it can be redone: what it points at stays.
	if _, err := st.Undo(ctx, shot.ID, store.On{Base: head.Number}); err != nil {
		t.Fatal(err)
	}
	for _, q := range []string{`UPDATE attempt SET created = now() - interval '40 days', finished = NULL
		WHERE id <> $1`, `UPDATE graphic SET created = now() - interval '40 days' WHERE id <> $1`} {
		if _, err := st.QueuePool().Exec(ctx, q, attempts[2]); err != nil {
			t.Fatal(err)
		}
	}
	const day = 24 * time.Hour
	upload := "0123456789abcdef0123456789abcdef"
	fresh := "1123456789abcdef0123456789abcdef"
	gone := store.NewID()
	var goes, stay []string
	for rel, age := range map[string]time.Duration{
		"uploads/" + upload: 8 * day, "uploads/" + upload + ".info": 8 * day, "segments/old": 31 * day,
		"segments/half.w.part":                        2 * day,
		"deliveries/" + d.ID + "/out.mkv.part.sound0": 2 * day, "deliveries/" + d.ID + "/.numbered1/000001.png": 2 * day,
		"deliveries/" + d.ID + "/.copied2/0000001.mov": 2 * day, "deliveries/" + d.ID + "/out.mp4.part.first.mp4": 2 * day,
		"deliveries/" + d.ID + "/.alike3/short.mp4": 2 * day, "segments/.alike4/short.mp4": 2 * day,
		"sources/" + gone + "/source.mkv": 2 * day, "deliveries/" + gone + "/out.mkv": 2 * day,
		"sources/" + src.ID + "/frames.txt": 2 * day,
	} {
		goes = append(goes, write(t, lib, age, rel))
	}
	for rel, age := range map[string]time.Duration{
		"uploads/" + fresh: 6 * day, "uploads/" + fresh + ".info": 30 * day, "segments/needed": 90 * day,
		"segments/late": 20 * day, "segments/now.w.part": time.Hour,
		"sources/" + src.ID + "/source.mkv": 900 * day, "deliveries/" + d.ID + "/out.mkv": 900 * day,
		"sources/" + store.NewID() + "/source.mkv": time.Minute,
	} {
		stay = append(stay, write(t, lib, age, rel))
	}
	there := func(all []string) (n int) {
		for _, p := range all {
			if _, err := os.Stat(p); err == nil {
				n++
			}
		}
		return n
	}
	names := func(done []Done) (out []string) {
		for _, d := range done {
			out = append(out, d.Rule+" "+d.What)
		}
		slices.Sort(out)
		return out
	}
	dry, err := Run(ctx, st, lib, Rules, true, time.Now())
	if err != nil || there(goes) != len(goes) {
		t.Fatalf("a dry run: %v, %d of %d are left", err, there(goes), len(goes))
	}
	done, err := Run(ctx, st, lib, Rules, false, time.Now())
	if err != nil || !slices.Equal(names(dry), names(done)) {
		t.Errorf("%v\nsaid %v\ndid %v", err, names(dry), names(done))
	}
	if there(goes) != 0 || there(stay) != len(stay) {
		t.Errorf("%d that should go are left, %d of %d that stay are: %v", there(goes), there(stay), len(stay), names(done))
	}
	if _, err := st.Attempt(ctx, attempts[0]); err != nil {
		t.Errorf("an attempt that an undone revision points at: %v", err)
	}
	if _, err := st.Attempt(ctx, attempts[1]); err != store.ErrNone {
		t.Errorf("an attempt that nothing points at: %v", err)
	}
	if _, err := st.Attempt(ctx, attempts[2]); err != nil {
		t.Errorf("a young attempt: %v", err)
	}
	if _, err := st.Graphic(ctx, graphics[0]); err != nil {
		t.Errorf("a graphic that is used: %v", err)
	}
	if slices.Contains(names(done), "unused graphic "+graphics[0]) ||
		!slices.Contains(names(done), "unused graphic "+graphics[1]) {
		t.Errorf("graphics: %v", names(done))
	}
	if again, err := Run(ctx, st, lib, Rules, false, time.Now()); err != nil || len(again) != 0 {
		t.Errorf("a second time: %v, %v", names(again), err)
	}
}
