package main

import (
	"encoding/json"
	"fmt"
	"image"
	"net/url"
	"path/filepath"
	"time"

	"celator/core/cover"
	"celator/core/geom"
	"celator/core/reading"
	"celator/dev/floor"
	"celator/dev/site"
	"celator/internal/demo"
)

// draftedShots is of how many shots drafts are made at most: each of their lines is covered, followed and checked.
const draftedShots = 8

// drafts measures what drafts are worth before anybody touched them: a programme of drawn shots, whose list asks for
// every line that stands in them, is looked through, drafted and checked by the program as people use it.
func drafts(dir, part string, pictures []image.Image, count int, each bool) {
	s, err := site.New("bin/celator", dir)
	must(err)
	defer s.Close()
	_, err = s.Serve()
	must(err)
	ask := func(method, path string, in, out any) {
		status, err := s.Ask(method, path, in, out)
		must(err)
		if status >= 300 {
			must(fmt.Errorf("%s %s: %d", method, path, status))
		}
	}
	var p struct{ ID string }
	ask("POST", "/api/programmes", map[string]any{"name": "Drafts"}, &p)
	at := "/api/programmes/" + url.PathEscape(p.ID)
	shots := demo.Writtens(part, pictures, min(count, draftedShots))
	targets, listed := 0, map[string]bool{}
	for _, w := range shots {
		ask("POST", at+"/sources", map[string]any{"media": filepath.Join(w.Name, "clip.mp4")}, nil)
		for _, g := range w.Targets {
			if g.Letters < 14 || seenFor(w, g) < 5 || len(reading.Fold(g.Text)) < 3 {
				continue
			}
			targets++
			if !listed[g.Text] {
				listed[g.Text] = true
				ask("POST", at+"/items", map[string]any{
					"name": g.Text, "kind": "text", "description": "", "reason": "", "requester": "", "due": "",
				}, nil)
			}
		}
	}
	_, err = s.Shots(p.ID)
	must(err)
	began := time.Now()
	ask("POST", at+"/draft", map[string]any{}, nil)
	list := waited(ask, at)
	t := drafted{ask: ask, each: each}
	for i, sh := range list.Shots { // in the order in which they were brought
		t.shot(shots[i], sh.ID)
	}
	share := float64(t.fine) / float64(max(targets, 1))
	fmt.Printf("drafts of %d lines that the list asks for in %d shots: %d made, of %.1f %% of the lines without a severe "+
		"finding; of %d frames on which what they ride on is called good %d leave more than a tenth of a line bare; took "+
		"%.0f s\n", targets, len(shots), t.made, 100*share, t.frames, t.bare, time.Since(began).Seconds())
	floor.AtLeast("drafts without a severe finding, share of lines", share, .6)
	floor.AtMost("frames that are called good and lie wrong, share", float64(t.bare)/float64(max(t.frames, 1)), .005)
}

type draftList struct {
	Drafts struct{ State string }
	Shots  []struct{ ID string }
}

// waited waits until all is looked through, drafted and checked.
func waited(ask func(method, path string, in, out any), at string) (list draftList) {
	for {
		list = draftList{}
		ask("GET", at+"/proposals", nil, &list)
		going := list.Drafts.State == "queued" || list.Drafts.State == "running"
		for _, sh := range list.Shots {
			var c struct {
				State   string
				Current bool
			}
			ask("GET", "/api/shots/"+sh.ID+"/check", nil, &c)
			going = going || !c.Current && c.State != ""
		}
		if !going {
			return list
		}
		time.Sleep(time.Second)
	}
}

// seenFor is on how many frames a line is wholly seen.
func seenFor(w demo.Written, g demo.Target) (n int) {
	for f := range w.Frames {
		if g.Visible(f, w.Width, w.Height) >= visibleFrom {
			n++
		}
	}
	return n
}

type drafted struct {
	ask                      func(method, path string, in, out any)
	each                     bool
	made, fine, bare, frames int
}

// shot compares a shot's drafts with where its lines stand.
func (t *drafted) shot(w demo.Written, id string) {
	var full struct {
		Revision struct{ Document json.RawMessage }
	}
	t.ask("GET", "/api/shots/"+id, nil, &full)
	d, err := cover.Parse(full.Revision.Document)
	must(err)
	d.Attach(func(attempt string) *cover.Poses {
		var a struct{ Poses *cover.Poses }
		t.ask("GET", "/api/attempts/"+attempt, nil, &a)
		return a.Poses
	})
	var check struct {
		Findings []struct{ Cover, Severity, Kind, State string }
	}
	t.ask("GET", "/api/shots/"+id+"/check", nil, &check)
	severe := map[string]string{}
	for _, f := range check.Findings {
		if f.Severity == "severe" {
			severe[f.Cover] = f.Kind
		}
	}
	for _, g := range w.Targets {
		if g.Letters < 14 || seenFor(w, g) < 5 || len(reading.Fold(g.Text)) < 3 {
			continue
		}
		c := over(d, g)
		if c == nil {
			if t.each {
				fmt.Printf("  %s %q: no draft\n", w.Name, g.Text)
			}
			continue
		}
		t.made++
		if severe[c.ID] == "" {
			t.fine++
		} else if t.each {
			fmt.Printf("  %s %q: %s\n", w.Name, g.Text, severe[c.ID])
		}
		t.lies(w, d, c, g)
	}
}

// over is the draft that lies on a line, on the frame on which it was drawn: the one that hides most of it, and half.
func over(d *cover.Document, g demo.Target) (best *cover.Cover) {
	most := .5
	for i := range d.Covers {
		c := &d.Covers[i]
		if c.Item == "" || len(c.Outlines) == 0 {
			continue
		}
		if v := hidden(c, g, c.Outlines[0].Keys[0].Frame); v > most {
			most, best = v, c
		}
	}
	return best
}

// hidden is how much of a line lies within a cover on a frame.
func hidden(c *cover.Cover, g demo.Target, f cover.Time) float64 {
	path, q, in := c.Contours(f)[0].Flatten(.2), g.Quad(f.Frame()), 0
	const n = 10
	for k := range n * n {
		u, v := (float64(k%n)+.5)/n, (float64(k/n)+.5)/n
		if inside(path, q[0].Lerp(q[1], u).Lerp(q[3].Lerp(q[2], u), v)) {
			in++
		}
	}
	return float64(in) / (n * n)
}

// lies counts the frames on which a draft leaves its line bare, of those on which what it rides on is called good.
func (t *drafted) lies(w demo.Written, d *cover.Document, c *cover.Cover, g demo.Target) {
	track := d.Track(c.Track)
	if track == nil || track.Poses == nil {
		return
	}
	for f := c.Span.First; f <= c.Span.Last; f++ {
		if s := track.Poses.State(cover.Time(f)); s != 'g' && s != 'a' || g.Visible(f, w.Width, w.Height) < visibleFrom {
			continue
		}
		t.frames++
		if v := hidden(c, g, cover.Time(f)); v < .9 {
			t.bare++
			if t.each {
				fmt.Printf("  %s %q: frame %d, %.0f %% hidden\n", w.Name, g.Text, f, 100*v)
			}
		}
	}
}

// inside reports whether a point lies within a polygon, by how often a ray from it crosses that.
func inside(poly []geom.Point, p geom.Point) (in bool) {
	for i, a := range poly {
		b := poly[(i+1)%len(poly)]
		if (a.Y > p.Y) != (b.Y > p.Y) && p.X < a.X+(b.X-a.X)*(p.Y-a.Y)/(b.Y-a.Y) {
			in = !in
		}
	}
	return in
}
