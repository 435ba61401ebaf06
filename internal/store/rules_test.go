package store_test

import (
	"context"
	"errors"
	"strings"
	"testing"

	_ "github.com/jackc/pgx/v5/stdlib"
	"github.com/jmoiron/sqlx"

	"celator/core/clearance"
	"celator/core/cover"
	"celator/core/geom"
	"celator/internal/store"
	"celator/internal/testdb"
)

// another shot of the same programme.
func another(t *testing.T, st *store.Store, programme string) store.Shot {
	t.Helper()
	src := store.Source{
		ID: store.NewID(), Programme: programme, Name: "more", Place: "media", Path: "more.mp4", Frames: 60,
	}
	src.Info.V.Width, src.Info.V.Height, src.Info.V.Frames = 640, 360, 60
	sh, err := st.AddSource(context.Background(), src)
	if err != nil {
		t.Fatal(err)
	}
	return sh
}

// A house style that cannot be given to one of the covers that follow it is not changed,
// and neither is any cover: style and shots never stand apart.
func TestStyleChangesInOnePiece(t *testing.T) {
	ctx := context.Background()
	st, _ := testdb.Open(t)
	src, one := shot(t, st, 60)
	two := another(t, st, src.Programme)
	style := store.Style{Programme: src.Programme, Name: "Plates"}
	style.Style.V = cover.Style{Treatments: []cover.Treatment{cover.NewTreatment("t", cover.Blur)}}
	style, err := st.AddStyle(ctx, style)
	if err != nil {
		t.Fatal(err)
	}
	follow := cover.FollowStyle{Cover: "c", ID: style.ID, Style: &style.Style.V}
	flag := cover.SetGraphic{Graphic: cover.Graphic{ID: "flag", Name: "Flag", Width: 9, Height: 9}}
	if _, err := add(t, st, one.ID, store.On{}, cover.AddCover{New: *box("c")}, follow, flag); err != nil {
		t.Fatal(err)
	}
	if _, err := add(t, st, two.ID, store.On{}, cover.AddCover{New: *box("c")}, follow); err != nil {
		t.Fatal(err)
	}

	changed := style
	patch := cover.NewTreatment("t", cover.Patch)
	patch.Graphic = "flag" // which only one of the shots has
	changed.Style.V = cover.Style{Treatments: []cover.Treatment{patch}}
	if _, _, err := st.ChangeStyle(ctx, changed, "Ada"); err == nil {
		t.Fatal("a style was given to a shot that has not its graphic")
	}
	now, err := st.Style(ctx, style.ID)
	if err != nil || !now.Style.V.Same(&style.Style.V) {
		t.Errorf("the style was changed all the same: %+v (%v)", now.Style.V, err)
	}
	for _, sh := range []store.Shot{one, two} {
		head, err := st.Head(ctx, sh.ID)
		if err != nil || head.Number != 1 || !head.Document.Covers[0].Follows(style.ID, &style.Style.V) {
			t.Errorf("a shot was changed: revision %d (%v)", head.Number, err)
		}
	}

	// What can be done is done everywhere, but for what is locked, or differs.
	if _, err := add(t, st, two.ID, store.On{Base: 1}, cover.LockCover{Cover: "c", On: true}); err != nil {
		t.Fatal(err)
	}
	changed.Style.V = cover.Style{Treatments: []cover.Treatment{cover.NewTreatment("t", cover.Mosaic)}}
	_, n, err := st.ChangeStyle(ctx, changed, "Ada")
	if err != nil || n != (store.Restyled{Covers: 1, Shots: 1}) {
		t.Fatalf("%+v %v", n, err)
	}
	head, _ := st.Head(ctx, one.ID)
	if head.Author != "Ada" || head.Label != "house style Plates" ||
		head.Document.Covers[0].Treatments[0].Kind != cover.Mosaic {
		t.Errorf("%s by %s: %+v", head.Label, head.Author, head.Document.Covers[0].Treatments)
	}
}

