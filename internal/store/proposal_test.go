package store_test

import (
	"context"
	"errors"
	"testing"

	"celator/core/clearance"
	"celator/core/geom"
	"celator/core/proposal"
	"celator/internal/store"
	"celator/internal/testdb"
)

// seen is a proposal of one sight.
func seen(kind proposal.Kind, text string, frame int, x float64) store.Proposal {
	q := geom.Quad{geom.Pt(x, 10), geom.Pt(x+80, 10), geom.Pt(x+80, 40), geom.Pt(x, 40)}
	return store.Proposal{
		Kind: kind, Text: text, Sure: .9, First: max(frame-5, 0), Last: frame + 5, Frame: frame, Height: 30,
		Sights: store.JSON[[]proposal.Sight]{V: []proposal.Sight{{Frame: frame, Kind: kind, Quad: q, Text: text, Sure: .9}}},
		Still:  []byte("png"),
	}
}

// What was decided stays when a source is looked through again; what was not makes way; what reads
// like something that is not needed is not offered again: here, or in all programmes.
//
// Long: one scenario, told from its beginning to its end.
func TestProposals(t *testing.T) {
	st, _ := testdb.Open(t)
	ctx := context.Background()
	src, sh := shot(t, st, 200)
	find := func(source string, found ...store.Proposal) {
		t.Helper()
		if err := st.Find(ctx, source, "a", true); err != nil {
			t.Fatal(err)
		}
		if err := st.FoundProposals(ctx, source, 0, 200, 9, found); err != nil {
			t.Fatal(err)
		}
		if err := st.EndFind(ctx, source, store.Done, ""); err != nil {
			t.Fatal(err)
		}
	}
	all := func(programme string) map[string]store.Proposal {
		t.Helper()
		list, err := st.Proposals(ctx, programme)
		if err != nil {
			t.Fatal(err)
		}
		out := map[string]store.Proposal{}
		for _, p := range list {
			if _, twice := out[p.Text]; twice {
				t.Fatalf("%q is there twice", p.Text)
			}
			out[p.Text] = p
		}
		return out
	}
	find(src.ID, seen(proposal.Plate, "KS 47 OH", 50, 100), seen(proposal.Text, "Velmouth", 60, 300),
		seen(proposal.Text, "Quay", 70, 500))
	if run, err := st.FindRun(ctx, src.ID); err != nil || run.State != store.Done || run.Looked != 9 || run.By != "a" {
		t.Errorf("%+v, %v", run, err)
	}
	before := all(src.Programme)
	if len(before) != 3 || before["Quay"].State != store.OpenProposal || before["Quay"].Best().Frame != 70 {
		t.Fatalf("%+v", before)
	}
	if b, err := st.ProposalStill(ctx, before["Quay"].ID); err != nil || string(b) != "png" {
		t.Errorf("its still is %q, %v", b, err)
	}
	item, err := st.AddUnplaced(ctx, src.Programme, details("Trike", "plate"))
	if err != nil {
		t.Fatal(err)
	}
	if err := st.Accepted(ctx, before["KS 47 OH"].ID, item.ID, sh.ID, "c", "a"); err != nil {
		t.Fatal(err)
	}
	no := store.Verdict{State: store.UnneededProposal, Reason: "a place", By: "b", Forget: true}
	if err := st.Judge(ctx, []string{before["Velmouth"].ID, before["KS 47 OH"].ID}, no); err != nil {
		t.Fatal(err)
	}
	now := all(src.Programme)
	if now["KS 47 OH"].State != store.AcceptedProposal || *now["KS 47 OH"].Item != item.ID ||
		now["Velmouth"].State != store.UnneededProposal || now["Velmouth"].By != "b" {
		t.Errorf("%+v", now)
	}
	if err := st.Judge(ctx, []string{before["KS 47 OH"].ID}, no); !errors.Is(err, store.ErrNone) {
		t.Errorf("what has a cover was judged: %v", err)
	}

	// Found again, a little otherwise: the plate read wrong, another one new, the quay gone.
	find(src.ID, seen(proposal.Plate, "KS 47 0H", 52, 103), seen(proposal.Text, "Velmouth", 60, 300),
		seen(proposal.Text, "Velmouth", 190, 300), seen(proposal.Plate, "TXN 741", 90, 400))
	list, err := st.Proposals(ctx, src.Programme)
	if err != nil {
		t.Fatal(err)
	}
	states := map[string]int{}
	for _, p := range list {
		states[p.Text+" "+string(p.State)]++
	}
	if len(list) != 4 || states["KS 47 OH accepted"] != 1 || states["Velmouth unneeded"] != 2 ||
		states["TXN 741 open"] != 1 {
		t.Errorf("found again: %v", states)
	}

	// In another programme it is new, until nobody wants it anywhere; who opens it again has it offered again.
	other, _ := shot(t, st, 200)
	find(other.ID, seen(proposal.Text, "Velmouth", 60, 300))
	there := all(other.Programme)["Velmouth"]
	if there.State != store.OpenProposal {
		t.Errorf("it is %s in another programme", there.State)
	}
	no.Everywhere = true
	if err := st.Judge(ctx, []string{there.ID}, no); err != nil {
		t.Fatal(err)
	}
	third, _ := shot(t, st, 200)
	find(third.ID, seen(proposal.Text, "Velmouth", 10, 30))
	if p := all(third.Programme)["Velmouth"]; p.State != store.UnneededProposal || p.Reason != "a place" {
		t.Errorf("in a third programme it is %s", p.State)
	}
	if err := st.Judge(ctx, []string{there.ID}, store.Verdict{State: store.OpenProposal, By: "c"}); err != nil {
		t.Fatal(err)
	}
	fourth, _ := shot(t, st, 200)
	find(fourth.ID, seen(proposal.Text, "Velm0uth", 10, 30)) // as near as makes them one
	if p := all(fourth.Programme)["Velm0uth"]; p.State != store.OpenProposal {
		t.Errorf("in a fourth programme it is %s", p.State)
	}

	// An item that is taken out of the list takes no proposal with it.
	if err := st.RemoveItem(ctx, item.ID); err != nil {
		t.Fatal(err)
	}
	if list, err = st.Proposals(ctx, src.Programme); err != nil || len(list) != 4 {
		t.Errorf("%d proposals, %v", len(list), err)
	}
}

