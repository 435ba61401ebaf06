package media

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"hash/adler32"
	"image/color"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"celator/core/frame"
	"celator/core/timecode"
	"celator/internal/fault"
	"celator/internal/still"
)

// A still picture is a clip of one frame, which package still reads and writes.

// maxHead bounds what is read of a JPEG for its colour profile.
const maxHead = 16 << 20

// probeStill returns what a still is; ok is false for any other file.
func probeStill(ctx context.Context, path string, size int64) (info Info, ok bool, err error) {
	head, err := beginning(path)
	if err != nil {
		return info, false, err
	}
	if still.Kind(head) == "" {
		for _, u := range unread {
			if len(head) >= u.at+len(u.mark) && string(head[u.at:u.at+len(u.mark)]) == u.mark {
				return info, false, unusable("it is a picture in %s, which is not read; bring it in as PNG, TIFF or DPX", u.name)
			}
		}
		return info, false, nil
	}
	s, err := still.Probe(ctx, path)
	if err != nil {
		return info, true, stillError(ctx, err)
	}
	if err := s.Format.Validate(); err != nil {
		return info, true, unusable("%v", err)
	}
	return stillInfo(s, size), true, nil
}

// unread are kinds of stills that nothing here reads, by what their files have at a place.
var unread = []struct {
	at         int
	mark, name string
}{{4, "ftypheic", "HEIC"}, {4, "ftypheix", "HEIC"}, {0, "v/1\x01", "OpenEXR"}}

// stillError tells whose fault it is that a still cannot be read.
func stillError(ctx context.Context, err error) error {
	if err == nil || ctx.Err() != nil || fault.IsMachine(err) {
		return err
	}
	return unusable("%v", err)
}

// stillInfo describes a still as a clip of one frame.
func stillInfo(s still.Info, size int64) Info {
	f := s.Format
	i := Info{
		Container: s.Kind, Codec: s.Kind, Still: s.Kind, Width: f.Width, Height: f.Height, Depth: f.Depth, SubX: f.SubX,
		SubY:  f.SubY,
		Range: f.Range, Matrix: f.Matrix, Rate: timecode.Rate{Num: 25, Den: 1}, Indexed: true, Frames: 1, Pixel: Ratio{1, 1},
		Field: "progressive", Duration: 1. / 25, Size: size, PixFmt: "gbrp",
	}
	if f.Matrix != frame.RGB {
		i.PixFmt = map[[2]int]string{{0, 0}: "yuvj444p", {1, 0}: "yuvj422p", {1, 1}: "yuvj420p"}[[2]int{f.SubX, f.SubY}]
	} else if f.Depth == 16 {
		i.PixFmt = "gbrp16le"
	}
	return i
}

// openStill reads the picture of a still.
func (c Clip) openStill(ctx context.Context) (*frame.Picture, error) {
	var b bytes.Buffer
	b.Grow(c.Info.Format().Size() + bytes.MinRead)
	if err := still.Planes(ctx, c.Path, &b); err != nil {
		return nil, stillError(ctx, err)
	}
	if b.Len() != c.Info.Format().Size() {
		return nil, unusable("the picture is not what it was")
	}
	return frame.New(c.Info.Format(), b.Bytes()), nil
}

// makeStillView writes the still's view frame and its checksum.
func makeStillView(ctx context.Context, c Clip, dir string) ([]uint32, error) {
	w, h := c.Info.ViewSize()
	view, err := still.View(ctx, c.Path, w, h)
	if err != nil {
		return nil, stillError(ctx, err)
	}
	path := View(dir, 0)
	if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
		return nil, err
	}
	if err := os.WriteFile(path, view, 0o600); err != nil {
		return nil, err
	}
	a := adler32.New()
	if err := still.Planes(ctx, c.Path, a); err != nil {
		return nil, stillError(ctx, err)
	}
	sums := []uint32{framecrc(a.Sum32(), c.Info.Format().Size())}
	return sums, SaveSums(filepath.Join(dir, "frames.sum"), sums)
}

