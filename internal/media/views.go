package media

import (
	"bufio"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	"celator/core/cadence"
	"celator/core/cover"
	"celator/core/frame"
)

// ViewWidth is the largest width of a view frame.
const ViewWidth = 1280

// ViewSize is the size of the view frames: square pixels, at most ViewWidth
// wide.
func (i Info) ViewSize() (w, h int) {
	dw := float64(i.Width) * float64(i.Pixel.Num) / float64(i.Pixel.Den)
	s := math.Min(1, ViewWidth/dw)
	return max(int(math.Round(dw*s)), 1), max(int(math.Round(float64(i.Height)*s)), 1)
}

// viewDir is the folder of a source's views: of frames, or of fields where pictures are woven,
// each of which has a view of its own.
func (i Info) viewDir(dir string) string {
	if i.First() == "" {
		return filepath.Join(dir, "views")
	}
	return filepath.Join(dir, "fields")
}

// View is the file of what is shown of a source at a time, in the source's folder: of a frame or,
// where there are views of fields, of one of those.
func View(dir string, t cover.Time) string {
	field := filepath.Join(dir, "fields", viewName((2 * t).Frame()))
	if _, err := os.Stat(field); err == nil {
		return field
	}
	return filepath.Join(dir, "views", viewName(t.Frame()))
}

// RemoveViews takes all views, and what is heard, away from a source's folder.
func RemoveViews(dir string) error {
	return errors.Join(os.RemoveAll(filepath.Join(dir, "views")), os.RemoveAll(filepath.Join(dir, "fields")),
		os.RemoveAll(filepath.Join(dir, "sound")))
}

func viewName(n int) string { return fmt.Sprintf("%07d.jpg", n) }

// Seen is what decoding a whole clip tells: its frames' checksums, and where woven pictures were
// telecined.
type Seen struct {
	Sums    []uint32
	Cadence []cadence.Stretch
}

// MakeViews decodes the whole clip once, writes a view (View) of every
// frame or field, and returns what it saw. Views appear one by one, whole, and
// can be used while it runs; progress is told the number done. A clip with
// fewer frames than its packets promise, or that cannot be decoded to its end,
// is refused with an error that wraps ErrUnusable.
func MakeViews(ctx context.Context, c Clip, dir string, progress func(done int)) (Seen, error) {
	if c.Info.First() != "" && c.Info.Still == "" {
		return makeFieldViews(ctx, c, dir, progress)
	}
	sums, err := makeViews(ctx, c, dir, progress)
	return Seen{Sums: sums}, err
}

func makeViews(ctx context.Context, c Clip, dir string, progress func(done int)) ([]uint32, error) {
	views := c.Info.viewDir(dir)
	if err := os.MkdirAll(views, 0o700); err != nil {
		return nil, err
	}
	if err := present(c.Path); err != nil {
		return nil, err
	}
	if c.Info.Still != "" {
		return makeStillView(ctx, c, dir)
	}
	sums := filepath.Join(dir, "frames.txt")
	args := append(input(c.Path), "-map", "0:v:0", "-an")
	args = append(args, c.Info.counting()...)
	args = append(args, "-c:v", "rawvideo", "-pix_fmt", c.Info.PlanarFormat(), "-f", "framecrc", "file:"+sums,
		"-map", "0:v:0", "-an")
	if c.Info.Long() {
		args = append(args, stillArgs(c.Info, views, 0)...)
	} else {
		args = append(args, viewArgs(c.Info, views, 0, "")...)
	}
	p, err := watched(ctx, args, progress)
	if err != nil {
		return nil, undecoded(ctx, err, "its pictures cannot be decoded")
	}
	crcs, err := readSums(sums)
	if err != nil {
		return nil, err
	}
	if len(crcs) == 0 {
		return nil, unusable("it has no frames")
	}
	if err := c.complete(ctx, len(crcs), p); err != nil {
		return nil, err
	}
	os.Remove(sums)
	return crcs, SaveSums(filepath.Join(dir, "frames.sum"), crcs)
}

