// Package jobs works the queue: bringing sources in, rendering segments of
// deliveries, joining and verifying them.
package jobs

import (
	"context"
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"

	"celator/core/cover"
	"celator/core/frame"
	"celator/internal/deliver"
	"celator/internal/library"
	"celator/internal/media"
	"celator/internal/scene"
	"celator/internal/store"
)

// Runner works the queue until it is stopped.
type Runner struct {
	store  *store.Store
	lib    library.Library
	log    *slog.Logger
	bench  Bench // may be nil
	id     string
	client *river.Client[pgx.Tx]
	stop   context.CancelFunc
	beats  sync.WaitGroup
	mu     sync.Mutex
	plate  plates
	scenes scene.Maker

	following atomic.Int32 // runs of trackers that somebody waits for
}

// Bench is where people work, when they do so on this machine.
type Bench interface {
	AtHand(source string, f int) *frame.Picture // a decoded frame in memory, or nil
	Quiet() time.Duration                       // since somebody last asked for a frame
}

const (
	beat = time.Second
	lost = 5 * time.Second // a worker silent for so long has lost its jobs
	// tick is how often progress is written.
	tick = 250 * time.Millisecond
)

// Start begins to work. The bench, when given, goes first.
func Start(ctx context.Context, s *store.Store, lib library.Library, log *slog.Logger, bench Bench) (*Runner, error) {
	host, _ := os.Hostname()
	r := &Runner{store: s, lib: lib, log: log, bench: bench, id: fmt.Sprintf("%s-%d-%s", host, os.Getpid(), store.NewID()[:13])}
	workers := river.NewWorkers()
	river.AddWorker(workers, river.WorkFunc(r.ingest))
	river.AddWorker(workers, river.WorkFunc(r.segment))
	river.AddWorker(workers, river.WorkFunc(r.finish))
	river.AddWorker(workers, river.WorkFunc(r.follow))
	river.AddWorker(workers, river.WorkFunc(r.check))
	river.AddWorker(workers, river.WorkFunc(r.search))
	var err error
	r.client, err = river.NewClient(riverpgxv5.New(s.Pool), &river.Config{
		ID: r.id, Workers: workers, Logger: slog.New(slog.DiscardHandler), JobTimeout: -1,
		Queues:            map[string]river.QueueConfig{store.IngestQueue: {MaxWorkers: 1}, store.RenderQueue: {MaxWorkers: 1}, store.FollowQueue: {MaxWorkers: 2}, store.CompareQueue: {MaxWorkers: 1}, store.CheckQueue: {MaxWorkers: 1}},
		FetchCooldown:     50 * time.Millisecond,
		FetchPollInterval: 500 * time.Millisecond,
	})
	if err != nil {
		return nil, err
	}
	ctx, r.stop = context.WithCancel(context.WithoutCancel(ctx))
	if _, err := s.Alive(ctx, r.id, lost); err != nil {
		return nil, err
	}
	r.beats.Go(func() {
		for {
			select {
			case <-ctx.Done():
				return
			case <-time.After(beat):
			}
			if n, err := s.Alive(ctx, r.id, lost); err != nil && ctx.Err() == nil {
				log.Warn("the queue cannot be reached", "error", err)
			} else if n > 0 {
				log.Info("took back jobs of a worker that is gone", "jobs", n)
			}
		}
	})
	return r, r.client.Start(ctx)
}

// Stop interrupts what is being worked on, which another run takes up again.
func (r *Runner) Stop() {
	ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
	defer cancel()
	if err := r.client.StopAndCancel(ctx); err != nil {
		r.log.Warn("stopping the queue", "error", err)
	}
	r.stop()
	r.beats.Wait()
	r.store.Gone(ctx, r.id)
}

// outcome tells the queue what became of a job: interrupted jobs are put back,
// others are tried again until fail says why for good.
func outcome[T river.JobArgs](ctx context.Context, job *river.Job[T], err error, permanent bool, fail func(why string)) error {
	switch {
	case err == nil:
		return nil
	case ctx.Err() != nil:
		return river.JobSnooze(0)
	case permanent || job.Attempt >= job.MaxAttempts:
		fail(err.Error())
		return river.JobCancel(err)
	}
	return err
}

// every calls f at most once a tick; the returned function is for hot loops.
func every(f func(done int)) func(done int) {
	var last time.Time
	return func(done int) {
		if now := time.Now(); now.Sub(last) >= tick {
			last = now
			f(done)
		}
	}
}

