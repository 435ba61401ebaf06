package decode

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"math/rand"
	"os"
	"os/exec"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"celator/core/frame"
	"celator/internal/await"
	"celator/internal/budget"
	"celator/internal/media"
)

// footage is a clip with its frames as they are, and their checksums.
func footage(t *testing.T) (media.Clip, [][]byte) {
	t.Helper()
	path := filepath.Join(t.TempDir(), "clip.mp4")
	if out, err := exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i",
		"testsrc2=size=320x180:rate=25:duration=6", "-c:v", "libx264", "-preset", "ultrafast", "-g", "25", "-pix_fmt",
		"yuv420p", path).CombinedOutput(); err != nil {
		t.Fatalf("%v %s", err, out)
	}
	ctx := context.Background()
	info, err := media.Probe(ctx, path)
	if err != nil {
		t.Fatal(err)
	}
	c := media.Clip{Path: path, Info: info}
	seen, err := media.MakeViews(ctx, c, t.TempDir(), nil)
	if c.Sums = seen.Sums; err != nil {
		t.Fatal(err)
	}
	r, err := c.Open(ctx, 0, -1)
	if err != nil {
		t.Fatal(err)
	}
	defer r.Close()
	var all [][]byte
	for {
		p := frame.New(info.Format(), nil)
		if err := r.Read(p); err == io.EOF {
			return c, all
		} else if err != nil {
			t.Fatal(err)
		}
		all = append(all, p.Data)
	}
}

func room() (int64, error) { return 1 << 40, nil }

// However many ask at once, forwards, backwards and anywhere, some of them giving up,
// each gets the frame asked for, from a memory of a few frames; afterwards no memory for
// decoders is taken any more.
func TestFramesAreThoseAskedFor(t *testing.T) {
	clip, want := footage(t)
	b := budget.New(budget.Least)
	b.Frames = 20 * int64(len(want[0]))
	disk, err := NewDisk(filepath.Join(t.TempDir(), "frames"), 40*int64(len(want[0])), room)
	if err != nil {
		t.Fatal(err)
	}
	for name, d := range map[string]*Disk{"memory": nil, "disk": disk} {
		c := NewFrames(b, d)
		var wg sync.WaitGroup
		for i := range 8 {
			wg.Go(func() {
				rng := rand.New(rand.NewSource(int64(i)))
				f := rng.Intn(len(want))
				for range 40 {
					switch i % 3 {
					case 0:
						f = (f + 1) % len(want)
					case 1:
						f = (f + len(want) - 1) % len(want)
					case 2:
						f = rng.Intn(len(want))
					}
					ctx, cancel := context.WithCancel(context.Background())
					if rng.Intn(5) == 0 {
						time.AfterFunc(time.Duration(rng.Intn(5))*time.Millisecond, cancel)
					}
					p, err := c.Get(ctx, budget.Class(rng.Intn(3)), "clip", clip, f)
					switch {
					case err == nil && !bytes.Equal(p.Data, want[f]):
						t.Errorf("%s: frame %d is another", name, f)
					case err != nil && !errors.Is(err, context.Canceled):
						t.Errorf("%s: frame %d: %v", name, f, err)
					}
					cancel()
				}
			})
		}
		wg.Wait()
		if memory, onDisk := c.Bytes(); memory > b.Frames || onDisk > 40*int64(len(want[0])) {
			t.Errorf("%s: %d bytes in memory, %d on the disk", name, memory, onDisk)
		}
		if _, err := c.Get(context.Background(), budget.Now, "clip", clip, len(want)); err == nil {
			t.Errorf("%s: there is a frame after the last", name)
		}
		await.True(t, name+": the end of decoders that nobody uses", func() bool {
			used, _, _ := b.Children.Use()
			return used == 0
		})
		c.Close()
	}
}

// Who goes backwards finds the frames behind read before they are asked for, at every step
// the frame that is asked for, however far it goes.
func TestFramesBehindAreReadAhead(t *testing.T) {
	clip, want := footage(t)
	disk, err := NewDisk(filepath.Join(t.TempDir(), "frames"), 1<<40, room)
	if err != nil {
		t.Fatal(err)
	}
	c := NewFrames(budget.New(budget.Least), disk)
	defer c.Close()
	for f := 120; f >= 0; f-- {
		p, err := c.Get(t.Context(), budget.Soon, "clip", clip, f)
		if err != nil || !bytes.Equal(p.Data, want[f]) {
			t.Fatalf("frame %d: %v", f, err)
		}
		if f > 118 { // from the second on it is plain which way
			continue
		}
		c.Touch(time.Second) // at work, so that only what is near is read
		await.True(t, fmt.Sprintf("the frame %d behind %d", back, f), func() bool { return disk.has("clip", max(f-back, 0)) })
	}
}

