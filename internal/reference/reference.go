// Package reference reads the frames from which treatments learn what they must know of a
// shot beyond the frame at hand (core/treat), and remembers what was made of them.
package reference

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"slices"
	"sync"

	lru "github.com/hashicorp/golang-lru/v2"
	"golang.org/x/sync/singleflight"

	"celator/core/cover"
	"celator/core/frame"
	"celator/core/treat"
	"celator/internal/budget"
	"celator/internal/media"
)

// Maker makes references.
type Maker struct {
	// Children, when given, is where the memory of its decoders comes from.
	Children *budget.Pool
	// Kept, when given, returns frames that need not be decoded, or nil.
	Kept func(source string, clip media.Clip, f int) *frame.Picture
	// Keep, when given, is told of frames that were decoded; it may keep a copy.
	Keep func(source string, clip media.Clip, f int, pic *frame.Picture)

	once        sync.Once
	cleanPlates *lru.Cache[string, *treat.CleanPlate]
	last        *lru.Cache[string, *treat.CleanPlate] // by source and cover
	graphics    *lru.Cache[string, *treat.Graphic]
	plans       *lru.Cache[*cover.Document, *plan]
	making      singleflight.Group
}

// plan remembers what is to be looked at for a document, which does not change: it is
// asked for at every frame, and finding it out looks at all frames.
type plan struct {
	mu   sync.Mutex
	made map[string]survey // by source and cover
}

// keptPlans is how many documents' plans are remembered.
const keptPlans = 4

// CleanPlates take up to 10 MB each.
const (
	keptCleanPlates = 8
	keptGraphics    = 16
)

func (m *Maker) begin() {
	m.cleanPlates, _ = lru.New[string, *treat.CleanPlate](keptCleanPlates)
	m.last, _ = lru.New[string, *treat.CleanPlate](keptCleanPlates)
	m.plans, _ = lru.New[*cover.Document, *plan](keptPlans)
	m.graphics, _ = lru.New[string, *treat.Graphic](keptGraphics)
}

// survey is what is to be looked at for a cover's clean plate.
type survey struct {
	cover  string
	frames []int
	lives  []cover.Live
	from   int
	key    string
}

// surveys returns them for those covers of the document that are live on any frame of
// the span and need one.
func (m *Maker) surveys(source string, d *cover.Document, span cover.Span) []survey {
	m.once.Do(m.begin)
	p, ok := m.plans.Get(d)
	if !ok {
		p = &plan{made: map[string]survey{}}
		m.plans.Add(d, p)
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	var out []survey
	for i := range d.Covers {
		c := &d.Covers[i]
		if c.Inverted || c.Span.Last < span.First || span.Last < c.Span.First {
			continue
		}
		l, ok := c.At(cover.Time(min(max(span.First, c.Span.First), c.Span.Last)))
		if !ok {
			l, ok = c.At(cover.Time(c.Span.First)) // a treatment may be keyed to nothing on that frame
		}
		if !ok || !treat.Wants(&l) {
			continue
		}
		s, ok := p.made[source+"/"+c.ID]
		if !ok {
			s = newSurvey(source, d, c)
			p.made[source+"/"+c.ID] = s
		}
		out = append(out, s)
	}
	return out
}

func newSurvey(source string, d *cover.Document, c *cover.Cover) survey {
	s := survey{cover: c.ID, frames: treat.SampleFrames(d, c)}
	for k, f := range s.frames {
		s.lives = append(s.lives, c.Shape(cover.Time(f)))
		if drawn := c.Drawn().Frame(); abs(f-drawn) < abs(s.frames[s.from]-drawn) {
			s.from = k
		}
	}
	h := sha256.Sum256([]byte(treat.CleanPlateKey(source, s.frames, s.lives)))
	s.key = hex.EncodeToString(h[:])
	return s
}

func abs(i int) int { return max(i, -i) }

// Keys names everything beyond a frame that decides how covers live in a span look.
func (m *Maker) Keys(source string, d *cover.Document, span cover.Span) []string {
	var out []string
	for _, s := range m.surveys(source, d, span) {
		out = append(out, s.key)
	}
	return out
}

// Graphics returns the references of the document's graphics alone.
func (m *Maker) Graphics(d *cover.Document) *treat.References {
	m.once.Do(m.begin)
	s := &treat.References{CleanPlates: map[string]*treat.CleanPlate{}, Graphics: map[string]*treat.Graphic{}}
	for _, g := range d.Graphics {
		if len(g.PNG) == 0 {
			continue
		}
		h := sha256.Sum256(g.PNG) // ids are the writer's own
		key := hex.EncodeToString(h[:])
		pic, ok := m.graphics.Get(key)
		if !ok {
			var err error
			if pic, err = treat.NewGraphic(g.PNG); err != nil {
				continue // validated when it came in
			}
			m.graphics.Add(key, pic)
		}
		s.Graphics[g.ID] = pic
	}
	return s
}

// Near returns references at once: where a clean plate is not made yet, the last one of the same
// cover stands for it, as while an outline is dragged, and the references are not exact.
func (m *Maker) Near(source string, d *cover.Document, span cover.Span) (s *treat.References, exact bool) {
	s, exact = m.Graphics(d), true
	for _, v := range m.surveys(source, d, span) {
		g, ok := m.cleanPlates.Get(v.key)
		if !ok {
			exact = false
			g, _ = m.last.Get(source + "/" + v.cover)
		}
		if g != nil {
			s.CleanPlates[v.cover] = g
		}
	}
	return s, exact
}

// together is how many covers are looked at in one reading; each takes some 30 MB while it
// is.
const together = 4

// Make returns the references for a span of a shot. A cover whose surface is nowhere clear
// has no clean plate; its treatments do with the frame at hand. Errors are those of reading.
func (m *Maker) Make(ctx context.Context, source string, clip media.Clip, d *cover.Document,
	span cover.Span,
) (*treat.References, error) {
	return m.MakeWith(ctx, source, clip, d, span, nil, nil)
}

// MakeWith is Make that gives some more frames, in ascending order, to do, if it can from
// the same reading.
func (m *Maker) MakeWith(ctx context.Context, source string, clip media.Clip, d *cover.Document, span cover.Span,
	more []int, do func(f int, p *frame.Picture),
) (*treat.References, error) {
	s := m.Graphics(d)
	var missing []survey
	for _, v := range m.surveys(source, d, span) {
		if g, ok := m.cleanPlates.Get(v.key); !ok {
			missing = append(missing, v)
		} else if g != nil {
			s.CleanPlates[v.cover] = g
		}
	}
	for part := range slices.Chunk(missing, together) {
		name := ""
		for _, v := range part {
			name += v.key
		}
		// Made once however many ask; it goes on when one of them stops waiting, without
		// what that one wanted to do.
		with, to := more, until(ctx, do)
		made := m.making.DoChan(name, func() (any, error) {
			more = nil
			return m.survey(context.WithoutCancel(ctx), source, clip, part, with, to.run)
		})
		select {
		case <-ctx.Done():
			to.end()
			return nil, ctx.Err()
		case r := <-made:
			if r.Err != nil {
				return nil, r.Err
			}
			for i, g := range r.Val.([]*treat.CleanPlate) {
				m.cleanPlates.Add(part[i].key, g)
				if g != nil {
					m.last.Add(source+"/"+part[i].cover, g)
					s.CleanPlates[part[i].cover] = g
				}
			}
		}
	}
	if len(more) > 0 {
		return s, clip.Pick(ctx, more, func(f int, p *frame.Picture) error { do(f, p); return nil })
	}
	return s, nil
}

// task is what a caller wants to do with frames, for as long as the caller is there.
type task struct {
	ctx  context.Context
	do   func(f int, p *frame.Picture)
	mu   sync.Mutex
	over bool
}

func until(ctx context.Context, do func(f int, p *frame.Picture)) *task {
	return &task{ctx: ctx, do: do}
}

// run does it, unless the caller has gone.
func (t *task) run(f int, p *frame.Picture) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if !t.over && t.ctx.Err() == nil {
		t.do(f, p)
	}
}

