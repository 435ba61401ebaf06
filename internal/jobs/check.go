package jobs

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"image"
	"image/png"
	"math"
	"time"

	"github.com/riverqueue/river"

	"celator/core/check"
	"celator/core/cover"
	"celator/core/cut"
	"celator/core/frame"
	"celator/core/reading"
	"celator/internal/budget"
	"celator/internal/checkrun"
	"celator/internal/media"
	"celator/internal/reader"
	"celator/internal/store"
)

// checkVersion is raised when the check finds other things than before, so that all is
// checked anew.
const checkVersion = "2/"

// check looks at what changed in a shot since it was checked last.
func (r *Runner) check(ctx context.Context, job *river.Job[store.CheckArgs]) error {
	id := job.Args.Shot
	class := budget.Later
	if job.Args.Now {
		class = budget.Soon
	}
	return attend(r, ctx, job, task{
		store.ACheckRun, id, checkMemory, class,
		func(ctx context.Context, beat func(int)) error {
			if _, other := r.checking.LoadOrStore(id, true); other {
				return river.JobSnooze(time.Second / 2) // what it leaves is little
			}
			defer r.checking.Delete(id)
			sh, src, err := r.store.WithSource(ctx, id)
			if err != nil || src.State == store.Failed {
				return err
			}
			if src.State != store.Ready {
				return river.JobSnooze(3 * time.Second)
			}
			head, err := r.store.Head(ctx, id)
			if err != nil {
				return err
			}
			// The queue is asked a few times a second, so a little less than the pause will do.
			if rest := r.store.CheckAfter() - time.Since(head.At); !job.Args.Now && rest > time.Second/2 {
				return river.JobSnooze(rest)
			}
			awaited := func() bool {
				yes, err := r.store.CheckAwaited(ctx, id)
				return yes && err == nil
			}
			err = r.inspect(ctx, sh, src, head, r.giveWay(ctx, brisk, awaited), beat)
			if err != nil || !r.store.FindsImported() {
				return err
			}
			return r.lookElsewhere(ctx, sh, src)
		}, func(ctx context.Context, why string) error { return r.store.FailCheckRun(ctx, id, why) },
	})
}

func (r *Runner) inspect(ctx context.Context, sh store.Shot, src store.Source, head store.Revision, pace func(),
	beat func(int),
) error {
	clip, id, err := r.lib.Shot(sh, src)
	if err != nil {
		return err
	}
	was, err := r.store.CheckRun(ctx, sh.ID)
	if err != nil {
		return err
	}
	if was.State == "stopped" {
		return nil
	}
	all, err := r.store.Styles(ctx, sh.Programme)
	if err != nil {
		return err
	}
	styles := map[string]cover.Style{}
	for _, st := range all {
		styles[st.ID] = st.Style.V
	}
	d := head.Document
	cuts := cutsIn(src, sh)
	res := toCheck(sh, head, was)
	begun := time.Now()
	if err := r.store.BeginCheckRun(ctx, sh.ID); err != nil {
		return err
	}
	work, cancel := context.WithCancel(ctx)
	defer cancel()
	wanted := true
	tell := paced(func(done, of int) {
		if w, err := r.store.SetCheckRun(ctx, sh.ID, done, of); err == nil && !w {
			wanted = false
			cancel()
		}
	})
	reads, err := r.Reader.Reader()
	if err != nil && !errors.Is(err, reader.ErrAbsent) {
		return err
	}
	found, err := checkrun.Run(work, checkrun.Job{
		Source: src.Digest + id, Clip: clip, References: r.refs, Document: d, Styles: styles, Cuts: cuts,
		Wanted:   func(c string) bool { return res.Checked[c] },
		Progress: func(done, of int) { beat(done); tell(done, of) },
		Decoded:  r.keeping(id, clip),
		Heard:    r.heard(src, clip),
		Reader:   reads,
		Pace:     pace,
	})
	if !wanted {
		return nil
	}
	if err != nil {
		return err
	}
	// What the document tells costs nothing, and styles change without it.
	for _, f := range check.Document(d, cuts, styles) {
		if f.Cover != "" && !res.Checked[f.Cover] {
			found = append(found, f)
		}
	}
	for _, f := range found {
		row, err := r.findingRow(ctx, f, reads)
		if err != nil {
			return err
		}
		row.Shot, row.Revision = sh.ID, head.Number
		res.Found = append(res.Found, row)
	}
	if f, ok, err := r.stale(ctx, sh, head); err != nil {
		return err
	} else if ok {
		res.Found = append(res.Found, f)
	}
	r.log.Info("checked", "shot", sh.Name, "findings", len(res.Found), "seconds", time.Since(begun).Seconds())
	return r.store.Found(ctx, res)
}

// keeping gives the bench the frames of a clip that a job decodes.
func (r *Runner) keeping(id string, clip media.Clip) func(int, *frame.Picture) {
	if r.Bench == nil {
		return nil
	}
	return func(f int, pic *frame.Picture) { r.Bench.Keep(id, clip, f, pic) }
}

// heard reads the sound that was kept when the source was brought in.
func (r *Runner) heard(src store.Source, clip media.Clip) checkrun.Heard {
	return func(_ context.Context, track int, from, to float64) ([]float64, error) {
		s := clip.Info.Sound[track]
		place := func(t float64) int { return int(math.Round(t * float64(s.Rate))) }
		return media.Heard(r.lib.Dir(src.ID), track, s, place(from), place(to))
	}
}

