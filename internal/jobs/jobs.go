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
	"github.com/prometheus/client_golang/prometheus"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"

	"celator/core/cover"
	"celator/core/frame"
	"celator/core/treat"
	"celator/internal/budget"
	"celator/internal/deliver"
	"celator/internal/fault"
	"celator/internal/media"
	"celator/internal/reference"
	"celator/internal/storage"
	"celator/internal/store"
)

// Runner works the queue until it is stopped.
type Runner struct {
	Config
	store  *store.Store // Config.Store, by the queue's connections
	lib    storage.Library
	log    *slog.Logger
	id     string
	client *river.Client[pgx.Tx]
	stop   context.CancelFunc
	beats  sync.WaitGroup
	done   *prometheus.CounterVec
	refs   *reference.Maker

	mu   sync.Mutex
	held map[int64]time.Time // jobs by id, and since when they are over

	checking sync.Map // shots by id, while they are checked
	clean    cleaned

	awaited atomic.Int32 // jobs that somebody waits for: runs of trackers, deliveries
}

// Config is what a runner works with.
type Config struct {
	Store      *store.Store
	Library    storage.Library
	Log        *slog.Logger
	Bench      Bench                 // may be nil
	Budget     *budget.Budget        // may be nil
	References *reference.Maker      // nil makes its own
	Metrics    prometheus.Registerer // may be nil
}

// Bench is where people work, when they do so on this machine.
type Bench interface {
	AtHand(source string, f int) *frame.Picture // a decoded frame in memory, or nil
	Quiet() time.Duration                       // since somebody last asked for a frame
	// Keep is told of frames that a job decoded: the bench will ask for them sooner or later.
	Keep(source string, clip media.Clip, f int, pic *frame.Picture)
}

const (
	beat = time.Second
	lost = 5 * time.Second // a worker silent for so long has lost its jobs
	// stranded is how old a thing without a job is before it gets one, and how often that
	// is looked for.
	stranded = 10 * time.Second
	// tick is how often progress is written.
	tick = 250 * time.Millisecond
)

// Start begins to work. The bench, when given, goes first.
func Start(ctx context.Context, c Config) (*Runner, error) {
	host, _ := os.Hostname()
	r := &Runner{
		Config: c, store: c.Store.ForQueue(), lib: c.Library, log: c.Log, refs: c.References, held: map[int64]time.Time{},
		id: fmt.Sprintf("%s-%d-%s", host, os.Getpid(), store.NewID()[:13]),
	}
	if r.refs == nil {
		r.refs = &reference.Maker{}
	}
	r.done = prometheus.NewCounterVec(prometheus.CounterOpts{
		Name: "celator_jobs_total", Help: "Jobs by kind and what became of them.",
	}, []string{"kind", "outcome"})
	workers := river.NewWorkers()
	river.AddWorker(workers, river.WorkFunc(r.ingest))
	river.AddWorker(workers, river.WorkFunc(r.segment))
	river.AddWorker(workers, river.WorkFunc(r.finish))
	river.AddWorker(workers, river.WorkFunc(r.follow))
	river.AddWorker(workers, river.WorkFunc(r.check))
	river.AddWorker(workers, river.WorkFunc(r.search))
	var err error
	r.client, err = river.NewClient(riverpgxv5.New(c.Store.QueuePool()), &river.Config{
		ID: r.id, Workers: workers, Logger: slog.New(slog.DiscardHandler), JobTimeout: -1, RetryPolicy: soon{},
		Queues: map[string]river.QueueConfig{
			store.IngestQueue: {MaxWorkers: 1}, store.RenderQueue: {MaxWorkers: 1}, store.FollowQueue: {MaxWorkers: 2},
			store.CompareQueue: {MaxWorkers: 1}, store.CheckQueue: {MaxWorkers: 1},
			store.AskedQueue: {MaxWorkers: 1},
		},
		FetchCooldown:     50 * time.Millisecond,
		FetchPollInterval: 500 * time.Millisecond,
	})
	if err != nil {
		return nil, err
	}
	ctx, r.stop = context.WithCancel(context.WithoutCancel(ctx))
	if _, err = r.store.Alive(ctx, r.id, nil, lost); err == nil {
		err = r.client.Start(ctx)
	}
	if err != nil {
		r.stop()
		return nil, err
	}
	if c.Metrics != nil {
		c.Metrics.MustRegister(r.done)
	}
	r.beats.Go(func() { r.alive(ctx) })
	return r, nil
}

// alive says once a beat that this worker is there, and gives back to the queue what
// nobody is at any more.
func (r *Runner) alive(ctx context.Context) {
	reached := true
	var looked, swept time.Time
	for {
		select {
		case <-ctx.Done():
			return
		case <-time.After(beat):
		}
		n, err := r.store.Alive(ctx, r.id, r.holding(), lost)
		if err == nil && time.Since(looked) > stranded {
			looked = time.Now()
			var m int
			if m, err = r.store.Strand(ctx, stranded); m > 0 {
				r.log.Warn("put back what had no job", "things", m)
			}
		}
		if err == nil && looked.After(swept) {
			swept = looked
			r.sweepHalves(ctx)
		}
		switch {
		case ctx.Err() != nil:
			return
		case err != nil && reached:
			r.log.Warn("the queue cannot be reached", "error", err)
		case err == nil && !reached:
			r.log.Info("the queue is reached again")
		case n > 0:
			r.log.Info("took back jobs that nobody was at", "jobs", n)
		}
		reached = err == nil
	}
}

