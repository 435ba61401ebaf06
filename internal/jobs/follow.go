package jobs

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"github.com/riverqueue/river"

	"celator/core/cover"
	"celator/core/frame"
	"celator/core/geom"
	"celator/core/track"
	"celator/internal/budget"
	"celator/internal/draft"
	"celator/internal/fault"
	"celator/internal/follow"
	"celator/internal/media"
	"celator/internal/store"
)

const (
	// shown is how often poses are passed on while following.
	shown = 120 * time.Millisecond
	// rested is how many times as long as it took to pass them on is waited at least: those of cloth through a long shot
	// are megabytes.
	rested = 4
)

func (r *Runner) follow(ctx context.Context, job *river.Job[store.FollowArgs]) error {
	id := job.Args.Attempt
	return attend(r, ctx, job, task{store.AnAttempt, id, 0, budget.Now, func(ctx context.Context, beat func(int)) error {
		a, err := r.store.Attempt(ctx, id)
		if err != nil || a.Ended() {
			return err
		}
		return r.attempt(ctx, a, beat)
	}, func(ctx context.Context, why string) error {
		return r.store.EndAttempt(ctx, id, store.Failed, why, 0, nil, nil)
	}})
}

// passes reports whether an error of a run says nothing of what it was asked for.
func passes(err error) bool {
	return fault.IsMachine(err) || store.Unavailable(err) || store.Full(err)
}

// attempt runs a tracker and lets the shot's document take what it found.
//
// Long: a run from its beginning to what the document takes; the ways out belong together.
func (r *Runner) attempt(ctx context.Context, a store.Attempt, beat func(int)) error {
	spec := a.Spec.V
	if !spec.Compare && !spec.Later {
		r.awaited.Add(1)
		defer r.awaited.Add(-1)
	}
	if spec.Foreground != nil {
		return r.foreground(ctx, a, beat)
	}
	sh, src, err := r.store.WithSource(ctx, a.Shot)
	if err != nil {
		return err
	}
	clip, id, err := r.lib.Shot(sh, src)
	if err != nil {
		return err
	}
	t := spec.Track
	if spec.Base != "" {
		b, err := r.store.Attempt(ctx, spec.Base)
		if err != nil {
			return fmt.Errorf("the track to go on from: %w", err)
		}
		t.Poses = t.Trimmed(b.Poses.V)
	}
	v := clip.Pictures()
	from, to := v.Span(spec.From, spec.To)
	t = v.Track(t)
	found := newPoses(&t, sh.Frames*v.Each, t.Poses)
	found.poses.Fields = v.Each > 1
	work, cancel := context.WithCancel(ctx)
	defer cancel()
	wanted := true
	told := map[int]bool{}
	var next time.Time // poses are passed on
	at := frontier{to: to}
	j := following(v.Clip, &t, from, to, t.Poses)
	head, err := r.store.Head(ctx, a.Shot)
	if err != nil {
		return err
	}
	j.Hidden = follow.Holdouts(v.Document(head.Document))
	j.AtHand = func(int) *frame.Picture { return nil }
	if r.Bench != nil {
		j.AtHand = func(f int) *frame.Picture { return v.Of(r.Bench.Kept(id, clip, f/v.Each), f) }
	}
	j.Found = func(f int, p []track.Pose) {
		found.set(f, p)
		told[f] = true
		at.told(f)
		beat(len(told) / v.Each)
		// The anchor's own pose is no news; the first that was found is.
		if begun := time.Now(); len(told) > 1 && begun.After(next) {
			if w, err := r.store.AttemptProgress(work, a.ID, len(told)/v.Each, at.frame/v.Each,
				found.poses); err == nil && !w {
				wanted = false
				cancel()
			}
			next = time.Now().Add(max(shown, rested*time.Since(begun)))
		}
	}
	bends := 0.
	j.Bends = func(px float64) { bends = max(bends, px) }
	begun := time.Now()
	if w, err := r.store.AttemptProgress(ctx, a.ID, 0, spec.Track.Frame.Frame(), found.poses); err != nil {
		return err
	} else if !w {
		return r.store.EndAttempt(ctx, a.ID, store.Stopped, "", a.Done, a.Poses.V, nil)
	}
	err = follow.Run(work, j)
	state, note := store.Done, ""
	var cut *follow.CutError
	switch {
	case !wanted:
		state = store.Stopped
	case errors.As(err, &cut):
		note = sentence(err)
	case err != nil && (ctx.Err() != nil || passes(err)):
		return err // taken up again by another run
	case err != nil:
		state, note = store.Failed, sentence(err)
	}
	apart := -1.
	if spec.Compare && state == store.Done {
		apart = r.closes(ctx, v.Clip, from, to, found)
	}
	figures := track.Measure(found.list(from, to), spec.Track.Box(), apart)
	if bends >= track.BendsFrom {
		figures.Bends = bends
	}
	figures.Rank *= float64(len(told)/v.Each) / float64(a.Frames) // of those that stopped early, less
	// The document has the poses before the run is called ended, so that nobody sees
	// the one without the other.
	if spec.Take && (len(told) > 1 || len(told) == 1 && from == to) {
		if err := r.store.KeepPoses(ctx, a.ID, len(told)/v.Each, at.frame/v.Each, found.poses); err != nil {
			return err
		}
		if err := r.take(ctx, a); err != nil {
			return err
		}
	}
	if state == store.Done && spec.Then != "" {
		if err := draft.Front(ctx, r.store, a); err != nil {
			return err
		}
	}
	r.log.Info("followed", "track", spec.Track.Name, "frames", len(told)/v.Each, "state", state, "note", note, "seconds",
		time.Since(begun).Seconds())
	return r.store.EndAttempt(ctx, a.ID, state, note, len(told)/v.Each, found.poses, &figures)
}

