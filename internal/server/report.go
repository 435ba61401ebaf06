package server

import (
	"bytes"
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
	"celator/core/timecode"
	"celator/internal/report"
	"celator/internal/store"
)

// report gathers what a programme's report says.
func (s *server) report(ctx context.Context, programme string, pictures bool) (*report.Report, error) {
	p, err := s.Store.Programme(ctx, programme)
	if err != nil {
		return nil, err
	}
	sources, err := s.Store.Sources(ctx, programme)
	if err != nil {
		return nil, err
	}
	shots, err := s.Store.Shots(ctx, programme)
	if err != nil {
		return nil, err
	}
	items, err := s.Store.Items(ctx, programme)
	if err != nil {
		return nil, err
	}
	seen, err := s.Store.AllSeen(ctx, programme)
	if err != nil {
		return nil, err
	}
	findings, err := s.Store.ProgrammeFindings(ctx, programme)
	if err != nil {
		return nil, err
	}
	decisions, err := s.Store.ProgrammeDecisions(ctx, programme)
	if err != nil {
		return nil, err
	}
	deliveries, err := s.Store.Deliveries(ctx, programme)
	if err != nil {
		return nil, err
	}
	r := &report.Report{Programme: p.Name, Made: time.Now()}
	sourceOf, shotOf := map[string]store.Source{}, map[string]store.Shot{}
	for _, src := range sources {
		sourceOf[src.ID] = src
		r.Sources = append(r.Sources, report.Source{Name: src.Name, Picture: fmt.Sprintf("%dx%d, %d bit, %.5g frames a second", src.Info.V.Width, src.Info.V.Height, src.Info.V.Depth, src.Info.V.Rate.Float()), Digest: src.Digest, Frames: src.Frames})
	}
	heads := map[string]store.Revision{}
	for _, sh := range shots {
		shotOf[sh.ID] = sh
		if slices.ContainsFunc(seen, func(v store.Seen) bool { return v.Shot == sh.ID && v.Covered }) || slices.ContainsFunc(deliveries, func(d store.Delivery) bool { return d.Shot == sh.ID }) {
			if heads[sh.ID], err = s.Store.Head(ctx, sh.ID); err != nil {
				return nil, err
			}
		}
	}
	stale := map[string]bool{}
	for _, f := range findings {
		if f.Kind == check.StaleDelivery && f.State != store.FindingMended {
			stale[f.Shot] = true
		}
	}
	newest := map[string]bool{}
	for _, d := range deliveries {
		if d.State != store.Done {
			continue
		}
		v := report.Delivery{Name: d.Name, Shot: shotOf[d.Shot].Name, Preset: d.Preset, SHA256: d.SHA256, Revision: d.Revision, Current: !newest[d.Shot] && (d.Revision == heads[d.Shot].Number || !stale[d.Shot])}
		newest[d.Shot] = true
		if d.Finished != nil {
			v.At = *d.Finished
		}
		if q := d.Proof.V; q != nil {
			v.Proof = fmt.Sprintf("%d frames", q.Frames)
			if q.Compared > 0 {
				v.Proof += fmt.Sprintf("; every sample outside the covers equal to the source in %d", q.Compared)
			}
		}
		r.Deliveries = append(r.Deliveries, v)
	}
	for _, it := range items {
		base := report.Row{Name: it.Name, Kind: it.Kind, Description: it.Description, Reason: it.Reason, Requester: it.Requester, Due: it.Due, State: clearance.ToDo.Title()}
		placed := false
		for _, v := range seen {
			if v.Item != it.ID {
				continue
			}
			placed = true
			row := base
			sh := shotOf[v.Shot]
			src := sourceOf[sh.Source]
			row.Shot, row.Source, row.State, row.Note = sh.Name, src.Name, v.State.Title(), v.Note
			if head, ok := heads[sh.ID]; ok {
				s.hidden(ctx, &row, it.ID, sh, src, head.Document, pictures)
			}
			for _, f := range findings {
				if f.Shot == v.Shot && f.Item == it.ID {
					row.Findings = append(row.Findings, report.Finding{Kind: check.Describe(f.Kind).Title, Says: f.Says, Evidence: f.Evidence, State: f.State, Reason: f.Reason, By: f.By, Severe: f.Severity == check.Severe, At: f.At})
				}
			}
			for _, d := range decisions {
				if d.Shot != v.Shot || d.Item != it.ID {
					continue
				}
				w := report.Decision{By: d.By, State: d.State.Title(), Note: d.Note, At: d.At}
				if d.Was == d.State {
					w.State = "note"
				}
				if d.Frame != nil {
					w.Where = clock(src).Format(int64(sh.First+*d.Frame)) + fmt.Sprintf(", f %d", *d.Frame)
				}
				row.Decisions = append(row.Decisions, w)
			}
			r.Rows = append(r.Rows, row)
		}
		if !placed {
			r.Rows = append(r.Rows, base)
		}
	}
	return r, nil
}

func clock(src store.Source) timecode.Timecode {
	tc, err := timecode.New(src.Info.V.Rate, src.Info.V.Timecode)
	if err != nil {
		return timecode.Timecode{Rate: src.Info.V.Rate}
	}
	return tc
}

// hidden says when and how an item is hidden, with pictures from the middle of it.
func (s *server) hidden(ctx context.Context, row *report.Row, item string, sh store.Shot, src store.Source, d *cover.Document, pictures bool) {
	_, span := hides(d, item)
	if span == nil {
		return
	}
	tc := clock(src)
	row.In, row.Out, row.Frames = tc.Format(int64(sh.First+span.First)), tc.Format(int64(sh.First+span.Last)), span.Last-span.First+1
	var how []string
	for _, c := range d.Covers {
		if c.Item != item || c.Off || len(c.HoldsOut) > 0 {
			continue
		}
		for _, t := range c.Treatments {
			if k := cover.Describe(t.Kind); k != nil && !t.Off && !slices.Contains(how, k.Title) {
				how = append(how, k.Title)
			}
		}
	}
	row.Treatment = strings.Join(how, ", then ")
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

func (s *server) reported(w http.ResponseWriter, r *http.Request, kind, ending string, pictures bool, write func(*report.Report) ([]byte, error)) {
	rep, err := s.report(r.Context(), chi.URLParam(r, "id"), pictures)
	if errors.Is(err, store.ErrNone) {
		http.Error(w, "There is no such programme.", http.StatusNotFound)
		return
	}
	var b []byte
	if err == nil {
		b, err = write(rep)
	}
	switch {
	case errors.Is(err, report.ErrNoPrinter):
		http.Error(w, sentence(err), http.StatusNotImplemented)
		return
	case err != nil:
		http.Error(w, "The report cannot be made: "+err.Error(), http.StatusInternalServerError)
		return
	}
	w.Header().Set("Content-Type", kind)
	w.Header().Set("X-Content-Type-Options", "nosniff")
	if ending != "" {
		w.Header().Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": plain(rep.Programme) + " report" + ending}))
	} else {
		w.Header().Set("Content-Security-Policy", "default-src 'none'; style-src 'unsafe-inline'; img-src data:")
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
	s.reported(w, r, "application/pdf", ".pdf", true, func(rep *report.Report) ([]byte, error) { return rep.PDF(r.Context()) })
}