// cutsIn are the first frames of a shot after cuts; a dissolve is for people to judge.
func cutsIn(src store.Source, sh store.Shot) []int {
	cuts := []int{}
	for _, b := range src.Boundaries.V {
		if b.Frame > sh.First && b.Frame <= sh.Last() && !b.Dissolve {
			cuts = append(cuts, b.Frame-sh.First)
		}
	}
	return cuts
}

// toCheck says which covers of a revision changed since a check.
func toCheck(sh store.Shot, head store.Revision, was store.CheckRun) store.Result {
	d := head.Document
	res := store.Result{
		Shot: sh.ID, Revision: head.Number, Covers: map[string]string{}, Items: map[string]string{},
		ItemOf: map[string]string{}, Checked: map[string]bool{},
	}
	for i := range d.Covers {
		c := &d.Covers[i]
		res.ItemOf[c.ID] = c.Item
		res.Covers[c.ID] = checkVersion + d.Fingerprint(c.ID)
		res.Checked[c.ID] = was.Covers.V[c.ID] != res.Covers[c.ID]
		if c.Item != "" {
			res.Items[c.Item] = d.ItemFingerprint(c.Item)
		}
	}
	for _, p := range d.Passages {
		res.ItemOf[p.ID], res.Covers[p.ID] = p.Item, checkVersion+d.PassageFingerprint(p.ID)
		res.Checked[p.ID] = was.Covers.V[p.ID] != res.Covers[p.ID]
		if p.Item != "" {
			res.Items[p.Item] = d.ItemFingerprint(p.Item)
		}
	}
	return res
}

// findingRow makes a row of a finding, with what a machine reads in what was made out.
func (r *Runner) findingRow(ctx context.Context, f check.Finding, by *reading.Reader) (store.Finding, error) {
	row := store.Finding{
		Cover: f.Cover, Kind: f.Kind, Severity: f.Severity, Figure: f.Figure, Says: f.Says,
		Frame: f.Frame,
	}
	row.Frames.V, row.Place.V = f.Frames, store.PlaceOf(f.Place)
	if p := f.Recovered; p != nil {
		var err error
		if row.Evidence, err = checkrun.Evidence(ctx, by, p); err != nil {
			return row, err
		}
		var b bytes.Buffer
		if err := png.Encode(&b, beside(p)); err != nil {
			return row, err
		}
		row.Recovered = b.Bytes()
	}
	return row, nil
}

// beside lays the original above what was made out.
func beside(p *check.Recovered) image.Image {
	const gap = 2
	g := image.NewGray(image.Rect(0, 0, p.W, 2*p.H+gap))
	for i := range p.Original {
		g.Pix[i] = byte(min(max(p.Original[i]+.5, 0), 255))
		g.Pix[i+(p.H+gap)*p.W] = byte(min(max(p.Broken[i]+.5, 0), 255))
	}
	return g
}

// stale says that the newest delivery does not show the covers as they are now.
func (r *Runner) stale(ctx context.Context, sh store.Shot, head store.Revision) (f store.Finding, yes bool, err error) {
	rev, name, err := r.store.LatestDelivery(ctx, sh.ID)
	if errors.Is(err, store.ErrNone) || err == nil && rev == head.Number {
		return f, false, nil
	}
	if err != nil {
		return f, false, err
	}
	then, err := r.store.At(ctx, sh.ID, rev)
	if err != nil {
		return f, false, err
	}
	if head.Document.HidesAs(then.Document) {
		return f, false, nil
	}
	a := check.Describe(check.StaleDelivery)
	f = store.Finding{
		Shot: sh.ID, Kind: a.Kind, Severity: a.Severity, Figure: float64(head.Number - rev), Revision: head.Number,
		Says: fmt.Sprintf("%s was delivered before the covers were changed. %s", name, a.Advice),
	}
	f.Frames.V = []cover.Span{{First: 0, Last: sh.Frames - 1}}
	return f, true, nil
}

// paced calls f at most once a tick.
func paced(f func(done, of int)) func(done, of int) {
	var last time.Time
	return func(done, of int) {
		if now := time.Now(); now.Sub(last) >= tick {
			last = now
			f(done, of)
		}
	}
}

// search finds where shots begin in a source.
func (r *Runner) search(ctx context.Context, job *river.Job[store.SearchArgs]) error {
	id := job.Args.Source
	return attend(r, ctx, job, task{
		store.ASource, id, searchMemory, budget.Soon,
		func(ctx context.Context, beat func(int)) error {
			src, err := r.store.Source(ctx, id)
			if err != nil || src.Searched {
				return err
			}
			return r.boundaries(ctx, src, beat)
		}, func(context.Context, string) error { return nil },
	}) // people find them too
}

func (r *Runner) boundaries(ctx context.Context, src store.Source, beat func(int)) error {
	clip, err := r.lib.Clip(src)
	if err != nil {
		return err
	}
	begun := time.Now()
	var all cut.Finder
	pace := r.giveWay(ctx, brisk, nobody)
	work, cancel := context.WithCancel(ctx)
	defer cancel()
	wanted := true
	tell := every(func(done int) {
		if w, err := r.store.SetSearch(ctx, src.ID, done); err == nil && !w {
			wanted = false
			cancel()
		}
	})
	err = clip.Thumbs(work, pace, func(f int, p *frame.Picture) {
		all.Add(f, cut.Of(p))
		beat(f)
		tell(f)
	})
	if !wanted {
		return nil
	}
	if err != nil {
		return err
	}
	found := all.Boundaries()
	r.log.Info("looked for cuts", "source", src.Name, "found", len(found), "seconds", time.Since(begun).Seconds())
	return r.store.SetBoundaries(ctx, src.ID, found)
}
