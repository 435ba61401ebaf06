package server

import (
	"context"
	"net"
	"net/http"
	"sync"

	"celator/internal/budget"
)

// turns lets each person do one thing at a time of a kind that takes much, such as having
// a picture drawn; others wait for theirs beside them.
type turns struct {
	mu  sync.Mutex
	all map[string]*turn
}

type turn struct {
	pool  *budget.Pool
	users int
}

// queued is how many of one person's requests may wait for their turn.
const queued = 8

// take waits for a person's turn; the function returned ends it.
func (t *turns) take(ctx context.Context, person string) (func(), error) {
	t.mu.Lock()
	if t.all == nil {
		t.all = map[string]*turn{}
	}
	mine := t.all[person]
	if mine == nil {
		mine = &turn{pool: budget.NewPool(1, queued)}
		t.all[person] = mine
	}
	mine.users++
	t.mu.Unlock()
	leave := func() {
		t.mu.Lock()
		defer t.mu.Unlock()
		if mine.users--; mine.users == 0 {
			delete(t.all, person)
		}
	}
	free, err := mine.pool.Hold(ctx, budget.Now, 1)
	if err != nil {
		leave()
		return nil, err
	}
	return func() { free(); leave() }, nil
}

type personKey struct{}

// personally remembers who asks. Until there is sign-in that is the machine that they
// ask from.
func personally(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		host, _, err := net.SplitHostPort(r.RemoteAddr)
		if err != nil {
			host = r.RemoteAddr
		}
		next.ServeHTTP(w, r.WithContext(context.WithValue(r.Context(), personKey{}, host)))
	})
}

func person(ctx context.Context) string {
	p, _ := ctx.Value(personKey{}).(string)
	return p
}
