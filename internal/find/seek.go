package find

import (
	"context"
	"image"
	"strings"

	"golang.org/x/sync/errgroup"

	"celator/core/feature"
	"celator/core/frame"
	"celator/core/geom"
	"celator/core/proposal"
	"celator/core/reading"
	"celator/core/track"
	"celator/internal/follow"
)

// SeekJob says which surfaces are looked for, and where. Its reader may be nil: then nothing is read.
type SeekJob struct {
	Job
	Marks []Sought
}

// Sought is a surface that is looked for, and what it reads, line by line; none where that is not known.
type Sought struct {
	*feature.Mark
	Reads []string
}

// Again is a place at which a surface was found.
type Again struct {
	Found
	Mark int // its number
}

// Seek looks for surfaces on the frames that Run would look at.
func Seek(ctx context.Context, j SeekJob) (out []Again, err error) {
	j.Job = j.begun()
	s := seeking{SeekJob: j, found: make([][]proposal.Sight, len(j.Marks))}
	if err := s.through(ctx); err != nil {
		return nil, err
	}
	var all []proposal.Proposal
	var of []int
	for i, sights := range s.found {
		for _, p := range proposal.Reappeared(s.looked, sights, j.First, j.Last) {
			all, of = append(all, p), append(of, i)
		}
	}
	other := make([]bool, len(all))
	found, err := stills(ctx, j.Job, all, func(i int, pic *frame.Picture) (err error) {
		if all[i].Sure < plainly {
			other[i], err = s.another(ctx, of[i], pic, all[i].Best.Quad)
		}
		return err
	})
	for i, f := range found {
		if !other[i] {
			out = append(out, Again{f, of[i]})
		}
	}
	return out, err
}

const (
	// Two surfaces that read otherwise are not one, however alike they look: of what is surely read on the one at least
	// half must stand on the other, line by line, short lines to the letter. What something passes reads in parts. What
	// looks plainly alike, to the sample, is alike in its letters too: there the reader is what errs.
	plainly               = .9
	surely                = .8
	clearly               = 16. // px that a line's box stands high: smaller letters are read surely, and wrong
	leastRead             = 4   // letters and digits
	longLine              = 10
	shortAlike, longAlike = .85, .75
)

// another reports whether what was found reads otherwise than what is looked for: plates and boards of one kind look
// alike.
func (s *seeking) another(ctx context.Context, mark int, pic *frame.Picture, q geom.Quad) (bool, error) {
	wanted := strings.Join(s.Marks[mark].Reads, " ")
	if s.Reader == nil || len(reading.Fold(wanted)) < leastRead {
		return false, nil
	}
	cut, _, ok := Cut(pic, q)
	if !ok {
		return false, nil
	}
	lines, err := cut.Reads(ctx, s.Reader)
	held, all := 0, 0
	for _, l := range lines {
		n, enough := len(reading.Fold(l)), longAlike
		if n < longLine {
			enough = shortAlike
		}
		if all += n; reading.Holds(wanted, l) >= enough {
			held += n
		}
	}
	return err == nil && all >= leastRead && 2*held < all, err
}

// Reads is what stands on a surface, line by line, where it is surely read.
func (s Surface) Reads(ctx context.Context, r *reading.Reader) (out []string, err error) {
	lines, err := r.Lines(ctx, s.Picture, 1, nil)
	for _, l := range lines {
		if l.Sure >= surely && l.Quad.Height() >= clearly && s.Quad.Holds(l.Quad.Centre()) {
			out = append(out, l.Text)
		}
	}
	return out, err
}

type seeking struct {
	SeekJob
	looked []int
	found  [][]proposal.Sight // by mark
}

// through looks at frames as often as Run does.
func (s *seeking) through(ctx context.Context) error {
	l := newLooking(s.Clip.Info.Rate.Float())
	return each(ctx, s.Job, func(f int, pic *frame.Picture) error {
		if gray := follow.Luma.Of(pic); l.due(f, gray, f == s.Last) {
			return s.look(f, gray)
		}
		return nil
	})
}

// look looks for every surface in one picture, two at once.
func (s *seeking) look(f int, gray *track.Gray) error {
	// In a large picture what is as small as the least that is found in one of usual size need not be.
	k := (max(gray.W, gray.H) + followWide - 1) / followWide
	p, err := feature.Prepare(reduced(gray, k))
	if err != nil {
		return nil // too small for anything to be seen in it
	}
	s.looked = append(s.looked, f)
	larger := geom.Map{float64(k), 0, 0, 0, float64(k), 0, 0, 0, 1}
	var g errgroup.Group
	g.SetLimit(2)
	for i, m := range s.Marks {
		g.Go(func() error {
			s.Pace()
			for _, seen := range m.In(p) {
				s.found[i] = append(s.found[i], proposal.Sight{
					Frame: f, Kind: proposal.Mark, Quad: seen.Quad.Under(larger), Sure: seen.Sure,
				})
			}
			return nil
		})
	}
	return g.Wait()
}

// looking says which frames are looked at: those on which the picture has changed, and one now and then.
type looking struct {
	most, least int // frames between two
	last        int // looked at
	small       []float32
}

func newLooking(fps float64) looking {
	return looking{most: max(1, int(fps/looks)), least: max(1, int(fps*apart)), last: -1}
}

// due reports whether a frame is looked at, which it then counts as.
func (l *looking) due(f int, gray *track.Gray, always bool) bool {
	now := smaller(gray)
	if !always && l.last >= 0 && f-l.last < l.most && !(f-l.last >= l.least && difference(now, l.small) > changed) {
		return false
	}
	l.last, l.small = f, now
	return true
}

// Surface is the picture of a surface that is looked for, and its corners there.
type Surface struct {
	Picture *image.RGBA
	Quad    geom.Quad
}

// Mark makes it ready to be looked for.
func (s Surface) Mark() (*feature.Mark, error) {
	b := s.Picture.Bounds()
	g := track.NewGray(b.Dx(), b.Dy())
	for y := range g.H {
		for x := range g.W {
			p := s.Picture.Pix[s.Picture.PixOffset(b.Min.X+x, b.Min.Y+y):]
			g.Pix[y*g.W+x] = .2126*float32(p[0]) + .7152*float32(p[1]) + .0722*float32(p[2])
		}
	}
	return feature.NewMark(g, s.Quad)
}

const (
	surfaceBeside = .2 // of a surface's size, that its picture shows around it
	surfaceWide   = 640
)

// Cut is the picture of a surface on a frame, no larger than it is kept; at takes the frame's places to the picture's.
func Cut(pic *frame.Picture, q geom.Quad) (s Surface, at geom.Map, ok bool) {
	b := q.Bounds()
	d := surfaceBeside * max(b.Max.X-b.Min.X, b.Max.Y-b.Min.Y)
	b = b.Grow(d, d)
	r := image.Rect(int(b.Min.X), int(b.Min.Y), int(b.Max.X)+1, int(b.Max.Y)+1).Intersect(pic.Rect())
	if r.Empty() {
		return s, at, false
	}
	s.Picture = scaled(pic.RGBA(r), surfaceWide, surfaceWide)
	kx := float64(s.Picture.Rect.Dx()) / float64(r.Dx())
	ky := float64(s.Picture.Rect.Dy()) / float64(r.Dy())
	at = geom.Map{kx, 0, -kx * float64(r.Min.X), 0, ky, -ky * float64(r.Min.Y), 0, 0, 1}
	s.Quad = q.Under(at)
	return s, at, true
}
