// Package cadence finds out which woven pictures were telecined: film of 24 pictures a second in
// fields of 60, where of five frames two are woven of two film pictures and, with them, a field is
// shown twice (2:3 pulldown; C. Poynton, Digital Video and HD, 2nd edition 2012, has it with its frames A to D).
package cadence

import (
	"encoding/binary"
	"slices"

	"celator/core/frame"
)

// Stretch are frames, both included, that go by 2:3 pulldown all along.
type Stretch struct {
	First int `json:"first"`
	Last  int `json:"last"`
	Begin int `json:"begin" doc:"the first of its frames from which five make up a cycle: two whole, two woven of two pictures, one whole"`
}

// repeats is what a frame shows again of the one before it.
type repeats byte

const (
	unknown repeats = iota // nothing moves
	none
	top
	bottom
)

const (
	// A repeated field differs by what coding made of it; the other by what moved. Three times as
	// much is seen with broadcast rates, and no two fields of one scene are so unlike by chance.
	ratio = 3
	// still is below what any movement gives, in codes of 256 averaged over a field.
	still = .35
	// A cycle has five frames; the field that is shown twice comes with the third, and the other
	// one with the fifth.
	cycle, second = 5, 2
	// enough repeats make a cadence: three cycles have six, and chance none.
	enough = 6
	// Of every so many frames one may be mistaken: coding is coarse, a cut lies in the middle.
	mistaken = 15
	step     = 4 // of so many samples in a line one is looked at
)

// Finder looks at pictures one after the other.
type Finder struct {
	before []byte
	seen   []repeats
}

// Add looks at the next frame. Pictures that are not woven are never telecined.
func (f *Finder) Add(p *frame.Picture) {
	w := (p.Width + step - 1) / step
	luma := make([]byte, 0, w*p.Height) // the upper eight bits say enough
	for y := range p.Height {
		row := p.Row(0, y, 0, p.Width)
		for x := 0; x < p.Width; x += step {
			if p.Depth == 8 {
				luma = append(luma, row[x])
			} else {
				luma = append(luma, byte(binary.LittleEndian.Uint16(row[2*x:])>>(p.Depth-8)))
			}
		}
	}
	r := unknown
	if len(f.before) == len(luma) {
		var moved [2]float64
		for y := range p.Height {
			a, b, sum := luma[y*w:(y+1)*w], f.before[y*w:(y+1)*w], 0
			for i, v := range a {
				d := int(v) - int(b[i])
				sum += max(d, -d)
			}
			moved[y%2] += float64(sum)
		}
		unit := float64(len(luma)) / 2
		r = classify(moved[0]/unit, moved[1]/unit)
	}
	f.before = luma
	f.seen = append(f.seen, r)
}

// classify says what is repeated, from how much each field moved.
func classify(t, b float64) repeats {
	switch {
	case max(t, b) < still:
		return unknown
	case t*ratio < b:
		return top
	case b*ratio < t:
		return bottom
	}
	return none
}

// Marks are what was noted of each frame looked at, against the one before it: of the first, nothing. Marks of
// stretches of a clip, each begun with the last frame of the one before, make up those of the whole.
func (f *Finder) Marks() []byte {
	out := make([]byte, len(f.seen))
	for i, r := range f.seen {
		out[i] = byte(r)
	}
	return out
}

// Found returns the stretches of the frames looked at, in order; they do not overlap.
func (f *Finder) Found() []Stretch { return Found(f.Marks()) }

// Found returns the stretches of the frames of which these are the marks.
func Found(marks []byte) []Stretch {
	seen := make([]repeats, len(marks))
	for i, m := range marks {
		seen[i] = repeats(m)
	}
	var all []Stretch
	for begin := range cycle {
		for _, first := range []repeats{top, bottom} {
			all = append(all, runs(seen, begin, first)...)
		}
	}
	slices.SortFunc(all, func(a, b Stretch) int { return (b.Last - b.First) - (a.Last - a.First) })
	var out []Stretch
	for _, s := range all {
		if !slices.ContainsFunc(out, func(o Stretch) bool { return s.First <= o.Last && s.Last >= o.First }) {
			out = append(out, s)
		}
	}
	slices.SortFunc(out, func(a, b Stretch) int { return a.First - b.First })
	return out
}

// runs returns the stretches that fit one cadence: cycles begin on frames that are begin modulo
// five, and first is the field that is shown twice with a cycle's third frame.
func runs(seen []repeats, begin int, first repeats) (out []Stretch) {
	other := top + bottom - first
	var s Stretch
	hits, misses, last := 0, 0, -1
	end := func() {
		if hits >= enough {
			s.Last = last
			s.Begin = s.First + ((begin-s.First)%cycle+cycle)%cycle
			out = append(out, s)
		}
		hits, misses = 0, 0
	}
	for n, r := range seen {
		if r == unknown {
			continue
		}
		want := none
		switch ((n-begin)%cycle + cycle) % cycle {
		case second:
			want = first
		case second + 2:
			want = other
		}
		switch {
		case r == want && r != none:
			if hits == 0 {
				s.First, misses = max(n-((n-begin)%cycle+cycle)%cycle, 0), 0
			}
			hits++
			last = n
		case r != want && hits > 0:
			if misses++; misses*mistaken > n-s.First+mistaken {
				end()
			}
		}
	}
	end()
	return out
}
