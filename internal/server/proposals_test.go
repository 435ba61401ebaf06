package server

import (
	"context"
	"strings"
	"testing"

	"celator/core/geom"
	"celator/core/proposal"
	"celator/internal/store"
)

// found enters proposals as a search would; those of a text each stand for one.
func (s site) found(source string, texts ...string) {
	s.t.Helper()
	var rows []store.Proposal
	for i, text := range texts {
		q := geom.Quad{geom.Pt(60, 40), geom.Pt(160, 40), geom.Pt(160, 70), geom.Pt(60, 70)}
		for k := range q {
			q[k].Y += 60 * float64(i)
		}
		sight := proposal.Sight{Frame: 20, Kind: proposal.KindOf(text, q), Quad: q, Text: text, Sure: .9}
		rows = append(rows, store.Proposal{
			Kind: sight.Kind, Text: text, Sure: .9, First: 10, Last: 40, Frame: 20, Height: 30,
			Sights: store.JSON[[]proposal.Sight]{V: []proposal.Sight{sight}},
		})
	}
	ctx := context.Background()
	if err := s.st.Find(ctx, source, "", true); err != nil {
		s.t.Fatal(err)
	}
	if err := s.st.FoundProposals(ctx, source, 0, 50, 4, rows); err != nil {
		s.t.Fatal(err)
	}
}

// again enters a mark of an item, and where it was found, while it is still looked for.
func (s site) again(source, item string) (mark string) {
	s.t.Helper()
	q := geom.Quad{geom.Pt(260, 40), geom.Pt(360, 40), geom.Pt(360, 90), geom.Pt(260, 90)}
	m := store.Mark{ID: store.NewID(), Item: item, Name: "emblem.png", Picture: []byte("PNG"), By: "a"}
	m.Quad.V = q
	ctx := context.Background()
	if _, err := s.st.AddMark(ctx, m); err != nil {
		s.t.Fatal(err)
	}
	p := store.Proposal{Kind: proposal.Mark, Sure: .9, First: 10, Last: 40, Frame: 20, Height: 50, Mark: &m.ID}
	p.Sights.V = []proposal.Sight{{Frame: 20, Kind: proposal.Mark, Quad: q, Sure: .9}}
	if err := s.st.FoundAgain(ctx, source, []string{m.ID}, 0, 50, []store.Proposal{p}); err != nil {
		s.t.Fatal(err)
	}
	return m.ID
}

type proposalsAnswer struct {
	Proposals []struct {
		ID, Text, Kind, State, Asked, In, Cover string
		Group                                   int
		Offered                                 bool
		First, Last, Frame                      int
		Item                                    *string
	}
	Drafts *struct{ State string }
	Marks  []struct {
		ID, Item, Name, Cover string
		Sources, Going        int
	}
}

