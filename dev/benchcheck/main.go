// Command benchcheck measures the check against planted faults: covers laid along the
// ground truth of the demo shots, the tracker's trials and the crossings, drawn when they
// are not there, and then spoiled. It prints what it saw and judges nothing.
//
// ONLY names clips; EACH prints every finding; PART is one of covers, reading, frames
// (all of them otherwise).
package main

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"image/png"
	"log"
	"math"
	"os"
	"path/filepath"
	"strings"
	"time"

	"celator/core/check"
	"celator/core/cover"
	"celator/core/geom"
	"celator/core/raster"
	"celator/internal/demo"
	"celator/internal/inspect"
	"celator/internal/media"
)

var (
	only = os.Getenv("ONLY")
	each = os.Getenv("EACH") != ""
	part = os.Getenv("PART")
)

func must(err error) {
	if err != nil {
		log.Fatal(err)
	}
}

func main() {
	log.SetFlags(0)
	data := os.Getenv("CELATOR_DATA")
	if data == "" {
		data = ".run"
	}
	ctx := context.Background()
	sets := []struct {
		dir   string
		shots []demo.Shot
	}{
		{filepath.Join(data, "media", "tidewrack-week"), demo.Shots},
		{filepath.Join(data, "trials"), demo.Trials},
		{filepath.Join(data, "crossings"), demo.Crossings},
	}
	if part == "" || part == "covers" {
		var all tally
		for _, set := range sets {
			must(demo.Generate(ctx, set.dir, set.shots, func(s string) { log.Print(s) }))
			for _, s := range set.shots {
				if only != "" && !strings.Contains(only, s.Name) {
					continue
				}
				t := covers(ctx, filepath.Join(set.dir, s.Name), s)
				fmt.Printf("%-16s %s\n", s.Name, t.line())
				all.add(t)
			}
		}
		fmt.Printf("%-16s %s\n", "all", all.line())
	}
	if part == "" || part == "reading" {
		reading()
	}
	if part == "" || part == "frames" {
		overFrames()
	}
}

// clip is a demo shot with its truth.
type clip struct {
	demo.Shot
	media.Clip
	truth []demo.Truth
	front *cover.Mattes
	mask  *image.Gray // of the frame looked at last
	at    int
}

func open(ctx context.Context, dir string, s demo.Shot) clip {
	c := clip{Shot: s}
	var err error
	c.Path = filepath.Join(dir, "clip.mp4")
	c.Info, err = media.Probe(ctx, c.Path)
	must(err)
	c.truth, err = demo.ReadTruth(dir)
	must(err)
	c.front = fronts(ctx, filepath.Join(dir, "foreground.mkv"), c.Info.Width, c.Info.Height)
	return c
}

// document covers the surface by a fill along the truth, on every frame, and holds out
// what truly passes in front.
func (c *clip) document() *cover.Document {
	d := cover.New(c.Info.Width, c.Info.Height, c.Info.Frames)
	t := cover.NewTreatment("t1", cover.Fill)
	t.Colour = "#3a4a55"
	o := cover.Outline{ID: "o1", Shape: cover.ShapeCorners}
	for f, tr := range c.truth {
		var p geom.Path
		for _, q := range tr.Corners {
			p = append(p, geom.Knot{P: q})
		}
		o.Keys = append(o.Keys, cover.PathKey{Frame: f, Knots: p})
	}
	d.Covers = []cover.Cover{{ID: "c1", Name: c.Item, Span: cover.Span{Last: c.Info.Frames - 1}, Outlines: []cover.Outline{o},
		Grow: cover.Const(1), Soften: cover.ConstPair(2, 2), Treatments: []cover.Treatment{t}}}
	if c.Item == "" {
		d.Covers[0].Name = c.Name
	}
	if c.front != nil {
		d.Covers = append(d.Covers, cover.Cover{ID: "h1", Name: "front", Span: d.Covers[0].Span, HoldsOut: []string{"*"}, Outlines: []cover.Outline{}, Treatments: []cover.Treatment{},
			Proposed: &cover.Proposed{Surface: "truth", Run: "truth", Sensitivity: .5, Edge: 2, Least: 10, Accepted: []cover.Span{d.Covers[0].Span}, Strokes: []cover.Stroke{}, Mattes: c.front}})
	}
	b, err := d.Marshal()
	must(err)
	d, err = cover.Parse(b)
	must(err)
	return d
}

// key returns the knots on a frame, to be spoiled.
func key(d *cover.Document, f int) geom.Path { return d.Covers[0].Outlines[0].Keys[f].Knots }

