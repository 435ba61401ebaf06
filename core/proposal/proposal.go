// Package proposal holds the rules of what is offered to an editor as something to hide:
// what was seen on single frames is linked over time into proposals, these over shots into
// groups, and compared with what the clearance list asks for.
package proposal

import (
	"cmp"
	"regexp"
	"slices"
	"strings"
	"unicode"

	"celator/core/geom"
	"celator/core/reading"
)

// Kind is what a proposal is of.
type Kind string

const (
	Plate  Kind = "plate"
	Phone  Kind = "phone"
	Number Kind = "number" // a short one, as on jerseys and boats
	Text   Kind = "text"
	Face   Kind = "face"
	Mark   Kind = "mark" // a picture that was given, or an item's own surface
)

// Kinds are all of them.
var Kinds = []Kind{Plate, Phone, Number, Text, Face, Mark}

var (
	titles = map[Kind]string{
		Plate: "Plate", Phone: "Phone number", Number: "Number", Text: "Text", Face: "Face", Mark: "Mark",
	}
	items = map[Kind]string{
		Plate: "plate", Phone: "text", Number: "number", Text: "text", Face: "face", Mark: "logo",
	}
)

// Title is what a kind is called.
func (k Kind) Title() string { return titles[k] }

// Item is the kind of the clearance list's item that is made of it.
func (k Kind) Item() string { return items[k] }

// Sight is something that was seen on one frame.
type Sight struct {
	Frame int       `json:"frame"`
	Kind  Kind      `json:"kind" enum:"plate,phone,number,text,face,mark"`
	Quad  geom.Quad `json:"quad" doc:"its corners from the beginning of its upper edge, clockwise, px"`
	Text  string    `json:"text,omitempty" doc:"what it reads"`
	Sure  float64   `json:"sure" doc:"0 to 1"`
	// Board is the edge of what it stands on, where that was looked for and found.
	Board *geom.Quad `json:"board,omitempty" doc:"the edge of the board that it stands on, where that was found"`
}

// Proposal is something that was seen through a stretch of a shot.
type Proposal struct {
	Kind   Kind    `json:"kind" enum:"plate,phone,number,text,face,mark"`
	Text   string  `json:"text" doc:"what it reads, by all its sights"`
	Sure   float64 `json:"sure" doc:"0 to 1"`
	First  int     `json:"first" doc:"the stretch of frames through which it was seen or followed"`
	Last   int     `json:"last"`
	Best   Sight   `json:"best" doc:"the sight that shows it best"`
	Sights []Sight `json:"sights" doc:"in the order of frames"`
}

// Height is how high it stands where it is seen best, px.
func (p *Proposal) Height() float64 { return p.Best.Quad.Height() }

const (
	leastDigits = 7 // of a telephone number; most of them have at most fifteen (E.164)
	mostDigits  = 15
	shortNumber = 4 // digits of a number by itself
)

var (
	// A plate reads letters and digits, both of them, in up to four parts; its board is wider
	// than high.
	platish = regexp.MustCompile(`^[A-Z0-9ÄÖÜ]{1,5}([ .:·-]*[A-Z0-9ÄÖÜ]{1,5}){0,3}$`)
	phonish = regexp.MustCompile(`\+?[0-9OIl]([ ()/.-]*[0-9OIl]){6,14}`)
)

// leastPlate and mostPlate bound how many letters and digits a plate has, and its box's width
// over its height: one line, or the words of two close together.
const (
	leastPlate, mostPlate = 4, 9
	leastWide, mostWide   = 1.6, 9.
)

// KindOf is what a line of text is, by what it reads and the shape of its box.
func KindOf(text string, q geom.Quad) Kind {
	var digits, letters, other int
	for _, r := range text {
		switch {
		case unicode.IsDigit(r):
			digits++
		case unicode.IsLetter(r):
			letters++
		case !unicode.IsSpace(r):
			other++
		}
	}
	wide := q.Width() / max(q.Height(), 1)
	switch {
	case digits >= leastDigits && digits <= mostDigits && letters <= digits/3 && phonish.MatchString(text):
		return Phone
	case digits > 0 && digits <= shortNumber && letters == 0 && other == 0:
		return Number
	case digits >= 1 && letters >= 1 && digits+letters >= leastPlate && digits+letters <= mostPlate &&
		wide >= leastWide && wide <= mostWide && platish.MatchString(strings.ToUpper(text)) &&
		strings.ToUpper(text) == text && changes(text) <= 3:
		return Plate
	}
	return Text
}

// changes counts how often a text goes from letters to digits or back: a plate does so
// once to three times.
func changes(text string) (n int) {
	was := 0
	for _, r := range text {
		is := 0
		switch {
		case unicode.IsDigit(r):
			is = 1
		case unicode.IsLetter(r):
			is = 2
		}
		if is != 0 && was != 0 && is != was {
			n++
		}
		if is != 0 {
			was = is
		}
	}
	return n
}

// sum makes a proposal of sights, which it sorts.
func sum(sights []Sight, first, last int) Proposal {
	slices.SortStableFunc(sights, func(a, b Sight) int { return cmp.Compare(a.Frame, b.Frame) })
	p := Proposal{First: first, Last: last, Sights: sights}
	p.Text = vote(sights)
	best := -1.
	votes := map[Kind]float64{}
	for _, s := range sights {
		votes[s.Kind] += s.Sure
		p.Sure = max(p.Sure, s.Sure)
		if g := s.Sure * min(s.Quad.Height(), clear) * (1 + reading.Near(s.Text, p.Text)); g > best {
			best, p.Best = g, s
		}
	}
	for _, k := range Kinds {
		if p.Kind == "" || votes[k] > votes[p.Kind] {
			p.Kind = k
		}
	}
	if p.Text != "" {
		if k := KindOf(p.Text, p.Best.Quad); p.Kind != Face && p.Kind != Mark {
			p.Kind = k
		}
	}
	return p
}

// clear is how high, px, a thing must stand to be seen as well as it may be.
const clear = 40

// vote is the reading that the others support most, each by how sure it is and how near.
func vote(sights []Sight) (text string) {
	most := 0.
	for _, s := range sights {
		if s.Text == "" {
			continue
		}
		v := 0.
		for _, o := range sights {
			if n := reading.Near(s.Text, o.Text); n > .5 {
				v += n * n * o.Sure * o.Sure
			}
		}
		v *= s.Sure
		if v > most {
			most, text = v, s.Text
		}
	}
	return text
}
