package server

import (
	"bytes"
	"cmp"
	"context"
	"encoding/base64"
	"errors"
	"fmt"
	"html/template"
	"image/jpeg"
	"mime"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"celator/core/check"
	"celator/core/clearance"
	"celator/core/cover"
	"celator/core/proposal"
	"celator/core/timecode"
	"celator/internal/budget"
	"celator/internal/report"
	"celator/internal/store"
)

// parts is all of a programme that its report speaks of.
type parts struct {
	programme  store.Programme
	sources    []store.Source
	shots      []store.Shot
	items      []store.Item
	seen       map[string][]store.Appearance // of an item
	findings   map[store.Row][]store.Finding
	decisions  map[store.Row][]store.Decision
	deliveries []store.Delivery
	handed     []store.Handover
	source     map[string]store.Source
	shot       map[string]store.Shot
	stale      map[string]bool // shots delivered before the covers were changed
	heads      map[string]store.Revision
}

func (s *server) parts(ctx context.Context, programme string) (p *parts, err error) {
	p = &parts{
		seen: map[string][]store.Appearance{}, findings: map[store.Row][]store.Finding{},
		decisions: map[store.Row][]store.Decision{},
		source:    map[string]store.Source{}, shot: map[string]store.Shot{}, stale: map[string]bool{},
		heads: map[string]store.Revision{},
	}
	read := s.Store.ForReads()
	if p.programme, err = read.Programme(ctx, programme); err != nil {
		return nil, err
	}
	if p.sources, err = read.Sources(ctx, programme); err != nil {
		return nil, err
	}
	if p.shots, err = read.Shots(ctx, programme); err != nil {
		return nil, err
	}
	if p.items, err = read.Items(ctx, programme); err != nil {
		return nil, err
	}
	if p.handed, err = read.Handovers(ctx, "", programme); err != nil {
		return nil, err
	}
	if p.deliveries, err = read.Deliveries(ctx, programme); err != nil {
		return nil, err
	}
	seen, err := read.Appearances(ctx, programme)
	if err != nil {
		return nil, err
	}
	findings, err := read.ProgrammeFindings(ctx, programme)
	if err != nil {
		return nil, err
	}
	decisions, err := read.ProgrammeDecisions(ctx, programme)
	if err != nil {
		return nil, err
	}
	for _, src := range p.sources {
		p.source[src.ID] = src
	}
	for _, sh := range p.shots {
		p.shot[sh.ID] = sh
	}
	for _, f := range findings {
		k := store.Row{Item: f.Item, Shot: f.Shot}
		p.findings[k] = append(p.findings[k], f)
		if f.Kind == check.StaleDelivery && f.State != check.Mended {
			p.stale[f.Shot] = true
		}
	}
	for _, d := range decisions {
		k := store.Row{Item: d.Item, Shot: d.Shot}
		p.decisions[k] = append(p.decisions[k], d)
	}
	worked := map[string]bool{}
	for _, v := range seen {
		p.seen[v.Item] = append(p.seen[v.Item], v)
		worked[v.Shot] = worked[v.Shot] || v.Covered
	}
	for _, d := range p.deliveries {
		for _, shot := range holds(d) {
			worked[shot] = p.shot[shot].ID != ""
		}
	}
	for shot, yes := range worked {
		if yes {
			if p.heads[shot], err = read.Head(ctx, shot); err != nil {
				return nil, err
			}
		}
	}
	return p, nil
}

// report gathers what a programme's report says.
func (s *server) report(ctx context.Context, programme string, pictures bool) (*report.Report, error) {
	p, err := s.parts(ctx, programme)
	if err != nil {
		return nil, err
	}
	r := &report.Report{Programme: p.programme.Name, Made: time.Now(), Deliveries: p.delivered()}
	for _, src := range p.sources {
		i := src.Info.V
		r.Sources = append(r.Sources, report.Source{
			Damage:  strings.Join(i.Damage.Words(), "; "),
			Name:    src.Name,
			Picture: fmt.Sprintf("%dx%d, %d bit, %.5g frames a second", i.Width, i.Height, i.Depth, i.Rate.Float()),
			Digest:  src.Digest, Frames: src.Frames,
		})
	}
	for _, it := range p.items {
		base := report.Row{
			Name: it.Name, Kind: it.Kind, Description: it.Description, Reason: it.Reason,
			Requester: it.Requester, Due: it.Due, State: clearance.ToDo.Title(),
		}
		for _, v := range p.seen[it.ID] {
			row := base
			p.tell(&row, v)
			if head, ok := p.heads[v.Shot]; ok {
				sh := p.shot[v.Shot]
				s.hidden(ctx, &row, it.ID, sh, p.source[sh.Source], head.Document, pictures)
			}
			r.Rows = append(r.Rows, row)
		}
		if len(p.seen[it.ID]) == 0 {
			r.Rows = append(r.Rows, base)
		}
	}
	r.Found, err = s.searched(ctx, p)
	return r, cmp.Or(err, ctx.Err())
}