// bare is how much of the true surface lies outside the cover, px², and what share.
func (c *clip) bare(d *cover.Document, f int) (area, share float64) {
	var p geom.Path
	for _, q := range c.truth[f].Corners {
		p = append(p, geom.Knot{P: q})
	}
	whole := raster.Matte(cover.Live{Form: cover.Form{Paths: []geom.Path{p}}}, d.Width, d.Height)
	l := d.Covers[0].Shape(f)
	m := raster.Matte(l, d.Width, d.Height)
	all := 0.
	for y := whole.Rect.Min.Y; y < whole.Rect.Max.Y; y++ {
		for i, v := range whole.Row(y) {
			all += float64(v)
			x := whole.Rect.Min.X + i
			k := float32(0)
			if x >= m.Rect.Min.X && x < m.Rect.Max.X && y >= m.Rect.Min.Y && y < m.Rect.Max.Y {
				k = m.Row(y)[x-m.Rect.Min.X]
			}
			if k < .5 && !c.hidden(f, x, y) {
				area += float64(v)
			}
		}
	}
	return area, area / math.Max(all, 1)
}

// hidden says whether something truly passes in front of a place.
func (c *clip) hidden(f, x, y int) bool {
	if c.front == nil || len(c.front.Frames[f].PNG) == 0 {
		return false
	}
	if c.at != f || c.mask == nil {
		img, err := png.Decode(bytes.NewReader(c.front.Frames[f].PNG))
		must(err)
		c.mask, c.at = img.(*image.Gray), f
	}
	m := &c.front.Frames[f]
	return image.Pt(x-m.X, y-m.Y).In(c.mask.Rect) && c.mask.GrayAt(x-m.X, y-m.Y).Y > 20
}

type count struct{ planted, found int }

type tally struct {
	kinds  map[check.Kind]*count
	false_ map[check.Kind]int // on clean documents
	clean  int                // of them, frames
	frames int
	wall   time.Duration
	size   float64
}

func (t *tally) at(k check.Kind) *count {
	if t.kinds == nil {
		t.kinds, t.false_ = map[check.Kind]*count{}, map[check.Kind]int{}
	}
	if t.kinds[k] == nil {
		t.kinds[k] = &count{}
	}
	return t.kinds[k]
}

func (t *tally) add(o tally) {
	t.at(check.Exposed)
	for k, v := range o.kinds {
		t.at(k).planted += v.planted
		t.at(k).found += v.found
	}
	for k, v := range o.false_ {
		t.false_[k] += v
	}
	t.clean += o.clean
	t.frames += o.frames
	t.wall += o.wall
}

func (t *tally) line() string {
	s := fmt.Sprintf("%5.1f fps |", float64(t.frames)/t.wall.Seconds())
	for _, a := range check.Kinds {
		if c := t.kinds[a.Kind]; c != nil && c.planted > 0 {
			s += fmt.Sprintf(" %s %d/%d", a.Kind, c.found, c.planted)
		}
	}
	s += fmt.Sprintf(" | clean %d frames, false:", t.clean)
	for _, a := range check.Kinds {
		if n := t.false_[a.Kind]; n > 0 {
			s += fmt.Sprintf(" %s %d", a.Kind, n)
		}
	}
	return s
}

func (c *clip) run(ctx context.Context, d *cover.Document, what string) ([]check.Finding, time.Duration) {
	begun := time.Now()
	all, err := inspect.Run(ctx, inspect.Job{Clip: c.Clip, Document: d, Cuts: []int{}})
	must(err)
	wall := time.Since(begun)
	if each {
		for _, f := range all {
			fmt.Printf("    %-10s %-20s %v at %d: %.3g %s\n", what, f.Kind, f.Frames, f.Frame, f.Figure, f.Says)
		}
	}
	return all, wall
}

func has(all []check.Finding, f int, kinds ...check.Kind) bool {
	for _, x := range all {
		for _, k := range kinds {
			if x.Kind != k {
				continue
			}
			for _, s := range x.Frames {
				if s.Holds(f) {
					return true
				}
			}
		}
	}
	return false
}

