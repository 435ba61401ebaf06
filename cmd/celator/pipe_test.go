package main

import (
	"io"
	"os"
	"path/filepath"
	"syscall"
	"testing"
)

// What is no plain file stays what it is: a pipe is written into, and no clip replaces it.
func TestPipesAreNotReplaced(t *testing.T) {
	pipe := filepath.Join(t.TempDir(), "pipe")
	if err := syscall.Mkfifo(pipe, 0o600); err != nil {
		t.Fatal(err)
	}
	got := make(chan string, 1)
	go func() {
		b, _ := os.ReadFile(pipe)
		got <- string(b)
	}()
	err := write(pipe, func(w io.Writer) error {
		_, err := io.WriteString(w, "frame,x1\n")
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	if s := <-got; s != "frame,x1\n" {
		t.Errorf("through the pipe came %q", s)
	}
	if is, err := os.Lstat(pipe); err != nil || is.Mode()&os.ModeNamedPipe == 0 {
		t.Errorf("the pipe is %v now, %v", is.Mode(), err)
	}
	if !special(pipe) || special(pipe+"2") {
		t.Error("what is special is not told from what is not there")
	}
}