// searched tells how far a programme was looked through, and what became of what was found.
func (s *server) searched(ctx context.Context, p *parts) (f report.Found, err error) {
	read := s.Store.ForReads()
	runs, err := read.FindRuns(ctx, p.programme.ID)
	if err != nil {
		return f, err
	}
	for _, run := range runs {
		if run.State == store.Done {
			f.Sources++
			f.Looked += run.Looked
			f.Frames += p.source[run.Source].Frames
		}
	}
	all, err := read.Proposals(ctx, p.programme.ID)
	if err != nil {
		return f, err
	}
	for _, q := range all {
		d := &f.Read
		if q.Kind == proposal.Mark {
			d = &f.Again
		}
		d.All++
		switch q.State {
		case store.AcceptedProposal:
			d.Accepted++
		case store.UnneededProposal:
			d.Unneeded++
		default:
			d.Undecided++
		}
	}
	marks, err := read.Marks(ctx, p.programme.ID)
	for _, m := range marks {
		f.Marks++
		if m.Done == m.Sources && m.Sources > 0 {
			f.Through++
		}
	}
	return f, err
}

// holds are the shots in a delivery.
func holds(d store.Delivery) (shots []string) {
	if d.Shot != "" {
		return []string{d.Shot}
	}
	for _, c := range d.Contents.V {
		shots = append(shots, c.Shot)
	}
	return shots
}

// what names what a delivery is of.
func what(d store.Delivery) string {
	if d.Reel {
		return strings.Join(holds(d), " ")
	}
	return d.Source + d.Shot
}

// delivered lists what was delivered, the newest first.
func (p *parts) delivered() (out []report.Delivery) {
	newer := map[string]bool{}
	for _, d := range p.deliveries {
		if d.State != store.Done {
			continue
		}
		v := report.Delivery{
			Name: d.Name, Shot: p.shot[d.Shot].Name, Preset: d.Preset, SHA256: d.SHA256, Revision: d.Revision,
			Current: !newer[what(d)],
		}
		if d.Reel {
			v.Shot = fmt.Sprintf("%d shots, one after another", len(d.Contents.V))
		} else if d.Shot == "" {
			v.Shot = fmt.Sprintf("%s, with %d shots", p.source[d.Source].Name, len(d.Contents.V))
		}
		way, err := d.Way(p.source[d.Source].Info.V)
		if against := outgoing(d.Contents.V, err == nil && way.ForReview()).Doubts(); len(against) > 0 {
			v.Proof = "Delivered although " + inWords(against) + ". "
		}
		for _, h := range p.handed {
			if h.Delivery == d.ID && h.State == store.Acknowledged {
				v.Proof += fmt.Sprintf("Acknowledged by %s on %s, handed over by %s. ", h.Intake,
					h.Finished.UTC().Format("2006-01-02 15:04 MST"), h.By)
			}
		}
		for _, shot := range holds(d) {
			v.Current = v.Current && (d.Shot != "" && d.Revision == p.heads[shot].Number || !p.stale[shot])
		}
		newer[what(d)] = true
		if d.Finished != nil {
			v.At = *d.Finished
		}
		if q := d.Proof.V; q != nil {
			if q.Frames == 0 {
				v.Proof += fmt.Sprintf("%d sound tracks", q.Sound)
			} else {
				v.Proof += fmt.Sprintf("%d frames", q.Frames)
			}
			if q.Copied > 0 {
				v.Proof += fmt.Sprintf("; %d coded pictures are the source's own, byte for byte, %d were coded anew", q.Copied,
					q.Coded)
			}
			if q.Anew != "" {
				v.Proof += "; all coded anew: " + q.Anew
			}
			if q.Compared > 0 {
				v.Proof += fmt.Sprintf("; every sample outside the covers equal to the source in %d", q.Compared)
			}
			if len(q.Damage) > 0 {
				v.Proof += "; of a damaged source, with " + strings.Join(q.Damage, "; ")
			}
			if q.Passages > 0 {
				v.Proof += fmt.Sprintf("; %d passages of sound listened for and not heard", q.Passages)
			}
		}
		out = append(out, v)
	}
	return out
}

// tell enters what is known of an item in a shot: its state, findings and decisions.
func (p *parts) tell(row *report.Row, v store.Appearance) {
	sh, k := p.shot[v.Shot], store.Row{Item: v.Item, Shot: v.Shot}
	src := p.source[sh.Source]
	row.Shot, row.Source, row.State, row.Note, row.Checked = sh.Name, src.Name, v.State.Title(), v.Note, v.Checked
	for _, f := range p.findings[k] {
		row.Findings = append(row.Findings, report.Finding{
			Kind: check.Describe(f.Kind).Title, Says: f.Says, Evidence: f.Evidence, State: string(f.State), Reason: f.Reason,
			By: f.By, Severe: f.Severity == check.Severe, At: f.At,
		})
	}
	for _, d := range p.decisions[k] {
		w := report.Decision{By: d.By, State: d.State.Title(), Note: d.Note, Change: d.Change, At: d.At}
		if d.Was == d.State {
			w.State = "note"
		}
		if d.Frame != nil {
			w.Where = fmt.Sprintf("%s, f %d", clock(src).Format(int64(sh.First+*d.Frame)), *d.Frame)
		}
		row.Decisions = append(row.Decisions, w)
	}
}

