package deliver

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"

	"golang.org/x/sync/errgroup"

	"celator/internal/media"
)

// heard is what comparing a written file's sound with the source's found.
type heard struct {
	passages int     // in which what was to be hidden was listened for
	samples  int64   // found equal, of all channels
	lag      float64 // the largest distance of a track from where the source has it, ms
}

// written is where a track was written to.
type written struct {
	file  string
	track int     // of the file
	lead  float64 // how long before the first picture the file begins, s
	exact bool    // nothing of it may be lost
}

// verifySound compares every sound track with the source's at the times of the pictures: sample
// by sample where nothing may be lost, else by where the two are most alike.
func verifySound(ctx context.Context, j Job, out media.Info) (heard, error) {
	for i, s := range j.Clip.Info.Sound {
		if got := out.Sound[i]; got.Channels != s.Channels || got.Rate != s.Rate {
			return heard{}, fmt.Errorf("sound track %d has %d channels at %d Hz, not %d at %d Hz", i+1, got.Channels, got.Rate,
				s.Channels, s.Rate)
		}
	}
	return j.listenTo(ctx, func(i int) written {
		s := j.Clip.Info.Sound[i]
		exact := j.Preset.Lossless || j.Preset.Copies() && (j.whole() && !j.sounds(i, s.Channels) || j.Preset.Exact(s))
		return written{j.Out, i, out.SoundLead(), exact}
	})
}

// listenTo compares the tracks where each of them was written to.
func (j *Job) listenTo(ctx context.Context, at func(track int) written) (heard, error) {
	var all heard
	source := j.Clip.Info
	for _, p := range j.passages() {
		if p.Treats() && p.From < float64(j.Last+1) && p.To > float64(j.First) && len(source.Sound) > 0 {
			all.passages++
		}
	}
	for i, s := range source.Sound {
		out := at(i)
		two := pair{s: s, passages: j.expects(i, s)}
		two.source = func(ctx context.Context, do func([]float64) error) error { return j.listen(ctx, i, s, do) }
		two.written = func(ctx context.Context, do func([]float64) error) error {
			return media.Listen(ctx, out.file, out.track, s, out.lead, float64(j.At)/source.Rate.Float(), j.soundLength(), do)
		}
		if out.exact {
			n, lag, err := two.equal(ctx)
			if all.samples += n; err != nil {
				return all, fmt.Errorf("sound track %d %w", i+1, err)
			}
			all.lag = max(all.lag, math.Abs(lag))
			continue
		}
		lag, err := two.distance(ctx)
		if err != nil {
			return all, err
		}
		if all.lag = max(all.lag, math.Abs(lag)); math.Abs(lag) > mostLag {
			return all, fmt.Errorf("sound track %d lies %+.1f ms from where the source has it", i+1, lag)
		}
		if two.passages == nil {
			continue
		}
		if err := two.hidden(ctx, int(math.Round(lag*float64(s.Rate)/1000))); err != nil {
			return all, fmt.Errorf("sound track %d %w", i+1, err)
		}
	}
	return all, nil
}

// pair is a track as the source has it, and as it was written.
type pair struct {
	s               media.Sound
	passages        *expected // nil where all is to be the source's
	source, written func(ctx context.Context, do func([]float64) error) error
}

// compare runs both beside each other and gives them to do, which reads to the end or returns an error.
func (p *pair) compare(ctx context.Context, do func(source, written *track) error) error {
	g, ctx := errgroup.WithContext(ctx)
	source, written := &track{ch: make(chan pieceOfSound, 8)}, &track{ch: make(chan pieceOfSound, 8)}
	send := func(t *track, part pieceOfSound) error {
		select {
		case t.ch <- part:
			return nil
		case <-ctx.Done():
			return ctx.Err()
		}
	}
	g.Go(func() error {
		defer close(source.ch)
		return p.passages.both(ctx, p.source, func(raw, want []float64) error {
			return send(source, pieceOfSound{slices.Clone(raw), slices.Clone(want)})
		})
	})
	g.Go(func() error {
		defer close(written.ch)
		return p.written(ctx, func(part []float64) error { return send(written, pieceOfSound{want: slices.Clone(part)}) })
	})
	g.Go(func() error { return do(source, written) })
	return g.Wait()
}

// equal compares both sample by sample: to the bit what is the source's, to the code what is silent or
// a tone, and voices by that they are not what was said. A container may tell times by the thousandth of
// a second alone: as far as that, the track may lie elsewhere (the lag), and be the same.
func (p *pair) equal(ctx context.Context) (n int64, lag float64, err error) {
	s := p.s
	err = p.compare(ctx, func(source, written *track) error {
		head := int(looked*float64(s.Rate)) * s.Channels
		source.fill(head)
		written.fill(head)
		k := shift(source.want, written.want, s.Channels, int(tick*float64(s.Rate))+1)
		lag = 1000 * float64(k) / float64(s.Rate)
		source.skip(max(-k, 0) * s.Channels)
		written.skip(max(k, 0) * s.Channels)
		alike := p.likeness(int64(max(-k, 0) * s.Channels))
		for {
			source.fill(1)
			written.fill(1)
			m := min(len(source.want), len(written.want))
			if m == 0 {
				rest := (source.rest() - written.rest()) / s.Channels
				if most := int(tick*float64(s.Rate)) + 1; rest > most || rest < -most {
					return fmt.Errorf("ends at %.3f s, %d samples from where the source's ends",
						float64(n)/float64(s.Rate*s.Channels), rest)
				}
				return nil
			}
			same, err := alike.add(source.raw[:m], source.want[:m], written.want[:m], true)
			if n += same; err != nil {
				return err
			}
			source.skip(m)
			written.skip(m)
		}
	})
	return n, lag, err
}

