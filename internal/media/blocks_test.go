package media

import (
	"bytes"
	"context"
	"os"
	"path/filepath"
	"testing"
	"time"

	"celator/core/cover"
)

// Of a long source a view of each second is made at first and others when they are looked at: the same, to the byte
// but for the coder, as if all had been made; the oldest go when they take too much.
//
// Long: one scenario, told from its beginning to its end.
func TestBlocks(t *testing.T) {
	ctx := context.Background()
	for _, woven := range []bool{false, true} {
		path := filepath.Join(t.TempDir(), "long.mov")
		args := []string{"-f", "lavfi", "-i", "testsrc2=size=64x36:rate=25:duration=610", "-c:v", "mjpeg", "-q:v", "6"}
		if woven {
			args = []string{
				"-f", "lavfi", "-i", "testsrc2=size=64x36:rate=50:duration=610", "-vf", "tinterlace=interleave_top", "-c:v",
				"mpeg2video", "-flags", "+ildct+ilme+cgop", "-sc_threshold", "1000000000", "-g", "12", "-top", "1",
			}
		}
		if err := Run(ctx, append(args, path), nil); err != nil {
			t.Fatal(err)
		}
		info, err := Probe(ctx, path)
		if err != nil || !info.Long() || (info.First() != "") != woven {
			t.Fatalf("long: %v, %q, %v", info.Long(), info.First(), err)
		}
		dir := t.TempDir()
		c := Clip{Path: path, Info: info}
		seen, err := MakeViews(ctx, c, dir, nil)
		if err != nil || len(seen.Sums) != 15250 {
			t.Fatalf("%d frames, %v", len(seen.Sums), err)
		}
		c.Sums = seen.Sums
		stills, _ := os.ReadDir(info.viewDir(dir))
		each := len(info.Format().Fields())
		if len(stills) != 610*each {
			t.Fatalf("%d stills", len(stills))
		}
		if _, err := os.Stat(View(dir, 8127)); err == nil {
			t.Fatal("a view is there that nobody looked at")
		}
		if n := info.StillNear(8127); n != 8125 {
			t.Errorf("the still near frame 8127 is %v", n)
		}
		if err := MakeBlock(ctx, c, dir, 8100, 8199); err != nil {
			t.Fatal(err)
		}
		// The still was made in one way, and the block in another: they show the same.
		other := t.TempDir()
		if err := MakeBlock(ctx, c, other, 8125, 8130); err != nil {
			t.Fatal(err)
		}
		for f := cover.Time(8125); f <= 8130; f++ {
			a, err := os.ReadFile(View(dir, f))
			if err != nil {
				t.Fatal(err)
			}
			b, err := os.ReadFile(View(other, f))
			if err != nil || !bytes.Equal(a, b) {
				t.Errorf("frame %v differs in another block, %v", f, err)
			}
			if woven {
				a, err = os.ReadFile(View(dir, f+.5))
				if err != nil || bytes.Equal(a, b) {
					t.Errorf("the second field of frame %v is the first, %v", f, err)
				}
			}
		}
		for f := cover.Time(8100); f < 8110; f++ { // looked at long ago
			old := time.Unix(1e9, 0)
			if err := os.Chtimes(View(dir, f), old, old); err != nil {
				t.Fatal(err)
			}
		}
		short := info
		short.Duration = 3 // as if little were allowed
		if freed, err := TrimBlocks(info, dir); err != nil || freed != 0 {
			t.Errorf("%d bytes of what is allowed went, %v", freed, err)
		}
		var all int64
		names, _ := os.ReadDir(info.viewDir(dir))
		for _, n := range names {
			st, _ := n.Info()
			all += st.Size()
		}
		short.Duration = float64(all) / 14 / blocksRate // about half of what the block takes
		writing := View(dir, 8103) + ".tmp"             // by a coder that still goes on
		if err := os.WriteFile(writing, make([]byte, 1<<20), 0o600); err != nil {
			t.Fatal(err)
		}
		if freed, err := TrimBlocks(short, dir); err != nil || freed == 0 {
			t.Errorf("%d bytes went, %v", freed, err)
		}
		if _, err := os.Stat(writing); err != nil {
			t.Error("a view went while it was written")
		}
		if _, err := os.Stat(View(dir, 8101)); err == nil {
			t.Error("the oldest stayed")
		}
		if _, err := os.Stat(View(dir, 8125)); err != nil {
			t.Error("a still went")
		}
	}
}
