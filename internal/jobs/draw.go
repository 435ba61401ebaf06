package jobs

import (
	"context"
	"errors"
	"fmt"
	"path/filepath"
	"slices"
	"time"

	"github.com/riverqueue/river"

	"celator/core/cover"
	"celator/internal/budget"
	"celator/internal/demo"
	"celator/internal/storage"
	"celator/internal/store"
)

// DemoFolder is where the demo's footage lies in the media folder.
const DemoFolder = "tidewrack-week"

// shotsPatience is how often a master looks whether its shots are drawn.
const shotsPatience = time.Second

// LoadDemo makes the demo programme, once, and puts its footage into the queue. What somebody took out of
// the media folder is drawn again.
func LoadDemo(ctx context.Context, st *store.Store, lib storage.Library, loaded bool) error {
	all, err := st.Programmes(ctx)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(all, func(p store.Programme) bool { return p.Name == demo.Programme })
	if i < 0 {
		if loaded { // it is people's own, and they took it away
			return nil
		}
		p, err := st.AddProgramme(ctx, demo.Programme)
		if err != nil {
			return err
		}
		all, i = append(all, p), len(all)
	}
	sources, err := st.Sources(ctx, all[i].ID)
	if err != nil {
		return err
	}
	var list []store.Drawing
	add := func(name, title string, frames int, path string) {
		entered := slices.ContainsFunc(sources, func(s store.Source) bool { return s.Path == path })
		_, err := lib.MediaPath(path)
		if missing := err != nil; missing && (entered || !loaded) || !entered && !loaded {
			list = append(list, store.Drawing{
				ID: store.NewID(), Programme: all[i].ID, Footage: name, Title: title, Frames: frames,
			})
		}
	}
	for _, s := range demo.Shots {
		add(s.Name, s.Title, s.Frames, clipOf(s))
	}
	for i, m := range demo.Masters {
		n := len(list)
		add(m.Name, m.Title, m.Frames(), m.File(DemoFolder))
		if t := demo.Title; i == 0 && len(list) > n {
			list = slices.Insert(list, n, store.Drawing{
				ID: store.NewID(), Programme: list[n].Programme, Footage: t.Name, Title: t.Title, Frames: t.Frames,
			})
		}
	}
	return st.AddDrawings(ctx, list)
}

// clipOf is a demo shot's file in the media folder.
func clipOf(s demo.Shot) string { return filepath.Join(DemoFolder, s.Name, "clip.mp4") }

func (r *Runner) draw(ctx context.Context, job *river.Job[store.DrawArgs]) error {
	id := job.Args.Drawing
	return attend(r, ctx, job, task{
		store.ADrawing, id, drawMemory, budget.Later, func(ctx context.Context, beat func(int)) error {
			d, err := r.store.Drawing(ctx, id)
			if err != nil {
				return err
			}
			work, cancel := context.WithCancel(ctx)
			defer cancel()
			tell := every(func(done int) {
				if wanted, err := r.store.SetDrawing(ctx, id, done); err == nil && !wanted {
					cancel()
				}
			})
			err = r.footage(work, d, func(done int) { beat(done); tell(done) })
			if work.Err() != nil && ctx.Err() == nil {
				return nil // nobody wants it any more
			}
			if err != nil {
				return err
			}
			return r.store.EndDrawing(ctx, id)
		}, func(ctx context.Context, why string) error { return r.store.FailDrawing(ctx, id, why) },
	})
}

// footage draws one shot or master, where it is not there, and enters it.
func (r *Runner) footage(ctx context.Context, d store.Drawing, progress func(done int)) error {
	dir := filepath.Join(r.lib.Media, DemoFolder)
	rest := r.giveWay(ctx, brisk, nobody)
	pace := func(int) { rest() }
	if i := slices.IndexFunc(demo.Masters, func(m demo.Master) bool { return m.Name == d.Footage }); i >= 0 {
		m := demo.Masters[i]
		if !m.Drawn(dir) {
			others, err := r.store.Drawings(ctx, d.Programme)
			if err != nil {
				return err
			}
			for _, s := range m.Needs() {
				switch {
				case s.Drawn(dir):
				case slices.ContainsFunc(others, func(o store.Drawing) bool {
					return o.Footage == s.Name && o.State != store.Failed
				}):
					return river.JobSnooze(shotsPatience)
				default: // it was taken off the list
					if err := r.drawOne(ctx, s, dir, pace); err != nil {
						return err
					}
				}
			}
			if err := m.Draw(ctx, dir, progress); err != nil {
				return err
			}
		}
		_, err := r.enter(ctx, d, m.File(DemoFolder))
		return err
	}
	s := demo.Title
	if i := slices.IndexFunc(demo.Shots, func(s demo.Shot) bool { return s.Name == d.Footage }); i >= 0 {
		s = demo.Shots[i]
	} else if d.Footage != s.Name {
		return fmt.Errorf("%w: there is no demo footage %q", errGivenUp, d.Footage)
	}
	err := r.drawOne(ctx, s, dir, func(done int) { progress(done); rest() })
	if err != nil || d.Footage == demo.Title.Name { // which is no shot of its own
		return err
	}
	shot, err := r.enter(ctx, d, clipOf(s))
	if err != nil {
		return err
	}
	return r.begin(ctx, shot, s, dir)
}

// drawOne draws a shot where it is not there; both masters may want the same.
func (r *Runner) drawOne(ctx context.Context, s demo.Shot, dir string, progress func(done int)) error {
	_, err, _ := r.drawing.Do(s.Name, func() (any, error) {
		if s.Drawn(dir) {
			return nil, nil
		}
		return nil, s.Draw(ctx, dir, progress)
	})
	return err
}

// enter brings footage in, where it is not there, and returns its first shot.
func (r *Runner) enter(ctx context.Context, d store.Drawing, path string) (store.Shot, error) {
	sources, err := r.store.Sources(ctx, d.Programme)
	if err != nil {
		return store.Shot{}, err
	}
	i := slices.IndexFunc(sources, func(s store.Source) bool { return s.Path == path })
	if i < 0 {
		_, shot, err := AddSource(ctx, r.store, r.lib, store.Source{
			ID: store.NewID(), Programme: d.Programme, Name: d.Title, Place: "media", Path: path, Created: d.Created,
		})
		return shot, err
	}
	shots, err := r.store.ShotsOf(ctx, sources[i].ID)
	if err == nil && len(shots) == 0 {
		err = store.ErrNone
	}
	if err != nil {
		return store.Shot{}, err
	}
	return shots[0], nil
}

// begin gives a demo shot its item and its cover, as far as they are not there.
func (r *Runner) begin(ctx context.Context, shot store.Shot, s demo.Shot, dir string) error {
	items, err := r.store.ItemsOf(ctx, shot.ID)
	if err != nil {
		return err
	}
	if len(items) == 0 {
		item, err := r.store.AddItem(ctx, shot.ID, s.Clearance())
		if err != nil {
			return err
		}
		items = append(items, item)
	}
	truth, err := demo.ReadTruth(filepath.Join(dir, s.Name))
	if err != nil {
		return err
	}
	c, ok := s.Cover(truth)
	if !ok {
		return nil
	}
	c.Item = items[0].ID
	_, err = r.store.Edit(ctx, shot.ID, store.On{Author: "Demo", Key: "demo"},
		func(d *cover.Document) (*cover.Document, string, error) {
			return d.Apply(cover.AddCover{New: c})
		})
	var conflict *store.Conflict
	if errors.As(err, &conflict) { // somebody works there already
		return nil
	}
	return err
}
