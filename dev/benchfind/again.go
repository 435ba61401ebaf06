package main

import (
	"context"
	"errors"
	"fmt"
	"image"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"celator/core/feature"
	"celator/core/frame"
	"celator/core/geom"
	"celator/core/reading"
	"celator/dev/floor"
	"celator/internal/demo"
	"celator/internal/find"
	"celator/internal/media"
)

// againAt is the frame that is looked at.
const againAt = 6

// again measures what is found again by its picture: boards of some shots in others.
func again(ctx context.Context, r *reading.Reader, dir, part string, pictures []image.Image, count int, only string,
	each bool,
) {
	var t reappeared
	began := time.Now()
	for _, w := range demo.Reappearances(part, pictures, count) {
		must(demo.Generate(ctx, dir, []demo.Shot{w.Shot}, func(string) {}))
		path := filepath.Join(dir, w.Name, "clip.mp4")
		info, err := media.Probe(ctx, path)
		must(err)
		clip := media.Clip{Path: path, Info: info}
		if w.Boards[0].First {
			must(clip.Pick(ctx, []int{againAt}, func(_ int, p *frame.Picture) error { return t.first(ctx, r, w, p) }))
			continue
		}
		if only != "" && !strings.Contains(only, w.Name) {
			continue
		}
		marks, of := t.marks, []int(nil)
		if os.Getenv("THERE") != "" {
			marks, of = t.there(w)
		}
		found, err := find.Seek(ctx, find.SeekJob{
			Job: find.Job{Clip: clip, First: againAt, Last: againAt, Reader: r}, Marks: marks,
		})
		must(err)
		for i := range found {
			if of != nil {
				found[i].Mark = of[found[i].Mark]
			}
		}
		t.looked++
		t.look(w, found, each)
	}
	t.print(time.Since(began))
}

// reappeared counts what was found again.
type reappeared struct {
	marks                             []find.Sought
	boards                            []demo.Reappearance // of the marks
	plain, looked, distractors, wrong int
	rows                              map[string]*[2]int
}

// first takes the boards of a picture for what is looked for from now on.
func (t *reappeared) first(ctx context.Context, r *reading.Reader, w demo.Reappearing, p *frame.Picture) error {
	for _, b := range w.Boards {
		s, _, ok := find.Cut(p, b.Quad(againAt))
		if !ok {
			return fmt.Errorf("%s: a board lies beside the picture", w.Name)
		}
		m, err := s.Mark()
		if errors.Is(err, feature.ErrPlain) {
			t.plain++
			continue
		}
		if err != nil {
			return err
		}
		reads, err := s.Reads(ctx, r)
		if err != nil {
			return err
		}
		t.marks, t.boards = append(t.marks, find.Sought{Mark: m, Reads: reads}), append(t.boards, b)
	}
	return nil
}

// there are the surfaces that a picture shows, and which they are of all: what is missed is told in a small part of the
// time that it takes to look for what is not there.
func (t *reappeared) there(w demo.Reappearing) (marks []find.Sought, of []int) {
	for i, o := range t.boards {
		if slices.ContainsFunc(w.Boards, func(b demo.Reappearance) bool { return b.Mark == o.Mark }) {
			marks, of = append(marks, t.marks[i]), append(of, i)
		}
	}
	return marks, of
}

func (t *reappeared) look(w demo.Reappearing, found []find.Again, each bool) {
	there := map[int]demo.Reappearance{}
	for _, b := range w.Boards {
		there[b.Mark] = b
		if !slices.ContainsFunc(t.boards, func(o demo.Reappearance) bool { return o.Mark == b.Mark }) {
			t.distractors++
		}
	}
	right := map[int]bool{}
	for _, f := range found {
		first := t.boards[f.Mark]
		b, is := there[first.Mark]
		if is && near(f.Best.Quad, b.Quad(againAt)) {
			right[first.Mark] = true
			continue
		}
		t.wrong++
		if each {
			fmt.Printf("  %s wrong: %s %d, sure %.2f, at %.0f; it is there: %v, at %.0f\n", w.Name, first.Kind, first.Mark,
				f.Sure, f.Best.Quad, is, b.Quad(againAt))
		}
	}
	for _, first := range t.boards {
		b, is := there[first.Mark]
		if !is || b.Visible(againAt) < .5 {
			continue
		}
		q, was := b.Quad(againAt), first.Quad(againAt)
		names := []string{"smaller"}
		if geom.Area(q[:]) >= .25*geom.Area(was[:]) {
			names = []string{"half and more", b.Kind}
			if b.Visible(againAt) < .95 {
				names[1] = "part hidden"
			}
		}
		for _, n := range names {
			t.at(n)[0]++
			if right[first.Mark] {
				t.at(n)[1]++
			}
		}
		if each && !right[first.Mark] {
			fmt.Printf("  %s missed: %s %d of %.0f px, first %.0f, seen %.2f\n", w.Name, b.Kind, b.Mark, q.Height(),
				was.Height(), b.Visible(againAt))
		}
	}
}

// near reports whether a surface was found where it is: each corner within a tenth of its size.
func near(a, b geom.Quad) bool {
	for i := range a {
		if a[i].Sub(b[i]).Len() > max(.1*b.Height(), 3) {
			return false
		}
	}
	return true
}

func (t *reappeared) at(name string) *[2]int {
	if t.rows == nil {
		t.rows = map[string]*[2]int{}
	}
	if t.rows[name] == nil {
		t.rows[name] = &[2]int{}
	}
	return t.rows[name]
}

func (t *reappeared) print(took time.Duration) {
	for _, n := range []string{"half and more", "emblem", "named", "poster", "sign", "plate", "part hidden", "smaller"} {
		r := t.at(n)
		fmt.Printf("found again, %-14s %4d: %5.1f %%\n", n, r[0], 100*float64(r[1])/float64(max(r[0], 1)))
	}
	fmt.Printf("wrong: %d beside %d boards that were not looked for, in %d pictures; %d boards too plain; took %.0f s\n",
		t.wrong, t.distractors, t.looked, t.plain, took.Seconds())
	r := t.at("half and more")
	floor.AtLeast("found again, share", float64(r[1])/float64(max(r[0], 1)), .95)
	floor.AtMost("wrong", float64(t.wrong), 0)
}
