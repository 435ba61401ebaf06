// Package budget bounds what a process takes of the machine: memory for decoded
// pictures, for documents and for the processes it starts, and the processor's time.
// Who wants more than is left waits, those first whom somebody waits for; who would have
// to wait behind too many is told so.
package budget

import (
	"container/list"
	"context"
	"errors"
	"sync"
)

// Class says how soon something is wanted; a lower one goes first.
type Class int

const (
	Now   Class = iota // somebody looks at the screen for it
	Soon               // it replaces what is seen already
	Later              // it is made ahead, for a time when it may be asked for
	classes
)

// ErrBusy says that too many wait already.
var ErrBusy = errors.New("the server is busy; try again in a moment")

// Pool is an amount of something that is lent out.
type Pool struct {
	size int64
	most int // waiting, over all classes

	mu    sync.Mutex
	used  int64
	queue [classes]list.List // of *waiter
	peak  int64
}

type waiter struct {
	n     int64
	ready chan struct{}
}

// NewPool returns a pool of size, for which at most so many wait.
func NewPool(size int64, most int) *Pool { return &Pool{size: size, most: most} }

// Hold takes n of the pool, waiting for it where it must, and returns what gives it
// back. More than the pool has is taken to be all of it. The error is ErrBusy, or the
// context's.
func (p *Pool) Hold(ctx context.Context, c Class, n int64) (free func(), err error) {
	n = min(n, p.size)
	p.mu.Lock()
	if p.fits(n) && p.first(c) {
		p.take(n)
		p.mu.Unlock()
		return p.freer(n), nil
	}
	if p.waiting() >= p.most {
		p.mu.Unlock()
		return nil, ErrBusy
	}
	w := &waiter{n, make(chan struct{})}
	at := p.queue[c].PushBack(w)
	p.mu.Unlock()
	select {
	case <-w.ready:
		return p.freer(n), nil
	case <-ctx.Done():
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	select {
	case <-w.ready: // given at the same moment
		p.give(n)
	default:
		p.queue[c].Remove(at)
		p.grant() // it may have held up others
	}
	return nil, context.Cause(ctx)
}

// Try takes n where it is to be had at once.
func (p *Pool) Try(n int64) (free func(), ok bool) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if n = min(n, p.size); !p.fits(n) || p.waiting() > 0 {
		return nil, false
	}
	p.take(n)
	return p.freer(n), true
}

// Waiting is how many wait.
func (p *Pool) Waiting() int {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.waiting()
}

// Use returns what is lent out, the most that ever was, and the size.
func (p *Pool) Use() (used, peak, size int64) {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.used, p.peak, p.size
}

func (p *Pool) fits(n int64) bool { return p.used+n <= p.size }

// first reports whether nobody of that class or a lower one waits.
func (p *Pool) first(c Class) bool {
	for k := Now; k <= c; k++ {
		if p.queue[k].Len() > 0 {
			return false
		}
	}
	return true
}

func (p *Pool) waiting() (n int) {
	for k := range p.queue {
		n += p.queue[k].Len()
	}
	return n
}

func (p *Pool) take(n int64) {
	p.used += n
	p.peak = max(p.peak, p.used)
}

func (p *Pool) freer(n int64) func() {
	return sync.OnceFunc(func() {
		p.mu.Lock()
		defer p.mu.Unlock()
		p.give(n)
	})
}

func (p *Pool) give(n int64) {
	p.used -= n
	p.grant()
}

// grant serves who waits, in order; nobody passes one that does not fit yet, so that
// large ones are served too.
func (p *Pool) grant() {
	for k := range p.queue {
		for at := p.queue[k].Front(); at != nil; at = p.queue[k].Front() {
			w := at.Value.(*waiter)
			if !p.fits(w.n) {
				return
			}
			p.take(w.n)
			p.queue[k].Remove(at)
			close(w.ready)
		}
	}
}
