package media

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"

	"celator/core/cadence"
	"celator/core/cover"
	"celator/core/frame"
)

// makeFieldViews is MakeViews for pictures that are woven of fields: what is shown of a
// field is made of its own lines alone, just as what covers do to it is.
func makeFieldViews(ctx context.Context, c Clip, dir string, progress func(done int)) (s Seen, err error) {
	c.Sums = nil
	if err := os.MkdirAll(c.Info.viewDir(dir), 0o700); err != nil {
		return s, err
	}
	if err := present(c.Path); err != nil {
		return s, err
	}
	r, err := c.Open(ctx, 0, -1)
	if err != nil {
		return s, err
	}
	defer r.Close()
	var film cadence.Finder
	if s.Sums, err = c.seeFields(ctx, r, dir, 0, -1, &film, progress); err != nil {
		return s, err
	}
	if len(s.Sums) == 0 {
		return s, unusable("it has no frames")
	}
	if err := c.complete(ctx, len(s.Sums), r.proc); err != nil {
		return s, err
	}
	s.Cadence = film.Found()
	return s, SaveSums(filepath.Join(dir, "frames.sum"), s.Sums)
}

// seeFields reads the frames that a reader gives, the first of which is frame first: it returns their checksums, shows
// them to film, and writes views of their fields, of a long clip those of one frame a second up to a last one, of all
// where that is below 0.
func (c Clip) seeFields(ctx context.Context, r *Reader, dir string, first, last int, film *cadence.Finder,
	progress func(done int),
) (sums []uint32, err error) {
	info := c.ByField().Info
	every := 1
	names := viewArgs(info, info.viewDir(dir), 2*first, "")
	if c.Info.Long() {
		every = c.Info.StillEvery()
		from := (first + every - 1) / every * every
		names = byTime(viewArgs(info, info.viewDir(dir), 0, fmt.Sprintf(
			"settb=%d/%d,setpts=%d+floor(N/2)*%d+mod(N\\,2),", info.Rate.Den, info.Rate.Num, 2*from, 2*every)))
	}
	w, err := pipeViews(ctx, info, names)
	if err != nil {
		return nil, err
	}
	defer w.Abort()
	pic, field := frame.New(info.Format(), nil), frame.New(info.Format(), nil)
	for {
		if err := r.Read(pic); errors.Is(err, io.EOF) {
			return sums, w.Close()
		} else if err != nil {
			return nil, err
		}
		f := first + len(sums)
		sums = append(sums, sum(info.pack(pic.Data)))
		film.Add(pic)
		for _, which := range pic.Fields() {
			if f%every != 0 || last >= 0 && f > last {
				break
			}
			field.TakeField(which, pic)
			if err := w.Write(field.Data); err != nil {
				return nil, fmt.Errorf("media: views of fields: %w", err)
			}
		}
		if progress != nil {
			progress(len(sums))
		}
	}
}

// makeFieldPiece is makePiece of pictures that are woven of fields.
func (c Clip) makeFieldPiece(ctx context.Context, dir string, number int, p cover.Span, frames int,
	progress func(done int),
) error {
	part := fmt.Sprintf("%s.%d.part", pieceFile(dir, number), os.Getpid())
	defer os.Remove(part)
	proc, err := watched(ctx, c.counted(p.First, 1, part), nil) // the first one's time, which a reader does not tell
	if err != nil {
		return undecoded(ctx, err, "its pictures cannot be decoded")
	}
	if err := proc.landed(p.First); err != nil {
		return err
	}
	begin, err := readSums(part)
	if err == nil {
		err = c.beginsAt(part, p.First)
	}
	if err != nil {
		return err
	}
	last := -1
	if frames >= 0 {
		last = p.First + frames - 1
	}
	r, err := c.open(ctx, p.First, last, p.First > 0)
	if err != nil {
		return err
	}
	defer r.Close()
	var film cadence.Finder
	sums, err := c.seeFields(ctx, r, dir, p.First, p.Last, &film, progress)
	if err != nil {
		return err
	}
	if err := r.proc.landed(p.First); err != nil {
		return err
	}
	if len(sums) == 0 || len(begin) == 0 || sums[0] != begin[0] {
		return fmt.Errorf("%w %d: it begins with another picture", ErrLanding, p.First)
	}
	if err := os.WriteFile(part, film.Marks(), 0o600); err != nil {
		return err
	}
	if err := os.Rename(part, marksFile(dir, number)); err != nil {
		return err
	}
	if err := SaveSums(part, sums); err != nil {
		return err
	}
	return os.Rename(part, pieceFile(dir, number))
}

// marksFile holds what cadence noted of a piece's frames, and of the first of the next.
func marksFile(dir string, number int) string { return pieceFile(dir, number) + ".marks" }

// joinMarks joins what was noted of the frames of all pieces: of each one's first frame the piece before knows.
func joinMarks(dir string, pieces int) (all []byte, err error) {
	for n := range pieces {
		marks, err := os.ReadFile(marksFile(dir, n))
		if err != nil {
			return nil, err
		}
		all = append(all, marks[min(n, 1, len(marks)):]...)
	}
	return all, nil
}