// frontier is where a run has come to: of the ways that go on at once it keeps to one,
// forward unless the run begins at its end.
type frontier struct {
	to, frame, way int
}

func (t *frontier) told(f int) {
	switch {
	case t.way == 0:
		t.frame, t.way = f, 1
		if f == t.to {
			t.way = -1
		}
	case f == t.frame+t.way:
		t.frame = f
	}
}

// take changes the document: the track points at the attempt, and the cover that
// asked for it rides there.
func (r *Runner) take(ctx context.Context, a store.Attempt) error {
	t := a.Spec.V.Track
	t.Attempt, t.Poses, t.Trim = a.ID, nil, nil // what was trimmed away is not in it
	full, err := r.store.Attempt(ctx, a.ID)
	if err != nil {
		return err
	}
	for range 50 {
		head, err := r.store.Head(ctx, a.Shot)
		if err != nil {
			return err
		}
		_, err = r.store.Edit(ctx, a.Shot, store.On{Base: head.Number, Author: a.Spec.V.Author, Key: "take-" + a.ID},
			func(d *cover.Document) (*cover.Document, string, error) {
				d, label, err := d.Apply(cover.SetTrack{Track: t})
				if err != nil {
					return nil, "", err
				}
				d.Attach(func(id string) *cover.Poses {
					if id == a.ID {
						return full.Poses.V
					}
					return posesOf(head.Document, id)
				})
				c := d.Find(a.Spec.V.Ride)
				if c == nil || c.Track == t.ID || c.Locked {
					return d, label, nil
				}
				d, _, err = d.Apply(cover.RideTrack{Cover: c.ID, ID: t.ID, Frame: cover.Time(a.Spec.V.At)})
				return d, label, err
			})
		var conflict *store.Conflict
		if !errors.As(err, &conflict) {
			return err
		}
	}
	return errors.New("the shot is changed too often to enter the track")
}

func posesOf(d *cover.Document, attempt string) *cover.Poses {
	for _, t := range d.Tracks {
		if t.Attempt == attempt {
			return t.Poses
		}
	}
	return nil
}

// following makes the job of following a document's track.
func following(clip media.Clip, t *cover.Track, from, to int, base *cover.Poses) follow.Job {
	j := follow.Job{
		Clip: clip, Model: track.Model(t.Model), Channel: follow.Channel(t.Channel), From: from, To: to,
		Anchors: []follow.Anchor{{Frame: t.Frame.Frame(), Map: geom.Identity}},
	}
	if t.Kind == cover.Points {
		j.Points = t.Surface
	} else {
		j.Outline = t.Surface
	}
	for _, a := range t.Anchors {
		if t.Kind == cover.Points {
			j.Anchors = append(j.Anchors, follow.Anchor{Frame: a.Frame.Frame(), Places: a.Points})
		} else if m, err := geom.QuadToQuad(t.Box(), a.Corners); err == nil {
			j.Anchors = append(j.Anchors, follow.Anchor{Frame: a.Frame.Frame(), Map: m})
		}
	}
	slices.SortFunc(j.Anchors, func(a, b follow.Anchor) int { return a.Frame - b.Frame })
	if base != nil && t.Kind == cover.Surface {
		held := *t
		held.Poses = base
		j.Known = func(f int) (geom.Warp, bool) {
			s := base.State(cover.Time(f))
			return held.Warp(cover.Time(f)), s == 'a' || s == 'g' || s == 'w'
		}
	}
	return j
}

// poses gathers what is found, in the document's form.
type poses struct {
	track *cover.Track
	poses *cover.Poses
	all   []track.Pose // of the surface, by frame
}