// What is accepted is an item with a draft that is followed; what is not offered by the rules
// is kept; what the list asks for is told.
//
// Long: one scenario, told from its beginning to its end.
func TestProposals(t *testing.T) {
	s, shot := open(t)
	var sh struct {
		ID, Programme, Source string
		Revision              struct {
			Document struct {
				Covers []struct {
					ID, Name, Item, Track string
					Draft                 bool
				}
			}
		}
	}
	s.ask("GET", shot, nil, 200, &sh)
	at := "/api/programmes/" + sh.Programme
	s.found(sh.Source, "KS 47 OH", "Velmouth", "7")
	s.ask("POST", at+"/items", m{
		"name": "Velmuth", "kind": "sign", "description": "", "reason": "", "requester": "", "due": "",
	}, 201, nil)
	var list proposalsAnswer
	get := func() map[string]int {
		t.Helper()
		list = proposalsAnswer{}
		s.ask("GET", at+"/proposals", nil, 200, &list)
		out := map[string]int{}
		for i, p := range list.Proposals {
			out[p.Text] = i
		}
		return out
	}
	of := get()
	plate := list.Proposals[of["KS 47 OH"]]
	if len(list.Proposals) != 3 || plate.Kind != "plate" || !plate.Offered || plate.In != sh.ID || plate.Asked != "" {
		t.Fatalf("%+v", list)
	}
	if p := list.Proposals[of["Velmouth"]]; p.Asked == "" {
		t.Errorf("the list asks for it, nearly: %+v", p)
	}
	s.ask("PUT", at+"/offers", m{"offers": m{"text": "listed", "number": "never"}}, 204, nil)
	s.ask("PUT", at+"/offers", m{"offers": m{"text": "listed", "face": "listed"}}, 422, nil)
	of = get()
	if !list.Proposals[of["Velmouth"]].Offered || list.Proposals[of["7"]].Offered {
		t.Errorf("by the rules: %+v", list)
	}

	var done struct {
		Item   string
		Covers []struct{ Proposal, Shot, Cover string }
		Left   []struct{ Why string }
	}
	s.ask("POST", "/api/proposals/accept", m{"ids": []string{plate.ID}}, 200, &done)
	if len(done.Covers) != 1 || done.Covers[0].Shot != sh.ID || len(done.Left) != 0 {
		t.Fatalf("%+v", done)
	}
	s.until("the cover to ride", func() bool {
		s.ask("GET", shot, nil, 200, &sh)
		c := sh.Revision.Document.Covers
		return len(c) == 1 && c[0].Track != ""
	})
	if c := sh.Revision.Document.Covers[0]; !c.Draft || c.Item != done.Item || c.Name != "KS 47 OH" {
		t.Errorf("its cover is %+v", c)
	}
	var listed struct {
		Appearances []struct {
			Item, State string
			Covered     bool
			First, Last int
		}
	}
	s.ask("GET", at+"/list", nil, 200, &listed)
	if a := listed.Appearances; len(a) != 1 || !a[0].Covered || a[0].State != "work" || a[0].First != 10 ||
		a[0].Last != 40 {
		t.Errorf("in the list: %+v", a)
	}
	again := s.ask("POST", "/api/proposals/accept", m{"ids": []string{plate.ID}}, 200, nil)
	if !strings.Contains(again, "accepted already") {
		t.Errorf("accepted twice: %s", again)
	}
	of = get()
	if p := list.Proposals[of["KS 47 OH"]]; p.State != "accepted" || p.Cover != done.Covers[0].Cover {
		t.Errorf("%+v", p)
	}
	// A draft is nobody's word: it is not ready before somebody says yes.
	no := s.ask("POST", shot+"/items/"+done.Item+"/decisions", m{"state": "ready", "by": "Ada"}, 409, nil)
	if !strings.Contains(no, "say yes") {
		t.Errorf("a draft is not ready because %s", no)
	}
	var head struct{ Revision struct{ Number int } }
	s.ask("GET", shot, nil, 200, &head)
	s.ask("POST", shot+"/edits", m{
		"base": head.Revision.Number, "commands": []m{{"do": "confirm", "cover": done.Covers[0].Cover}},
	}, 201, nil)
	s.ask("POST", shot+"/items/"+done.Item+"/decisions", m{"state": "ready", "by": "Ada"}, 201, nil)

	// What the list asks for is drafted, and belongs to what asked for it.
	sign := list.Proposals[of["Velmouth"]]
	s.ask("POST", at+"/draft", m{}, 202, nil)
	s.until("the drafts", func() bool {
		of = get()
		return list.Drafts != nil && list.Drafts.State == "done"
	})
	if p := list.Proposals[of["Velmouth"]]; p.Item == nil || *p.Item != sign.Asked {
		t.Errorf("it belongs to %v, not to what the list asks for", p.Item)
	}
	s.ask("POST", at+"/draft/stop", nil, 204, nil)
	// With its cover nothing that was found is lost: once that is gone it may be opened, and accepted, again.
	open := m{"ids": []string{plate.ID}, "state": "open"}
	s.ask("POST", "/api/proposals/judge", open, 409, nil)
	s.ask("GET", shot, nil, 200, &head)
	s.ask("POST", shot+"/edits", m{
		"base": head.Revision.Number, "commands": []m{{"do": "remove", "cover": list.Proposals[of["KS 47 OH"]].Cover}},
	}, 201, nil)
	s.ask("POST", "/api/proposals/judge", open, 204, nil)
	done.Covers = nil
	s.ask("POST", "/api/proposals/accept", m{"ids": []string{plate.ID}}, 200, &done)
	s.ask("GET", shot, nil, 200, &sh)
	hiding := 0 // what was found in front hides nothing
	for _, c := range sh.Revision.Document.Covers {
		if c.Item != "" {
			hiding++
		}
	}
	if len(done.Covers) != 1 || hiding != 2 {
		t.Errorf("accepted again: %+v, %d covers", done, hiding)
	}
	number := list.Proposals[of["7"]]
	s.ask("POST", "/api/proposals/judge", m{"ids": []string{number.ID}, "state": "unneeded", "reason": "a bay"}, 204, nil)
	of = get()
	if p := list.Proposals[of["7"]]; p.State != "unneeded" {
		t.Errorf("%+v", p)
	}
	s.ask("POST", "/api/proposals/judge", m{"ids": []string{number.ID}, "state": "accepted"}, 422, nil)
	s.ask("POST", "/api/proposals/judge", m{"ids": []string{store.NewID()}, "state": "later"}, 404, nil)
	s.ask("POST", "/api/proposals/accept", m{"ids": []string{store.NewID()}}, 404, nil)
	s.ask("GET", "/api/proposals/"+number.ID+"/still", nil, 404, nil)
	if err := s.st.EndFind(context.Background(), sh.Source, store.Done, ""); err != nil {
		t.Fatal(err)
	}
	tells := func(what string) {
		t.Helper()
		report := s.ask("GET", at+"/report.html", nil, 200, nil)
		if !strings.Contains(report, what) {
			t.Errorf("the report does not say %q: %s", what, report[:min(len(report), 4000)])
		}
	}
	read := "each source was searched for text and faces, 4 of 50 frames looked at; 3 proposals: 2 accepted, 1 not " +
		"needed, all decided"
	tells(read + "</dd>")
	mark := s.again(sh.Source, *list.Proposals[of["KS 47 OH"]].Item)
	tells(read + `; 1 mark was looked for by picture, <span class="bad">only 0 of them in each source</span>; ` +
		`1 proposal: 0 accepted, 0 not needed, <span class="bad">1 not decided</span></dd>`)
	if err := s.st.EndSeek(context.Background(), sh.Source, []string{mark}, store.Done, ""); err != nil {
		t.Fatal(err)
	}
	tells("1 mark was looked for by picture, in each source; 1 proposal: ")
	s.ask("POST", at+"/find", m{"afresh": true}, 202, nil)
	s.ask("POST", "/api/sources/"+sh.Source+"/find/stop", nil, 204, nil)
}