// Where there is memory for one decoder only, many clips take turns with it.
func TestDecodersShareTheMemory(t *testing.T) {
	clip, want := footage(t)
	b := budget.New(budget.Least)
	b.Children = budget.NewPool(media.DecoderMemory(clip.Info)*3/2, 64)
	c := NewFrames(b, nil)
	defer c.Close()
	var wg sync.WaitGroup
	for i := range 6 {
		wg.Go(func() {
			for k := range 5 {
				f := (7*i + 30*k) % len(want)
				p, err := c.Get(context.Background(), budget.Soon, string(rune('a'+i)), clip, f)
				if err != nil || !bytes.Equal(p.Data, want[f]) {
					t.Errorf("clip %d, frame %d: %v", i, f, err)
				}
			}
		})
	}
	wg.Wait()
	if _, peak, size := b.Children.Use(); peak > size {
		t.Errorf("%d of %d bytes", peak, size)
	}
}

// What is on the disk is the frame, or nothing: also after somebody wrote into the files
// or took them away, and when there is no room.
func TestDisk(t *testing.T) {
	clip, want := footage(t)
	dir := filepath.Join(t.TempDir(), "frames")
	free := int64(1 << 40)
	d, err := NewDisk(dir, 1<<30, func() (int64, error) { return free, nil })
	if err != nil {
		t.Fatal(err)
	}
	keep := func(f int) {
		d.put("clip", f, frame.New(clip.Info.Format(), append([]byte{}, want[f]...)))
	}
	for _, f := range []int{3, 4, 90} {
		keep(f)
		if p := d.read("clip", clip, f); p == nil || !bytes.Equal(p.Data, want[f]) {
			t.Fatalf("frame %d is not what was kept", f)
		}
	}
	if d.read("clip", clip, 5) != nil || d.read("other", clip, 3) != nil {
		t.Error("a frame that was never kept is there")
	}
	files, _ := os.ReadDir(dir)
	if len(files) != 1 {
		t.Fatalf("%d files", len(files))
	}
	path := filepath.Join(dir, files[0].Name())
	if st, err := os.Stat(path); err != nil || st.Mode().Perm() != 0o600 {
		t.Errorf("%v, %v", st.Mode(), err)
	}
	f, err := os.OpenFile(path, os.O_WRONLY, 0)
	if err != nil {
		t.Fatal(err)
	}
	f.WriteAt([]byte("scribble"), 4*int64(len(want[0]))+100)
	f.Close()
	if d.read("clip", clip, 4) != nil || d.has("clip", 4) {
		t.Error("a frame that was written over is taken for what it was")
	}
	if d.read("clip", clip, 3) == nil {
		t.Error("its neighbour is gone")
	}
	os.Truncate(path, 10)
	if d.read("clip", clip, 90) != nil {
		t.Error("a frame that is not there any more is")
	}
	keep(4)
	d.close()
	d, err = NewDisk(dir, 1<<30, func() (int64, error) { return free, nil })
	if err != nil {
		t.Fatal(err)
	}
	for f, there := range map[int]bool{3: false, 4: true, 5: false, 90: false} { // cut above, kept again, never kept, cut
		if p := d.read("clip", clip, f); (p != nil) != there || there && !bytes.Equal(p.Data, want[f]) {
			t.Errorf("frame %d in another run: %v", f, p != nil)
		}
	}
	free = 0
	keep(50)
	if d.has("clip", 50) || !d.refused("clip", 50) {
		t.Error("a frame was written to a full disk")
	}
	clip.Sums = nil // not known yet: nothing is kept
	free = 1 << 40
	d.write("clip", clip, 60, frame.New(clip.Info.Format(), nil))
	if d.has("clip", 60) {
		t.Error("a frame without a checksum was kept")
	}
}

// Nothing is decoded for who does not wait any more.
func TestNobodyWaitsNothingIsDecoded(t *testing.T) {
	clip, want := footage(t)
	b := budget.New(budget.Least)
	c := NewFrames(b, nil)
	defer c.Close()
	// While the decoders are kept busy elsewhere, requests come and are withdrawn.
	busy, err := b.Decoding.Hold(context.Background(), budget.Now, 1<<40)
	if err != nil {
		t.Fatal(err)
	}
	gone, cancel := context.WithCancel(context.Background())
	var wg sync.WaitGroup
	for f := 140; f > 20; f -= 20 {
		wg.Go(func() {
			if _, err := c.Get(gone, budget.Now, "clip", clip, f); !errors.Is(err, context.Canceled) {
				t.Errorf("frame %d: %v", f, err)
			}
		})
	}
	waiting := func() int {
		c.mu.Lock()
		defer c.mu.Unlock()
		if s := c.streams["clip"]; s != nil {
			return len(s.wants)
		}
		return 0
	}
	for waiting() < 6 {
		time.Sleep(time.Millisecond)
	}
	cancel()
	wg.Wait()
	busy()
	if p, err := c.Get(context.Background(), budget.Later, "clip", clip, 3); err != nil || !bytes.Equal(p.Data, want[3]) {
		t.Fatal(err)
	}
	for f := 140; f > 20; f -= 20 {
		if c.AtHand("clip", f) != nil {
			t.Errorf("frame %d was decoded though nobody waited", f)
		}
	}
}