// clock counts a source's timecode, from nought where it has none.
func clock(src store.Source) timecode.Timecode {
	tc, err := timecode.New(src.Info.V.Rate, src.Info.V.Timecode)
	if err != nil {
		return timecode.Timecode{Rate: src.Info.V.Rate}
	}
	return tc
}

// hidden says when and how an item is hidden, with pictures from the middle of it.
func (s *server) hidden(ctx context.Context, row *report.Row, item string, sh store.Shot, src store.Source,
	d *cover.Document, pictures bool,
) {
	_, span := hides(d, item)
	if span == nil {
		return
	}
	tc := clock(src)
	row.In, row.Out, row.Frames = tc.Format(int64(sh.First+span.First)), tc.Format(int64(sh.First+span.Last)),
		span.Last-span.First+1
	var how []string
	for _, c := range d.Hiding(item) {
		for _, t := range c.Treatments {
			if k := cover.Describe(t.Kind); k != nil && !t.Off && !slices.Contains(how, k.Title) {
				how = append(how, k.Title)
			}
		}
	}
	row.Treatment = strings.Join(how, ", then ")
	var said []string
	for _, p := range d.Unsaid(item) {
		if t := "sound: " + strings.ToLower(p.How.Title()); !slices.Contains(said, t) {
			said = append(said, t)
		}
	}
	if len(said) > 0 {
		row.Treatment = strings.TrimPrefix(row.Treatment+"; "+strings.Join(said, ", "), "; ")
	}
	if !pictures || src.State != store.Ready {
		return
	}
	f := (span.First + span.Last) / 2
	data := func(after bool) template.URL {
		pic, doc, err := s.shown(ctx, sh.ID, f, after)
		if err != nil {
			return ""
		}
		var b bytes.Buffer
		if jpeg.Encode(&b, stillOf(pic, around(doc, item, f, pic.Rect())), &jpeg.Options{Quality: 85}) != nil {
			return ""
		}
		return template.URL("data:image/jpeg;base64," + base64.StdEncoding.EncodeToString(b.Bytes()))
	}
	row.Before, row.After = data(false), data(true)
}

// reported makes a report and answers with it. One is made at a time, for each reads a
// whole programme.
func (s *server) reported(w http.ResponseWriter, r *http.Request, kind, ending string, pictures bool,
	write func(*report.Report) ([]byte, error),
) {
	turn, err := s.printer.Hold(r.Context(), budget.Soon, 1)
	if err != nil {
		failed(w, err)
		return
	}
	defer turn()
	rep, err := s.report(r.Context(), chi.URLParam(r, "id"), pictures)
	var b []byte
	if err == nil {
		b, err = write(rep)
	}
	switch {
	case errors.Is(err, report.ErrNoPrinter):
		refuse(w, http.StatusNotImplemented, sentence(err))
		return
	case err != nil:
		failed(w, err)
		return
	}
	w.Header().Set("Content-Type", kind)
	if ending != "" {
		w.Header().Set("Content-Disposition", mime.FormatMediaType("attachment",
			map[string]string{"filename": plain(rep.Programme) + " report" + ending}))
	} else {
		w.Header().Set("Content-Security-Policy", "default-src 'none'; style-src 'unsafe-inline'; img-src data:; "+
			"frame-ancestors 'none'")
	}
	w.Write(b)
}

func (s *server) reportHTML(w http.ResponseWriter, r *http.Request) {
	s.reported(w, r, "text/html; charset=utf-8", "", true, func(rep *report.Report) ([]byte, error) {
		var b bytes.Buffer
		err := rep.HTML(&b)
		return b.Bytes(), err
	})
}

func (s *server) reportCSV(w http.ResponseWriter, r *http.Request) {
	s.reported(w, r, "text/csv; charset=utf-8", ".csv", false, func(rep *report.Report) ([]byte, error) {
		var b bytes.Buffer
		err := rep.CSV(&b)
		return b.Bytes(), err
	})
}

func (s *server) reportPDF(w http.ResponseWriter, r *http.Request) {
	s.reported(w, r, "application/pdf", ".pdf", true, func(rep *report.Report) ([]byte, error) {
		free, err := s.Budget.Children.Hold(r.Context(), budget.Soon, report.PrinterMemory)
		if err != nil {
			return nil, err
		}
		defer free()
		return rep.PDF(r.Context())
	})
}
