package check

import (
	"bytes"
	"encoding/json"
	"maps"
	"slices"

	"celator/core/cover"
	"celator/core/raster"
)

// mostGrowth is by how many times a cover may be larger than its outline.
const mostGrowth = 2.5

// Document finds what a document alone tells, and the cuts of its shot: keys set by
// accident, covers that reach far beyond their outlines or run across a cut, and those
// that differ from the house style that they follow. Cuts are the first frames after a
// cut; styles are by id.
func Document(d *cover.Document, cuts []int, styles map[string]cover.Style) []Finding {
	var out []Finding
	for i := range d.Covers {
		c := &d.Covers[i]
		if c.Off {
			continue
		}
		out = append(out, strayKeys(c)...)
		out = append(out, crossed(c, cuts)...)
		if len(c.HoldsOut) > 0 {
			continue
		}
		if c.Inverted {
			out = append(out, finding(NotVerified, c.ID, []cover.Span{c.Span}, c.Span.First,
				float64(c.Span.Last-c.Span.First+1), "%s hides everything but its outline: whether something lies bare was "+
					"not looked for.", c.Name))
		} else if f, ok := larger(d, c); ok {
			out = append(out, f)
		}
		if s, ok := styles[c.Style]; ok && c.Style != "" {
			if n := differences(c.StyleOf(), s); n > 0 {
				out = append(out, finding(StyleDeviation, c.ID, []cover.Span{c.Span}, c.Span.First, float64(n),
					"%s follows a house style and differs from it.", c.Name))
			}
		}
	}
	for i := range d.Tracks {
		t := &d.Tracks[i]
		for _, cut := range cuts {
			if t.Poses.State(cover.Time(cut-1)) != '-' && t.Poses.State(cover.Time(cut)) != '-' && !riddenAcross(d, t.ID, cut) {
				out = append(out, finding(CutCrossed, "", []cover.Span{{First: cut - 1, Last: cut}}, cut, 1,
					"The track of %s runs across the cut at f %d.", t.Name, cut))
			}
		}
	}
	return out
}

func riddenAcross(d *cover.Document, track string, cut int) bool {
	return slices.ContainsFunc(d.Covers, func(c cover.Cover) bool {
		return c.Track == track && !c.Off && c.Span.Holds(cover.Time(cut-1)) && c.Span.Holds(cover.Time(cut))
	})
}

// strayKeys finds numbers that are keyed on one frame only: by a single key, which then
// holds everywhere, or by one that differs from equal neighbours right beside it.
func strayKeys(c *cover.Cover) []Finding {
	var out []Finding
	keyed := c.Keyed()
	for _, lane := range slices.Sorted(maps.Keys(keyed)) {
		keys := keyed[lane]
		if len(keys) == 1 {
			f := keys[0].Frame.Frame()
			out = append(out, finding(UnintendedKey, c.ID, []cover.Span{{First: f, Last: f}}, f, 1,
				"%s of %s has a single key, on f %d, which then holds in all frames.", title(lane), c.Name, f))
		}
		for i := 1; i+1 < len(keys); i++ {
			a, b, z := keys[i-1], keys[i], keys[i+1]
			if a.Value == z.Value && b.Value != a.Value && z.Frame-a.Frame <= 2 {
				f := b.Frame.Frame()
				out = append(out, finding(UnintendedKey, c.ID, []cover.Span{{First: f, Last: f}}, f, 1,
					"%s of %s is %g on f %v alone, and %g beside it.", title(lane), c.Name, b.Value, b.Frame, a.Value))
			}
		}
	}
	return out
}

// title begins a sentence with a lane's name.
func title(lane string) string {
	s := []byte(cover.LaneTitle(lane))
	return string(bytes.ToUpper(s[:1])) + string(s[1:])
}

func crossed(c *cover.Cover, cuts []int) []Finding {
	var at []int
	for _, cut := range cuts {
		if c.Span.First < cut && cut <= c.Span.Last {
			at = append(at, cut)
		}
	}
	if len(at) == 0 {
		return nil
	}
	var where []cover.Span
	for _, cut := range at {
		where = append(where, cover.Span{First: cut - 1, Last: cut})
	}
	return []Finding{finding(CutCrossed, c.ID, where, at[0], float64(len(at)), "%s runs across a cut at f %d.", c.Name,
		at[0])}
}

// larger compares what a cover hides with its outline, on a few frames.
func larger(d *cover.Document, c *cover.Cover) (Finding, bool) {
	const looks = 8
	var at []int
	worst, frame := 0., 0
	n := c.Span.Last - c.Span.First
	last := -1
	for k := range looks + 1 {
		f := c.Span.First + n*k/looks
		if f == last || c.Inverted {
			continue
		}
		last = f
		l := c.Shape(cover.Time(f))
		l.Transparency = 0
		hidden, whole := area(raster.Matte(l, d.Width, d.Height).Pix), 0.
		l.Form.Grow, l.Form.Soften.X, l.Form.Soften.Y = 0, 0, 0
		if whole = area(raster.Matte(l, d.Width, d.Height).Pix); whole < 16 {
			continue
		}
		if r := hidden / whole; r > mostGrowth && hidden-whole > 400 {
			at = append(at, f)
			if r > worst {
				worst, frame = r, f
			}
		}
	}
	if len(at) == 0 {
		return Finding{}, false
	}
	return finding(Larger, c.ID, []cover.Span{{First: at[0], Last: at[len(at)-1]}}, frame, worst,
		"%s hides %.1f times as much as it outlines.", c.Name, worst), true
}

// area is that of what a matte hides by more than a half, px².
func area(matte []float32) float64 {
	n := 0
	for _, v := range matte {
		if v > .5 {
			n++
		}
	}
	return float64(n)
}

// differences counts in how many ways two styles differ: their treatments and the
// numbers around them.
func differences(a, b cover.Style) int {
	if a.Same(&b) {
		return 0
	}
	n := 0
	differ := func(x, y any) {
		p, _ := json.Marshal(x)
		q, _ := json.Marshal(y)
		if !bytes.Equal(p, q) {
			n++
		}
	}
	differ(a.Grow, b.Grow)
	differ(a.Soften, b.Soften)
	differ(a.SoftenSide, b.SoftenSide)
	differ(a.Transparency, b.Transparency)
	for i := range max(len(a.Treatments), len(b.Treatments)) {
		var p, q cover.Treatment
		if i < len(a.Treatments) {
			p = a.Treatments[i]
		}
		if i < len(b.Treatments) {
			q = b.Treatments[i]
		}
		p.ID, q.ID = "", ""
		differ(p, q)
	}
	return max(n, 1)
}
