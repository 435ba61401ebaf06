// Package report writes what was done about every item of a programme: as HTML that
// prints well and needs nothing else, as CSV, and as PDF where Chromium is at hand.
package report

import (
	"bytes"
	"context"
	_ "embed"
	"encoding/csv"
	"errors"
	"fmt"
	"html/template"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"

	"celator/core/clearance"
)

// Report is what a report says.
type Report struct {
	Programme  string
	Made       time.Time
	Sources    []Source
	Rows       []Row
	Deliveries []Delivery
	Found      Found
}

// Found is how far the sources were looked through, and what became of what was found.
type Found struct {
	Sources, Looked, Frames int     // that were looked through for text and faces; frames that were looked at, of so many
	Read                    Decided // what was found there
	Marks, Through          int     // that were looked for by their pictures; of them, those that were in all sources
	Again                   Decided // what was found so
}

// Decided is what became of proposals.
type Decided struct {
	All, Accepted, Unneeded, Undecided int
}

// Source is a source's name and the digest over all of its frames.
type Source struct {
	Name, Picture, Digest string
	Frames                int
	Damage                string // what is wrong with its pictures, which were taken as they are
}

// Delivery is a finished file.
type Delivery struct {
	Name, Shot, Preset, SHA256, Proof string
	Revision                          int
	Current                           bool // it shows the covers as they are
	At                                time.Time
}

// Row is an item in a shot, or one that is in no shot yet.
type Row struct {
	Name, Kind, Description, Reason, Requester, Due string
	Shot, Source, In, Out                           string // timecodes, both included
	Frames                                          int
	State, Note                                     string
	Treatment                                       string
	Checked                                         bool         // as it is now
	Before, After                                   template.URL // JPEG as data; empty where there is none
	Findings                                        []Finding
	Decisions                                       []Decision
}

// Finding is what the check found and what became of it.
type Finding struct {
	Kind, Says, Evidence, State, Reason, By string
	Severe                                  bool
	At                                      *time.Time
}

// Decision is a change of state, or a note.
type Decision struct {
	By, State, Note, Change, Where string
	At                             time.Time
}

// Share is how many rows are in a state, by its title.
type Share struct {
	State string
	Rows  int
}

// Shares counts the rows by their states, those that are over first; states of no row are
// left out.
func (r *Report) Shares() (all []Share) {
	for _, s := range []clearance.State{
		clearance.Approved, clearance.Waived, clearance.Ready, clearance.InWork, clearance.SentBack, clearance.ToDo,
	} {
		n := 0
		for _, x := range r.Rows {
			if x.State == s.Title() {
				n++
			}
		}
		if n > 0 {
			all = append(all, Share{s.Title(), n})
		}
	}
	return all
}

// Findings counts what is open.
type Findings struct{ Severe, Minor int }

// Open counts the findings of all rows that are neither mended nor waived.
func (r *Report) Open() (n Findings) {
	for _, x := range r.Rows {
		for _, f := range x.Findings {
			switch {
			case f.State != "open":
			case f.Severe:
				n.Severe++
			default:
				n.Minor++
			}
		}
	}
	return n
}

// Unchecked counts the rows whose covers were changed since they were checked.
func (r *Report) Unchecked() (n int) {
	for _, x := range r.Rows {
		if x.In != "" && !x.Checked {
			n++
		}
	}
	return n
}

// Approval is the decision by which a row is approved now, or nil.
func (r Row) Approval() *Decision {
	if r.State != clearance.Approved.Title() {
		return nil
	}
	for i := len(r.Decisions) - 1; i >= 0; i-- {
		if r.Decisions[i].State == clearance.Approved.Title() {
			return &r.Decisions[i]
		}
	}
	return nil
}

// Open counts a row's findings that are neither mended nor waived.
func (r Row) Open() (n int) {
	for _, f := range r.Findings {
		if f.State == "open" {
			n++
		}
	}
	return n
}

//go:embed report.html
var page string

var tmpl = template.Must(template.New("report").Funcs(template.FuncMap{
	"when":   func(t time.Time) string { return t.Format("2 Jan 2006, 15:04") },
	"lower":  strings.ToLower,
	"number": func(i int) int { return i + 1 },
}).Parse(page))

