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
	"slices"
	"strings"
	"time"

	"celator/core/check"
	"celator/core/cover"
	"celator/core/geom"
	"celator/core/raster"
	"celator/dev/floor"
	"celator/internal/checkrun"
	"celator/internal/confine"
	"celator/internal/demo"
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
	confine.Main()
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
		if only == "" {
			all.claims()
		}
	}
	if part == "" || part == "reading" {
		readings()
	}
	if part == "" || part == "frames" {
		overFrames()
	}
	floor.End()
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
		o.Keys = append(o.Keys, cover.PathKey{Frame: cover.Time(f), Knots: p})
	}
	d.Covers = []cover.Cover{{
		ID: "c1", Name: c.Item, Span: cover.Span{Last: c.Info.Frames - 1}, Outlines: []cover.Outline{o},
		Grow: cover.Const(1), Soften: cover.ConstPair(2, 2), Treatments: []cover.Treatment{t},
	}}
	if c.Item == "" {
		d.Covers[0].Name = c.Name
	}
	if c.front != nil {
		d.Covers = append(d.Covers, cover.Cover{
			ID: "h1", Name: "front", Span: d.Covers[0].Span, HoldsOut: []string{"*"}, Outlines: []cover.Outline{},
			Treatments: []cover.Treatment{},
			Proposed: &cover.Proposed{
				Surface: "truth", Run: "truth", Sensitivity: .5, Edge: 2, Least: 10,
				Accepted: []cover.Span{d.Covers[0].Span}, Strokes: []cover.Stroke{}, Mattes: c.front,
			},
		})
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
	l := d.Covers[0].Shape(cover.Time(f))
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
	amiss  map[check.Kind]int // on clean documents
	clean  int                // of them, frames
	frames int
	// misread counts findings on clean documents that the machine which reads made of its own.
	misread int
	wall    time.Duration
}

func (t *tally) at(k check.Kind) *count {
	if t.kinds == nil {
		t.kinds, t.amiss = map[check.Kind]*count{}, map[check.Kind]int{}
	}
	if t.kinds[k] == nil {
		t.kinds[k] = &count{}
	}
	return t.kinds[k]
}

func (t *tally) wrong(k check.Kind, n int) {
	t.at(k)
	t.amiss[k] += n
}

func (t *tally) add(o tally) {
	for k, v := range o.kinds {
		t.at(k).planted += v.planted
		t.at(k).found += v.found
	}
	for k, v := range o.amiss {
		t.wrong(k, v)
	}
	t.clean += o.clean
	t.frames += o.frames
	t.misread += o.misread
	t.wall += o.wall
}

// claims holds the figures to what docs/benchmarks.md says.
func (t *tally) claims() {
	for kind, share := range map[check.Kind]float64{
		check.Exposed: .84, check.BareEnds: 1, check.HoldoutLeak: 1, check.Jumping: 1,
	} {
		if c := t.kinds[kind]; c != nil && c.planted > 0 {
			floor.AtLeast(string(kind)+" found, share", float64(c.found)/float64(c.planted), share)
		}
	}
	wrong := 0
	for _, n := range t.amiss {
		wrong += n
	}
	floor.AtMost("findings on 2000 clean frames", 2000*float64(wrong)/float64(max(t.clean, 1)), 2.5)
}

func (t *tally) line() string {
	s := fmt.Sprintf("%5.1f fps |", float64(t.frames)/t.wall.Seconds())
	for _, a := range check.Kinds {
		if c := t.kinds[a.Kind]; c != nil && c.planted > 0 {
			s += fmt.Sprintf(" %s %d/%d", a.Kind, c.found, c.planted)
		}
	}
	s += fmt.Sprintf(" | clean %d frames, false (%d by reading):", t.clean, t.misread)
	for _, a := range check.Kinds {
		if n := t.amiss[a.Kind]; n > 0 {
			s += fmt.Sprintf(" %s %d", a.Kind, n)
		}
	}
	return s
}