// complete returns an error unless all frames were decoded, as the decoder says.
func (c Clip) complete(ctx context.Context, frames int, p *process) error {
	if f := p.errs.fault(); f != nil { // it went on, but what it wrote is not whole
		return f
	}
	if spoilt := p.errs.damaged(); spoilt || !c.Info.Variable && frames < c.Info.Frames {
		where := ""
		if spoilt {
			where = damagedAt(ctx, c.Path)
		}
		return damaged("%s: %d of %d frames could be read (%s)", where, frames, c.Info.Frames,
			p.errs.last())
	}
	return nil
}

// viewArgs are the options that write views of pictures into a folder, the first of them by a number; choose are
// filters that go before.
func viewArgs(i Info, folder string, first int, choose string) []string {
	w, h := i.ViewSize()
	return []string{
		"-vsync", "passthrough", "-vf", choose + viewFilters(i, w, h), "-q:v", "3", "-huffman", "default", "-f", "image2",
		"-atomic_writing", "1", "-start_number", strconv.Itoa(first),
		"file:" + filepath.Join(strings.ReplaceAll(folder, "%", "%%"), "%07d.jpg"),
	}
}

// viewFilters makes of a source's pictures what browsers take a JPEG for:
// full-range BT.601. (The colorspace filter changes only the matrix here; it is
// several times faster than the scaler at that.)
func viewFilters(i Info, w, h int) string {
	if i.rgb() {
		return fmt.Sprintf("scale=%d:%d:flags=bicubic:out_color_matrix=bt601:out_range=pc,format=yuvj420p", w, h)
	}
	f := fmt.Sprintf("scale=%d:%d:flags=bicubic:in_range=%s:out_range=tv,format=yuv420p|yuv420p10le|yuv420p12le", w, h,
		i.Range)
	if i.Matrix != frame.BT601 {
		space := map[frame.Matrix]string{frame.BT709: "bt709", frame.BT2020: "bt2020ncl"}[i.Matrix]
		f += ",colorspace=ispace=" + space + ":space=smpte170m:iprimaries=bt709:primaries=bt709:itrc=bt709:trc=bt709" +
			":irange=tv:range=pc:format=yuv420p,scale=in_range=pc:out_range=pc"
	} else {
		f += ",scale=in_range=tv:out_range=pc"
	}
	if i.Variable {
		f = "fps=fps=" + i.Rate.String() + ":round=near," + f
	}
	return f + ",format=yuvj420p"
}

func readSums(path string) ([]uint32, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	return parseSums(f)
}

// parseSums reads what ffmpeg's framecrc writes.
func parseSums(r io.Reader) ([]uint32, error) {
	var crcs []uint32
	sc := bufio.NewScanner(r)
	for sc.Scan() {
		line := sc.Text()
		if strings.HasPrefix(line, "#") {
			continue
		}
		v, err := strconv.ParseUint(strings.TrimPrefix(strings.TrimSpace(line[strings.LastIndex(line, ",")+1:]), "0x"),
			16, 32)
		if err != nil {
			return nil, fmt.Errorf("media: framecrc line %q", line)
		}
		crcs = append(crcs, uint32(v))
	}
	return crcs, sc.Err()
}

// Summed returns the clip with its frames' checksums, for which it is decoded once: readers can then jump into it.
// A clip that has them already is returned as it is.
func (c Clip) Summed(ctx context.Context) (Clip, error) {
	if len(c.Sums) > 0 || c.Info.Still != "" || c.Info.holds != nil {
		return c, nil
	}
	args := append([]string{"-nostdin", "-v", "error"}, input(c.Path)...)
	args = append(append(args, "-map", "0:v:0", "-an"), c.Info.counting()...)
	p, out, err := pipeFrom(ctx, append(args, "-c:v", "rawvideo", "-pix_fmt", c.Info.PlanarFormat(), "-f", "framecrc",
		"pipe:1"))
	if err != nil {
		return c, err
	}
	defer out.Close()
	sums, err := parseSums(out)
	if werr := p.wait(); werr != nil {
		return c, undecoded(ctx, werr, "its pictures cannot be decoded")
	}
	if err == nil {
		err = c.complete(ctx, len(sums), p)
	}
	c.Sums = sums
	return c, err
}