// Who changed what hides an item does not approve it, however the name is written; a
// locked look at the list and the review is of the same name as the edit's.
func TestOwnWorkIsNotApproved(t *testing.T) {
	ctx := context.Background()
	st, at := testdb.Open(t)
	db := direct(t, at)
	_, sh := shot(t, st, 60)
	item, err := st.AddItem(ctx, sh.ID, clearance.Details{Name: "Quay plate", Kind: "plate"})
	if err != nil {
		t.Fatal(err)
	}
	c := box("c")
	c.Item, c.Span.Last = item.ID, 59
	if _, err := add(t, st, sh.ID, store.On{Author: "Ada Kvist"}, cover.AddCover{New: *c}); err != nil {
		t.Fatal(err)
	}
	decide := func(state clearance.State, by string) error {
		_, err := st.Decide(ctx, store.Decision{Item: item.ID, Shot: sh.ID, State: state, By: by})
		return err
	}
	if err := decide(clearance.Ready, "Ada Kvist"); err != nil {
		t.Fatal(err)
	}
	head, err := st.Head(ctx, sh.ID)
	if err != nil {
		t.Fatal(err)
	}
	// As the check would leave it: clean, and checked as it stands.
	if _, err := db.Exec(`
		INSERT INTO check_run (shot, state, revision, items) VALUES ($1, 'done', $2, jsonb_build_object($3::text, $4::text))
		ON CONFLICT (shot) DO UPDATE SET state = 'done', revision = $2, items = excluded.items`,
		sh.ID, head.Number, item.ID, head.Document.ItemFingerprint(item.ID)); err != nil {
		t.Fatal(err)
	}
	var refused *store.Refused
	for _, own := range []string{"Ada Kvist", " ada kvist "} {
		if err := decide(clearance.Approved, own); !errors.As(err, &refused) ||
			!strings.Contains(err.Error(), "somebody else") {
			t.Errorf("%q approves her own work: %v", own, err)
		}
	}
	if err := decide(clearance.Approved, "Maren Toll"); err != nil {
		t.Errorf("somebody else does not: %v", err)
	}
}

// The database itself refuses what the program must never write.
func TestDatabaseRefuses(t *testing.T) {
	ctx := context.Background()
	st, at := testdb.Open(t)
	db := direct(t, at)
	src, sh := shot(t, st, 60)
	item, err := st.AddItem(ctx, sh.ID, clearance.Details{Name: "Sign", Kind: "sign"})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := add(t, st, sh.ID, store.On{}, cover.AddCover{New: *box("c")}); err != nil {
		t.Fatal(err)
	}
	for what, q := range map[string]string{
		"a state of no source":          `UPDATE source SET state = 'lost' WHERE id = '` + src.ID + `'`,
		"fewer frames than none":        `UPDATE source SET frames = -1 WHERE id = '` + src.ID + `'`,
		"a shot that ends before it":    `UPDATE shot SET first = 5, last = 4 WHERE id = '` + sh.ID + `'`,
		"a revision that shows a later": `UPDATE revision SET state = number + 1 WHERE shot = '` + sh.ID + `'`,
		"an edit without a document":    `UPDATE revision SET document = NULL WHERE shot = '` + sh.ID + `'`,
		"two revisions of one number": `INSERT INTO revision
			SELECT shot, number, state, parent, redo, label, author, at, document
			FROM revision WHERE shot = '` + sh.ID + `'`,
		"a kind of no item":  `UPDATE item SET kind = 'thing' WHERE id = '` + item.ID + `'`,
		"a day that is none": `UPDATE item SET due = 'soon' WHERE id = '` + item.ID + `'`,
		"a state of no item": `UPDATE appearance SET state = 'done' WHERE item = '` + item.ID + `'`,
		"a waiver without a reason": `INSERT INTO finding
			(id, shot, cover, kind, severity, figure, says, frames, frame, state, revision)
			VALUES ('f', '` + sh.ID + `', 'c', 'exposed', 'severe', 1, '', '[]', 0, 'waived', 1)`,
		"a look at a frame before all": `INSERT INTO look (shot, cover, frame, digest, author)
			VALUES ('` + sh.ID + `', 'c', -1, 'd', 'a')`,
		"an item of no programme": `UPDATE item SET programme = 'nowhere' WHERE id = '` + item.ID + `'`,
		"a delivery of nothing": `INSERT INTO delivery (id, shot, revision, preset, name, frames) VALUES ('d', '` + sh.ID +
			`', 1, 'review', 'x', 0)`,
	} {
		if _, err := db.Exec(q); err == nil {
			t.Errorf("the database took %s", what)
		}
	}
}

