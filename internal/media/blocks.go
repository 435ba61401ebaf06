package media

import (
	"context"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"path/filepath"
	"sort"

	"celator/core/cover"
	"celator/core/frame"
)

// A view of every frame takes some 100 MB for a minute of noisy 1080p, and making it most of an import. So of what
// is long only a still is kept of every second; other views are made when somebody looks, in blocks, and the
// oldest of them go when they take more than blocksRate.
const (
	longFrom   = 600       // seconds
	blocksRate = 40e6 / 60 // bytes a second of the source
	// Block is how many frames are made into views at a time: a look lasts for some seconds.
	Block = 100
)

// Long reports whether the views of a clip are made when they are looked at.
func (i Info) Long() bool { return i.Still == "" && i.Duration > longFrom }

// StillEvery is of how many frames one has a view from the start, where the clip is long.
func (i Info) StillEvery() int { return max(int(math.Round(i.Rate.Float())), 1) }

// BlockSize is about how many bytes a block takes.
func (i Info) BlockSize() int64 {
	w, h := i.ViewSize()
	return Block * int64(len(i.Format().Fields())) * int64(w*h) / 6
}

// BlocksSize is how many bytes the views may take, with those that are made when they are looked at.
func (i Info) BlocksSize() int64 { return int64(i.Duration * blocksRate) }

// byTime names views by their times, which are the numbers.
func byTime(args []string) []string {
	n := len(args) - 1
	return append(append([]string{}, args[:n]...), "-frame_pts", "1", args[n])
}

// stillArgs are the options that write a view of one frame a second; the first picture that comes is frame first.
func stillArgs(i Info, folder string, first int) []string {
	choose := fmt.Sprintf("settb=%d/%d,setpts=N+%d,select=not(mod(pts\\,%d)),", i.Rate.Den, i.Rate.Num, first,
		i.StillEvery())
	return byTime(viewArgs(i, folder, 0, choose))
}

// pipeViews writes the pictures that are piped to it as views.
func pipeViews(ctx context.Context, info Info, names []string) (*Writer, error) {
	args := append([]string{"-nostdin", "-v", "error", "-y"}, raw(info, info.Format(), info.workedOn())...)
	return pipeTo(ctx, append(append(args, "-map", "0:v"), names...))
}

// MakeBlock writes the views of some frames of a clip whose checksums are known, into the source's folder. They
// appear one by one, whole.
func MakeBlock(ctx context.Context, c Clip, dir string, first, last int) error {
	info, each := c.Info, 1
	woven := info.First() != ""
	if woven {
		info, each = c.ByField().Info, 2
	}
	if err := os.MkdirAll(info.viewDir(dir), 0o700); err != nil {
		return err
	}
	r, err := c.Open(ctx, first, last)
	if err != nil {
		return err
	}
	defer r.Close()
	w, err := pipeViews(ctx, info, viewArgs(info, c.Info.viewDir(dir), first*each, ""))
	if err != nil {
		return err
	}
	defer w.Abort()
	pic, field := frame.New(c.Info.Format(), nil), frame.New(info.Format(), nil)
	for {
		if err := r.Read(pic); errors.Is(err, io.EOF) {
			return w.Close()
		} else if err != nil {
			return err
		}
		if !woven {
			if err := w.Write(pic.Data); err != nil {
				return err
			}
			continue
		}
		for _, f := range pic.Fields() {
			field.TakeField(f, pic)
			if err := w.Write(field.Data); err != nil {
				return err
			}
		}
	}
}

// StillNear is the view from the start that is nearest before a time of a long clip.
func (i Info) StillNear(t cover.Time) cover.Time {
	return cover.Time(t.Frame() - t.Frame()%i.StillEvery())
}

// TrimBlocks takes the oldest views of a long clip away, all but the stills, until all take no more than they may. It
// returns how many bytes that were.
func TrimBlocks(i Info, dir string) (freed int64, err error) {
	views := i.viewDir(dir)
	list, err := os.ReadDir(views)
	if err != nil {
		return 0, err
	}
	each := len(i.Format().Fields())
	type view struct {
		name string
		at   int64
		size int64
	}
	var all []view
	var total int64
	for _, e := range list {
		var n int
		if _, err := fmt.Sscanf(e.Name(), "%d", &n); err != nil || e.Name() != viewName(n) {
			continue // it is being written
		}
		st, err := e.Info()
		if err != nil {
			continue // it went meanwhile
		}
		total += st.Size()
		if n/each%i.StillEvery() != 0 {
			all = append(all, view{e.Name(), st.ModTime().UnixNano(), st.Size()})
		}
	}
	sort.Slice(all, func(a, b int) bool { return all[a].at < all[b].at })
	for _, v := range all {
		if total-freed <= i.BlocksSize() {
			break
		}
		if err := os.Remove(filepath.Join(views, v.name)); err != nil && !errors.Is(err, os.ErrNotExist) {
			return freed, err
		}
		freed += v.size
	}
	return freed, nil
}