// covers spoils the covers of a clip in several ways.
func covers(ctx context.Context, dir string, s demo.Shot) (t tally) {
	c := open(ctx, dir, s)
	t.at(check.Exposed)
	seen := func(f int) bool { return c.truth[f].Visible > .5 }

	d := c.document()
	all, wall := c.run(ctx, d, "clean")
	t.clean, t.frames, t.wall = len(c.truth), len(c.truth), wall
	for _, f := range all {
		t.false_[f.Kind]++
	}

	// As tight as it can be.
	d = c.document()
	d.Covers[0].Grow, d.Covers[0].Soften = cover.Const(0), cover.ConstPair(0, 0)
	all, _ = c.run(ctx, d, "tight")
	t.clean += len(c.truth)
	for _, f := range all {
		t.false_[f.Kind]++
	}

	// A cover that lies off on single frames, ever farther.
	d = c.document()
	var planted []int
	for k, f := 0, 5; f < len(c.truth)-5; k, f = k+1, f+7 {
		if !seen(f) {
			continue
		}
		by := []float64{2, 3, 4, 6, 9, 15}[k%6]
		dir := geom.Pt(math.Cos(float64(k)*2.4), math.Sin(float64(k)*2.4)).Mul(by)
		for i := range key(d, f) {
			key(d, f)[i].P = key(d, f)[i].P.Add(dir)
		}
		if a, share := c.bare(d, f); a >= 40 || share >= .04 {
			planted = append(planted, f)
		}
	}
	all, _ = c.run(ctx, d, "shifted")
	for _, f := range planted {
		e := t.at(check.Exposed)
		e.planted++
		if has(all, f, check.Exposed) {
			e.found++
		} else if each {
			a, share := c.bare(d, f)
			fmt.Printf("    missed: %.0f px², %.1f %% on f %d\n", a, 100*share, f)
		}
	}
	for _, x := range all {
		for _, s := range x.Frames {
			for f := s.First; f <= s.Last && x.Kind == check.Exposed; f++ {
				if a, share := c.bare(d, f); a < 10 && share < .01 {
					t.false_[check.Exposed]++
				}
			}
		}
	}

	// The span is a frame too short at either end.
	for _, end := range []int{0, len(c.truth) - 1} {
		if !seen(end) {
			continue
		}
		d = c.document()
		if end == 0 {
			d.Covers[0].Span.First++
		} else {
			d.Covers[0].Span.Last--
		}
		all, _ = c.run(ctx, d, "ends")
		e := t.at(check.BareEnds)
		e.planted++
		if has(all, end, check.BareEnds) {
			e.found++
		} else if each {
			fmt.Printf("    missed: bare end %d\n", end)
		}
	}

	// A holdout where nothing passes, and a cover that jumps.
	d = c.document()
	planted = planted[:0]
	d.Covers[0].Grow = cover.Const(12)
	var jumps []int
	for f := 6; f < len(c.truth)-6; f += 11 {
		if !seen(f) || c.truth[f].Visible < .98 {
			continue
		}
		q := c.truth[f].Corners
		mid := q[0].Lerp(q[2], .5)
		var p geom.Path
		for _, k := range q {
			p = append(p, geom.Knot{P: mid.Add(k.Sub(mid).Mul(.35))})
		}
		d.Covers = append(d.Covers, cover.Cover{ID: fmt.Sprintf("leak%d", f), Name: "leak", Span: cover.Span{First: f, Last: f}, HoldsOut: []string{"c1"}, Treatments: []cover.Treatment{},
			Outlines: []cover.Outline{{ID: "o1", Shape: cover.ShapeCorners, Keys: []cover.PathKey{{Frame: f, Knots: p}}}}})
		planted = append(planted, f)
		g := f + 5
		if g < len(c.truth)-6 && seen(g) && c.truth[g].Visible > .98 {
			size := math.Sqrt(math.Abs(geom.Area(q[:])))
			for i := range key(d, g) {
				key(d, g)[i].P = key(d, g)[i].P.Add(geom.Pt(3+.015*size, -2))
			}
			jumps = append(jumps, g)
		}
	}
	if len(planted) > 0 {
		all, _ = c.run(ctx, d, "leaks")
		for _, f := range planted {
			e := t.at(check.HoldoutLeak)
			e.planted++
			if has(all, f, check.HoldoutLeak) {
				e.found++
			} else if each {
				fmt.Printf("    missed: leak %d\n", f)
			}
		}
		for _, f := range jumps {
			e := t.at(check.Jumping)
			e.planted++
			if has(all, f, check.Jumping) {
				e.found++
			} else if each {
				fmt.Printf("    missed: jump %d\n", f)
			}
		}
	}

	// Nothing is held out of what passes in front.
	if c.front != nil {
		n := 0
		for _, tr := range c.truth {
			if tr.Visible > .3 && tr.Visible < .75 {
				n++
			}
		}
		if n > 4 {
			d = c.document()
			d.Covers = d.Covers[:1]
			all, _ = c.run(ctx, d, "front")
			e := t.at(check.OnForeground)
			e.planted++
			for _, x := range all {
				if x.Kind == check.OnForeground {
					e.found++
					break
				}
			}
		}
	}

	// A treatment that hides nothing.
	d = c.document()
	weak := cover.NewTreatment("t1", cover.Mosaic)
	weak.Cell = cover.ConstPair(2, 2)
	d.Covers[0].Treatments = []cover.Treatment{weak}
	all, _ = c.run(ctx, d, "weak")
	e := t.at(check.Readable)
	e.planted++
	for _, x := range all {
		if x.Kind == check.Readable {
			e.found++
		}
	}
	return t
}
