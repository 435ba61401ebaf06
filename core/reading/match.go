package reading

import (
	"strings"
	"unicode"
)

// Fold writes a text as it is compared: letters and digits alone, in capitals.
func Fold(text string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) || unicode.IsDigit(r) {
			return unicode.ToUpper(r)
		}
		return -1
	}, text)
}

// alike are characters that readers, and people, take for each other. Each stands in one group.
var alike = groups("0ODQ", "1IL", "5S", "8B", "2Z", "6G", "VU", "CE")

func groups(of ...string) map[rune]int {
	out := map[rune]int{}
	for i, g := range of {
		for _, r := range g {
			out[r] = i + 1
		}
	}
	return out
}

// What it costs to take one character for another, or to leave one out. Of two in a row that are the same a reader
// easily leaves out one: what it sees between them must be nothing (the blank of Graves and others, "Connectionist
// temporal classification", ICML 2006).
const (
	costAlike = .35
	costOther = 1.
)

func cost(a, b rune) float64 {
	switch g := alike[a]; {
	case a == b:
		return 0
	case g != 0 && g == alike[b]:
		return costAlike
	}
	return costOther
}

// gap is what it costs to leave out a character.
func gap(of []rune, i int) float64 {
	if i > 0 && of[i] == of[i-1] {
		return costAlike
	}
	return costOther
}

// Near is how nearly two texts read the same, 0 to 1: one less their weighted edit distance
// (Wagner and Fischer, JACM 21(1), 1974) over the longer one's length.
func Near(a, b string) float64 {
	x, y := compared(a), compared(b)
	longer := max(len(x), len(y))
	if min(len(x), len(y)) == 0 {
		return 0
	}
	return 1 - distance(x, y, false)/float64(longer)
}

// Holds is how nearly a text, somewhere in it, reads what is wanted, 0 to 1.
func Holds(text, wanted string) float64 {
	x, y := compared(wanted), compared(text)
	if len(x) == 0 || len(y) == 0 {
		return 0
	}
	return max(0, 1-distance(x, y, true)/float64(len(x)))
}

// longest is how many characters of a text are compared: a line that is read has far fewer.
const longest = 256

func compared(text string) []rune {
	r := []rune(Fold(text))
	return r[:min(len(r), longest)]
}

// distance is how much it takes to make x of y; within: of a part of y (Sellers, J. Algorithms
// 1(4), 1980).
func distance(x, y []rune, within bool) float64 {
	row := make([]float64, len(y)+1)
	if !within {
		for j := range y {
			row[j+1] = row[j] + gap(y, j)
		}
	}
	for i, a := range x {
		before := row[0]
		row[0] += gap(x, i)
		for j, b := range y {
			d := min(row[j+1]+gap(x, i), row[j]+gap(y, j), before+cost(a, b))
			before, row[j+1] = row[j+1], d
		}
	}
	if !within {
		return row[len(y)]
	}
	least := row[0]
	for _, d := range row {
		least = min(least, d)
	}
	return least
}

// frames are characters that are nothing but frames, bars and crosses.
const frames = "田口目回日曰囗罒皿冊册国图三二一工王丰井十卅丨冂凹凸吕品"

// Framework reports whether a text has no other characters than such: windows, railings and ladders read so.
func Framework(text string) bool {
	any := false
	for _, r := range text {
		if unicode.IsSpace(r) {
			continue
		}
		any = true
		if !strings.ContainsRune(frames, r) {
			return false
		}
	}
	return any
}
