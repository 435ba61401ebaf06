package clearance

import (
	"bytes"
	"fmt"
	"math/rand"
	"reflect"
	"slices"
	"strings"
	"testing"

	"celator/core/timecode"
)

var clock, _ = timecode.New(timecode.Rate{Num: 25, Den: 1}, "10:00:00:00")

// reels are a long source cut into four shots and a source that is one.
var reels = []Reel{
	{ID: "s1", Name: "Quay 1", Source: "Quay", First: 0, Last: 99, Timecode: clock},
	{ID: "s2", Name: "Quay 2", Source: "Quay", First: 100, Last: 249, Timecode: clock},
	{ID: "s3", Name: "Quay 3", Source: "Quay", First: 250, Last: 499, Timecode: clock},
	{
		ID: "p1", Name: "Pier", Source: "Pier", First: 0, Last: 199,
		Timecode: timecode.Timecode{Rate: timecode.Rate{Num: 25, Den: 1}},
	},
}

// Who may move an item to which state, from all states, and why not.
func TestMove(t *testing.T) {
	fine := Standing{State: Ready, Covered: true, Editors: []string{"Ada"}, Checked: true}
	for _, c := range []struct {
		what     string
		change   func(s *Standing)
		to       State
		by, note string
		why      string // part of the refusal; empty where it may be
	}{
		{"approve", func(*Standing) {}, Approved, "Maren", "", ""},
		{"approve one's own", func(*Standing) {}, Approved, "ada", "", "somebody else"},
		{"approve with a finding", func(s *Standing) { s.Severe = 1 }, Approved, "Maren", "", "1 open severe finding;"},
		{"approve unchecked", func(s *Standing) { s.Checked = false }, Approved, "Maren", "", "not checked"},
		{"approve unfinished", func(s *Standing) { s.State = InWork }, Approved, "Maren", "", "this is in work"},
		{"approve without a name", func(*Standing) {}, Approved, "  ", "", "who you are"},
		{"send back", func(*Standing) {}, SentBack, "Maren", "The edge shows", ""},
		{"send back without a word", func(*Standing) {}, SentBack, "Maren", " ", "say why"},
		{"send back what is not begun", func(s *Standing) { s.State = ToDo }, SentBack, "Maren", "no", "only what is ready"},
		{"take an approval back", func(s *Standing) { s.State = Approved }, SentBack, "Maren", "late doubts", ""},
		{"ready", func(s *Standing) { s.State = InWork }, Ready, "Ada", "", ""},
		{"ready, bare", func(s *Standing) { s.State, s.Covered = ToDo, false }, Ready, "Ada", "", "nothing hides it"},
		{"ready, a draft", func(s *Standing) { s.State, s.Drafts = InWork, 1 }, Ready, "Ada", "", "say yes"},
		{"approve a draft", func(s *Standing) { s.Drafts = 2 }, Approved, "Maren", "", "nobody has said yes"},
		{"waive", func(s *Standing) { s.State, s.Covered = ToDo, false }, Waived, "Ada", "Agreed by the owner", ""},
		{"waive without a reason", func(*Standing) {}, Waived, "Ada", "", "say why"},
		{"begin again", func(s *Standing) { s.State = Waived }, ToDo, "Ada", "", ""},
		{"nowhere", func(*Standing) {}, "gone", "Ada", "", "no state"},
	} {
		s := fine
		c.change(&s)
		err := s.Move(c.to, c.by, c.note)
		if (err == nil) != (c.why == "") || err != nil && !strings.Contains(err.Error(), c.why) {
			t.Errorf("%s: %v", c.what, err)
		}
	}
	for from, to := range map[State]State{
		ToDo: InWork, InWork: InWork, Ready: Ready, SentBack: InWork, Approved: Ready,
		Waived: Waived,
	} {
		if got := from.Edited(); got != to {
			t.Errorf("%s becomes %s when it is edited", from, got)
		}
	}
}

