package jobs

import (
	"bytes"
	"context"
	"image"
	"image/color"
	"image/png"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/jmoiron/sqlx"

	"celator/core/clearance"
	"celator/core/cover"
	"celator/core/cut"
	"celator/core/geom"
	"celator/core/proposal"
	"celator/internal/await"
	"celator/internal/draft"
	"celator/internal/sought"
	"celator/internal/store"
)

// emblem is a picture of a board like no other, as PNG and in a file.
func emblem(t *testing.T, path string) []byte {
	t.Helper()
	p := image.NewRGBA(image.Rect(0, 0, 240, 150))
	r := rand.New(rand.NewPCG(4, 4))
	for i := range p.Pix {
		p.Pix[i] = 255
	}
	for range 60 {
		x, y, w, h := r.IntN(230), r.IntN(140), 8+r.IntN(50), 6+r.IntN(30)
		c := color.RGBA{uint8(r.IntN(256)), uint8(r.IntN(256)), uint8(r.IntN(256)), 255}
		for j := y; j < min(y+h, 150); j++ {
			for i := x; i < min(x+w, 240); i++ {
				p.Set(i, j, c)
			}
		}
	}
	var b bytes.Buffer
	if err := png.Encode(&b, p); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(path, b.Bytes(), 0o644); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// posted makes a clip of eight seconds through which the board moves, smaller in its second half, and enters it. A pole
// may pass in front of it there.
func (b bench) posted(t *testing.T, pole bool) (store.Source, []byte) {
	t.Helper()
	board := filepath.Join(b.dir, "emblem.png")
	picture := emblem(t, board)
	passes := "0"
	if pole {
		passes = "between(t,5,7)"
	}
	if out, err := exec.Command("ffmpeg", "-v", "error", "-y", "-f", "lavfi", "-i",
		"gradients=size=640x360:rate=25:duration=8:c0=0x304050:c1=0x607080:speed=0.00001:seed=3", "-loop", "1", "-i", board,
		"-f", "lavfi", "-i", "color=0x20a040:size=44x360:rate=25",
		"-filter_complex", "[1]split[p][q];[q]scale=150:-1[s];"+
			"[0][p]overlay=x=40+30*t:y=90+10*t:enable='lt(t,4)':eof_action=pass[a];"+
			"[a][s]overlay=x=460-30*t:y=60+10*t:enable='gte(t,4)'[b];"+
			"[b][2]overlay=x=200+150*(t-5):y=0:shortest=1:enable='"+passes+"'",
		"-t", "8", "-c:v", "libx264", "-preset", "ultrafast",
		"-crf", "16", "-pix_fmt", "yuv420p", filepath.Join(b.dir, "posted.mp4")).CombinedOutput(); err != nil {
		t.Fatalf("%v %s", err, out)
	}
	return b.enter(t, "posted.mp4"), picture
}

// searched is a source with that board, in which all was looked for that is looked for in every source, an item of the
// board's, and the board's picture. Nobody works any more.
func (b bench) searched(t *testing.T) (src store.Source, item store.Item, picture []byte) {
	t.Helper()
	ctx := context.Background()
	src, picture = b.posted(t, false)
	item, err := b.st.AddUnplaced(ctx, src.Programme, clearance.Details{Name: "Emblem", Kind: "logo"})
	if err != nil {
		t.Fatal(err)
	}
	r := b.work(t)
	defer r.Stop()
	await.That(t, "the source", func() (store.Source, error) { return b.st.Source(ctx, src.ID) },
		func(s store.Source) bool { return s.State == store.Ready && s.Searched })
	return src, item, picture
}

// at is where the board stands on a frame.
func at(f int) geom.Quad {
	t := float64(f) / 25
	x, y, w, h := 40+30*t, 90+10*t, 240., 150.
	if t >= 4 {
		x, y, w, h = 460-30*t, 60+10*t, 150, 94
	}
	return geom.Quad{{X: x, Y: y}, {X: x + w, Y: y}, {X: x + w, Y: y + h}, {X: x, Y: y + h}}
}

func off(a, b geom.Quad) (far float64) {
	for i := range a {
		far = max(far, a[i].Sub(b[i]).Len())
	}
	return far
}

// A picture that was given is found where it stands, in both of a source's stretches; a worker that is killed loses the
// stretch it was at. What was said of what was found stays when it is looked for again; what is not looked for any more
// takes with it what nobody decided about.
//
// Long: one scenario, told from its beginning to its end.
func TestSeek(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	b := open(t)
	src, item, picture := b.searched(t)
	if err := b.st.SetBoundaries(ctx, src.ID, []cut.Boundary{{Frame: 100}}); err != nil {
		t.Fatal(err)
	}
	m, err := sought.OfPicture(item.ID, "emblem.png", picture)
	if err != nil {
		t.Fatal(err)
	}
	if n, err := b.st.AddMark(ctx, m); err != nil || n != 1 {
		t.Fatalf("looked for in %d sources, %v", n, err)
	}
	marks := func() (store.MarkRow, error) {
		all, err := b.st.Marks(ctx, src.Programme)
		if err != nil || len(all) != 1 {
			return store.MarkRow{}, err
		}
		return all[0], nil
	}
	found := func() []store.Proposal {
		t.Helper()
		all, err := b.st.Proposals(ctx, src.Programme)
		if err != nil {
			t.Fatal(err)
		}
		return all
	}
	child := b.child(t)
	await.That(t, "the first stretch", func() ([]store.Proposal, error) { return b.st.Proposals(ctx, src.Programme) },
		func(all []store.Proposal) bool { return len(all) > 0 })
	child.Process.Kill()
	child.Wait()
	if row, err := marks(); err != nil || row.Done > 0 {
		t.Fatalf("it was done before it could be killed: %+v, %v", row, err)
	}
	b.work(t)
	row := await.That(t, "the end", marks, func(r store.MarkRow) bool { return r.Going == 0 })
	all := found()
	if row.Done != 1 || row.Error != "" || len(all) != 2 {
		t.Fatalf("%+v; found %d times", row, len(all))
	}
	for i, p := range all {
		if p.Kind != proposal.Mark || *p.Mark != m.ID || p.First != 100*i || p.Last != 100*i+99 {
			t.Errorf("stretch %d: %s from %d to %d", i, p.Kind, p.First, p.Last)
		}
		if d := off(p.Best().Quad, at(p.Frame)); d > 2 {
			t.Errorf("stretch %d: its corners lie up to %.1f px off", i, d)
		}
	}

	no := store.Verdict{State: store.UnneededProposal, By: "a", Forget: true}
	if err := b.st.Judge(ctx, []string{all[1].ID}, no); err != nil {
		t.Fatal(err)
	}
	other, err := sought.OfPicture(item.ID, "again.png", picture)
	if err == nil {
		_, err = b.st.AddMark(ctx, other)
	}
	if err != nil {
		t.Fatal(err)
	}
	await.That(t, "the other picture", func() ([]store.MarkRow, error) { return b.st.Marks(ctx, src.Programme) },
		func(all []store.MarkRow) bool { return len(all) == 2 && all[0].Going+all[1].Going == 0 })
	if now := found(); len(now) != 2 || now[1].State != store.UnneededProposal {
		t.Errorf("found by another picture of the same: %+v", now)
	}
	if err := b.st.RemoveMark(ctx, m.ID); err != nil {
		t.Fatal(err)
	}
	if now := found(); len(now) != 1 || now[0].State != store.UnneededProposal {
		t.Errorf("looked for no more: %+v", now)
	}
}

// Drafts are made of what the list asks for, in its order: a cover as the one is by which it was found, followed; a
// killed worker loses none, and makes none twice. Stopped, no more are begun.
//
// Long: one scenario, told from its beginning to its end.
func TestDrafts(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	b := open(t)
	src, picture := b.posted(t, true)
	names := []string{"Emblem", "Elsewhere"}
	var items []store.Item
	for _, n := range names {
		it, err := b.st.AddUnplaced(ctx, src.Programme, clearance.Details{Name: n, Kind: "logo"})
		if err != nil {
			t.Fatal(err)
		}
		items = append(items, it)
	}
	m, err := sought.OfPicture(items[0].ID, "emblem.png", picture)
	if err == nil {
		_, err = b.st.AddMark(ctx, m)
	}
	if err != nil {
		t.Fatal(err)
	}
	if err := b.st.WantDrafts(ctx, src.Programme, "Ada", nil); err != nil {
		t.Fatal(err)
	}
	shots, err := b.st.ShotsOf(ctx, src.ID)
	if err != nil {
		t.Fatal(err)
	}
	document := func() (*cover.Document, error) {
		head, err := b.st.Head(ctx, shots[0].ID)
		return head.Document, err
	}
	child := b.child(t)
	await.That(t, "the first cover", document, func(d *cover.Document) bool { return len(d.Covers) > 0 })
	child.Process.Kill()
	child.Wait()
	b.work(t)
	run := await.That(t, "the end", func() (store.DraftRun, error) { return b.st.DraftRun(ctx, src.Programme) },
		func(r store.DraftRun) bool { return r.State == store.Done || r.State == store.Failed })
	if run.State != store.Done || run.Made == 0 || run.Done != run.Made || run.Notes != 0 {
		t.Fatalf("%+v", run)
	}
	d, err := document()
	if err != nil {
		t.Fatal(err)
	}
	all, err := b.st.Proposals(ctx, src.Programme)
	if err != nil {
		t.Fatal(err)
	}
	for _, p := range all {
		c := d.Find(p.Cover)
		if p.State != store.AcceptedProposal || *p.Item != items[0].ID || c == nil || !c.Draft || c.Track == "" {
			t.Fatalf("%+v: %+v", p, c)
		}
		worst := 0.
		for f := c.Span.First; f <= c.Span.Last; f++ {
			if k := c.Paths(cover.Time(f))[0]; f/100 == p.Frame/100 { // on its side of the cut
				var q geom.Quad
				for i := range q {
					q[i] = k[i].P
				}
				worst = max(worst, off(q, at(f)))
			}
		}
		if slack := 4 + .25*math.Abs(at(p.Frame).Height()); worst > slack {
			t.Errorf("the draft of frame %d lies up to %.1f px off", p.Frame, worst)
		}
	}
	front := 0
	for _, c := range d.Covers {
		if p := c.Proposed; p != nil {
			front++
			if len(p.Accepted) > 0 || c.Span.First < 100 {
				t.Errorf("what passes in front: %+v", c)
			}
		}
	}
	if front != 1 || len(d.Covers) != run.Made+1 {
		t.Errorf("%d covers of %d drafts, %d of them are proposed to hold out the pole", len(d.Covers), run.Made, front)
	}
	if seen, err := b.st.AppearancesIn(ctx, shots[0].ID); err != nil || len(seen) != 1 || seen[0].Drafts != run.Made ||
		seen[0].State != clearance.InWork {
		t.Errorf("in the list: %+v, %v", seen, err)
	}
	if err := b.st.WantDrafts(ctx, src.Programme, "Ada", nil); err != nil {
		t.Fatal(err)
	}
	if err := b.st.StopDrafts(ctx, src.Programme); err != nil {
		t.Fatal(err)
	}
	if r, err := b.st.DraftRun(ctx, src.Programme); err != nil || r.State != store.Stopped && r.State != store.Done {
		t.Errorf("stopped: %+v, %v", r, err)
	}
}

// A draft whose maker was killed once its cover was made, and before it was to be followed, is gone on with: it is
// followed, looked at for what passes in front, and made no second time.
//
// Long: one scenario, told from its beginning to its end.
func TestDraftHalfMade(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	b := open(t)
	src, item, picture := b.searched(t)
	m, err := sought.OfPicture(item.ID, "emblem.png", picture)
	if err == nil {
		_, err = b.st.AddMark(ctx, m)
	}
	if err == nil {
		p := store.Proposal{Kind: proposal.Mark, Sure: .9, First: 0, Last: 99, Frame: 50, Height: 150, Mark: &m.ID}
		p.Sights.V = []proposal.Sight{{Frame: 50, Kind: proposal.Mark, Quad: at(50), Sure: .9}}
		err = b.st.FoundAgain(ctx, src.ID, []string{m.ID}, 0, 200, []store.Proposal{p})
	}
	if err == nil {
		err = b.st.EndSeek(ctx, src.ID, nil, store.Done, "")
	}
	if err != nil {
		t.Fatal(err)
	}
	found, err := b.st.Proposals(ctx, src.Programme)
	if err != nil || len(found) != 1 {
		t.Fatalf("%d found, %v", len(found), err)
	}

	// The database takes no runs for a while, so that the maker comes so far and no farther.
	db, err := sqlx.Connect("pgx", b.url)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	db.MustExec(`ALTER TABLE attempt ADD CONSTRAINT killed CHECK (false) NOT VALID`)
	if err := b.st.SetDraft(ctx, store.Draft{
		Proposal: found[0].ID, Programme: src.Programme, Stage: store.DraftMaking,
	}); err != nil {
		t.Fatal(err)
	}
	if _, err := (draft.Maker{Store: b.st, Author: "Ada", Later: true}).Cover(ctx, found[0], item); err == nil {
		t.Fatal("it was not stopped")
	}
	db.MustExec(`ALTER TABLE attempt DROP CONSTRAINT killed`)
	shots, err := b.st.ShotsOf(ctx, src.ID)
	if err != nil {
		t.Fatal(err)
	}
	head, err := b.st.Head(ctx, shots[0].ID)
	if err != nil || len(head.Document.Covers) != 1 {
		t.Fatalf("its cover was not made: %v", err)
	}

	if err := b.st.WantDrafts(ctx, src.Programme, "Ada", nil); err != nil {
		t.Fatal(err)
	}
	b.work(t)
	run := await.That(t, "the end", func() (store.DraftRun, error) { return b.st.DraftRun(ctx, src.Programme) },
		func(r store.DraftRun) bool { return r.State == store.Done || r.State == store.Failed })
	if head, err = b.st.Head(ctx, shots[0].ID); err != nil {
		t.Fatal(err)
	}
	tracks, err := b.st.Attempts(ctx, shots[0].ID, "", 10)
	if err != nil {
		t.Fatal(err)
	}
	if found, err = b.st.Proposals(ctx, src.Programme); err != nil {
		t.Fatal(err)
	}
	d := head.Document
	if run.State != store.Done || len(d.Covers) != 1 || d.Covers[0].Track == "" ||
		found[0].State != store.AcceptedProposal || found[0].Cover != d.Covers[0].ID {
		t.Errorf("%+v: %+v, %s", run, d.Covers, found[0].State)
	}
	followed, front := 0, 0
	for _, a := range tracks {
		if a.State != store.Done {
			t.Errorf("a run is %s: %s", a.State, a.Note)
		}
		if a.Spec.V.Foreground != nil {
			front++
		} else {
			followed++
		}
	}
	if followed != 1 || front != 1 {
		t.Errorf("followed %d times, looked at for what passes in front %d times", followed, front)
	}
}