func (c *clip) run(ctx context.Context, d *cover.Document, what string) ([]check.Finding, time.Duration) {
	begun := time.Now()
	by, err := machine.Reader()
	must(err)
	all, err := checkrun.Run(ctx, checkrun.Job{Clip: c.Clip, Document: d, Cuts: []int{}, Reader: by})
	must(err)
	wall := time.Since(begun)
	if each {
		for _, f := range all {
			fmt.Printf("    %-10s %-20s %v at %d: %.3g %s\n", what, f.Kind, f.Frames, f.Frame, f.Figure, f.Says)
		}
	}
	return all, wall
}

func has(all []check.Finding, f int, k check.Kind) bool {
	return slices.ContainsFunc(all, func(x check.Finding) bool {
		return x.Kind == k && slices.ContainsFunc(x.Frames, func(s cover.Span) bool { return s.Holds(cover.Time(f)) })
	})
}

// planted is a spoiled document, with the frames on which each kind must be found; where
// it is enough that a kind is found anywhere, its frames are nil.
type planted struct {
	what string
	d    *cover.Document
	at   map[check.Kind][]int
}

// covers checks a clip's covers as they should be, and then spoiled in several ways.
func covers(ctx context.Context, dir string, s demo.Shot) (t tally) {
	c := open(ctx, dir, s)
	tight := c.document()
	tight.Covers[0].Grow, tight.Covers[0].Soften = cover.Const(0), cover.ConstPair(0, 0)
	for _, p := range []planted{{"clean", c.document(), nil}, {"tight", tight, nil}} {
		all, wall := c.run(ctx, p.d, p.what)
		t.clean += len(c.truth)
		if p.what == "clean" {
			t.frames, t.wall = len(c.truth), wall
		}
		for _, f := range all {
			t.wrong(f.Kind, 1)
			if checkrun.ByMachine(f) {
				t.misread++
			}
		}
	}
	for _, p := range slices.Concat(c.shifted(), c.adrift(), c.ends(), c.leaksAndJumps(), c.inFront(), c.weak()) {
		all, _ := c.run(ctx, p.d, p.what)
		for k, frames := range p.at {
			n := t.at(k)
			if frames == nil {
				n.planted++
				if slices.ContainsFunc(all, func(f check.Finding) bool { return f.Kind == k }) {
					n.found++
				}
				continue
			}
			for _, f := range frames {
				n.planted++
				if has(all, f, k) {
					n.found++
				} else if each {
					area, share := c.bare(p.d, f)
					fmt.Printf("    missed: %s on f %d; %.0f px², %.1f %% are bare\n", k, f, area, 100*share)
				}
			}
		}
		if p.what != "shifted" && p.what != "adrift" {
			continue
		}
		for _, x := range all { // called exposed, on frames on which nothing is
			for _, s := range x.Frames {
				for f := s.First; f <= s.Last && x.Kind == check.Exposed; f++ {
					if a, share := c.bare(p.d, f); a < 10 && share < .01 {
						t.wrong(check.Exposed, 1)
					}
				}
			}
		}
	}
	return t
}

func (c *clip) seen(f int) bool { return c.truth[f].Visible > .5 }

// shifted covers lie off on single frames, ever farther.
func (c *clip) shifted() []planted {
	d := c.document()
	frames := []int{}
	for k, f := 0, 5; f < len(c.truth)-5; k, f = k+1, f+7 {
		if !c.seen(f) {
			continue
		}
		by := []float64{2, 3, 4, 6, 9, 15}[k%6]
		way := geom.Pt(math.Cos(float64(k)*2.4), math.Sin(float64(k)*2.4)).Mul(by)
		for i := range key(d, f) {
			key(d, f)[i].P = key(d, f)[i].P.Add(way)
		}
		if a, share := c.bare(d, f); a >= 40 || share >= .04 {
			frames = append(frames, f)
		}
	}
	return []planted{{"shifted", d, map[check.Kind][]int{check.Exposed: frames}}}
}

