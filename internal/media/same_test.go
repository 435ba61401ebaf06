package media

import (
	"context"
	"math/rand"
	"slices"
	"strings"
	"testing"
)

// Closed groups begin with key pictures before which nothing is shown that comes after them, whatever the order;
// where every picture is a key there is nothing to list.
func TestGroups(t *testing.T) {
	rng := rand.New(rand.NewSource(18))
	for range 200 {
		var pts []int64
		var keys []bool
		var want []int
		shown := 0
		for g := range 2 + rng.Intn(6) {
			open, length := g > 0 && rng.Intn(2) == 0, 4+rng.Intn(9)
			first := 0
			if open { // two pictures are shown before the key, and come after it
				first = 2
			} else {
				want = append(want, shown)
			}
			order := []int{first}
			for i := range length {
				if i != first {
					order = append(order, i)
				}
			}
			for k, i := range order {
				pts, keys = append(pts, int64(shown+i)*3600+77), append(keys, k == 0)
			}
			shown += length
		}
		if got := groups(pts, keys); !slices.Equal(got, want) {
			t.Fatalf("%v, not %v, of %v %v", got, want, pts, keys)
		}
	}
	if got := groups([]int64{0, 1, 2}, []bool{true, true, true}); got != nil {
		t.Errorf("all keys: %v", got)
	}
}

// What an edit list hides is not copied: such a file is not delivered as it is, and that is said.
func TestHiddenPicturesAreNotCopied(t *testing.T) {
	whole := ffmpeg(t, "whole.mov", "-f", "lavfi", "-i", pattern, "-c:v", "mpeg2video", "-g", "12", "-bf", "0")
	if i := probe(t, whole); i.Coded.Hidden {
		t.Error("a whole file hides nothing")
	} else if _, err := i.Same(); err != nil {
		t.Error(err)
	}
	late := probe(t, ffmpeg(t, "late.mov", "-ss", "1.1", "-i", whole, "-c", "copy"))
	if _, err := late.Same(); !late.Coded.Hidden || err == nil || !strings.Contains(err.Error(), "as they come") {
		t.Errorf("hidden %v: %v", late.Coded.Hidden, err)
	}
}

// Checksums of a clip by themselves are those that the making of its views finds.
func TestSummed(t *testing.T) {
	path := ffmpeg(t, "a.mkv", "-f", "lavfi", "-i", pattern, "-c:v", "ffv1", "-pix_fmt", "yuv422p10le")
	c := Clip{Path: path, Info: probe(t, path)}
	seen, err := MakeViews(context.Background(), c, t.TempDir(), nil)
	if err != nil {
		t.Fatal(err)
	}
	got, err := c.Summed(context.Background())
	if err != nil || !slices.Equal(got.Sums, seen.Sums) || len(got.Sums) != 75 {
		t.Errorf("%d checksums, %v", len(got.Sums), err)
	}
}
