// Package find looks through a clip for text, plates and faces, and makes proposals of them.
package find

import (
	"context"
	"errors"
	"image"
	"io"
	"math"

	"golang.org/x/sync/errgroup"

	"celator/core/frame"
	"celator/core/proposal"
	"celator/core/reading"
	"celator/core/track"
	"celator/internal/follow"
	"celator/internal/media"
)

const (
	// follows and looks are how often a second frames are followed, and looked at at least.
	follows = 5
	looks   = 1
	// A frame is looked at besides where the picture changed by so much since the last one that
	// was, in the mean over a small copy (codes of 8 bit), but no sooner than after apart of a
	// second.
	changed = 14.
	apart   = .39
	// longSide is the size, px, at which a larger picture is looked at, but no smaller than by
	// leastScale: letters of 14 px in pictures of 1920 then have over nine. None is enlarged: of
	// large letters fewer are found then.
	longSide   = 1280.
	leastScale = .5
	// ahead is how many frames may wait to be followed over while the next are looked at.
	ahead = 8
	// followWide is how wide, px, the frames are at most over which things are followed: several of them are at hand.
	followWide = 1920
	// Faces from largerFaces px on are looked for each time, smaller ones once in smallEvery looks: those take three times
	// as long, and nobody passes as fast who stands so far away.
	largerFaces = 40.
	smallEvery  = 3
	// A line is something seen where it is surely text, or surely read.
	isText = .6
	isRead = .6
	// isCharacter is how sure one by itself must be: bars, poles and windows read I.
	isCharacter = .8
)

// Job says what is looked through.
type Job struct {
	Clip        media.Clip
	First, Last int // both included
	Reader      *reading.Reader
	Pace        func()         // called between pieces of the work; it may wait. May be nil
	Progress    func(done int) // told how many frames are done. May be nil
}

// Found is a proposal with a picture of it.
type Found struct {
	proposal.Proposal
	Still *image.RGBA
}

// Run looks through the frames. It returns how many of them it looked at.
func Run(ctx context.Context, j Job) (out []Found, looked int, err error) {
	j = j.begun()
	gentle := *j.Reader
	gentle.Net = paced{j.Reader.Net, j.Pace}
	j.Reader = &gentle
	fps, long := j.Clip.Info.Rate.Float(), max(j.Clip.Info.Width, j.Clip.Info.Height)
	s := search{
		Job: j, linker: proposal.Linker{Smaller: (long + followWide - 1) / followWide},
		looking: newLooking(fps),
		scale:   min(max(longSide/float64(long), leastScale), 1),
	}
	if err := s.through(ctx); err != nil {
		return nil, 0, err
	}
	out, err = stills(ctx, j, s.linker.Proposals(), nil)
	return out, s.looked, err
}

// paced runs networks one after the other at a pace: a look takes dozens.
type paced struct {
	reading.Net
	pace func()
}

func (p paced) Run(ctx context.Context, m reading.Model, in reading.Tensor) ([]reading.Tensor, error) {
	p.pace()
	return p.Net.Run(ctx, m, in)
}

type search struct {
	Job
	looking
	scale  float64
	linker proposal.Linker
	before *reading.Looked
	looked int
}

// seen is a frame that the linker is given: one that was looked at, or only followed over.
type seen struct {
	frame  int
	gray   *track.Gray
	looked bool
	sights []proposal.Sight
}

// through looks at frames, and links what was seen on those before meanwhile.
func (s *search) through(ctx context.Context) error {
	both, ctx := errgroup.WithContext(ctx)
	way := make(chan seen, ahead)
	both.Go(func() error {
		defer close(way)
		return s.looks(ctx, way)
	})
	both.Go(func() error {
		for f := range way {
			if f.looked {
				s.linker.Look(f.frame, f.gray, f.sights)
			} else {
				s.linker.Pass(f.frame, f.gray)
			}
		}
		return nil
	})
	return both.Wait()
}

func (s *search) looks(ctx context.Context, way chan<- seen) error {
	return each(ctx, s.Job, func(f int, pic *frame.Picture) error {
		next, err := s.frame(ctx, f, pic)
		if err != nil {
			return err
		}
		select {
		case way <- next:
			return nil
		case <-ctx.Done():
			return ctx.Err()
		}
	})
}

