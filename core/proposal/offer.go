package proposal

import (
	"fmt"
	"slices"
	"strings"

	"celator/core/reading"
)

// Offer says when proposals of a kind are offered.
type Offer string

const (
	Always Offer = "always"
	Listed Offer = "listed" // where the clearance list asks for what it reads
	Never  Offer = "never"
)

// Rules are a programme's, by kind; a kind that is not named is always offered.
type Rules map[Kind]Offer

// Validate returns an error for people unless every rule can be followed.
func (r Rules) Validate() error {
	for k, o := range r {
		if !slices.Contains(Kinds, k) {
			return fmt.Errorf("there is no kind %q", k)
		}
		if o != Always && o != Listed && o != Never {
			return fmt.Errorf("%q is no rule; there are always, listed and never", o)
		}
		if o == Listed && k == Face {
			return fmt.Errorf("a face reads nothing that the list could ask for")
		}
	}
	return nil
}

// For is the rule of a kind.
func (r Rules) For(k Kind) Offer {
	if o, ok := r[k]; ok {
		return o
	}
	return Always
}

// Offers reports whether a proposal of a kind is offered; asked says that the list asks for it.
func (r Rules) Offers(k Kind, asked bool) bool {
	o := r.For(k)
	return o == Always || o == Listed && asked
}

// Alike reports whether two things of a kind read nearly the same: what is not needed once is not
// needed again.
func Alike(k Kind, text string, o Kind, other string) bool {
	return k == o && len(reading.Fold(text)) >= leastAlike && reading.Near(text, other) >= Same
}

// leastAlike is how many letters or digits tell one sign from others.
const leastAlike = 2

// Wanted is something that the clearance list asks for by words.
type Wanted struct {
	Item string // its id
	Word string // what is looked for: at least leastWanted letters or digits
}

const (
	leastWanted = 3
	asked       = .75 // how nearly something must read what is wanted
)

// Words are what an item asks for: its name, and what its description has in quotation marks.
func Words(item, name, description string) (out []Wanted) {
	add := func(w string) {
		if len(reading.Fold(w)) >= leastWanted {
			out = append(out, Wanted{item, w})
		}
	}
	add(name)
	for i, part := range strings.FieldsFunc(" "+description, func(r rune) bool {
		return strings.ContainsRune(`"“”„«»`, r)
	}) {
		if i%2 == 1 {
			add(part)
		}
	}
	return out
}

// Asked is the item of the list that asks for what a proposal reads, the nearest; "" where
// none does. near is how nearly, 0 to 1.
func Asked(text string, wanted []Wanted) (item string, near float64) {
	if len(reading.Fold(text)) < leastWanted {
		return "", 0
	}
	for _, w := range wanted {
		// What is read may be more than what is asked for, or a part of it, in words of its own.
		n := reading.Holds(text, w.Word)
		if len(reading.Fold(text)) > leastWanted {
			n = max(n, reading.Near(text, w.Word), whole(text, w.Word)*reading.Holds(w.Word, text))
		}
		if n >= asked && n > near {
			item, near = w.Item, n
		}
	}
	return item, near
}

// whole is 1 where a text is as long as one of the words it is compared with, else 0: a part of
// a name is asked for, a part of a word is not.
func whole(text, words string) float64 {
	n := len(reading.Fold(text))
	for _, w := range strings.Fields(words) {
		if k := len(reading.Fold(w)); k > leastWanted && k == n {
			return 1
		}
	}
	return 0
}

// Same is how near the readings of two proposals of a group must be.
const Same = .8

// Group gives each proposal the number of its group: those of a kind that read nearly the same
// are one sign, in however many shots. What reads nothing is alone.
func Group(kinds []Kind, texts []string) []int {
	type sign struct {
		kind Kind
		text string
	}
	out := make([]int, len(texts))
	first := map[sign]int{}
	var heads []int // the first of each group
	for i, t := range texts {
		s := sign{kinds[i], reading.Fold(t)}
		if len(s.text) < leastAlike {
			out[i] = len(heads)
			heads = append(heads, i)
			continue
		}
		if g, ok := first[s]; ok {
			out[i] = g
			continue
		}
		g := slices.IndexFunc(heads, func(h int) bool {
			if s.kind == Mark { // its text names what it is, letter by letter
				return false
			}
			a, b := len(reading.Fold(texts[h])), len(s.text)
			return kinds[h] == s.kind && max(a, b)*4 <= min(a, b)*5 && min(a, b) >= 4 && reading.Near(texts[h], t) >= Same
		})
		if g < 0 {
			g = len(heads)
			heads = append(heads, i)
		}
		first[s], out[i] = g, g
	}
	return out
}

// Matches pairs what was found now with what was found before, by the index of the latter or -1: the same kind of
// thing, about where it was or reading the same, at the same time.
func Matches(before, now []Proposal) []int {
	out := make([]int, len(now))
	taken := map[int]bool{}
	for i, p := range now {
		out[i] = -1
		best := 0.
		for j, q := range before {
			if fit := p.as(q); fit > best && !taken[j] {
				best, out[i] = fit, j
			}
		}
		if out[i] >= 0 {
			taken[out[i]] = true
		}
	}
	return out
}

// as is how much two proposals are of one thing, 0 where they are not.
func (p *Proposal) as(q Proposal) float64 {
	if (p.Kind == Face) != (q.Kind == Face) || (p.Kind == Mark) != (q.Kind == Mark) || p.First > q.Last ||
		q.First > p.Last {
		return 0
	}
	near := reading.Near(p.Text, q.Text)
	for _, s := range p.Sights {
		for _, o := range q.Sights {
			if s.Frame == o.Frame && shared(s.Quad.Bounds(), o.Quad.Bounds()) >= overlaps {
				return 1 + near
			}
		}
	}
	if near >= Same {
		return near
	}
	return 0
}
