package media

import (
	"context"
	"errors"
	"fmt"
	"hash/adler32"
	"io"
	"os"
	"strings"

	"celator/core/frame"
	"celator/internal/still"
)

// Clip is a file whose frames can be read by number.
type Clip struct {
	Path string
	Info Info
	// Sums holds the checksum of every frame, as ffmpeg's framecrc writes it, 0 where it is not known;
	// with it a read may jump into the file, since a wrong landing is noticed.
	// Without it every read begins at the first frame.
	Sums []uint32
	// A part of the file's frames, counted from its own first one (Part).
	first, count int
	asIs         bool  // it is damaged, and what it gives is taken
	woven        *Clip // of whose frames it has the fields (ByField)
}

// Part returns the clip of some frames of this one, both included, counted from 0.
func (c Clip) Part(first, last int) Clip {
	if first == 0 && last == c.Info.Frames-1 {
		return c
	}
	c.first, c.count = c.first+first, last-first+1
	c.Info.Frames, c.Info.Duration = c.count, float64(c.count)/c.Info.Rate.Float()
	if len(c.Sums) > last {
		c.Sums = c.Sums[first : last+1]
	}
	return c
}

// From is the file's frame that is the clip's frame 0.
func (c Clip) From() int { return c.first }

// Is reports whether a picture is frame f of the clip, by its checksum; without one it is
// not known to be.
func (c Clip) Is(f int, p *frame.Picture) bool {
	return f >= 0 && f < len(c.Sums) && c.Sums[f] == sum(c.Info.pack(p.Data))
}

// DecoderMemory is about what a process takes that reads a clip: its libraries, and the
// pictures that it and its threads hold.
func DecoderMemory(i Info) int64 {
	if i.Still != "" {
		return still.Memory
	}
	return 40<<20 + 14*int64(i.Format().Size())
}

// ProbeMemory is about what probing a file takes: a still is decoded for it.
func ProbeMemory(path string) int64 {
	head, err := beginning(path)
	if err == nil && still.Kind(head) != "" {
		return still.Memory
	}
	return 48 << 20
}

// ErrLanding says that a read did not begin at the frame asked for.
var ErrLanding = errors.New("media: the file's index does not lead to the frame")

// Reader yields consecutive frames.
type Reader struct {
	ctx   context.Context
	clip  Clip
	next  int // frame number of the next Read
	still *frame.Picture
	woven *fields
	holds []int          // of the pictures to come, where their rate is variable
	held  *frame.Picture // the last of them, shown for so many frames more
	left  int
	coded []byte // a picture as it comes, where that is not as it is worked on
	seen  bool   // the first picture
	leapt bool   // into the file, and nothing was read yet
	last  int
	proc  *process
	pipe  *os.File
	ended bool
}

// Open starts reading at frame first and ends after last (both counted from 0;
// last < 0: to the end). The reader must be closed.
func (c Clip) Open(ctx context.Context, first, last int) (*Reader, error) {
	if err := present(c.Path); err != nil {
		return nil, err
	}
	if c.woven != nil {
		return c.openFields(ctx, first, last)
	}
	if c.Info.Still != "" {
		pic, err := c.openStill(ctx)
		if err != nil {
			return nil, err
		}
		return &Reader{ctx: ctx, clip: c, next: first, last: last, still: pic}, nil
	}
	r, err := c.open(ctx, first, last, len(c.Sums) > 0)
	if err != nil {
		return nil, err
	}
	return r, nil
}

// far is how many frames apart two may be for one decoder to go on from the first to the
// second instead of another jumping there.
const far = 40

// Pick reads some frames, in ascending order, and gives them to do one after the other;
// the picture is its own only until do returns. What lies between is decoded at the most,
// not read.
func (c Clip) Pick(ctx context.Context, frames []int, do func(f int, p *frame.Picture) error) error {
	if c.woven != nil {
		return c.pickFields(ctx, frames, do)
	}
	if c.Info.holds != nil {
		return c.pickHeld(ctx, frames, do)
	}
	pic := frame.New(c.Info.Format(), nil)
	for len(frames) > 0 {
		n := 1
		for n < len(frames) && (len(c.Sums) == 0 || frames[n]-frames[n-1] <= far) {
			n++
		}
		done := 0
		some := func(f int, p *frame.Picture) error { done++; return do(f, p) }
		err := c.pick(ctx, frames[:n], pic, len(c.Sums) > 0, some)
		if len(c.Sums) > 0 && (errors.Is(err, ErrLanding) || errors.Is(err, ErrUnusable)) && c.begins(ctx, pic) {
			err = c.pick(ctx, frames[done:n], pic, false, some)
		}
		if err != nil {
			return err
		}
		frames = frames[n:]
	}
	return nil
}

