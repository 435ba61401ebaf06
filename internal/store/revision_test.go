package store_test

import (
	"context"
	"fmt"
	"maps"
	"math/rand"
	"reflect"
	"slices"
	"testing"

	"celator/core/cover"
	"celator/internal/store"
	"celator/internal/testdb"
)

// Any random sequence of edits, undos and redos: undoing all gives back each
// earlier document, redoing each later one; an outdated base changes nothing.
//
// Long: one scenario, told from its beginning to its end.
func TestRevisions(t *testing.T) {
	ctx := context.Background()
	st, _ := testdb.Open(t)
	_, shot := shot(t, st, 60)
	text := func(d *cover.Document) string { m, _ := d.Marshal(); return string(m) }
	rng := rand.New(rand.NewSource(1))
	head, err := st.Head(ctx, shot.ID)
	if err != nil {
		t.Fatal(err)
	}
	// The model: every edit's document and parent, and the line that undo and redo
	// walk along, as an editor sees it.
	texts, parent := map[int]string{0: text(head.Document)}, map[int]int{}
	line, at := []int{0}, 0
	jumps := 0
	for i := range 250 {
		switch n := rng.Intn(6); {
		case n < 2:
			var cmd cover.Command = cover.AddCover{New: *box(fmt.Sprint("c", i))}
			if n := len(head.Document.Covers); n > 0 && rng.Intn(3) > 0 {
				id := head.Document.Covers[rng.Intn(n)].ID
				p := cover.Rest
				p.Move.X = float64(i)
				cmd = []cover.Command{
					cover.SetNumber{Cover: id, Lane: "grow", Scope: cover.WholeSpan, Number: float64(i)},
					cover.PlaceCover{Cover: id, Frame: 5, Placement: p},
					cover.InsertKnot{Cover: id, ID: "o", At: .5},
					cover.ShowOnly{Cover: id, On: i%2 == 0},
				}[rng.Intn(4)]
			}
			was := head.State
			head, err = st.Edit(ctx, shot.ID, store.On{Base: head.Number, Author: "a"},
				func(d *cover.Document) (*cover.Document, string, error) { return d.Apply(cmd) })
			if err == nil {
				texts[head.Number], parent[head.Number] = text(head.Document), was
				line, at = append(line[:at+1:at+1], head.Number), at+1
			}
		case n < 4:
			r, e := st.Undo(ctx, shot.ID, store.On{Base: head.Number, Author: "a"})
			if at == 0 {
				if e != store.ErrNothing {
					t.Fatalf("undid nothing: %v", e)
				}
				continue
			}
			head, err, at = r, e, at-1
		case n < 5:
			r, e := st.Redo(ctx, shot.ID, store.On{Base: head.Number, Author: "a"})
			if at == len(line)-1 {
				if e != store.ErrNothing {
					t.Fatalf("redid nothing: %v", e)
				}
				continue
			}
			head, err, at = r, e, at+1
		default:
			all := slices.Collect(maps.Keys(texts))
			slices.Sort(all)
			to := all[rng.Intn(len(all))]
			r, e := st.Jump(ctx, shot.ID, store.On{Base: head.Number, Author: "a"}, to)
			if to == line[at] {
				if e != store.ErrNothing {
					t.Fatalf("jumped nowhere: %v", e)
				}
				continue
			}
			head, err = r, e
			jumps++
			if k := slices.Index(line, to); k >= 0 {
				at = k
			} else { // onto another branch: undo goes on from there
				line = nil
				for s := to; s != 0; s = parent[s] {
					line = append(line, s)
				}
				line = append(line, 0)
				slices.Reverse(line)
				at = len(line) - 1
			}
		}
		if err != nil {
			t.Fatal(err)
		}
		if head.State != line[at] {
			t.Fatalf("step %d: shows %d, not %d", i, head.State, line[at])
		}
		stored, err := st.Head(ctx, shot.ID)
		if err != nil || stored.Number != head.Number || text(stored.Document) != texts[line[at]] ||
			text(head.Document) != texts[line[at]] {
			t.Fatalf("step %d: the document is not state %d (%v)", i, at, err)
		}
		if _, err := st.Edit(ctx, shot.ID, store.On{Base: head.Number - 1, Author: "b"},
			func(d *cover.Document) (*cover.Document, string, error) { return d, "x", nil }); err == nil {
			t.Fatal("an outdated base was taken")
		} else if c, ok := err.(*store.Conflict); !ok || c.Head.Number != head.Number ||
			text(c.Head.Document) != texts[line[at]] {
			t.Fatalf("the conflict does not show the head: %v", err)
		}
	}
	edits, err := allEdits(ctx, st, shot.ID)
	if err != nil || len(edits) != len(texts)-1 || jumps < 10 {
		t.Errorf("%d edits in the list, %d were made (%v); %d jumps", len(edits), len(texts)-1, err, jumps)
	}
	if _, err := st.Jump(ctx, shot.ID, store.On{Base: head.Number, Author: "a"}, 1<<30); err != store.ErrNone {
		t.Errorf("jumped to a state that is not: %v", err)
	}

	// What was looked at is kept, by frame, the last digest counting.
	for _, f := range []map[int]string{{1: "a", 2: "b"}, {2: "c"}} {
		if err := st.Looked(ctx, shot.ID, "x", "a", f); err != nil {
			t.Fatal(err)
		}
	}
	if l, err := st.Looks(ctx, shot.ID); err != nil || !reflect.DeepEqual(l, store.Looks{"x": {1: "a", 2: "c"}}) {
		t.Errorf("looked at %v, %v", l, err)
	}
	if err := st.Looked(ctx, "none", "x", "a", map[int]string{1: "a"}); err != store.ErrNone {
		t.Errorf("looked at a shot that is not: %v", err)
	}
}

// allEdits reads the list page by page.
func allEdits(ctx context.Context, st *store.Store, shot string) (all []store.Revision, err error) {
	before := 0
	for {
		page, err := st.Edits(ctx, shot, before, 7)
		if err != nil || len(page) == 0 {
			return all, err
		}
		all, before = append(all, page...), page[len(page)-1].Number
	}
}
