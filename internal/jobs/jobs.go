// Package jobs works the queue: bringing sources in, rendering segments of
// deliveries, joining and verifying them.
package jobs

import (
	"context"
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
	"golang.org/x/sync/singleflight"

	"celator/core/frame"
	"celator/internal/budget"
	"celator/internal/media"
	"celator/internal/reader"
	"celator/internal/reference"
	"celator/internal/storage"
	"celator/internal/store"
)

// readers are the processes that read for the queue at once, on machines that can do two things at once.
const readers = 2

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
	drawing  singleflight.Group // of the demo's footage

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
	Reader     *reader.Machine       // nil makes its own
	Metrics    prometheus.Registerer // may be nil
}

// Bench is where people work, when they do so on this machine.
type Bench interface {
	Kept(source string, clip media.Clip, f int) *frame.Picture // a decoded frame in memory or on the disk, or nil
	Quiet() time.Duration                                      // since somebody last asked for a frame
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
	if r.Reader == nil {
		r.Reader = reader.New(reader.Dir(), readers)
	}
	r.done = prometheus.NewCounterVec(prometheus.CounterOpts{
		Name: "celator_jobs_total", Help: "Jobs by kind and what became of them.",
	}, []string{"kind", "outcome"})
	workers := river.NewWorkers()
	river.AddWorker(workers, river.WorkFunc(r.ingest))
	river.AddWorker(workers, river.WorkFunc(r.piece))
	river.AddWorker(workers, river.WorkFunc(r.segment))
	river.AddWorker(workers, river.WorkFunc(r.finish))
	river.AddWorker(workers, river.WorkFunc(r.follow))
	river.AddWorker(workers, river.WorkFunc(r.check))
	river.AddWorker(workers, river.WorkFunc(r.search))
	river.AddWorker(workers, river.WorkFunc(r.draw))
	river.AddWorker(workers, river.WorkFunc(r.hand))
	river.AddWorker(workers, river.WorkFunc(r.find))
	river.AddWorker(workers, river.WorkFunc(r.seek))
	river.AddWorker(workers, river.WorkFunc(r.draft))
	var err error
	r.client, err = river.NewClient(riverpgxv5.New(c.Store.QueuePool()), &river.Config{
		ID: r.id, Workers: workers, Logger: slog.New(slog.DiscardHandler), JobTimeout: -1, RetryPolicy: soon{},
		Queues: map[string]river.QueueConfig{
			store.IngestQueue: {MaxWorkers: 1}, store.RenderQueue: {MaxWorkers: 1}, store.FollowQueue: {MaxWorkers: 2},
			store.CompareQueue: {MaxWorkers: 1}, store.CheckQueue: {MaxWorkers: 1},
			store.AskedQueue: {MaxWorkers: 1}, store.DrawQueue: {MaxWorkers: 2}, store.HandQueue: {MaxWorkers: 2},
			store.FindQueue: {MaxWorkers: 1}, store.DraftQueue: {MaxWorkers: 1},
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
	r.Reader.Close()
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
