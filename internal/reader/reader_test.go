package reader

import (
	"bytes"
	"context"
	"errors"
	"image"
	"image/color"
	"image/draw"
	"os"
	"path/filepath"
	"reflect"
	"strconv"
	"strings"
	"syscall"
	"testing"

	"celator/core/reading"
	"celator/internal/confine"
	"celator/internal/lettering"
)

func TestMain(m *testing.M) {
	confine.Main()
	os.Exit(m.Run())
}

func write(t testing.TB, on draw.Image, words string, height float64, at image.Point, ink color.Color) {
	t.Helper()
	if err := lettering.Write(on, words, height, at, ink); err != nil {
		t.Fatal(err)
	}
}

func board(w, h int) *image.RGBA {
	pic := image.NewRGBA(image.Rect(0, 0, w, h))
	draw.Draw(pic, pic.Rect, image.NewUniform(color.RGBA{90, 110, 120, 255}), image.Point{}, draw.Src)
	return pic
}

func machine(t testing.TB, n int) (*Machine, *reading.Reader) {
	t.Helper()
	m := New(Dir(), n)
	t.Cleanup(m.Close)
	r, err := m.Reader()
	if err != nil {
		t.Fatal(err)
	}
	return m, r
}

// What is written is found where it stands and read as it is, by a process that is bound.
func TestRead(t *testing.T) {
	_, r := machine(t, 1)
	pic := board(1280, 720)
	want := []struct {
		words  string
		height int
		at     image.Point
	}{{"KS 47 OH", 60, image.Pt(200, 120)}, {"HARBOUR", 30, image.Pt(200, 320)}, {"0731 555 204", 14, image.Pt(200, 520)}}
	for _, w := range want {
		write(t, pic, w.words, float64(w.height), w.at, color.White)
	}
	lines, err := r.Lines(context.Background(), pic, 1, nil)
	if err != nil {
		t.Fatal(err)
	}
	for _, w := range want {
		found := false
		for _, l := range lines {
			b := l.Quad.Bounds()
			c := w.at.Sub(image.Pt(0, w.height/2))
			if reading.Fold(l.Text) == reading.Fold(w.words) && b.Min.X < float64(c.X+w.height) && b.Max.X > float64(c.X) &&
				b.Min.Y < float64(c.Y) && b.Max.Y > float64(c.Y) && l.Sure > .8 {
				found = true
			}
		}
		if !found {
			t.Errorf("%q is not read where it stands: %+v", w.words, lines)
		}
	}
	if len(lines) != len(want) {
		t.Errorf("%d lines are read of %d: %+v", len(lines), len(want), lines)
	}
}

// The adversary reads what a weak blur leaves, and nothing of what is filled.
func TestAttack(t *testing.T) {
	_, r := machine(t, 1)
	pic := board(300, 60)
	write(t, pic, "KS 47 OH", 34, image.Pt(40, 46), color.White)
	of := func(strength float64) []reading.Picked {
		pix := make([]float32, 300*60)
		for i := range pix {
			pix[i] = float32(pic.Pix[4*i+1])*float32(strength) + 100*float32(1-strength)
		}
		got, err := r.Attack(context.Background(), pix, 300, 60)
		if err != nil {
			t.Fatal(err)
		}
		return got
	}
	whole := of(1)
	if _, yes := reading.Discloses(whole, of(.08)); !yes {
		t.Errorf("eight hundredths of the contrast give nothing away: %v of %v", of(.08), whole)
	}
	if got := of(0); len(got) > 0 {
		t.Errorf("nothing at all is read as %v", got)
	}
}

// children are the processes that this one began and that are not over.
func children(t *testing.T) (pids []int) {
	t.Helper()
	all, _ := filepath.Glob("/proc/self/task/*/children")
	for _, path := range all {
		b, _ := os.ReadFile(path)
		for _, f := range strings.Fields(string(b)) {
			pid, err := strconv.Atoi(f)
			if err != nil {
				t.Fatal(err)
			}
			pids = append(pids, pid)
		}
	}
	return pids
}