// A programme that is removed takes all of its rows along, whatever tables there are: no
// row is left that points at nothing.
func TestNothingOutlivesItsProgramme(t *testing.T) {
	ctx := context.Background()
	st, at := testdb.Open(t)
	db := direct(t, at)
	src, sh := shot(t, st, 60)
	item, err := st.AddItem(ctx, sh.ID, clearance.Details{Name: "Sign", Kind: "sign"})
	if err != nil {
		t.Fatal(err)
	}
	track := cover.Track{
		ID: "t", Name: "Wall", Kind: cover.Surface, Model: "affine", Channel: "luma",
		Surface: []geom.Point{{X: 1, Y: 1}, {X: 50, Y: 1}, {X: 50, Y: 40}}, Anchors: []cover.TrackAnchor{},
		Poses: &cover.Poses{States: "g", Confidence: []float64{1}, Corners: [][8]float64{{1, 1, 50, 1, 50, 40, 1, 40}}},
	}
	if _, err := st.Adopt(ctx, sh.ID, track, "Ada"); err != nil {
		t.Fatal(err)
	}
	if _, err := add(t, st, sh.ID, store.On{}, cover.AddCover{New: *box("c")}); err != nil {
		t.Fatal(err)
	}
	if err := st.Looked(ctx, sh.ID, "c", "Ada", map[int]string{3: "d"}); err != nil {
		t.Fatal(err)
	}
	if _, err := st.Decide(ctx, store.Decision{
		Item: item.ID, Shot: sh.ID, State: clearance.InWork,
		By: "Ada",
	}); err != nil {
		t.Fatal(err)
	}
	if _, err := st.AddStyle(ctx, store.Style{Programme: src.Programme, Name: "Signs"}); err != nil {
		t.Fatal(err)
	}
	counts := func() map[string]int {
		var tables []string
		if err := db.Select(&tables, `
			SELECT DISTINCT table_name FROM information_schema.table_constraints
			WHERE constraint_type = 'FOREIGN KEY' AND table_schema = 'public' AND table_name NOT LIKE 'river%'`); err != nil {
			t.Fatal(err)
		}
		out := map[string]int{}
		for _, name := range tables {
			out[name] = rows(t, db, name)
		}
		return out
	}
	before := counts()
	for _, name := range []string{
		"source", "shot", "revision", "item", "appearance", "decision", "look", "attempt",
		"style",
	} {
		if before[name] == 0 {
			t.Errorf("%s has no row to lose", name)
		}
	}
	if _, err := db.Exec(`DELETE FROM programme WHERE id = $1`, src.Programme); err != nil {
		t.Fatal(err)
	}
	for name, n := range counts() {
		if n > 0 {
			t.Errorf("%d rows of %s are left", n, name)
		}
	}
}

// direct is a connection past the store.
func direct(t *testing.T, at string) *sqlx.DB {
	t.Helper()
	db, err := sqlx.Connect("pgx", at)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { db.Close() })
	return db
}

func rows(t *testing.T, db *sqlx.DB, table string) (n int) {
	t.Helper()
	if err := db.Get(&n, `SELECT count(*) FROM `+table); err != nil {
		t.Fatal(err)
	}
	return n
}