// begins reports whether the file still begins with its first frame: one that was put in another's place does not,
// and hours of it need not be walked through for that.
func (c Clip) begins(ctx context.Context, pic *frame.Picture) bool {
	// Of a part the file's beginning is not known.
	return c.first > 0 || c.pick(ctx, []int{0}, pic, false, func(int, *frame.Picture) error { return nil }) == nil
}

func (c Clip) pick(ctx context.Context, frames []int, pic *frame.Picture, leap bool,
	do func(f int, p *frame.Picture) error,
) error {
	var r *Reader
	var err error
	if c.Info.Still != "" {
		r, err = c.Open(ctx, 0, 0)
	} else {
		r, err = c.open(ctx, frames[0], frames[len(frames)-1], leap, frames...)
	}
	if err != nil {
		return err
	}
	defer r.Close()
	for _, f := range frames {
		r.next = f
		if err := r.Read(pic); err != nil {
			if errors.Is(err, io.EOF) {
				err = unusable("the clip ends before frame %d", f)
			}
			return err
		}
		if err := do(f, pic); err != nil {
			return err
		}
	}
	return nil
}

// thumbsPiece is how many small frames are read before others may go first: a few
// hundredths of a second's work.
const thumbsPiece = 4

// Thumbs gives every frame of the clip, made small, to do; the picture is its own only
// until do returns. It decodes with what one core has, and reads no more than that. Before
// every few frames it calls pace, which may wait; the decoder rests for as long.
func (c Clip) Thumbs(ctx context.Context, pace func(), do func(f int, p *frame.Picture)) error {
	if c.Info.Still != "" {
		return nil
	}
	const w, h = 128, 72
	small := c
	small.Info.Width, small.Info.Height, small.Info.Depth, small.Info.SubX, small.Info.SubY = w, h, 8, 1, 1
	small.Info.PixFmt, small.Info.Field = "yuv420p", Progressive
	if small.Info.Matrix == frame.RGB {
		small.Info.Matrix = frame.BT601
	}
	filter := fmt.Sprintf("scale=%d:%d:flags=area,format=yuv420p", w, h)
	count := c.Info.counting()
	if count[0] == "-vf" {
		count[1] += "," + filter
	} else {
		count = append([]string{"-vf", filter}, count...)
	}
	args := append([]string{"-nostdin", "-v", "error", "-threads", "1"}, input(c.Path)...)
	args = append(args, "-map", "0:v:0", "-an", "-sn", "-dn")
	args = append(append(args, count...), "-f", "rawvideo", "-pix_fmt", "yuv420p", "pipe:1")
	p, pr, err := pipeFrom(ctx, args)
	if err != nil {
		return err
	}
	small.Sums = nil
	r := &Reader{ctx: ctx, clip: small, next: 0, last: -1, proc: p, pipe: pr}
	defer r.Close()
	pic := frame.New(small.Info.Format(), nil)
	for {
		if r.next%thumbsPiece == 0 {
			p.rest()
			pace()
			p.goOn()
		}
		if err := r.Read(pic); errors.Is(err, io.EOF) {
			return ctx.Err()
		} else if err != nil {
			return err
		}
		do(r.next-1, pic)
	}
}

// open starts a decoder; with some frames named only those come out of it.
func (c Clip) open(ctx context.Context, first, last int, jump bool, only ...int) (*Reader, error) {
	var seek []string
	begin := -c.first // where the file begins
	if c.count > 0 && last < 0 {
		last = c.count - 1
	}
	if jump && first > begin {
		begin = first
		seek = c.Info.leap(c.first + first)
	}
	if c.asIs {
		seek = append(asIs, "-max_error_rate", "1")
	}
	args := append([]string{"-nostdin", "-v", "error"}, input(c.Path, seek...)...)
	args = append(args, "-map", "0:v:0", "-an", "-sn", "-dn")
	count := c.Info.counting()
	if len(only) > 0 {
		var which []string
		for _, f := range only {
			which = append(which, fmt.Sprintf("eq(n\\,%d)", f-begin))
		}
		choose := "select=" + strings.Join(which, "+")
		if count[0] == "-vf" {
			count[1] += "," + choose
		} else {
			count = append([]string{"-vf", choose}, count...)
		}
		last = begin + len(only) - 1
	}
	args = append(args, count...)
	if last >= 0 && c.Info.holds == nil {
		args = append(args, "-frames:v", fmt.Sprint(last-begin+1))
	}
	args = append(args, "-f", "rawvideo", "-pix_fmt", c.Info.PlanarFormat(), "pipe:1")
	p, pr, err := pipeFrom(ctx, args)
	if err != nil {
		return nil, err
	}
	r := &Reader{
		ctx: ctx, clip: c, next: begin, last: last, proc: p, pipe: pr, holds: c.Info.holds,
		leapt: seek != nil && !c.asIs && len(only) == 0,
	}
	if len(only) > 0 {
		r.last = only[len(only)-1]
	}
	if begin < first && len(only) == 0 { // read past what is before
		skip := frame.New(c.Info.Format(), nil)
		for r.next < first {
			if err := r.Read(skip); err != nil {
				r.Close()
				return nil, err
			}
		}
	}
	return r, nil
}