// WriteStill writes the still at path source with the samples of pic where the matte is
// above 0, in the same kind of file: a PNG or TIFF exactly, a JPEG encoded anew at the
// highest quality.
func WriteStill(ctx context.Context, source string, pic *frame.Picture, matte frame.Plane, out string) error {
	f, err := os.Create(out)
	if err != nil {
		return err
	}
	head, err := beginning(source)
	if err != nil {
		f.Close()
		return err
	}
	if still.Kind(head) == "jpeg" {
		err = encodeJPEG(ctx, source, pic, f)
	} else {
		err = stillError(ctx, still.Write(ctx, source, pic, matte, f))
	}
	return errors.Join(err, f.Close())
}

// WriteStillMatte writes a matte as a grey PNG.
func WriteStillMatte(m frame.Plane, out string) error {
	f, err := os.Create(out)
	if err != nil {
		return err
	}
	return errors.Join(still.EncodeMatte(f, m), f.Close())
}

// encodeJPEG has ffmpeg encode the samples, since the standard library's encoder
// knows 4:2:0 only.
func encodeJPEG(ctx context.Context, source string, pic *frame.Picture, w io.Writer) error {
	format := stillInfo(still.Info{Kind: "jpeg", Format: pic.Format}, 0).PixFmt
	data := pic.Data
	if pic.Matrix == frame.RGB { // turned upright, or of an odd subsampling
		format = "yuvj444p"
		ycc := frame.New(frame.Format{
			Width: pic.Width, Height: pic.Height, Depth: 8, Range: frame.Full,
			Matrix: frame.BT601,
		}, nil)
		for y := range pic.Height {
			g, b, r := pic.Row(0, y, 0, pic.Width), pic.Row(1, y, 0, pic.Width), pic.Row(2, y, 0, pic.Width)
			for x := range pic.Width {
				ycc.Row(0, y, x, x+1)[0], ycc.Row(1, y, x, x+1)[0], ycc.Row(2, y, x, x+1)[0] = color.RGBToYCbCr(r[x], g[x], b[x])
			}
		}
		data = ycc.Data
	}
	args := []string{
		"-nostdin", "-v", "error", "-f", "rawvideo", "-pix_fmt", format, "-s", fmt.Sprintf("%dx%d", pic.Width, pic.Height),
		"-i", "pipe:0",
		"-c:v", "mjpeg", "-pix_fmt", format, "-qmin", "1", "-q:v", "1", "-huffman", "optimal", "-f", "mjpeg", "pipe:1",
	}
	var out bytes.Buffer
	p, err := start(ctx, "ffmpeg", args, bytes.NewReader(data), &out)
	if err != nil {
		return err
	}
	if err := p.wait(); err != nil {
		return fmt.Errorf("media: the picture cannot be encoded: %w", err)
	}
	b := out.Bytes()
	if len(b) < 2 {
		return errors.New("media: the encoder gave no picture")
	}
	was, err := readHead(source)
	if err != nil {
		return err
	}
	// The colour profile goes in front of everything but the beginning.
	whole := slices.Clone(b[:2])
	for _, seg := range still.JPEGSegments(was, 0xe2) {
		if bytes.HasPrefix(seg, []byte("ICC_PROFILE\x00")) {
			whole = append(whole, 0xff, 0xe2, byte((len(seg)+2)>>8), byte(len(seg)+2))
			whole = append(whole, seg...)
		}
	}
	_, err = w.Write(append(whole, b[2:]...))
	return err
}

// beginning reads a file's first bytes, which tell its kind.
func beginning(path string) ([]byte, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	head := make([]byte, 12)
	n, err := io.ReadFull(f, head)
	if errors.Is(err, io.ErrUnexpectedEOF) || errors.Is(err, io.EOF) {
		err = nil
	}
	return head[:n], err
}

func readHead(path string) ([]byte, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	return io.ReadAll(io.LimitReader(f, maxHead))
}

// StillPreset is how a still of a kind is delivered.
func StillPreset(kind string) Preset {
	return Preset{
		Name: "still", Title: "Still picture, " + strings.ToUpper(kind) + " as the source", Still: true,
		Lossless: kind != "jpeg",
		Ending:   map[string]string{"png": ".png", "jpeg": ".jpg", "tiff": ".tif"}[kind],
	}
}