// each gives the frames of a job over which things are followed, its last one too.
func each(ctx context.Context, j Job, do func(f int, pic *frame.Picture) error) error {
	r, err := j.Clip.Open(ctx, j.First, j.Last)
	if err != nil {
		return err
	}
	defer r.Close()
	every := max(1, int(math.Round(j.Clip.Info.Rate.Float()/follows)))
	pic := frame.New(j.Clip.Info.Format(), nil)
	for f := j.First; f <= j.Last; f++ {
		if err := r.Read(pic); errors.Is(err, io.EOF) {
			return ctx.Err()
		} else if err != nil {
			return err
		}
		if (f-j.First)%every == 0 || f == j.Last {
			if err := do(f, pic); err != nil {
				return err
			}
			j.Pace()
		}
		j.Progress(f - j.First + 1)
	}
	return nil
}

// begun is a job with what may be left out of it.
func (j Job) begun() Job {
	if j.Pace == nil {
		j.Pace = func() {}
	}
	if j.Progress == nil {
		j.Progress = func(int) {}
	}
	return j
}

// frame looks at a frame where it is time to.
func (s *search) frame(ctx context.Context, f int, pic *frame.Picture) (out seen, err error) {
	gray := reduced(follow.Luma.Of(pic), s.linker.Smaller)
	out = seen{frame: f, gray: gray}
	if !s.due(f, gray, f == s.Last) {
		return out, nil
	}
	out.looked = true
	out.sights, err = s.look(ctx, f, pic.RGBA(pic.Rect()))
	s.looked++
	return out, err
}

// look finds what is seen on a picture: text and faces at once, where the machine that reads
// does two things at once.
func (s *search) look(ctx context.Context, f int, pic *image.RGBA) ([]proposal.Sight, error) {
	var lines []reading.Line
	var faces []reading.Box
	least := largerFaces
	if s.looked%smallEvery == 0 {
		least = reading.SmallFace / s.scale
	}
	both, ctx := errgroup.WithContext(ctx)
	both.Go(func() (err error) {
		lines, err = s.Reader.Lines(ctx, pic, s.scale, s.before)
		return err
	})
	both.Go(func() (err error) {
		faces, err = s.Reader.Faces(ctx, pic, least)
		return err
	})
	if err := both.Wait(); err != nil {
		return nil, err
	}
	s.before = &reading.Looked{Pic: pic, Lines: lines}
	var out []proposal.Sight
	for _, l := range lines {
		sure := math.Sqrt(l.Is * l.Sure)
		n := len([]rune(reading.Fold(l.Text)))
		if n == 0 || reading.Framework(l.Text) || n == 1 && sure < isCharacter || l.Is < isText && l.Sure < isRead {
			continue
		}
		out = append(out, proposal.Sight{
			Frame: f, Kind: proposal.KindOf(l.Text, l.Quad), Quad: l.Quad, Text: l.Text, Sure: sure,
		})
	}
	for _, b := range faces {
		out = append(out, proposal.Sight{Frame: f, Kind: proposal.Face, Quad: b.Quad, Sure: b.Sure})
	}
	return out, nil
}

// reduced is a picture k times as small: the means of squares.
func reduced(g *track.Gray, k int) *track.Gray {
	if k <= 1 {
		return g
	}
	out := track.NewGray(g.W/k, g.H/k)
	for y := range out.H {
		for x := range out.W {
			var sum float32
			for v := range k {
				for _, p := range g.Pix[(y*k+v)*g.W+x*k:][:k] {
					sum += p
				}
			}
			out.Pix[y*out.W+x] = sum / float32(k*k)
		}
	}
	return out
}

const smallWide, smallHigh = 32, 18

// smaller is a picture as the means of a few parts.
func smaller(g *track.Gray) []float32 {
	sum, n := make([]float32, smallWide*smallHigh), make([]float32, smallWide*smallHigh)
	for y := range g.H {
		row := g.Pix[y*g.W : (y+1)*g.W]
		at := y * smallHigh / g.H * smallWide
		for x, v := range row {
			k := at + x*smallWide/g.W
			sum[k] += v
			n[k]++
		}
	}
	for i := range sum {
		sum[i] /= max(n[i], 1)
	}
	return sum
}

func difference(a, b []float32) float64 {
	var d float64
	for i := range a {
		d += math.Abs(float64(a[i] - b[i]))
	}
	return d / float64(len(a))
}
