package jobs

import (
	"context"
	"sync/atomic"
	"time"
)

// manners say how background work gives way while somebody works on the bench.
type manners struct {
	// share is one over the part of the time that it takes while they do so all the time: it goes slower then, but goes
	// on.
	share int
	// least and most are how long it rests. The least is for decoders that work ahead while their reader rests, and are
	// not seen to take time; the most is also how long it rests while somebody plays, for there each late picture is
	// seen.
	least, most time.Duration
	quiet       time.Duration // without work on the bench, after which it goes on
}

var (
	// brisk are those of work whose answer somebody will want.
	brisk = manners{10, 300 * time.Millisecond, time.Second, 200 * time.Millisecond}
	// idle are those of what is looked for ahead: its pieces are long, so that whoever goes on working while one is
	// under way feels it. It waits until the hands rest.
	idle = manners{40, time.Second, 10 * time.Second, 1500 * time.Millisecond}
)

func nobody() bool { return false }

// giveWay returns what a job calls between pieces of its work, by several at once: it waits while somebody works on the
// bench, or waits for a tracker or a delivery, for as long as its manners ask. Once somebody waits for the job itself
// it goes on.
func (r *Runner) giveWay(ctx context.Context, m manners, awaited func() bool) func() {
	var hurried atomic.Bool
	var last, asked atomic.Int64
	last.Store(time.Now().UnixNano())
	return func() {
		if hurried.Load() {
			return
		}
		took := time.Duration(time.Now().UnixNano() - last.Load())
		defer func() { last.Store(time.Now().UnixNano()) }()
		begun := time.Now()
		rest := min(max(time.Duration(m.share-1)*took, m.least), m.most)
		for ctx.Err() == nil && time.Since(begun) < rest {
			if r.Bench != nil && r.Bench.Quiet() < 0 {
				rest = m.most
			} else if r.awaited.Load() == 0 && (r.Bench == nil || r.Bench.Quiet() > m.quiet) {
				return
			}
			if now := time.Now().UnixNano(); now-asked.Load() > int64(tick) {
				asked.Store(now)
				if awaited() {
					hurried.Store(true)
					return
				}
			}
			time.Sleep(10 * time.Millisecond)
		}
	}
}