// adrift: covers lie off for stretches of 16 frames, into which and out of which they
// drift.
func (c *clip) adrift() []planted {
	const stretch = 16
	d := c.document()
	frames := []int{}
	for k, f := 0, 10; f+stretch < len(c.truth)-5; k, f = k+1, f+2*stretch {
		for i := range stretch {
			by := []float64{2, 3, 5}[k%3] * min(1, float64(min(i+1, stretch-i))/5)
			way := geom.Pt(math.Cos(float64(k)*2.4), math.Sin(float64(k)*2.4)).Mul(by)
			for j := range key(d, f+i) {
				key(d, f+i)[j].P = key(d, f+i)[j].P.Add(way)
			}
			if a, share := c.bare(d, f+i); c.seen(f+i) && (a >= 40 || share >= .04) {
				frames = append(frames, f+i)
			}
		}
	}
	return []planted{{"adrift", d, map[check.Kind][]int{check.Exposed: frames}}}
}

// ends: the span is a frame too short at either end.
func (c *clip) ends() (out []planted) {
	last := len(c.truth) - 1
	for _, end := range []int{0, last} {
		if c.seen(end) {
			d := c.document()
			if end == 0 {
				d.Covers[0].Span.First = 1
			} else {
				d.Covers[0].Span.Last = last - 1
			}
			out = append(out, planted{"ends", d, map[check.Kind][]int{check.BareEnds: {end}}})
		}
	}
	return out
}

// leaksAndJumps: holdouts where nothing passes, and covers that jump but hide.
func (c *clip) leaksAndJumps() []planted {
	d := c.document()
	d.Covers[0].Grow = cover.Const(12)
	leaks, jumps := []int{}, []int{}
	whole := func(f int) bool { return c.truth[f].Visible >= .98 }
	for f := 6; f < len(c.truth)-6; f += 11 {
		if !whole(f) {
			continue
		}
		q := c.truth[f].Corners
		mid := q[0].Lerp(q[2], .5)
		var p geom.Path
		for _, k := range q {
			p = append(p, geom.Knot{P: mid.Add(k.Sub(mid).Mul(.35))})
		}
		d.Covers = append(d.Covers, cover.Cover{
			ID: fmt.Sprintf("leak%d", f), Name: "leak", Span: cover.Span{First: f, Last: f}, HoldsOut: []string{"c1"},
			Treatments: []cover.Treatment{},
			Outlines: []cover.Outline{{
				ID: "o1", Shape: cover.ShapeCorners, Keys: []cover.PathKey{{Frame: cover.Time(f), Knots: p}},
			}},
		})
		leaks = append(leaks, f)
		if g := f + 5; g < len(c.truth)-6 && whole(g) {
			size := math.Sqrt(math.Abs(geom.Area(q[:])))
			for i := range key(d, g) {
				key(d, g)[i].P = key(d, g)[i].P.Add(geom.Pt(3+.015*size, -2))
			}
			jumps = append(jumps, g)
		}
	}
	if len(leaks) == 0 {
		return nil
	}
	return []planted{{"leaks", d, map[check.Kind][]int{check.HoldoutLeak: leaks, check.Jumping: jumps}}}
}

// inFront: nothing is held out of what passes in front.
func (c *clip) inFront() []planted {
	n := 0
	for _, t := range c.truth {
		if t.Visible > .3 && t.Visible < .75 {
			n++
		}
	}
	if c.front == nil || n < 5 {
		return nil
	}
	d := c.document()
	d.Covers = d.Covers[:1]
	return []planted{{"front", d, map[check.Kind][]int{check.OnForeground: nil}}}
}

// weak: a treatment that hides nothing.
func (c *clip) weak() []planted {
	d := c.document()
	t := cover.NewTreatment("t1", cover.Mosaic)
	t.Cell = cover.ConstPair(2, 2)
	d.Covers[0].Treatments = []cover.Treatment{t}
	return []planted{{"weak", d, map[check.Kind][]int{check.Readable: nil}}}
}