// A run that rests goes on where it was; one that is done is not asked for again by the way.
func TestFindRun(t *testing.T) {
	st, _ := testdb.Open(t)
	ctx := context.Background()
	src, _ := shot(t, st, 3000)
	state := func() store.FindRun {
		t.Helper()
		run, err := st.FindRun(ctx, src.ID)
		if err != nil {
			t.Fatal(err)
		}
		return run
	}
	must := func(err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	must(st.Find(ctx, src.ID, "a", false))
	must(st.FoundProposals(ctx, src.ID, 0, 1500, 60, []store.Proposal{seen(proposal.Text, "Quay", 1400, 10)}))
	if w, err := st.SetFind(ctx, src.ID, 1600); err != nil || !w {
		t.Fatal(w, err)
	}
	must(st.StopFind(ctx, src.ID))
	if w, err := st.SetFind(ctx, src.ID, 1700); err != nil || w {
		t.Errorf("one that was stopped is still wanted (%v)", err)
	}
	must(st.Find(ctx, src.ID, "b", false))
	if run := state(); run.State != store.Queued || run.Done != 1500 || run.Looked != 60 {
		t.Errorf("it goes on as %+v", run)
	}
	must(st.FoundProposals(ctx, src.ID, 1500, 3000, 60, nil))
	must(st.EndFind(ctx, src.ID, store.Done, ""))
	must(st.Find(ctx, src.ID, "b", false))
	if run := state(); run.State != store.Done || run.Done != 3000 {
		t.Errorf("what is done is asked for again: %+v", run)
	}
	if list, err := st.Proposals(ctx, src.Programme); err != nil || len(list) != 1 {
		t.Errorf("what the first stretch held is gone: %v, %v", list, err)
	}
	must(st.Find(ctx, src.ID, "b", true))
	if run := state(); run.State != store.Queued || run.Done != 0 {
		t.Errorf("afresh it is %+v", run)
	}
}

func details(name, kind string) clearance.Details { return clearance.Details{Name: name, Kind: kind} }