// A process that is killed is begun anew, between two requests and during one; the memory of
// one is bounded, and asking for too much ends nothing but the request.
func TestKilled(t *testing.T) {
	m, r := machine(t, 1)
	pic := board(320, 120)
	write(t, pic, "KS 47 OH", 40, image.Pt(40, 80), color.White)
	reads := func() {
		t.Helper()
		lines, err := r.Lines(context.Background(), pic, 1, nil)
		if err != nil || len(lines) != 1 || reading.Fold(lines[0].Text) != "KS47OH" {
			t.Fatalf("%+v, %v", lines, err)
		}
	}
	reads()
	kill := func() {
		t.Helper()
		all := children(t)
		if len(all) == 0 {
			t.Fatal("nothing runs")
		}
		for _, pid := range all {
			syscall.Kill(pid, syscall.SIGKILL)
		}
	}
	kill()
	reads()
	done := make(chan error, 1)
	go func() {
		_, err := m.Run(context.Background(), reading.Detect, reading.NewTensor(1, 3, 704, 704))
		done <- err
	}()
	for len(children(t)) == 0 {
	}
	kill()
	if err := <-done; err != nil {
		t.Errorf("a request whose process was killed once: %v", err)
	}
	reads()
	if _, err := m.Run(context.Background(), reading.Detect, reading.NewTensor(1, 3, 3200, 3200)); err == nil {
		t.Error("a picture that takes gigabytes was looked at")
	}
	if _, err := m.Run(context.Background(), reading.Detect, reading.NewTensor(1, 2, 32)); err == nil {
		t.Error("a shape that the network does not take was taken")
	}
	reads()
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	if _, err := m.Run(ctx, reading.Detect, reading.NewTensor(1, 3, 704, 704)); !errors.Is(err, context.Canceled) {
		t.Errorf("a request that nobody waits for: %v", err)
	}
	reads()
}

// What is missing, cut short or another file is said, with how to get it; nothing loads it.
func TestAbsent(t *testing.T) {
	if err := Check(Dir()); err != nil {
		t.Fatal(err)
	}
	files, err := all()
	if err != nil {
		t.Fatal(err)
	}
	for name, spoil := range map[string]func(path string) error{
		"missing":   os.Remove,
		"cut short": func(path string) error { return os.Truncate(path, 100_000) },
		"another":   func(path string) error { return os.WriteFile(path, []byte("x"), 0o644) },
	} {
		for _, f := range files {
			dir := t.TempDir()
			for _, g := range files {
				to := filepath.Join(dir, g.path)
				if err := os.MkdirAll(filepath.Dir(to), 0o755); err != nil {
					t.Fatal(err)
				}
				from, err := filepath.Abs(filepath.Join(Dir(), g.path))
				if err == nil && g != f {
					err = os.Symlink(from, to)
				} else if err == nil {
					var b []byte
					if b, err = os.ReadFile(from); err == nil {
						err = os.WriteFile(to, b, 0o644)
					}
				}
				if err != nil {
					t.Fatal(err)
				}
			}
			if err := spoil(filepath.Join(dir, f.path)); err != nil {
				t.Fatal(err)
			}
			m := New(dir, 1)
			_, err := m.Reader()
			if !errors.Is(err, ErrAbsent) || !strings.Contains(err.Error(), filepath.Base(f.path)) ||
				!strings.Contains(err.Error(), "make models") {
				t.Errorf("%s %s: %v", f.path, name, err)
			}
			// Nor by a process that is asked all the same.
			_, err = m.Run(context.Background(), reading.Detect, reading.NewTensor(1, 3, 32, 32))
			if !errors.Is(err, ErrAbsent) {
				t.Errorf("%s %s, asked: %v", f.path, name, err)
			}
			m.Close()
		}
	}
}

// What was sent comes as it was; anything else is an error, and takes no memory that it did not bring.
func FuzzReceive(f *testing.F) {
	var b bytes.Buffer
	in := reading.Tensor{Shape: []int{1, 2, 3}, Data: []float32{1, 2, 3, 4, 5, 6}}
	answer(&b, []reading.Tensor{in, in}, nil)
	f.Add(b.Bytes())
	if out, err := receive(bytes.NewReader(b.Bytes())); err != nil || !reflect.DeepEqual(out, []reading.Tensor{in, in}) {
		f.Fatalf("%v comes as %v, %v", in, out, err)
	}
	b.Reset()
	answer(&b, nil, errors.New("no"))
	var said *refusal
	if _, err := receive(bytes.NewReader(b.Bytes())); !errors.As(err, &said) || said.says != "no" {
		f.Fatal(err)
	}
	f.Add([]byte{1, 3, 255, 255, 255, 0, 1, 0, 0, 0})
	f.Fuzz(func(t *testing.T, b []byte) {
		out, err := receive(bytes.NewReader(b))
		if err != nil {
			return
		}
		var back bytes.Buffer
		answer(&back, out, nil)
		if !bytes.HasPrefix(b, back.Bytes()) {
			t.Errorf("%v was received of %v", out, b)
		}
	})
}