// sweepHalves removes the segments that workers who are gone were writing.
func (r *Runner) sweepHalves(ctx context.Context) {
	halves, _ := filepath.Glob(r.lib.Segment("*.part"))
	if len(halves) == 0 {
		return
	}
	workers, err := r.store.Workers(ctx)
	if err != nil {
		return
	}
	for _, path := range halves {
		// KEY.WORKER.part
		_, worker, ok := strings.Cut(strings.TrimSuffix(filepath.Base(path), ".part"), ".")
		if ok && !workers[worker] && worker != r.id {
			if os.Remove(path) == nil {
				r.log.Info("took away what a worker that is gone was writing", "file", filepath.Base(path))
			}
		}
	}
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
	id := job.Args.Source
	return attend(r, ctx, job, task{
		store.ASource, id, ingestMemory, budget.Soon,
		func(ctx context.Context, beat func(int)) error {
			src, err := r.store.Source(ctx, id)
			if err != nil || src.State == store.Ready {
				return err
			}
			return r.bringIn(ctx, src, beat)
		}, func(ctx context.Context, why string) error {
			if err := r.lib.Clear(id); err != nil {
				r.log.Warn("what was made of a source cannot be taken away", "source", id, "error", err)
			}
			return r.store.FailSource(ctx, id, why)
		},
	})
}

