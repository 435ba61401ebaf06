// Command benchfind measures what is found in shots with ground truth: signs, plates, numbers
// and screens before photographs, turned, moving, dim, noisy and coded as phones and stations
// do. It prints what it saw; a part that is kept is told of by figures alone.
//
// WHAT is one of again (surfaces found again in other shots), text, faces, drafts (made by the program as people use
// it); all of them otherwise. PART is work or kept; COUNT says how many shots; ONLY names some, EACH prints what was
// missed or false (of the part to work on alone). With THERE=1 only what a picture shows is found again, in a tenth of
// the time: that tells what is missed, and not what is taken for another.
package main

import (
	"cmp"
	"context"
	"fmt"
	"image"
	"log"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"celator/core/geom"
	"celator/core/reading"
	"celator/dev/floor"
	"celator/dev/photos"
	"celator/internal/confine"
	"celator/internal/demo"
	"celator/internal/find"
	"celator/internal/media"
	"celator/internal/reader"
)

func must(err error) {
	if err != nil {
		log.Fatal(err)
	}
}

func main() {
	confine.Main()
	log.SetFlags(0)
	part := cmp.Or(os.Getenv("PART"), demo.Kept)
	count, err := strconv.Atoi(cmp.Or(os.Getenv("COUNT"), "40"))
	must(err)
	only, each := os.Getenv("ONLY"), os.Getenv("EACH") != "" && part == demo.Work
	pictures, err := photos.Wordless()
	must(err)
	dir := filepath.Join(cmp.Or(os.Getenv("CELATOR_DATA"), ".run"), "written", part)
	m := reader.New(reader.Dir(), 2)
	defer m.Close()
	r, err := m.Reader()
	must(err)
	ctx := context.Background()
	what := os.Getenv("WHAT")
	if what == "" || what == "again" {
		again(ctx, r, filepath.Join(filepath.Dir(filepath.Dir(dir)), "boards", part), part, pictures, count, only, each)
	}
	if what == "" || what == "text" {
		written(ctx, r, dir, part, pictures, count, only, each)
	}
	if what == "" || what == "faces" {
		faces(r, pictures, part == demo.Kept)
	}
	if what == "" || what == "drafts" {
		must(demo.Generate(ctx, dir, shotsOf(demo.Writtens(part, pictures, min(count, draftedShots))), func(s string) {}))
		drafts(dir, part, pictures, count, each)
	}
	floor.End()
}

func shotsOf(all []demo.Written) (out []demo.Shot) {
	for _, w := range all {
		out = append(out, w.Shot)
	}
	return out
}

// written measures what is found and read of lines on boards.
func written(ctx context.Context, r *reading.Reader, dir, part string, pictures []image.Image, count int, only string,
	each bool,
) {
	var t tally
	for _, w := range demo.Writtens(part, pictures, count) {
		if only != "" && !strings.Contains(only, w.Name) {
			continue
		}
		must(demo.Generate(ctx, dir, []demo.Shot{w.Shot}, func(s string) { log.Print(s) }))
		path := filepath.Join(dir, w.Name, "clip.mp4")
		info, err := media.Probe(ctx, path)
		must(err)
		began := time.Now()
		all, looked, err := find.Run(ctx, find.Job{
			Clip: media.Clip{Path: path, Info: info}, Last: info.Frames - 1, Reader: r,
		})
		must(err)
		t.wall += time.Since(began)
		t.looked += looked
		t.seconds += float64(info.Frames) / info.Rate.Float()
		t.add(w, all, each)
	}
	t.print()
}

// tally counts what was found of what there is.
type tally struct {
	seconds        float64
	wall           time.Duration
	looked, false_ int
	rows           map[string]*row
}

type row struct{ there, found, read, kind int }

func (t *tally) at(name string) *row {
	if t.rows == nil {
		t.rows = map[string]*row{}
	}
	if t.rows[name] == nil {
		t.rows[name] = &row{}
	}
	return t.rows[name]
}

// visibleFrom is how much of a line must be seen at some frame to count as there.
const visibleFrom = .95

// on reports whether a box is of a line: at least half of either lies in the other.
func on(a, b geom.Quad) bool {
	c := a.Bounds().Common(b.Bounds())
	return c >= .5*a.Bounds().Area() || c >= .5*b.Bounds().Area()
}

func (t *tally) add(w demo.Written, all []find.Found, each bool) {
	true_ := make([]bool, len(all))
	for _, g := range w.Targets {
		seen := 0
		for f := range w.Frames {
			if g.Visible(f, w.Width, w.Height) >= visibleFrom {
				seen++
			}
		}
		found, read, kind := false, false, false
		got := ""
		for i, p := range all {
			for _, s := range p.Sights {
				if on(s.Quad, g.Quad(s.Frame)) {
					true_[i], found = true, true
					got = p.Text
					read = read || reading.Fold(p.Text) == reading.Fold(g.Text)
					kind = kind || string(p.Kind) == g.Kind
					break
				}
			}
		}
		if seen < 5 {
			continue
		}
		size := "under 14 px"
		if g.Letters >= 14 {
			size = "14 px and more"
		}
		names := []string{size}
		if g.Letters >= 14 {
			names = append(names, g.Kind)
		}
		for _, n := range names {
			r := t.at(n)
			r.there++
			if found {
				r.found++
			}
			if read {
				r.read++
			}
			if kind {
				r.kind++
			}
		}
		if each && g.Letters >= 14 && !read {
			fmt.Printf("  %s %q %.0f px, contrast %.2f: found %v, read %q\n", w.Name, g.Text, g.Letters, g.Light, found, got)
		}
	}
	for i, p := range all {
		if !true_[i] {
			t.false_++
			if each {
				fmt.Printf("  %s false: %s %q %.2f at %v f %d\n", w.Name, p.Kind, p.Text, p.Sure, p.Best.Quad.Bounds(),
					p.Best.Frame)
			}
		}
	}
}

func (t *tally) print() {
	names := []string{}
	for n := range t.rows {
		names = append(names, n)
	}
	slices.Sort(names)
	share := func(a, b int) float64 { return float64(a) / float64(max(b, 1)) }
	for _, n := range names {
		r := t.rows[n]
		fmt.Printf("%-16s %4d lines: found %5.1f %%, read exactly %5.1f %%, of their kind %5.1f %%\n", n, r.there,
			100*share(r.found, r.there), 100*share(r.read, r.there), 100*share(r.kind, r.there))
	}
	fmt.Printf("false: %d in %.0f s, %.1f a minute; looked at %d frames; took %.2f of the shots' length\n", t.false_,
		t.seconds, 60*float64(t.false_)/max(t.seconds, 1), t.looked, t.wall.Seconds()/max(t.seconds, 1))
	large := t.at("14 px and more")
	floor.AtLeast("lines of 14 px and more found, share", share(large.found, large.there), .97)
	floor.AtLeast("read exactly, share", share(large.read, large.there), .85)
	floor.AtMost("false proposals a minute", 60*float64(t.false_)/max(t.seconds, 1), 3)
}