func (r *Runner) ingest(ctx context.Context, job *river.Job[store.IngestArgs]) error {
	src, err := r.store.Source(ctx, job.Args.Source)
	if errors.Is(err, store.ErrNone) {
		return nil // removed in the meantime
	}
	if err == nil {
		err = r.bringIn(ctx, src)
	}
	return outcome(ctx, job, err, errors.Is(err, media.ErrUnusable), func(why string) {
		r.log.Info("source refused", "source", src.Name, "why", why)
		r.lib.Remove(src.ID)
		r.store.FailSource(ctx, src.ID, why)
	})
}

func (r *Runner) bringIn(ctx context.Context, src store.Source) error {
	path, err := r.lib.SourcePath(src)
	if err != nil {
		return err
	}
	if err := os.MkdirAll(r.lib.Dir(src.ID), 0o755); err != nil {
		return err
	}
	clip := media.Clip{Path: path, Info: src.Info.V}
	var reading *media.Info
	if clip.Info.Conformed() {
		if err := r.store.SetSource(ctx, src.ID, store.Conforming, 0); err != nil {
			return err
		}
		if clip, err = media.Conform(ctx, clip, r.lib.Conformed(src.ID)); err != nil {
			return err
		}
		reading = &clip.Info
	}
	begun := time.Now()
	sums, err := media.MakeViews(ctx, clip, r.lib.Dir(src.ID), every(func(done int) {
		r.store.SetSource(ctx, src.ID, store.Viewing, done)
	}))
	if err != nil {
		return err
	}
	h := sha256.New()
	for _, s := range sums {
		binary.Write(h, binary.LittleEndian, s)
	}
	r.log.Info("source ready", "source", src.Name, "frames", len(sums), "seconds", time.Since(begun).Seconds())
	return r.store.FinishSource(ctx, src.ID, reading, len(sums), hex.EncodeToString(h.Sum(nil)))
}

// SegmentFrames is the length of a delivery's segments.
const SegmentFrames = 100

// Plan cuts a delivery into segments at fixed boundaries and names each by
// everything that determines its result.
func Plan(sh store.Shot, src store.Source, doc *cover.Document, preset media.Preset) ([]store.Segment, error) {
	var out []store.Segment
	var scenes scene.Maker
	for first := 0; first < sh.Frames; first += SegmentFrames {
		g := store.Segment{Number: len(out), First: first, Last: min(first+SegmentFrames, sh.Frames) - 1}
		h := sha256.New()
		enc := json.NewEncoder(h)
		live := make([][]cover.Live, 0, SegmentFrames)
		for f := g.First; f <= g.Last; f++ {
			live = append(live, doc.At(f))
		}
		beyond := []any{scenes.Keys(src.Digest, doc, cover.Span{First: g.First, Last: g.Last})}
		if preset.Labels {
			for f := g.First; f <= g.Last; f++ {
				beyond = append(beyond, doc.LabelsAt(f))
			}
		}
		for _, p := range doc.Graphics {
			beyond = append(beyond, p.ID, sha256.Sum256(p.PNG))
		}
		if err := enc.Encode([]any{deliver.Engine, src.Digest, sh.First + g.First, sh.First + g.Last, preset.EncoderArgs(src.Reading()), live, beyond}); err != nil {
			return nil, err
		}
		g.Key = hex.EncodeToString(h.Sum(nil))
		out = append(out, g)
	}
	return out, nil
}

// job gathers what rendering and verifying a delivery needs.
func (r *Runner) job(ctx context.Context, id string) (store.Delivery, deliver.Job, error) {
	var j deliver.Job
	d, err := r.store.Delivery(ctx, id)
	if err != nil {
		return d, j, err
	}
	sh, src, err := r.store.Reel(ctx, d.Shot)
	if err != nil {
		return d, j, err
	}
	rev, err := r.store.At(ctx, d.Shot, d.Revision)
	if err != nil {
		return d, j, err
	}
	var frames string
	if j.Clip, frames, err = r.lib.Shot(sh, src); err != nil {
		return d, j, err
	}
	if j.Sound, err = r.lib.SourcePath(src); err != nil {
		return d, j, err
	}
	if j.Preset, err = src.Info.V.For(d.Preset); err != nil {
		return d, j, err
	}
	j.Document, j.Last, j.Total = rev.Document, sh.Frames-1, src.Frames
	j.Source, j.Scenes = src.Digest+strings.TrimPrefix(frames, src.ID), &r.scenes
	return d, j, deliver.Fits(j.Document, j.Clip.Info, sh.Frames)
}