// A row's timecodes place it in the shots that they lie in, in those shots' own frames.
func TestPlace(t *testing.T) {
	row := func(source, shot, in, out string) Row {
		return Row{Details: Details{Name: "x", Kind: "sign"}, Source: source, Shot: shot, In: in, Out: out}
	}
	for _, c := range []struct {
		row  Row
		seen []Appearance
		why  string
	}{
		{row("", "", "", ""), nil, ""},
		{
			row("Quay", "", "10:00:03:10", "10:00:10:05"),
			[]Appearance{{Shot: "s1", First: 85, Last: 99}, {Shot: "s2", First: 0, Last: 149}, {Shot: "s3", First: 0, Last: 5}},
			"",
		},
		{row("quay", "", "100", "249"), []Appearance{{Shot: "s2", First: 0, Last: 149}}, ""},
		{row("", "Quay 2", "", ""), []Appearance{{Shot: "s2", First: -1, Last: -1}}, ""},
		{row("Pier", "", "", ""), []Appearance{{Shot: "p1", First: -1, Last: -1}}, ""},
		{row("Quay", "", "", ""), nil, "has 3 shots"},
		{row("Quay", "Pier", "", ""), nil, "no shot"},
		{row("Mole", "", "", ""), nil, "no source"},
		{row("", "", "1", "2"), nil, "name the source"},
		{row("Quay", "", "10:00:02:00", ""), nil, "both"},
		{row("Quay", "", "10:00:02:00", "10:00:01:00"), nil, "before"},
		{row("Quay", "", "09:00:02:00", "09:00:03:00"), nil, "no shot"},
		{row("Quay", "", "10:00:02:31", "10:00:03:00"), nil, "outside the clock"},
		{row("Quay", "", "soon", "later"), nil, "hh:mm:ss:ff"},
	} {
		seen, err := place(c.row, reels)
		if (err == nil) != (c.why == "") || err != nil && !strings.Contains(err.Error(), c.why) {
			t.Errorf("%+v: %v", c.row, err)
			continue
		}
		if err == nil && len(seen) != len(c.seen) {
			t.Fatalf("%+v: %+v", c.row, seen)
		}
		for i := range seen {
			if seen[i].Shot != c.seen[i].Shot || seen[i].First != c.seen[i].First || seen[i].Last != c.seen[i].Last {
				t.Errorf("%+v: %+v", c.row, seen[i])
			}
		}
	}
}

// random makes a list with texts of every kind, in shots and in none.
func random(rng *rand.Rand, n int) []Entry {
	texts := []string{
		"", "plain", "with, comma", "two\nlines", `"quoted"`, "=1+2", "'=x", "+4", "@home", "-", "'",
		"Ærø – Ö", "semi;colon", "tab\tin it",
	}
	text := func() string { return texts[rng.Intn(len(texts))] }
	var out []Entry
	for i := range n {
		e := Entry{ID: fmt.Sprintf("id-%d", i), Details: Details{
			Name: fmt.Sprintf("%s %d", strings.TrimSpace("item "+text()), i), Kind: ItemKinds[rng.Intn(len(ItemKinds))],
			Description: text(), Reason: text(), Requester: text(),
		}}
		if rng.Intn(2) == 0 {
			e.Due = fmt.Sprintf("2026-%02d-%02d", 1+rng.Intn(12), 1+rng.Intn(28))
		}
		for _, r := range reels {
			if rng.Intn(3) > 0 {
				continue
			}
			s := Appearance{
				Shot: r.ID, First: -1, Last: -1, State: States[rng.Intn(len(States))],
				Assignee: strings.ReplaceAll(text(), "\n", " "),
			}
			if rng.Intn(2) == 0 {
				s.First = rng.Intn(r.Last - r.First + 1)
				s.Last = s.First + rng.Intn(r.Last-r.First-s.First+1)
			}
			if s.State == Waived {
				s.Note = "agreed"
			}
			e.Appearances = append(e.Appearances, s)
		}
		out = append(out, e)
	}
	return out
}

// What is written and read again over the same list changes nothing; over an empty one it
// makes the same list again, but for states that only work and review can give.
func TestRoundTrip(t *testing.T) {
	rng := rand.New(rand.NewSource(2))
	for range 200 {
		list := random(rng, 1+rng.Intn(12))
		var b bytes.Buffer
		if err := Write(&b, Rows(list, reels)); err != nil {
			t.Fatal(err)
		}
		rows, wrong, err := Read(b.Bytes())
		if err != nil || len(wrong) > 0 {
			t.Fatalf("%v %v\n%s", err, wrong, b.String())
		}
		changed, made, more := Merge(list, rows, reels)
		if len(changed) > 0 || len(more) > 0 {
			t.Fatalf("changed %+v, wrong %v of\n%s", changed, more, b.String())
		}
		for _, m := range made {
			if m.What != "same" {
				t.Fatalf("%+v", m)
			}
		}
		for i := range rows {
			rows[i].ID = ""
			if s := rows[i].State; s == Ready || s == SentBack || s == Approved {
				rows[i].State = ""
			}
		}
		anew, _, more := Merge(nil, rows, reels)
		if len(more) > 0 || len(anew) != len(list) {
			t.Fatalf("%d of %d, %v", len(anew), len(list), more)
		}
		for i, e := range anew {
			want := list[i]
			want.ID = ""
			want.Appearances = slices.Clone(want.Appearances)
			for j := range want.Appearances {
				if s := &want.Appearances[j]; s.State == Ready || s.State == SentBack || s.State == Approved {
					s.State, s.Note = ToDo, ""
				}
			}
			for _, d := range []*string{&want.Description, &want.Reason, &want.Requester} {
				*d = strings.TrimSpace(*d)
			}
			if e.Details != want.Details || len(e.Appearances)+len(want.Appearances) > 0 &&
				!reflect.DeepEqual(e.Appearances, want.Appearances) {
				t.Fatalf("%+v\nis not\n%+v", e, want)
			}
		}
	}
}