// HTML writes the report as one page.
func (r *Report) HTML(w io.Writer) error { return tmpl.Execute(w, r) }

// Columns of the report as CSV.
var Columns = []string{
	"name", "kind", "description", "reason", "requested by", "due", "source", "shot", "in", "out",
	"frames", "state", "note", "treatment", "checked", "open findings", "mended findings", "waived findings",
	"approved by", "approved at", "source digest", "delivery", "delivery sha256",
}

// CSV writes a line for each row of the report.
func (r *Report) CSV(w io.Writer) error {
	c := csv.NewWriter(w)
	c.UseCRLF = true
	if err := c.Write(Columns); err != nil {
		return err
	}
	digest := map[string]string{}
	for _, s := range r.Sources {
		digest[s.Name] = s.Digest
	}
	for _, x := range r.Rows {
		var mended int
		var waived []string
		for _, f := range x.Findings {
			switch f.State {
			case "mended":
				mended++
			case "waived":
				waived = append(waived, fmt.Sprintf("%s: %s (%s)", f.Kind, f.Reason, f.By))
			}
		}
		by, at, checked := "", "", ""
		if x.In != "" {
			checked = map[bool]string{true: "yes", false: "no"}[x.Checked]
		}
		if d := x.Approval(); d != nil {
			by, at = d.By, d.At.UTC().Format(time.RFC3339)
		}
		name, sha := "", ""
		for _, d := range r.Deliveries { // the newest comes first
			if d.Shot == x.Shot {
				name, sha = d.Name, d.SHA256
				break
			}
		}
		line := []string{
			x.Name, x.Kind, x.Description, x.Reason, x.Requester, x.Due, x.Source, x.Shot, x.In, x.Out, fmt.Sprint(x.Frames),
			x.State, x.Note, x.Treatment, checked,
			fmt.Sprint(x.Open()), fmt.Sprint(mended), strings.Join(waived, "; "), by, at, digest[x.Source], name, sha,
		}
		for i, v := range line { // what a spreadsheet would take for a formula
			if v != "" && strings.ContainsAny(v[:1], "=+-@\t\r") {
				line[i] = "'" + v
			}
		}
		if err := c.Write(line); err != nil {
			return err
		}
	}
	c.Flush()
	return c.Error()
}

// ErrNoPrinter says that no PDF can be made here.
var ErrNoPrinter = errors.New("a PDF needs Chromium on the server, which is not installed; print the HTML " +
	"report instead")

// PrinterMemory is about what printing takes, in bytes.
const PrinterMemory = 250 << 20

// PDF prints the report by Chromium.
func (r *Report) PDF(ctx context.Context) ([]byte, error) {
	var browser string
	for _, name := range []string{"chromium", "chromium-browser", "google-chrome"} {
		if p, err := exec.LookPath(name); err == nil {
			browser = p
			break
		}
	}
	if browser == "" {
		return nil, ErrNoPrinter
	}
	var b bytes.Buffer
	if err := r.HTML(&b); err != nil {
		return nil, err
	}
	dir, err := os.MkdirTemp("", "celator-report")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(dir)
	in, out := filepath.Join(dir, "report.html"), filepath.Join(dir, "report.pdf")
	if err := os.WriteFile(in, b.Bytes(), 0o600); err != nil {
		return nil, err
	}
	ctx, cancel := context.WithTimeout(ctx, 2*time.Minute)
	defer cancel()
	// It sees one file of our own making and nothing else; scripts are off by the page's
	// own rule.
	cmd := exec.CommandContext(ctx, browser, "--headless", "--no-sandbox", "--disable-gpu", "--no-pdf-header-footer",
		"--user-data-dir="+filepath.Join(dir, "profile"), "--print-to-pdf="+out, "file://"+in)
	if msg, err := cmd.CombinedOutput(); err != nil {
		return nil, fmt.Errorf("the PDF could not be printed: %w (%s)", err,
			strings.TrimSpace(string(msg[:min(len(msg), 200)])))
	}
	return os.ReadFile(out)
}
