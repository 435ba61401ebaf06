package intake

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"time"
)

// SumEnding and ReceiptEnding are those of the files beside one in the watched folder. The sum is as sha256sum
// writes it, and is written last.
const (
	SumEnding     = ".sha256"
	ReceiptEnding = ".receipt.json"
)

// looking is how often the watched folder is looked at.
const looking = 500 * time.Millisecond

// Watch takes files from the watched folder until ctx ends.
func (in *Intake) Watch(ctx context.Context) {
	for ctx.Err() == nil {
		sums, _ := filepath.Glob(filepath.Join(in.dir, "watch", "*"+SumEnding))
		for _, sum := range sums {
			if err := in.take(ctx, sum); err != nil && ctx.Err() == nil {
				in.log.Warn("the watched folder", "file", filepath.Base(sum), "error", err)
			}
		}
		select {
		case <-ctx.Done():
		case <-time.After(looking):
		}
	}
}

// take judges the file that a sum stands beside. The receipt is written before the sum goes, so that an intake
// that is ended in between looks again.
func (in *Intake) take(ctx context.Context, sum string) error {
	path := strings.TrimSuffix(sum, SumEnding)
	b, err := os.ReadFile(sum)
	if err != nil {
		return err
	}
	promised, _, _ := strings.Cut(strings.TrimSpace(string(b)), " ")
	r, err := in.judge(ctx, path, filepath.Base(path), promised)
	if _, e := ReadReceipt(path + ReceiptEnding); errors.Is(err, os.ErrNotExist) && e == nil { // judged, then ended
		return os.Remove(sum)
	}
	if err == nil {
		err = write(path+ReceiptEnding, r)
	}
	if err == nil {
		err = os.Remove(sum)
	}
	return err
}