// bringIn makes what the bench needs of a source. Its file is only read.
func (r *Runner) bringIn(ctx context.Context, src store.Source, beat func(int)) error {
	path, err := r.lib.SourcePath(src)
	if err != nil {
		return err
	}
	clip := media.Clip{Path: path, Info: src.Info.V}
	if err := r.lib.Room(media.ViewsSize(clip.Info)); err != nil {
		return err
	}
	if err := os.MkdirAll(r.lib.Dir(src.ID), 0o700); err != nil {
		return err
	}
	var reading *media.Info
	if clip.Info.Conformed() {
		if err := r.lib.Room(media.ConformedSize(clip.Info) + media.ViewsSize(clip.Info)); err != nil {
			return err
		}
		if err := r.store.SetSource(ctx, src.ID, store.Conforming, 0); err != nil {
			return err
		}
		if clip, err = media.Conform(ctx, clip, r.lib.Conformed(src.ID), beat); err != nil {
			return err
		}
		reading = &clip.Info
	}
	begun := time.Now()
	tell := every(func(done int) {
		if err := r.store.SetSource(ctx, src.ID, store.Viewing, done); err != nil {
			r.log.Debug("progress cannot be written", "error", err)
		}
	})
	sums, err := media.MakeViews(ctx, clip, r.lib.Dir(src.ID), func(done int) { beat(done); tell(done) })
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

// Plan cuts the delivery of some frames, or of their matte, into segments at fixed
// boundaries and names each by everything that determines its result.
func Plan(sh store.Shot, src store.Source, doc *cover.Document, preset media.Preset, frames cover.Span, matte bool,
) ([]store.Segment, error) {
	var out []store.Segment
	var refs reference.Maker
	info := src.Reading()
	for first := frames.First; first <= frames.Last; first += SegmentFrames - first%SegmentFrames {
		last := first - first%SegmentFrames + SegmentFrames - 1
		g := store.Segment{Number: len(out), First: first, Last: min(last, frames.Last)}
		h := sha256.New()
		enc := json.NewEncoder(h)
		live := make([][]cover.Live, 0, SegmentFrames)
		for f := g.First; f <= g.Last; f++ {
			treat.Moments(info.Format(), f, func(t cover.Time, _ frame.Field) { live = append(live, doc.At(t)) })
		}
		beyond := []any{refs.Keys(src.Digest, doc, cover.Span{First: g.First, Last: g.Last})}
		if matte {
			beyond = []any{"matte"}
		} else if preset.Labels {
			for f := g.First; f <= g.Last; f++ {
				beyond = append(beyond, doc.LabelsAt(cover.Time(f)))
			}
		}
		for _, p := range doc.Graphics {
			beyond = append(beyond, p.ID, sha256.Sum256(p.PNG))
		}
		if err := enc.Encode([]any{
			deliver.Engine, src.Digest, sh.First + g.First, sh.First + g.Last,
			preset.EncoderArgs(info), live, beyond,
		}); err != nil {
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
	j.Document, j.First, j.Last, j.Total = rev.Document, d.First, d.First+d.Frames-1, src.Frames
	j.Matte = d.Matte
	j.Source, j.References = src.Digest+strings.TrimPrefix(frames, src.ID), r.refs
	return d, j, deliver.Fits(j.Document, j.Clip.Info, sh.Frames)
}

func (r *Runner) segment(ctx context.Context, job *river.Job[store.SegmentArgs]) error {
	return attend(r, ctx, job, r.delivering(job.Args.Delivery, renderMemory,
		func(ctx context.Context, d store.Delivery, j deliver.Job, beat func(int)) error {
			return r.render(ctx, d, j, job.Args.Number, beat)
		}))
}

// delivering is the task of doing something for a delivery that has not ended.
func (r *Runner) delivering(id string, memory int64,
	do func(context.Context, store.Delivery, deliver.Job, func(int)) error,
) task {
	return task{store.ADelivery, id, memory, budget.Soon, func(ctx context.Context, beat func(int)) error {
		d, j, err := r.job(ctx, id)
		if err != nil || d.Ended() {
			return err
		}
		r.awaited.Add(1)
		defer r.awaited.Add(-1)
		return do(ctx, d, j, beat)
	}, func(ctx context.Context, why string) error { return r.store.EndDelivery(ctx, id, why, nil, 0, "") }}
}

func (r *Runner) render(ctx context.Context, d store.Delivery, j deliver.Job, number int, beat func(int)) error {
	segments, err := r.store.Segments(ctx, d.ID)
	if err != nil {
		return err
	}
	if number < 0 || number >= len(segments) {
		return fmt.Errorf("%w: the delivery has no segment %d", errGivenUp, number)
	}
	g := segments[number]
	if wanted, err := r.store.SegmentProgress(ctx, g, 0); err != nil || !wanted {
		return err
	}
	final := r.lib.Segment(g.Key)
	if _, err := os.Stat(final); err == nil {
		now := time.Now()
		os.Chtimes(final, now, now) // it is in use, so the sweeper leaves it
		return r.store.FinishSegment(ctx, g, true)
	}
	if err := r.lib.Room(j.Preset.Size(j.Clip.Info, g.Last-g.First+1)); err != nil {
		return err
	}
	wanted := true
	work, cancel := context.WithCancel(ctx)
	defer cancel()
	j.First, j.Last, j.Segment, j.Out = g.First, g.Last, true, final+"."+r.id+".part"
	tell := every(func(done int) {
		if w, err := r.store.SegmentProgress(ctx, g, done); err == nil && !w {
			wanted = false
			cancel()
		}
	})
	j.Progress = func(done int) { beat(done); tell(done) }
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
	return attend(r, ctx, job, r.delivering(job.Args.Delivery, finishMemory, r.join))
}

// errProof marks a written file that is not what it must be.
var errProof = errors.New("the written file did not pass")

func (r *Runner) join(ctx context.Context, d store.Delivery, j deliver.Job, beat func(int)) error {
	if moved, err := r.store.SetDelivery(ctx, d.ID, store.Joining, 0); err != nil || !moved {
		return err
	}
	segments, err := r.store.Segments(ctx, d.ID)
	if err != nil {
		return err
	}
	var files []string
	var lengths []int
	var size int64
	for _, g := range segments {
		file := r.lib.Segment(g.Key)
		st, err := os.Stat(file)
		if errors.Is(err, os.ErrNotExist) { // somebody took it away: it is rendered again
			return r.store.ReopenSegment(ctx, g)
		} else if err != nil {
			return err
		}
		size += st.Size()
		files, lengths = append(files, file), append(lengths, g.Last-g.First+1)
	}
	if err := r.lib.Room(size + size/10); err != nil {
		return err
	}
	final := r.lib.DeliveryFile(d.ID, d.Name)
	if err := os.MkdirAll(filepath.Dir(final), 0o700); err != nil {
		return err
	}
	j.Out = final + ".part"
	defer os.Remove(j.Out)
	sounds, err := deliver.Sounds(ctx, j)
	if err != nil {
		return err
	}
	defer deliver.RemoveSounds(sounds)
	out := media.Output{
		Path: j.Out, Treated: sounds, Preset: j.Preset, Source: j.Clip, Sound: j.Sound, First: j.Clip.From() + d.First, Gray: j.Matte,
		Frames: d.Frames, Total: j.Total,
	}
	if err := media.Join(ctx, out, files, lengths, beat); err != nil {
		return err
	}
	if moved, err := r.store.SetDelivery(ctx, d.ID, store.Verifying, 0); err != nil || !moved {
		return err
	}
	work, cancel := context.WithCancel(ctx)
	defer cancel()
	wanted := true
	tell := every(func(done int) {
		if moved, err := r.store.SetDelivery(ctx, d.ID, store.Verifying, done); err == nil && !moved {
			wanted = false
			cancel()
		}
	})
	proof, err := deliver.Verify(work, j, func(done int) { beat(done); tell(done) })
	switch {
	case !wanted:
		return nil
	case err != nil && ctx.Err() == nil && !fault.IsMachine(err):
		return fmt.Errorf("%w: %w", errProof, err)
	case err != nil:
		return err
	}
	sha, size, err := storage.Digest(j.Out)
	if err != nil {
		return err
	}
	if err := os.Rename(j.Out, final); err != nil {
		return err
	}
	r.log.Info("delivered", "delivery", d.Name, "frames", proof.Frames, "compared", proof.Compared)
	return r.store.EndDelivery(ctx, d.ID, "", &proof, size, sha)
}