func (r *Runner) segment(ctx context.Context, job *river.Job[store.SegmentArgs]) error {
	d, j, err := r.job(ctx, job.Args.Delivery)
	if errors.Is(err, store.ErrNone) {
		return nil
	}
	if err == nil {
		err = r.render(ctx, d, j, job.Args.Number)
	}
	return outcome(ctx, job, err, false, func(why string) { r.fail(ctx, d, why) })
}

func (r *Runner) fail(ctx context.Context, d store.Delivery, why string) {
	r.log.Error("delivery failed", "delivery", d.Name, "why", why)
	r.store.EndDelivery(ctx, d.ID, why, nil, 0, "")
}

func (r *Runner) render(ctx context.Context, d store.Delivery, j deliver.Job, number int) error {
	segments, err := r.store.Segments(ctx, d.ID)
	if err != nil {
		return err
	}
	if number < 0 || number >= len(segments) {
		return fmt.Errorf("the delivery has no segment %d", number)
	}
	g := segments[number]
	if wanted, err := r.store.SegmentProgress(ctx, g, 0); err != nil || !wanted {
		return err
	}
	final := r.lib.Segment(g.Key)
	if _, err := os.Stat(final); err == nil {
		return r.store.FinishSegment(ctx, g, true)
	}
	wanted := true
	work, cancel := context.WithCancel(ctx)
	defer cancel()
	j.First, j.Last, j.Segment, j.Out = g.First, g.Last, true, final+"."+r.id+".part"
	j.Progress = every(func(done int) {
		if w, err := r.store.SegmentProgress(ctx, g, done); err == nil && !w {
			wanted = false
			cancel()
		}
	})
	defer os.Remove(j.Out)
	if err := deliver.Render(work, j); err != nil {
		if !wanted {
			return nil
		}
		return err
	}
	if err := os.Rename(j.Out, final); err != nil {
		return err
	}
	r.log.Info("segment rendered", "delivery", d.Name, "first", g.First, "last", g.Last)
	return r.store.FinishSegment(ctx, g, false)
}

func (r *Runner) finish(ctx context.Context, job *river.Job[store.FinishArgs]) error {
	d, j, err := r.job(ctx, job.Args.Delivery)
	if errors.Is(err, store.ErrNone) {
		return nil
	}
	if err == nil {
		err = r.join(ctx, d, j)
	}
	return outcome(ctx, job, err, errors.Is(err, errProof), func(why string) { r.fail(ctx, d, why) })
}

// errProof marks a written file that is not what it must be.
var errProof = errors.New("the written file did not pass")

func (r *Runner) join(ctx context.Context, d store.Delivery, j deliver.Job) error {
	if moved, err := r.store.SetDelivery(ctx, d.ID, store.Joining, 0); err != nil || !moved {
		return err
	}
	segments, err := r.store.Segments(ctx, d.ID)
	if err != nil {
		return err
	}
	var files []string
	var lengths []int
	for _, g := range segments {
		files, lengths = append(files, r.lib.Segment(g.Key)), append(lengths, g.Last-g.First+1)
	}
	final := r.lib.DeliveryFile(d.ID, d.Name)
	if err := os.MkdirAll(filepath.Dir(final), 0o755); err != nil {
		return err
	}
	j.Out = final + ".part"
	defer os.Remove(j.Out)
	out := media.Output{Path: j.Out, Preset: j.Preset, Source: j.Clip, Sound: j.Sound, First: j.Clip.From(), Frames: d.Frames, Total: j.Total}
	if err := media.Join(ctx, out, files, lengths); err != nil {
		return err
	}
	if moved, err := r.store.SetDelivery(ctx, d.ID, store.Verifying, 0); err != nil || !moved {
		return err
	}
	work, cancel := context.WithCancel(ctx)
	defer cancel()
	wanted := true
	proof, err := deliver.Verify(work, j, every(func(done int) {
		if moved, err := r.store.SetDelivery(ctx, d.ID, store.Verifying, done); err == nil && !moved {
			wanted = false
			cancel()
		}
	}))
	switch {
	case !wanted:
		return nil
	case err != nil && ctx.Err() == nil:
		return fmt.Errorf("%w: %w", errProof, err)
	case err != nil:
		return err
	}
	sha, size, err := library.Digest(j.Out)
	if err != nil {
		return err
	}
	if err := os.Rename(j.Out, final); err != nil {
		return err
	}
	r.log.Info("delivered", "delivery", d.Name, "frames", proof.Frames, "compared", proof.Compared)
	return r.store.EndDelivery(ctx, d.ID, "", &proof, size, sha)
}
