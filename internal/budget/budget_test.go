package budget

import (
	"context"
	"errors"
	"math/rand"
	"slices"
	"sync"
	"sync/atomic"
	"testing"
)

// However many come and go at once, no more is lent out than there is, and in the end
// all of it is back.
func TestPoolHoldsItsSize(t *testing.T) {
	const size = 100
	p := NewPool(size, 1000)
	var out, over atomic.Int64
	var wg sync.WaitGroup
	for i := range 40 {
		wg.Go(func() {
			rng := rand.New(rand.NewSource(int64(i)))
			for range 300 {
				n := 1 + rng.Int63n(60)
				ctx, cancel := context.WithCancel(context.Background())
				if rng.Intn(4) == 0 {
					cancel()
				}
				free, err := p.Hold(ctx, Class(rng.Intn(int(classes))), n)
				if err == nil {
					if out.Add(n) > size {
						over.Add(1)
					}
					out.Add(-n)
					free()
					free() // twice does no harm
				}
				cancel()
			}
		})
	}
	wg.Wait()
	if over.Load() > 0 {
		t.Errorf("more than there is was lent out %d times", over.Load())
	}
	if used, peak, _ := p.Use(); used != 0 || peak > size || p.Waiting() != 0 {
		t.Errorf("%d are still lent out, %d at the most, %d wait", used, peak, p.Waiting())
	}
}

// Who is waited for goes first, whoever came first; in a class the first to come is
// the first to go, and a large one is not passed by small ones.
func TestPoolOrder(t *testing.T) {
	p := NewPool(2, 10)
	all, err := p.Hold(context.Background(), Later, 9) // more than there is: all
	if err != nil {
		t.Fatal(err)
	}
	var mu sync.Mutex
	var order []string
	var wg sync.WaitGroup
	for _, w := range []struct {
		name string
		c    Class
		n    int64
	}{{"ahead", Later, 2}, {"large", Now, 2}, {"small", Now, 1}, {"exact", Soon, 2}} {
		before := p.Waiting()
		wg.Go(func() {
			free, err := p.Hold(context.Background(), w.c, w.n)
			if err != nil {
				t.Error(err)
				return
			}
			mu.Lock()
			order = append(order, w.name)
			mu.Unlock()
			free()
		})
		for p.Waiting() == before {
		}
	}
	if _, ok := p.Try(1); ok {
		t.Error("somebody who does not wait went before those who do")
	}
	all()
	wg.Wait()
	if !slices.Equal(order, []string{"large", "small", "exact", "ahead"}) {
		t.Errorf("%v", order)
	}
	if free, ok := p.Try(2); !ok {
		t.Error("the pool is not empty")
	} else {
		free()
	}
}

// Behind too many nobody waits; who gives up is taken off the queue and holds nobody up.
func TestPoolTurnsAway(t *testing.T) {
	p := NewPool(1, 1)
	free, _ := p.Hold(context.Background(), Now, 1)
	ctx, cancel := context.WithCancel(context.Background())
	done := make(chan error)
	go func() { _, err := p.Hold(ctx, Now, 1); done <- err }()
	for p.Waiting() == 0 {
	}
	if _, err := p.Hold(context.Background(), Now, 1); !errors.Is(err, ErrBusy) {
		t.Errorf("a second one waits: %v", err)
	}
	cancel()
	if err := <-done; !errors.Is(err, context.Canceled) || p.Waiting() != 0 {
		t.Errorf("%v, %d wait", err, p.Waiting())
	}
	free()
	if _, ok := p.Try(1); !ok {
		t.Error("what was given back is not there")
	}
}

// What is remembered never takes more than it may, and the last used stays longest.
func TestCache(t *testing.T) {
	c := NewCache[int](100, func(v int) int64 { return int64(v) })
	for i := range 1000 {
		c.Add(i, 1+i%17)
		c.Get(0)
		if c.Bytes() > 100 {
			t.Fatalf("%d bytes", c.Bytes())
		}
	}
	if _, ok := c.Get(0); !ok {
		t.Error("what was asked for all the time is gone")
	}
	if _, ok := c.Get(500); ok {
		t.Error("what was asked for long ago is still there")
	}
	c.Add(-1, 1000)
	if v, ok := c.Get(-1); !ok || v != 1000 || c.Bytes() != 1000 {
		t.Errorf("the newest: %d, %d bytes", v, c.Bytes())
	}
}