// SaveSums writes frame checksums, four bytes each, little endian.
func SaveSums(path string, sums []uint32) error {
	b := make([]byte, 0, 4*len(sums))
	for _, s := range sums {
		b = binary.LittleEndian.AppendUint32(b, s)
	}
	return os.WriteFile(path, b, 0o600)
}

// LoadSums reads what SaveSums wrote.
func LoadSums(path string) ([]uint32, error) {
	b, err := os.ReadFile(path)
	if err != nil {
		return nil, err
	}
	if len(b)%4 != 0 {
		return nil, fmt.Errorf("media: %s is cut", filepath.Base(path))
	}
	sums := make([]uint32, len(b)/4)
	for i := range sums {
		sums[i] = binary.LittleEndian.Uint32(b[4*i:])
	}
	return sums, nil
}

// Conform writes a lossless copy of the clip's pictures at its constant rate, in
// which every frame can be reached, and returns the copy as a clip. The sound
// stays with the source.
func Conform(ctx context.Context, c Clip, path string, progress func(done int)) (Clip, error) {
	if err := present(c.Path); err != nil {
		return Clip{}, err
	}
	if c.Info.Variable || c.Info.Skipped {
		return conformVariable(ctx, c, path, progress)
	}
	args := append(input(c.Path), "-map", "0:v:0", "-an", "-vsync", "passthrough")
	// Every picture is kept, in the place its number gives it.
	filter := fmt.Sprintf("settb=%d/%d,setpts=N", c.Info.Rate.Den, c.Info.Rate.Num)
	if c.Info.Range == frame.Full { // relabelled, not converted
		filter += ",scale=in_range=pc:out_range=pc"
	}
	args = append(append(args, "-vf", filter), c.Info.conformedAs(path)...)
	p, err := watched(ctx, args, progress)
	if err != nil {
		return Clip{}, undecoded(ctx, err, "it cannot be conformed to a constant rate")
	}
	if f := p.errs.fault(); f != nil {
		return Clip{}, f
	}
	if p.errs.damaged() {
		return Clip{}, damaged("%s (%s)", damagedAt(ctx, c.Path), p.errs.last())
	}
	return conformed(ctx, c.Info, path)
}

// conformedAs are the options that write a conformed copy.
func (i Info) conformedAs(path string) []string {
	return []string{
		"-c:v", "ffv1", "-level", "3", "-g", "1", "-slices", i.slices(), "-pix_fmt", i.lossless(), "-f", "nut",
		"file:" + path,
	}
}

// conformed is the copy as a clip.
func conformed(ctx context.Context, info Info, path string) (Clip, error) {
	copyInfo, err := Probe(ctx, path)
	if err != nil {
		return Clip{}, err
	}
	// What people are told stays that of the source.
	info.holds = nil
	was := info.Lead
	info.Variable, info.Indexed, info.Rotation, info.Lead = false, true, 0, copyInfo.Lead
	info.Moved = was - copyInfo.Lead // the sound stays with the source
	info.PixFmt, info.Frames, info.Duration = copyInfo.PixFmt, copyInfo.Frames, float64(copyInfo.Frames)/info.Rate.Float()
	return Clip{Path: path, Info: info}, nil
}

// ViewsSize is about how many bytes a clip's view frames and its sound take, and
// ConformedSize about how many its lossless copy does: FFV1 packs to half at best of what noisy footage has.
func ViewsSize(i Info) int64 {
	w, h := i.ViewSize()
	all := int64(i.Frames) * int64(len(i.Format().Fields())) * int64(w*h) / 6
	if i.Long() {
		all = all/int64(i.StillEvery()) + i.BlocksSize()
	}
	return all + soundSize(i)
}

// ConformedSize: see ViewsSize.
func ConformedSize(i Info) int64 { return int64(i.Frames) * int64(i.Format().Size()) * 2 / 3 }
