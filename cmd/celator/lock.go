package main

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"golang.org/x/sys/unix"
)

// lockFolder makes this process the only server on a data folder. Another is told who is,
// and has touched nothing. The lock goes with the process, however that ends.
func lockFolder(dir, addr string) (unlock func(), err error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, err
	}
	name := filepath.Join(dir, "lock")
	f, err := os.OpenFile(name, os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return nil, err
	}
	if err := unix.Flock(int(f.Fd()), unix.LOCK_EX|unix.LOCK_NB); err != nil {
		defer f.Close()
		if !errors.Is(err, unix.EWOULDBLOCK) {
			return nil, fmt.Errorf("%s cannot be locked: %w", dir, err)
		}
		b, _ := os.ReadFile(name)
		return nil, fmt.Errorf("another server works on %s already (%s); stop it, or name another folder with --data", dir,
			strings.TrimSpace(string(b)))
	}
	if err := f.Truncate(0); err != nil {
		f.Close()
		return nil, err
	}
	if _, err := f.WriteAt(fmt.Appendf(nil, "process %d, on %s\n", os.Getpid(), addr), 0); err != nil {
		f.Close()
		return nil, err
	}
	return func() { f.Close() }, nil
}
