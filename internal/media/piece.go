package media

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	"celator/core/cadence"
	"celator/core/cover"
)

// pieceFrames is how long the pieces are in which a long source is brought in: so many that leaping to one costs
// little of what decoding it does, and few enough that little is lost with a worker.
const pieceFrames = 3000

// Pieces are the frames of the pieces in which the clip is brought in; none where it is brought in in one piece:
// short, or not to be leaped into.
func (i Info) Pieces() (out []cover.Span) {
	leaps := i.Indexed && !i.Variable || i.Unproved() && i.Container == "mxf" // others without an index never reached
	if !i.Long() || !leaps {
		return nil
	}
	for first := 0; first < i.Frames; first += pieceFrames {
		out = append(out, cover.Span{First: first, Last: min(first+pieceFrames, i.Frames) - 1})
	}
	return out
}

// pieceFile holds the checksums of a piece, and that of the first frame of the next.
func pieceFile(dir string, number int) string {
	return filepath.Join(dir, "pieces", fmt.Sprintf("%05d.sum", number))
}

// MakePiece decodes one of the clip's pieces, and writes its frames' checksums and a still of each second into the
// source's folder. Where it began is told by the pictures' times, and proved by JoinPieces. ErrLanding says that
// the clip must be read in one piece: times do not lead to this one, or the decoder complains of what may be damage.
func (c Clip) MakePiece(ctx context.Context, dir string, number int, progress func(done int)) error {
	all := c.Info.Pieces()
	if number < 0 || number >= len(all) {
		return unusable("it has no piece %d", number)
	}
	p := all[number]
	views := c.Info.viewDir(dir)
	for _, d := range []string{views, filepath.Join(dir, "pieces")} {
		if err := os.MkdirAll(d, 0o700); err != nil {
			return err
		}
	}
	if err := present(c.Path); err != nil {
		return err
	}
	bring := c.makePiece
	if c.Info.First() != "" {
		bring = c.makeFieldPiece
	}
	frames := p.Last - p.First + 2 // and the first of the next
	if number == len(all)-1 {
		frames = -1 // to the end, whatever was promised
	}
	return bring(ctx, dir, number, p, frames, progress)
}

// makePiece is MakePiece of whole pictures: so many frames, below 0 to the end.
func (c Clip) makePiece(ctx context.Context, dir string, number int, p cover.Span, frames int,
	progress func(done int),
) error {
	sums := fmt.Sprintf("%s.%d.part", pieceFile(dir, number), os.Getpid()) // a worker that was given up may go on
	defer os.Remove(sums)
	args := append(c.counted(p.First, frames, sums), "-map", "0:v:0", "-an",
		"-frames:v", strconv.Itoa((p.Last-p.First)/c.Info.StillEvery()+1))
	args = append(args, stillArgs(c.Info, c.Info.viewDir(dir), p.First)...)
	proc, err := watched(ctx, args, progress)
	if err != nil {
		return undecoded(ctx, err, "its pictures cannot be decoded")
	}
	if err := proc.landed(p.First); err != nil {
		return err
	}
	crcs, err := readSums(sums)
	if err != nil {
		return err
	}
	if err := c.beginsAt(sums, p.First); err != nil {
		return err
	}
	if err := SaveSums(sums, crcs); err != nil {
		return err
	}
	return os.Rename(sums, pieceFile(dir, number))
}

// counted are the options that leap to a frame and write the checksums of so many into a file, with their times.
func (c Clip) counted(first, frames int, sums string) []string {
	var seek, limit []string
	if first > 0 {
		seek = c.Info.leap(first)
	}
	if frames >= 0 {
		limit = []string{"-frames:v", strconv.Itoa(frames)}
	}
	args := append([]string{"-copyts", "-start_at_zero"}, input(c.Path, seek...)...)
	args = append(args, "-map", "0:v:0", "-an")
	args = append(append(args, c.Info.counting()...), limit...)
	return append(args, "-c:v", "rawvideo", "-pix_fmt", c.Info.PlanarFormat(), "-f", "framecrc", "file:"+sums)
}

// landed is an error where a decoder that leaped to a frame complains: of damage, or since it lacks what came before.
// Read in one piece, it is told which.
func (p *process) landed(first int) error {
	if f := p.errs.fault(); f != nil {
		return f
	}
	if p.errs.damaged() {
		return fmt.Errorf("%w %d: %s", ErrLanding, first, p.errs.last())
	}
	return nil
}

// beginsAt is ErrLanding unless what framecrc tells of begins at a frame's time.
func (c Clip) beginsAt(sums string, first int) error {
	rate := c.Info.Rate.Float()
	at, err := firstTime(sums)
	if err == nil && math.Abs(at-c.Info.Lead-float64(first)/rate) > .5/rate {
		err = fmt.Errorf("%w %d: it begins at %g s", ErrLanding, first, at)
	}
	return err
}

// firstTime is the time of the first picture that framecrc tells of, in seconds.
func firstTime(path string) (float64, error) {
	f, err := os.Open(path)
	if err != nil {
		return 0, err
	}
	defer f.Close()
	unit := 0.
	sc := bufio.NewScanner(f)
	for sc.Scan() {
		var num, den, pts float64
		line := sc.Text()
		if _, err := fmt.Sscanf(line, "#tb 0: %f/%f", &num, &den); err == nil && den > 0 {
			unit = num / den
		}
		if strings.HasPrefix(line, "#") {
			continue
		}
		part := strings.Split(line, ",")
		if len(part) < 3 || unit == 0 {
			break
		}
		if pts, err = strconv.ParseFloat(strings.TrimSpace(part[2]), 64); err != nil {
			return 0, err
		}
		return pts * unit, nil
	}
	return 0, unusable("it has no frames")
}

// JoinPieces joins the checksums of all pieces, each of which must go on where the one before ended: the frame after
// its last was decoded there too, and must be the same.
func (c Clip) JoinPieces(ctx context.Context, dir string) (Seen, error) {
	var s Seen
	all := c.Info.Pieces()
	for n, p := range all {
		sums, err := LoadSums(pieceFile(dir, n))
		if err != nil {
			return s, err
		}
		last := n == len(all)-1
		whole := p.Last - p.First + 1
		if !last && len(sums) != whole+1 || last && len(sums) < whole {
			return s, damaged("%s: %d of %d frames could be read in those from %d on", damagedAt(ctx, c.Path), len(sums), whole,
				p.First)
		}
		if n > 0 && s.Sums[len(s.Sums)-1] != sums[0] {
			return s, fmt.Errorf("%w %d", ErrLanding, p.First)
		}
		if n > 0 {
			s.Sums = s.Sums[:len(s.Sums)-1]
		}
		s.Sums = append(s.Sums, sums...)
	}
	if len(all) == 0 {
		return s, errors.New("media: a clip that is brought in in one piece")
	}
	if c.Info.First() != "" {
		marks, err := joinMarks(dir, len(all))
		if err != nil {
			return s, err
		}
		s.Cadence = cadence.Found(marks)
	}
	return s, SaveSums(filepath.Join(dir, "frames.sum"), s.Sums)
}

// RemovePieces takes away what pieces were joined from.
func RemovePieces(dir string) error { return os.RemoveAll(filepath.Join(dir, "pieces")) }