// end waits for what is being done, and lets nothing more be.
func (t *task) end() {
	t.mu.Lock()
	t.over = true
	t.mu.Unlock()
}

// survey reads the frames of some covers at once, and some more; a nil clean plate says that
// nothing can be made of them.
func (m *Maker) survey(ctx context.Context, source string, clip media.Clip, all []survey, more []int,
	do func(f int, p *frame.Picture),
) ([]*treat.CleanPlate, error) {
	out, made := make([]*treat.CleanPlate, len(all)), make([]*treat.Survey, len(all))
	var frames []int
	for i, s := range all {
		made[i], _ = treat.NewSurvey(s.lives, s.from)
		frames = append(frames, s.frames...)
	}
	frames = append(frames, more...)
	slices.Sort(frames)
	err := m.pick(ctx, source, clip, slices.Compact(frames), func(f int, pic *frame.Picture) error {
		for i, s := range all {
			if _, here := slices.BinarySearch(s.frames, f); here && made[i] != nil {
				made[i].Add(pic.Field(pic.First)) // of a woven one what was taken at the frame's time
			}
		}
		if _, here := slices.BinarySearch(more, f); here {
			do(f, pic)
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	var wg sync.WaitGroup
	for i, s := range made {
		if s != nil {
			wg.Go(func() {
				if g, err := s.CleanPlate(); err == nil {
					out[i] = g
				}
			})
		}
	}
	wg.Wait()
	return out, nil
}

// pick reads frames in order: those that are kept as they are, the others by a decoder.
func (m *Maker) pick(ctx context.Context, source string, clip media.Clip, frames []int,
	do func(f int, pic *frame.Picture) error,
) error {
	var missing []int
	decode := func() error {
		if len(missing) == 0 {
			return nil
		}
		if m.Children != nil {
			free, err := m.Children.Hold(ctx, budget.Soon, media.DecoderMemory(clip.Info))
			if err != nil {
				return err
			}
			defer free()
		}
		defer func() { missing = nil }()
		return clip.Pick(ctx, missing, func(f int, pic *frame.Picture) error {
			if m.Keep != nil {
				m.Keep(source, clip, f, pic)
			}
			return do(f, pic)
		})
	}
	for _, f := range frames {
		if m.Kept != nil {
			if pic := m.Kept(source, clip, f); pic != nil {
				if err := decode(); err != nil {
					return err
				}
				if err := do(f, pic); err != nil {
					return err
				}
				continue
			}
		}
		missing = append(missing, f)
	}
	return decode()
}