// Errors name their lines, and a list may not give what the review gives.
func TestWrongRows(t *testing.T) {
	list := "name;kind;due;source;state;note\r\nPlate;plate;2026-11-30;Pier;to " +
		"do;\r\n;plate;;;;\r\nMark;badge;;;;\r\nSign;sign;2026-02-30;;;\r\n" +
		"Face;face;;;waived;\r\nLogo;logo;;Pier;Approved;\r\nText;text;;;someday;\r\nNumber;number\r\n"
	rows, wrong, err := Read([]byte("\xef\xbb\xbf" + list))
	if err != nil {
		t.Fatal(err)
	}
	_, made, more := Merge(nil, rows, reels)
	var lines []int
	for _, w := range append(wrong, more...) {
		lines = append(lines, w.Line)
	}
	slices.Sort(lines)
	if !slices.Equal(lines, []int{3, 4, 5, 6, 7, 8, 9}) || len(made) != 1 || made[0].What != "new" ||
		made[0].Shots[0] != "Pier" {
		t.Fatalf("wrong lines %v, made %+v", lines, made)
	}
	for _, bad := range []string{
		"", "nothing\nx", "name\nx", "name,kind,name\n", "name,kind,weight\n",
		"name,kind\n\xff\xfe",
	} {
		if _, _, err := Read([]byte(bad)); err == nil {
			t.Errorf("%q is read", bad)
		}
	}
}

// Whatever comes in, reading does not fall over, and what is accepted can be written and
// is then accepted alike.
func FuzzRead(f *testing.F) {
	f.Add([]byte("name,kind,in,out,source\nPlate,plate,10,20,Pier\n"))
	f.Add([]byte("kind;name;state\nsign;'=x;waived\n\"\n"))
	f.Add([]byte("name\tkind\tnote\n\"a\nb\"\tface\t\n"))
	f.Fuzz(func(t *testing.T, b []byte) {
		rows, _, err := Read(b)
		if err != nil {
			return
		}
		Merge(nil, rows, reels)
		for i := range rows {
			rows[i].Line = 0
		}
		var out bytes.Buffer
		if err := Write(&out, rows); err != nil {
			t.Fatal(err)
		}
		again, wrong, err := Read(out.Bytes())
		if err != nil || len(wrong) > 0 || len(again) != len(rows) {
			t.Fatalf("%v %v\n%q", err, wrong, out.String())
		}
		for i := range again {
			again[i].Line = 0
			if again[i] != rows[i] {
				t.Fatalf("%+v became %+v", rows[i], again[i])
			}
		}
	})
}

// A list laid over another, whatever both hold: each row comes to something or is wrong,
// no entry comes out twice, and laid over again it changes nothing more.
func FuzzMerge(f *testing.F) {
	f.Add([]byte("name,kind,in,out,source\nPlate,plate,10,20,Pier\n"),
		[]byte("id,name,kind,state\n0,Plate,plate,waived\n,Sign,sign,\n"))
	f.Add([]byte("name,kind\nA,logo\na,logo\n"), []byte("name,kind,shot\nA,logo,Quay 1\nA,logo,Quay 9\n"))
	f.Fuzz(func(t *testing.T, a, b []byte) {
		first, _, err := Read(a)
		second, _, err2 := Read(b)
		if err != nil || err2 != nil {
			return
		}
		lay := func(now []Entry, rows []Row) []Entry {
			changed, made, wrong := Merge(now, rows, reels)
			if len(made)+len(wrong) < len(rows) {
				t.Fatalf("of %d rows %d came to something and %d are wrong", len(rows), len(made), len(wrong))
			}
			seen := map[string]bool{}
			for _, e := range changed {
				if e.ID == "" {
					e.ID = "new " + e.Kind + "/" + e.Name
				}
				if seen[e.ID] {
					t.Fatalf("%q comes out twice", e.ID)
				}
				seen[e.ID] = true
				i := slices.IndexFunc(now, func(o Entry) bool { return o.ID == e.ID })
				if i >= 0 {
					now[i] = e
				} else {
					now = append(now, e)
				}
			}
			return now
		}
		now := lay(nil, first)
		now = lay(now, second)
		lay(now, second)
	})
}

// What goes out is doubted for each thing that is open, and not at all where it is made for review.
func TestDoubts(t *testing.T) {
	for _, c := range []struct {
		of   Outgoing
		many int
	}{
		{Outgoing{}, 0},
		{Outgoing{Severe: 1}, 1},
		{Outgoing{Open: 3}, 1},
		{Outgoing{Severe: 2, Open: 1}, 2},
		{Outgoing{Severe: 2, Open: 1, ForReview: true}, 0},
	} {
		if d := c.of.Doubts(); len(d) != c.many || d == nil {
			t.Errorf("%+v is doubted with %q", c.of, d)
		}
	}
}
