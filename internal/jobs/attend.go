package jobs

import (
	"context"
	"errors"
	"fmt"
	"runtime/debug"
	"time"

	"github.com/riverqueue/river"
	"github.com/riverqueue/river/rivertype"

	"celator/internal/budget"
	"celator/internal/fault"
	"celator/internal/media"
	"celator/internal/reader"
	"celator/internal/store"
)

// task is what a job does, and where its fate is written down.
type task struct {
	thing, id string // what waits for it, for store.Waits
	// What its processes take, in bytes, and how soon it is wanted.
	memory int64
	class  budget.Class
	// do does it. It calls beat with how far it has come.
	do func(ctx context.Context, beat func(done int)) error
	// end enters for good why it failed, in words.
	end func(ctx context.Context, why string) error
}

// What jobs take of the memory for jobs: about what their processes do with pictures of
// 1080p, and so that one import, one check and one segment go on beside each other. An
// encoder of such pictures takes up to 500 MB whatever is said here, which is why there is
// one at a time. Who waits for a tracker does not wait for memory.
const (
	ingestMemory = 80 << 20
	renderMemory = 112 << 20
	finishMemory = 64 << 20
	checkMemory  = 64 << 20
	searchMemory = 48 << 20
	drawMemory   = 64 << 20
	handMemory   = 8 << 20
	findMemory   = readers * reader.Memory
	seekMemory   = 96 << 20
	draftMemory  = 4 << 20
)

const (
	// stall is how long a job may come no further before it is ended and tried again: a
	// child that hangs, storage that does not answer.
	stall = 10 * time.Minute
	// full is how often a job that waits for room on the disk looks again, and away how
	// often one that waits for the database does.
	full = 10 * time.Second
	away = time.Second
)

var errStalled = fault.Machine(errors.New("it came no further for ten minutes"))

// attend does a job so that it ends in one of its end states, whatever happens to the
// machine. What is wrong with the input ends it. What is the machine's is tried again:
// for ever where only room on the disk or the database is missing, and that is said;
// otherwise as often as the queue allows.
func attend[T river.JobArgs](r *Runner, ctx context.Context, job *river.Job[T], t task) error {
	r.hold(job.ID)
	defer r.release(job.ID)
	begun := time.Now()
	log := r.log.With("job", job.Kind, "id", job.ID, t.thing, t.id, "attempt", job.Attempt)
	var err error
	if job.Attempt > store.MaxTakeovers {
		err = fmt.Errorf("its worker was lost %d times", store.MaxTakeovers)
	} else {
		err = r.guarded(ctx, t)
	}
	outcome := func(what string) { r.done.WithLabelValues(job.Kind, what).Inc() }
	var again *river.JobSnoozeError
	switch {
	case err == nil, errors.Is(err, store.ErrNone): // or what it was for is gone
		outcome("done")
		log.Debug("job done", "seconds", time.Since(begun).Seconds())
		return nil
	case errors.As(err, &again):
		return err
	case ctx.Err() != nil: // this worker stops; another takes it up
		outcome("handed back")
		return river.JobSnooze(0)
	case fault.IsFull(err), store.Full(err):
		outcome("waits for room")
		log.Warn("job waits", "why", err)
		r.waits(ctx, t, sentence(err)+" It goes on by itself when there is room.")
		return river.JobSnooze(full)
	case store.Unavailable(err):
		outcome("waits for the database")
		log.Warn("job waits", "why", err)
		return river.JobSnooze(away)
	case !final(err) && job.Attempt < job.MaxAttempts:
		outcome("tried again")
		log.Warn("job is tried again", "why", err)
		r.waits(ctx, t, sentence(err)+" It is tried again.")
		return err
	}
	if e := t.end(ctx, sentence(err)); e != nil { // the end must be known before the job is over
		log.Warn("the end of a job cannot be written", "why", err, "error", e)
		return river.JobSnooze(away)
	}
	outcome("failed")
	log.Error("job failed", "why", err)
	return river.JobCancel(err)
}

// final reports whether another try would end alike.
func final(err error) bool {
	return errors.Is(err, media.ErrUnusable) || errors.Is(err, media.ErrGone) || errors.Is(err, errProof) ||
		errors.Is(err, errGivenUp)
}

// errGivenUp marks what a job itself found to be for good.
var errGivenUp = errors.New("it cannot be done")

// guarded does a task that neither hangs for good nor takes the worker with it.
func (r *Runner) guarded(ctx context.Context, t task) (err error) {
	work, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	if r.Budget != nil {
		free, err := r.Budget.Jobs.Hold(ctx, t.class, t.memory)
		if err != nil {
			return err
		}
		defer free()
	}
	last := 0
	watch := time.AfterFunc(stall, func() { cancel(errStalled) })
	defer watch.Stop()
	defer func() {
		if p := recover(); p != nil {
			r.log.Error("a job panicked", t.thing, t.id, "panic", p, "stack", string(debug.Stack()))
			err = fmt.Errorf("%w: a fault in the program", errGivenUp)
		}
		if errors.Is(context.Cause(work), errStalled) {
			err = errStalled
		}
	}()
	if t.class == budget.Later {
		work = media.Background(work)
	}
	return t.do(work, func(done int) {
		if done != last {
			last = done
			watch.Reset(stall)
		}
	})
}

// waits says why something does not go on; that it cannot be said is no reason to fail.
func (r *Runner) waits(ctx context.Context, t task, why string) {
	if err := r.store.Waits(ctx, t.thing, t.id, why); err != nil {
		r.log.Debug("why a job waits cannot be written", "error", err)
	}
}

// hold and release keep the list of the jobs that this worker is at. A job's end is
// written a moment after it is over, so it stays on the list for that long.
func (r *Runner) hold(id int64) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.held[id] = time.Time{}
}

func (r *Runner) release(id int64) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.held[id] = time.Now()
}

func (r *Runner) holding() (ids []int64) {
	r.mu.Lock()
	defer r.mu.Unlock()
	for id, over := range r.held {
		if over.IsZero() || time.Since(over) < lost {
			ids = append(ids, id)
		} else {
			delete(r.held, id)
		}
	}
	return ids
}

// soon is the queue's policy for trying again: after 1, 2, 4 … 60 seconds.
type soon struct{}

func (soon) NextRetry(job *rivertype.JobRow) time.Time {
	return time.Now().Add(min(time.Second<<max(job.Attempt-1, 0), time.Minute))
}
