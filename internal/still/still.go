// Package still reads and writes still pictures: a PNG or a TIFF must come back with
// every sample outside the covers as it was, whatever its kind (grey, colour, 8 or 16
// bit, with alpha, from a palette). RGB pictures are read as planes G, B, R; the alpha
// stays with the file. What a file carries beside the picture is dropped but for its
// colour profile and resolution: an embedded thumbnail would show what the cover hides.
//
// Files come from strangers: they are decoded and encoded in a confined child process
// (package confine), one large picture at a time being all that memory is kept for.
package still

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"strconv"
	"time"

	"golang.org/x/sys/unix"

	"celator/core/frame"
	"celator/internal/confine"
)

// Info is what a still is.
type Info struct {
	Kind   string // png, jpeg or tiff
	Format frame.Format
}

// Limits of a child that reads or writes a still.
var limits = confine.Limits{Memory: 640 << 20, Processor: 60 * time.Second, Wall: 5 * time.Minute}

// Memory is the most that reading or writing a still takes beside the picture itself.
var Memory = limits.Memory

// Probe says what the still at path is, having read all of it.
func Probe(ctx context.Context, path string) (Info, error) {
	var out bytes.Buffer
	var i Info
	if err := run(ctx, path, nil, &out, "probe"); err != nil {
		return i, err
	}
	return i, json.Unmarshal(out.Bytes(), &i)
}

// Planes writes the samples of the still at path, plane after plane.
func Planes(ctx context.Context, path string, w io.Writer) error {
	return run(ctx, path, nil, w, "planes")
}

// View returns the still at path as a JPEG of w by h pixels.
func View(ctx context.Context, path string, w, h int) ([]byte, error) {
	var out bytes.Buffer
	err := run(ctx, path, nil, &out, "view", strconv.Itoa(w), strconv.Itoa(h))
	return out.Bytes(), err
}

// Write writes the PNG or TIFF at path with the samples of pic where the matte is above
// 0. Elsewhere every sample, alpha included, is the file's.
func Write(ctx context.Context, path string, pic *frame.Picture, matte frame.Plane, out io.Writer) error {
	r := matte.Rect
	feed, to := io.Pipe()
	go func() { to.CloseWithError(send(to, pic, matte)) }()
	defer feed.Close()
	return run(ctx, path, feed, out, "write", strconv.Itoa(r.Min.X), strconv.Itoa(r.Min.Y), strconv.Itoa(r.Max.X),
		strconv.Itoa(r.Max.Y))
}

// send writes what Write's child reads: which samples change, and the three planes there.
func send(w io.Writer, pic *frame.Picture, matte frame.Plane) error {
	r := matte.Rect
	row := make([]byte, r.Dx())
	for y := r.Min.Y; y < r.Max.Y; y++ {
		for x, v := range matte.Row(y) {
			row[x] = 0
			if v > 0 {
				row[x] = 1
			}
		}
		if _, err := w.Write(row); err != nil {
			return err
		}
	}
	for plane := range 3 {
		for y := r.Min.Y; y < r.Max.Y; y++ {
			if _, err := w.Write(pic.Row(plane, y, r.Min.X, r.Max.X)); err != nil {
				return err
			}
		}
	}
	return nil
}

func run(ctx context.Context, path string, feed io.Reader, out io.Writer, args ...string) error {
	f, err := os.Open(path)
	if err != nil {
		return err
	}
	defer f.Close()
	err = confine.Run(ctx, confine.Job{Role: role, Args: args, Limits: limits, In: f, Stdin: feed, Out: out})
	if errors.Is(err, confine.ErrTooMuch) {
		return errors.New("it takes too much memory or time to be read")
	}
	return err
}

const role = "still"

func init() { confine.Register(role, work) }

// work is the child's.
func work(c confine.Call) error {
	st, err := c.In.Stat()
	if err != nil {
		return err
	}
	if st.Size() > maxFile {
		return fmt.Errorf("it is larger than %d MB", maxFile>>20)
	}
	if st.Size() == 0 {
		return errors.New("it is empty")
	}
	// A mapped file takes no memory of the child's own.
	data, err := unix.Mmap(int(c.In.Fd()), 0, int(st.Size()), unix.PROT_READ, unix.MAP_SHARED)
	if err != nil {
		return err
	}
	s, err := decode(data)
	if err != nil {
		return err
	}
	n := make([]int, len(c.Args)-1)
	for i, a := range c.Args[1:] {
		if n[i], err = strconv.Atoi(a); err != nil {
			return err
		}
	}
	switch c.Args[0] {
	case "probe":
		return json.NewEncoder(c.Out).Encode(Info{s.kind, s.format()})
	case "planes":
		return s.planes(c.Out)
	case "view":
		return s.view(c.Out, n[0], n[1])
	case "write":
		return s.write(c.Out, c.Stdin, n)
	}
	return fmt.Errorf("there is no %q", c.Args[0])
}
