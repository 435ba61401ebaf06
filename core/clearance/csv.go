package clearance

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"unicode/utf8"
)

// Columns of the list as CSV, in this order. A row is an item in one shot; an item that
// is seen in several has several rows, and one that is in none yet has one without a shot.
// Only name and kind must be there to be read; the others may be absent, in any order.
var Columns = []string{
	"id", "name", "kind", "description", "reason", "requested by", "due", "source", "shot", "in",
	"out", "state", "assigned to", "note",
}

// Row is one of the list's rows. In and Out are timecodes or frame numbers of the source,
// both included; empty where they are not known.
type Row struct {
	ID string `json:"id"` // of the item; empty for a new one
	Details
	Source   string `json:"source"`
	Shot     string `json:"shot"`
	In       string `json:"in"`
	Out      string `json:"out"`
	State    State  `json:"state"` // empty where the row says none
	Assignee string `json:"assignee"`
	Note     string `json:"note" doc:"of a waived one, why"`
	Line     int    `json:"line"` // of the file, from 1
}

// RowError is what is wrong with a line.
type RowError struct {
	Line int    `json:"line"`
	Why  string `json:"why"`
}

func (e RowError) Error() string { return fmt.Sprintf("line %d: %s", e.Line, e.Why) }

// Limits of a list that is read.
const (
	MaxBytes = 16 << 20
	MaxRows  = 50_000
)

// guard marks a text that a spreadsheet would take for a formula; it is put before such
// a text when it is written, and taken away when it is read.
const guard = "'"

func guarded(t string) string {
	if t != "" && strings.ContainsAny(t[:1], "=+-@\t\r'") {
		return guard + t
	}
	return t
}

func plain(t string) string {
	if len(t) > 1 && strings.HasPrefix(t, guard) && strings.ContainsAny(t[1:2], "=+-@\t\r'") {
		return t[1:]
	}
	return t
}

func (r *Row) cells() []*string {
	return []*string{
		&r.ID, &r.Name, &r.Kind, &r.Description, &r.Reason, &r.Requester, &r.Due, &r.Source, &r.Shot,
		&r.In, &r.Out, nil, &r.Assignee, &r.Note,
	}
}

// Write writes rows as CSV (RFC 4180, UTF-8).
func Write(w io.Writer, rows []Row) error {
	c := csv.NewWriter(w)
	c.UseCRLF = true
	if err := c.Write(Columns); err != nil {
		return err
	}
	for i := range rows {
		r := &rows[i]
		var line []string
		for _, v := range r.cells() {
			if v == nil {
				line = append(line, r.State.Title())
				continue
			}
			line = append(line, guarded(*v))
		}
		if err := c.Write(line); err != nil {
			return err
		}
	}
	c.Flush()
	return c.Error()
}

// Read reads a list. Rows that cannot stand are named one by one, with the reason; the
// error is for a file that is no such list at all. Separators may be commas, semicolons
// or tabs.
func Read(b []byte) ([]Row, []RowError, error) {
	if len(b) > MaxBytes {
		return nil, nil, fmt.Errorf("the list is larger than %d MB", MaxBytes>>20)
	}
	b = bytes.TrimPrefix(b, []byte("\xef\xbb\xbf"))
	if !utf8.Valid(b) {
		return nil, nil, errors.New("the list is not in UTF-8; save it as CSV UTF-8")
	}
	first, _, _ := bytes.Cut(b, []byte("\n"))
	c := csv.NewReader(bytes.NewReader(b))
	for _, sep := range []rune{';', '\t'} {
		if bytes.ContainsRune(first, sep) && !bytes.ContainsRune(first, ',') {
			c.Comma = sep
		}
	}
	c.FieldsPerRecord = -1
	head, err := c.Read()
	if errors.Is(err, io.EOF) {
		return nil, nil, errors.New("the list is empty")
	}
	if err != nil {
		return nil, nil, fmt.Errorf("the list cannot be read: %w", err)
	}
	place := make([]int, len(head))
	seen := map[int]bool{}
	for i, h := range head {
		name := strings.ToLower(strings.TrimSpace(h))
		place[i] = slices.Index(Columns, name)
		if place[i] < 0 {
			return nil, nil, fmt.Errorf("there is no column %q; there are %s", strings.TrimSpace(h), strings.Join(Columns, ", "))
		}
		if seen[place[i]] {
			return nil, nil, fmt.Errorf("the column %q is there twice", name)
		}
		seen[place[i]] = true
	}
	if !seen[slices.Index(Columns, "name")] || !seen[slices.Index(Columns, "kind")] {
		return nil, nil, errors.New("the first line must name the columns, name and kind among them")
	}
	var rows []Row
	var wrong []RowError
	for {
		line, err := c.Read()
		if errors.Is(err, io.EOF) {
			return rows, wrong, nil
		}
		if err != nil {
			var p *csv.ParseError
			if errors.As(err, &p) {
				return rows, append(wrong, RowError{
					p.StartLine,
					"its quotation marks do not match; what follows was not read",
				}), nil
			}
			return nil, nil, err
		}
		at, _ := c.FieldPos(0)
		if len(line) == 1 && strings.TrimSpace(line[0]) == "" {
			continue
		}
		if len(rows)+len(wrong) >= MaxRows {
			return nil, nil, fmt.Errorf("the list has more than %d rows", MaxRows)
		}
		r := Row{Line: at}
		if why := r.fill(line, place); why != "" {
			wrong = append(wrong, RowError{at, why})
			continue
		}
		rows = append(rows, r)
	}
}

// fill takes a line's cells; it returns what is wrong with them.
func (r *Row) fill(line []string, place []int) string {
	if len(line) != len(place) {
		return fmt.Sprintf("it has %d cells, the first line has %d", len(line), len(place))
	}
	cells := r.cells()
	for i, v := range line {
		v = plain(strings.TrimSpace(v))
		if c := cells[place[i]]; c != nil {
			*c = v
			continue
		}
		if v == "" {
			continue
		}
		s, ok := StateOf(v)
		if !ok {
			return fmt.Sprintf("there is no state %q", v)
		}
		r.State = s
	}
	r.Kind = strings.ToLower(r.Kind)
	if err := r.Details.Tidy(); err != nil {
		return err.Error()
	}
	if len(r.Assignee) > MaxName || len(r.Note) > MaxText || len(r.ID) > 64 || len(r.In) > 32 || len(r.Out) > 32 {
		return "a text is too long"
	}
	if r.State == Waived && r.Note == "" {
		return "what is waived needs a note that says why"
	}
	return ""
}