func newPoses(t *cover.Track, frames int, base *cover.Poses) *poses {
	p := &poses{
		track: t, all: make([]track.Pose, frames),
		poses: &cover.Poses{
			Corners: make([][8]float64, frames), Confidence: make([]float64, frames),
			States: strings.Repeat("-", frames),
		},
	}
	if t.Kind == cover.Points {
		p.poses.Places = make([][]float64, frames)
	}
	if t.Model == string(track.Cloth) {
		p.poses.Bends = make([][]float64, frames)
	}
	held := *t
	held.Poses = base
	for f := range frames {
		p.poses.Corners[f] = flat(t.Box())
		if t.Kind == cover.Points {
			p.poses.Places[f] = []float64{}
		}
		if s := base.State(cover.Time(f)); s != '-' {
			i := base.Index(cover.Time(f))
			p.poses.Corners[f], p.poses.Confidence[f] = base.Corners[i], base.Confidence[i]
			p.state(f, s)
			if base.Places != nil && p.poses.Places != nil {
				p.poses.Places[f] = base.Places[i]
			}
			w := held.Warp(cover.Time(f))
			if p.poses.Bends != nil {
				p.poses.Bends[f] = cover.FlatBend(w.Bend)
			}
			p.all[f] = track.Pose{Map: w.Map, Bend: w.Bend, Confidence: base.Confidence[i], State: states[s]}
		}
	}
	return p
}

func (p *poses) state(f int, s byte) {
	b := []byte(p.poses.States)
	b[f] = s
	p.poses.States = string(b)
}

var states = map[byte]track.State{
	'a': track.Anchor, 'g': track.Good, 'w': track.Weak, 'l': track.Lost,
	'o': track.Outside,
}

func letter(s track.State) byte { return s[0] }

func flat(q [4]geom.Point) (out [8]float64) {
	for i, c := range q {
		// A ten-thousandth of a pixel is finer than anything that is measured.
		out[2*i], out[2*i+1] = math.Round(c.X*1e4)/1e4, math.Round(c.Y*1e4)/1e4
	}
	return out
}

// set enters a frame. Several points together make one pose.
func (p *poses) set(f int, found []track.Pose) {
	pose := found[0]
	if p.track.Kind == cover.Points {
		var places []float64
		for i, q := range p.track.Surface {
			at := found[i].Map.Apply(q)
			places = append(places, math.Round(at.X*1e4)/1e4, math.Round(at.Y*1e4)/1e4)
		}
		p.poses.Places[f] = places
		pose = track.Together(p.track.Surface, found, track.Model(p.track.Model))
	}
	var q [4]geom.Point
	for i, c := range p.track.Box() {
		q[i] = pose.Map.Apply(c)
	}
	if p.poses.Bends != nil {
		p.poses.Bends[f] = cover.FlatBend(pose.Bend)
	}
	p.all[f] = pose
	p.poses.Corners[f], p.poses.Confidence[f] = flat(q), math.Round(pose.Confidence*1e4)/1e4
	p.state(f, letter(pose.State))
}

func (p *poses) list(from, to int) []track.Pose {
	var out []track.Pose
	for f := from; f <= to && f < len(p.all); f++ {
		if p.poses.States[f] != '-' {
			out = append(out, p.all[f])
		}
	}
	return out
}

// closes follows the surface back from the farthest good frames, or where there is none the farthest in which it was
// found, to the first anchor and returns how far apart the two ways are, in px, or -1 where there is no way back.
func (r *Runner) closes(ctx context.Context, clip media.Clip, from, to int, p *poses) float64 {
	if p.track.Kind == cover.Points || p.poses.Bends != nil { // cloth is compared with one frame alone
		return -1
	}
	var sum float64
	n := 0
	first := p.track.Frame.Frame()
	for _, way := range [2]int{-1, 1} {
		far, seen := first, first
		for f := first; f >= from && f <= to && strings.IndexByte("agw", p.poses.States[f]) >= 0; f += way {
			if seen = f; p.poses.States[f] == 'g' {
				far = f
			}
		}
		if far == first {
			far = seen
		}
		if far == first {
			continue
		}
		j := follow.Job{
			Clip: clip, Outline: p.track.Surface, Model: track.Model(p.track.Model), Channel: follow.Channel(p.track.Channel),
			Anchors: []follow.Anchor{{Frame: far, Map: p.all[far].Map}}, From: min(far, first), To: max(far, first),
		}
		j.Found = func(f int, q []track.Pose) {
			if s := p.poses.States[f]; s == 'g' || s == 'w' || s == 'a' {
				d := track.Spread(q[0].Map, p.all[f].Map, p.track.Box())
				sum += min(d*d, 1e4)
				n++
			}
		}
		if follow.Run(ctx, j) != nil {
			return -1
		}
	}
	if n == 0 {
		return -1
	}
	return math.Sqrt(sum / float64(n))
}

// sentence makes an error's text a sentence.
func sentence(err error) string {
	t := err.Error()
	return strings.ToUpper(t[:1]) + t[1:] + "."
}
