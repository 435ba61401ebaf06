// Package await lets tests wait for what happens, not for a time.
package await

import (
	"testing"
	"time"
)

// A test waits for as long as a machine may take that is busy with everything else: only what
// hangs for good reaches the limit, which still names it where the run's own limit would not.
const (
	limit = 10 * time.Minute
	pause = 10 * time.Millisecond
)

// True returns once ok does so, and fails the test if that never happens.
func True(t testing.TB, what string, ok func() bool) {
	t.Helper()
	That(t, what, func() (bool, error) { return ok(), nil }, func(is bool) bool { return is })
}

// That returns the first value for which ok holds. It fails the test at the first error, and
// with the last value if none is ever right.
func That[T any](t testing.TB, what string, get func() (T, error), ok func(T) bool) T {
	t.Helper()
	for end := time.Now().Add(limit); ; time.Sleep(pause) {
		v, err := get()
		if err != nil {
			t.Fatalf("waiting for %s: %v", what, err)
		}
		if ok(v) {
			return v
		}
		if time.Now().After(end) {
			t.Fatalf("waited too long for %s: %+v", what, v)
		}
	}
}