// hidden looks, in sound coded with loss that lies some samples later, at what is to be hidden.
func (p *pair) hidden(ctx context.Context, later int) error {
	return p.compare(ctx, func(source, written *track) error {
		source.fill(max(-later, 0) * p.s.Channels)
		source.skip(max(-later, 0) * p.s.Channels)
		written.fill(max(later, 0) * p.s.Channels)
		written.skip(max(later, 0) * p.s.Channels)
		alike := p.likeness(int64(max(-later, 0) * p.s.Channels))
		for {
			source.fill(1)
			written.fill(1)
			m := min(len(source.want), len(written.want))
			if m == 0 {
				source.rest()
				written.rest()
				return nil
			}
			if _, err := alike.add(source.raw[:m], source.want[:m], written.want[:m], false); err != nil {
				return err
			}
			source.skip(m)
			written.skip(m)
		}
	})
}

// pieceOfSound is samples as the source has them, and as they are to be, or were written.
type pieceOfSound struct{ raw, want []float64 }

// track is samples that come.
type track struct {
	ch chan pieceOfSound
	pieceOfSound
}

// fill waits for so many samples, or the end.
func (t *track) fill(n int) {
	for len(t.want) < n {
		part, ok := <-t.ch
		if !ok {
			return
		}
		t.raw, t.want = append(t.raw, part.raw...), append(t.want, part.want...)
	}
}

func (t *track) skip(n int) {
	t.raw, t.want = t.raw[min(n, len(t.raw)):], t.want[min(n, len(t.want)):]
}

// rest counts what is left, to the end.
func (t *track) rest() int {
	n := len(t.want)
	for part := range t.ch {
		n += len(part.want)
	}
	return n
}

// shift is by how many samples of each channel b is later than a, at most far: the least at
// which their loudest parts are the same, 0 where none is.
func shift(a, b []float64, channels, far int) int {
	const part = 256
	n := min(len(a), len(b)) / channels
	at, loud := -1, 0.
	for i := far; i+part+far < n; i++ {
		if v := a[i*channels]; v*v > loud {
			at, loud = i, v*v
		}
	}
	if at < 0 {
		return 0
	}
	for d := range 2 * far {
		k := (d + 1) / 2 * (1 - 2*(d&1)) // 0 -1 1 -2 2 …
		if slices.Equal(a[at*channels:(at+part)*channels], b[(at+k)*channels:(at+k+part)*channels]) {
			return k
		}
	}
	return 0
}

const (
	mostLag = 2.   // ms that sound coded with loss may lie off: nobody hears less
	tick    = .001 // seconds that a container may round a time by
	window  = .25  // seconds that are compared
	reach   = .06  // seconds to each side that are looked at
	silent  = 1e-8 // of the mean square, -80 dB
	audible = 1e-6 // the same, -60 dB
	// sameSound is how alike two sounds are that are the same one; what was coded with loss is so by far more.
	sameSound = .5
	looked    = 20. // seconds from the beginning in which the loudest such part is taken
)

var errEnough = errors.New("enough was heard")

// distance is how much later the written track is than the source's, ms: where the loudest part
// of the first channel agrees best. Silence lies where it should.
func (p *pair) distance(ctx context.Context) (float64, error) {
	s := p.s
	most := int(looked * float64(s.Rate))
	first := func(listen func(context.Context, func([]float64) error) error) (out []float64, err error) {
		err = listen(ctx, func(part []float64) error {
			for i := 0; i < len(part); i += s.Channels {
				out = append(out, part[i])
			}
			if len(out) > most {
				return errEnough
			}
			return nil
		})
		if errors.Is(err, errEnough) {
			err = nil
		}
		return out, err
	}
	a, err := first(p.source)
	if err != nil {
		return 0, err
	}
	b, err := first(p.written)
	if err != nil {
		return 0, err
	}
	n, far := int(window*float64(s.Rate)), int(reach*float64(s.Rate))
	at, loud := -1, 0.
	for i := far; i+n+far < min(len(a), len(b)); i += n / 2 {
		if e := energy(a[i : i+n]); e > loud && !p.treated(i-far, i+n+far) {
			at, loud = i, e
		}
	}
	if at < 0 || loud < silent*float64(n) {
		return 0, nil
	}
	part := a[at : at+n]
	best, lag := 0., 0
	for d := range 2*far + 1 { // the nearest of those that are alike: a tone is like itself at every wave
		k := (d + 1) / 2 * (1 - 2*(d&1))
		other := b[at+k : at+k+n]
		var sum float64
		for i, v := range part {
			sum += v * other[i]
		}
		if alike := sum / math.Sqrt(loud*energy(other)+1e-12); alike > best+.01 {
			best, lag = alike, k
		}
	}
	if best < sameSound {
		return 0, fmt.Errorf("a sound track is not the source's: where it is loudest they are alike by %.0f %%", 100*best)
	}
	return 1000 * float64(lag) / float64(s.Rate), nil
}

// treated reports whether anything is done to the first channel from one sample up to another.
func (p *pair) treated(from, to int) bool {
	for n := from; n < to && p.passages != nil; n++ {
		if p.passages.known.Touched(n, 0) {
			return true
		}
	}
	return false
}

func energy(v []float64) (sum float64) {
	for _, x := range v {
		sum += x * x
	}
	return sum
}
