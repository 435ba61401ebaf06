package check

import (
	"fmt"
	"image"
	"slices"
	"strings"

	"celator/core/cover"
)

// Kind is what a finding says is wrong.
type Kind string

const (
	Exposed            Kind = "exposed"
	BareEnds           Kind = "bare-ends"
	HoldoutLeak        Kind = "holdout-leak"
	Readable           Kind = "readable"
	ReadableOverFrames Kind = "readable-over-frames"
	HeardElsewhere     Kind = "heard-elsewhere"
	WordCut            Kind = "word-cut"
	CutCrossed         Kind = "cut-crossed"
	Weak               Kind = "weak"
	Jumping            Kind = "jumping"
	OnForeground       Kind = "cover-on-foreground"
	Larger             Kind = "larger-than-needed"
	UnintendedKey      Kind = "unintended-key"
	StyleDeviation     Kind = "style-deviation"
	StaleDelivery      Kind = "stale-delivery"
	NotVerified        Kind = "not-verified"
)

// Severity says what a finding means for a delivery.
type Severity string

const (
	Severe Severity = "severe" // something can be seen or read, or surely will be
	Minor  Severity = "minor"  // worth mending, and no disclosure
)

// About is what is said of a kind to people.
type About struct {
	Kind     Kind     `json:"kind"`
	Title    string   `json:"title"`
	Severity Severity `json:"severity"`
	Unit     string   `json:"unit" doc:"of the figure"`
	Advice   string   `json:"advice"`
}

// Kinds are all kinds, the worst first.
var Kinds = []About{
	{Exposed, "Exposed", Severe, "% of the surface", "Move or enlarge the cover on these frames."},
	{BareEnds, "Bare ends", Severe, "frames", "Lengthen the span to the frames in which it is seen."},
	{
		HoldoutLeak, "Holdout leak", Severe, "% of the surface",
		"Make the holdout smaller, or paint it off, where nothing passes in front.",
	},
	{Readable, "Readable", Severe, "% of the detail", ""}, // the advice is the treatment's: stronger
	{ReadableOverFrames, "Readable over frames", Severe, "% of the detail", ""},
	{HeardElsewhere, "Heard elsewhere", Severe, "% alike", "Hide the passage there too."},
	{CutCrossed, "Cut crossed", Severe, "cuts", "End the span at the cut and cover what follows by itself."},
	{
		Weak, "Weak", Minor, "% confidence",
		"Look at these frames; put the cover right where it is off, or follow them again.",
	},
	{WordCut, "Word cut", Minor, "dB softer", "Listen, and widen the passage until all of what is said is in it."},
	{Jumping, "Jumping", Minor, "px", "Put the cover right on these frames, or follow them again."},
	{OnForeground, "Cover on the foreground", Minor, "% of the surface", "Hold out what passes in front."},
	{Larger, "Larger than needed", Minor, "times the outline", "Lessen what it grows and softens beyond the outline."},
	{UnintendedKey, "Unintended key", Minor, "keys", "Remove the key, or give the value to the whole span."},
	{
		StyleDeviation, "Style deviation", Minor, "differences",
		"Take the house style again, or let the cover go its own way.",
	},
	{StaleDelivery, "Stale delivery", Minor, "revisions", "Deliver the shot again."},
	{NotVerified, "Not verified", Minor, "frames", "Look along its edges yourself, and waive this."},
}

// Describe returns what is said of a kind.
func Describe(k Kind) About {
	for _, a := range Kinds {
		if a.Kind == k {
			return a
		}
	}
	return About{Kind: k, Title: string(k), Severity: Severe}
}

// Finding is something the check found.
type Finding struct {
	Kind     Kind         `json:"kind"`
	Cover    string       `json:"cover" doc:"its id; empty where it concerns the whole shot"`
	Frames   []cover.Span `json:"frames" doc:"the frames concerned, in order"`
	Frame    int          `json:"frame" doc:"where it is worst"`
	Severity Severity     `json:"severity" enum:"severe,minor"`
	Figure   float64      `json:"figure" doc:"how bad, in the kind's unit"`
	Says     string       `json:"says" doc:"what is wrong and what to do"`
	// Place is where to look on that frame, px; empty where all of it is concerned.
	Place image.Rectangle `json:"-"`
	// Recovered is what was made out, beside what is hidden; nil where nothing was.
	Recovered *Recovered `json:"-"`
}

// Recovered is what somebody could make of the concealed pictures, as luma codes of 8
// bit: rows of W samples.
type Recovered struct {
	W, H             int
	Original, Broken []float32
}

// New is a finding about a cover, or a passage of the sound, that somebody else made; says is completed by
// the kind's advice.
func New(k Kind, id string, frames []cover.Span, at int, figure float64, says string, args ...any) Finding {
	return finding(k, id, frames, at, figure, says, args...)
}

// finding begins one about a cover; says is completed by the kind's advice.
func finding(k Kind, c string, frames []cover.Span, at int, figure float64, says string, args ...any) Finding {
	a := Describe(k)
	return Finding{
		Kind: k, Cover: c, Frames: frames, Frame: at, Severity: a.Severity, Figure: figure,
		Says: strings.TrimSpace(fmt.Sprintf(says, args...) + " " + a.Advice),
	}
}

// spans joins frames, in order, into stretches; gaps of up to join frames are bridged.
func spans(frames []int, join int) []cover.Span {
	var out []cover.Span
	for _, f := range frames {
		if n := len(out); n > 0 && f-out[n-1].Last <= join+1 {
			out[n-1].Last = f
		} else {
			out = append(out, cover.Span{First: f, Last: f})
		}
	}
	return out
}

// wholeFrames returns stretches of frames that have so many pictures each, of those of pictures.
func wholeFrames(pictures []cover.Span, each int) []cover.Span {
	var out []cover.Span
	for _, s := range pictures {
		s = cover.Span{First: s.First / each, Last: s.Last / each}
		if n := len(out); n > 0 && s.First <= out[n-1].Last {
			out[n-1].Last = max(out[n-1].Last, s.Last)
			continue
		}
		out = append(out, s)
	}
	return out
}

// said names stretches for people, who count each so many of the frames as one.
func said(pictures []cover.Span, each int) string {
	s := wholeFrames(pictures, each)
	text := ""
	for i, v := range s {
		if i == 3 && len(s) > 4 {
			return text + fmt.Sprintf(" and %d more stretches", len(s)-3)
		}
		switch {
		case i > 0 && i == len(s)-1:
			text += " and "
		case i > 0:
			text += ", "
		}
		if text += fmt.Sprintf("f %d", v.First); v.Last > v.First {
			text += fmt.Sprintf(" to f %d", v.Last)
		}
	}
	return text
}

// Sort puts findings in order: the worst kinds first, then by frame.
func Sort(all []Finding) {
	rank := func(k Kind) int {
		return slices.IndexFunc(Kinds, func(a About) bool { return a.Kind == k })
	}
	slices.SortStableFunc(all, func(a, b Finding) int {
		if a.Kind != b.Kind {
			return rank(a.Kind) - rank(b.Kind)
		}
		return a.Frame - b.Frame
	})
}