// early is by how many frames a leap aims before its frame, so that rounding, to the nearest frame where the
// container counts in frames, neither loses it nor takes the one before.
const early = .3

// leap are the options that begin at a frame.
func (i Info) leap(f int) []string {
	return []string{"-ss", fmt.Sprintf("%.6f", i.Lead+(float64(f)-early)/i.Rate.Float())}
}

// counting are the options that make one output frame of each frame number.
func (i Info) counting() []string {
	if i.Variable && i.holds == nil {
		return []string{"-vf", "fps=fps=" + i.Rate.String() + ":round=near", "-vsync", "passthrough"}
	}
	return []string{"-vsync", "passthrough"}
}

// Read fills p with the next frame. At the end it returns io.EOF; a file that
// breaks off returns an error that wraps ErrUnusable.
func (r *Reader) Read(p *frame.Picture) error {
	if r.ended || r.last >= 0 && r.next > r.last {
		return io.EOF
	}
	if r.clip.Info.Skipped && !r.seen && r.pipe != nil {
		defer r.proc.errs.forget() // what was said of pictures before the first says nothing of it
		r.seen = true
	}
	if r.woven != nil {
		return r.readField(p)
	}
	if r.still != nil {
		if r.next > 0 {
			return io.EOF
		}
		if len(p.Data) != len(r.still.Data) {
			return unusable("the picture is not what it was")
		}
		copy(p.Data, r.still.Data)
		r.next++
		return nil
	}
	if r.left > 0 {
		copy(p.Data, r.held.Data)
		r.left--
		r.next++
		return nil
	}
	coded := p.Data
	if r.clip.Info.repacked() {
		if r.coded == nil {
			r.coded = make([]byte, r.clip.Info.coded())
		}
		coded = r.coded
	}
	if _, err := io.ReadFull(r.pipe, coded); err != nil {
		if r.leapt && r.next < len(r.clip.Sums) {
			return r.walk(p)
		}
		r.ended = true
		if werr := r.proc.wait(); werr != nil {
			return undecoded(r.ctx, werr, fmt.Sprintf("frame %d cannot be decoded", r.next))
		}
		if errors.Is(err, io.ErrUnexpectedEOF) {
			return damaged(": frame %d is incomplete", r.next)
		}
		return io.EOF
	}
	if s := r.clip.Sums; r.next >= 0 && r.next < len(s) && s[r.next] != 0 && s[r.next] != sum(coded) {
		if r.leapt { // the way there is long then, but sure
			return r.walk(p)
		}
		return fmt.Errorf("%w %d", ErrLanding, r.next)
	}
	r.leapt = false
	if r.coded != nil {
		r.clip.Info.unpack(p, coded)
	}
	r.next++
	r.hold(p)
	return nil
}

// walk reads from the beginning on what could not be reached by leaping into the file.
func (r *Reader) walk(p *frame.Picture) error {
	r.Close()
	again, err := r.clip.open(r.ctx, r.next, r.last, false)
	if err != nil {
		return err
	}
	*r = *again
	return r.Read(p)
}

// Whole ends the reading of what was asked for, all of which was read, and returns an error
// that wraps ErrUnusable where the decoder found it damaged.
func (r *Reader) Whole() error {
	switch {
	case r.woven != nil:
		return r.woven.of.Whole()
	case r.still != nil:
		return nil
	}
	if !r.ended && r.holds == nil {
		r.ended = true
		io.Copy(io.Discard, r.pipe)
		if err := r.proc.wait(); err != nil {
			return undecoded(r.ctx, err, "it cannot be decoded to its end")
		}
	}
	// Where checksums are known each frame was found to be itself, whatever a decoder that
	// jumped into the file said of what came before.
	if len(r.clip.Sums) == 0 && r.proc.errs.damaged() {
		return damaged("%s (%s)", damagedAt(r.ctx, r.clip.Path), r.proc.errs.last())
	}
	return nil
}

// Close ends the reading; frames not read are lost.
func (r *Reader) Close() {
	if r.still != nil {
		return
	}
	if r.woven != nil {
		r.woven.of.Close()
		return
	}
	r.pipe.Close()
	if !r.ended {
		r.ended = true
		r.proc.kill()
	}
}

// sum is the checksum of ffmpeg's framecrc.
func sum(b []byte) uint32 { return framecrc(adler32.Checksum(b), len(b)) }

// framecrc is the checksum of n bytes as ffmpeg's framecrc has it, from their Adler-32:
// it starts at 0, where RFC 1950 starts at 1.
func framecrc(s uint32, n int) uint32 {
	const mod = 65521
	lo, hi := s&0xffff, s>>16
	lo = (lo + mod - 1) % mod
	hi = (hi + mod - uint32(n%mod)) % mod
	return hi<<16 | lo
}
