package jobs

import (
	"context"
	"os"
	"testing"

	"celator/internal/await"
	"celator/internal/demo"
	"celator/internal/store"
)

// The demo's footage is drawn by the queue and stands in its order; stopped in the middle it goes on; loaded
// once, it is people's own, but what is taken out of the media folder is drawn again.
//
// Long: one scenario, told from its beginning to its end.
func TestDemoIsDrawnByTheQueue(t *testing.T) {
	ctx := context.Background()
	shots, title, masters := demo.Shots, demo.Title, demo.Masters
	defer func() { demo.Shots, demo.Title, demo.Masters = shots, title, masters }()
	demo.Shots = nil
	for _, s := range shots[:2] {
		s.Frames, s.Reference = 12, 6
		demo.Shots = append(demo.Shots, s)
	}
	demo.Title.Frames = 10
	m := masters[1]
	m.Width, m.Height = 320, 180
	m.Cuts = []demo.Cut{
		{Shot: "title", Frames: 5}, {Shot: shots[0].Name, Frames: 12}, {Shot: shots[1].Name, Frames: 12, Dissolve: 4},
	}
	demo.Masters = []demo.Master{m}

	b := open(t)
	if err := LoadDemo(ctx, b.st, b.lib, false); err != nil {
		t.Fatal(err)
	}
	if err := LoadDemo(ctx, b.st, b.lib, false); err != nil { // ended before it was marked as loaded
		t.Fatal(err)
	}
	all, err := b.st.Programmes(ctx)
	if err != nil || len(all) != 1 {
		t.Fatalf("%d programmes, %v", len(all), err)
	}
	p := all[0].ID
	drawings := func() ([]store.Drawing, error) { return b.st.Drawings(ctx, p) }
	r := b.work(t)
	await.That(t, "the drawing", drawings, func(l []store.Drawing) bool {
		return l[0].State == store.BeingDrawn && l[0].Done > 0
	})
	r.Stop()
	if l, err := drawings(); err != nil || len(l) != 4 {
		t.Fatalf("%d drawings, %v", len(l), err)
	}
	b.work(t)
	await.That(t, "all footage", drawings, func(l []store.Drawing) bool { return len(l) == 0 })
	sources, err := b.st.Sources(ctx, p)
	if err != nil || len(sources) != 3 {
		t.Fatalf("%d sources, %v", len(sources), err)
	}
	for i, title := range []string{shots[0].Title, shots[1].Title, m.Title} {
		if sources[i].Name != title {
			t.Errorf("source %d is %q", i, sources[i].Name)
		}
	}
	list, err := b.st.Shots(ctx, p)
	if err != nil || len(list) != 3 {
		t.Fatalf("%d shots, %v", len(list), err)
	}
	for i, covers := range []int{1, 1, 0} {
		rev, err := b.st.Head(ctx, list[i].ID)
		if err != nil || len(rev.Document.Covers) != covers {
			t.Errorf("shot %d has %d covers, %v", i, len(rev.Document.Covers), err)
		}
	}

	if err := LoadDemo(ctx, b.st, b.lib, true); err != nil {
		t.Fatal(err)
	}
	if l, _ := drawings(); len(l) != 0 {
		t.Errorf("%d are drawn again", len(l))
	}
	path, err := b.lib.MediaPath(clipOf(demo.Shots[0]))
	if err == nil {
		err = os.Remove(path)
	}
	if err == nil {
		err = LoadDemo(ctx, b.st, b.lib, true)
	}
	if err != nil {
		t.Fatal(err)
	}
	await.That(t, "the clip again", func() (bool, error) { _, err := os.Stat(path); return err == nil, nil },
		func(there bool) bool { return there })
	await.That(t, "its end", drawings, func(l []store.Drawing) bool { return len(l) == 0 })
	if s, err := b.st.Sources(ctx, p); err != nil || len(s) != 3 {
		t.Errorf("%d sources afterwards, %v", len(s), err)
	}
}
