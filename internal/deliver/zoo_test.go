package deliver

import (
	"context"
	"strings"
	"testing"

	"celator/internal/zoo"
)

// Files of the kinds that arrive come out of an archive as they went in, by what tools that are
// not ours find in both; what is broken is refused in words.
func TestZoo(t *testing.T) {
	ctx := context.Background()
	n := 0
	for _, k := range zoo.Kinds {
		if !k.Few {
			continue
		}
		n++
		t.Run(k.Name, func(t *testing.T) {
			path, err := zoo.Make(t.TempDir(), k)
			if err != nil {
				t.Fatal(err)
			}
			j, p, err := Trial(ctx, path, t.TempDir(), "archive")
			if k.Refused != "" {
				if err == nil || !strings.Contains(err.Error(), k.Refused) {
					t.Fatalf("it is refused by %v, not %q", err, k.Refused)
				}
				return
			}
			if err != nil {
				t.Fatal(err)
			}
			if p.Touched != j.Clip.Info.Frames || p.Compared != j.Clip.Info.Frames {
				t.Errorf("of %d frames %d are covered and %d compared", j.Clip.Info.Frames, p.Touched, p.Compared)
			}
			a, err := zoo.Look(path)
			if err != nil {
				t.Fatal(err)
			}
			b, err := zoo.Look(j.Out)
			if err != nil {
				t.Fatal(err)
			}
			for _, lost := range zoo.Compare(a, b, j.Clip.Info.Variable) {
				t.Error(lost)
			}
		})
	}
	if n < 12 {
		t.Errorf("only %d kinds were tried", n)
	}
}
