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
	samples int64   // found equal, of all channels
	lag     float64 // the largest distance of a track from where the source has it, ms
}

// verifySound compares every sound track with the source's at the times of the pictures: sample
// by sample where nothing may be lost, else by where the two are most alike.
func verifySound(ctx context.Context, j Job, out media.Info) (heard, error) {
	var all heard
	source := j.Clip.Info
	length := -1.
	if !j.whole() {
		length = float64(j.Last-j.First+1) / source.Rate.Float()
	}
	from := float64(j.Clip.From()+j.First) / source.Rate.Float()
	for i, s := range source.Sound {
		if got := out.Sound[i]; got.Channels != s.Channels || got.Rate != s.Rate {
			return all, fmt.Errorf("sound track %d has %d channels at %d Hz, not %d at %d Hz", i+1, got.Channels, got.Rate,
				s.Channels, s.Rate)
		}
		listen := func(ctx context.Context, written bool, do func([]float32) error) error {
			if written {
				return media.Listen(ctx, j.Out, i, s, out.SoundLead(), 0, length, do)
			}
			return media.Listen(ctx, j.Sound, i, s, source.SoundLead(), from, length, do)
		}
		if j.Preset.Lossless {
			n, lag, err := equal(ctx, s, listen)
			if all.samples += n; err != nil {
				return all, fmt.Errorf("sound track %d %w", i+1, err)
			}
			all.lag = max(all.lag, math.Abs(lag))
			continue
		}
		lag, err := distance(ctx, s, listen)
		if err != nil {
			return all, err
		}
		if all.lag = max(all.lag, math.Abs(lag)); math.Abs(lag) > mostLag {
			return all, fmt.Errorf("sound track %d lies %+.1f ms from where the source has it", i+1, lag)
		}
	}
	return all, nil
}

// listener gives the samples of the source's track, or of the written one.
type listener func(ctx context.Context, written bool, do func([]float32) error) error

// equal compares both sample by sample. A container may tell times by the thousandth of a
// second alone: as far as that, the track may lie elsewhere (the lag), and be the same.
func equal(ctx context.Context, s media.Sound, listen listener) (n int64, lag float64, err error) {
	g, ctx := errgroup.WithContext(ctx)
	source, written := &track{ch: make(chan []float32, 8)}, &track{ch: make(chan []float32, 8)}
	for t, is := range map[*track]bool{source: false, written: true} {
		g.Go(func() error {
			defer close(t.ch)
			return listen(ctx, is, func(part []float32) error {
				select {
				case t.ch <- append([]float32(nil), part...):
					return nil
				case <-ctx.Done():
					return ctx.Err()
				}
			})
		})
	}
	g.Go(func() error {
		head := int(looked*float64(s.Rate)) * s.Channels
		source.fill(head)
		written.fill(head)
		k := shift(source.have, written.have, s.Channels, int(tick*float64(s.Rate))+1)
		lag = 1000 * float64(k) / float64(s.Rate)
		source.skip(max(-k, 0) * s.Channels)
		written.skip(max(k, 0) * s.Channels)
		for {
			source.fill(1)
			written.fill(1)
			m := min(len(source.have), len(written.have))
			if m == 0 {
				rest := (source.rest() - written.rest()) / s.Channels
				if most := int(tick*float64(s.Rate)) + 1; rest > most || rest < -most {
					return fmt.Errorf("ends at %.3f s, %d samples from where the source's ends",
						float64(n)/float64(s.Rate*s.Channels), rest)
				}
				return nil
			}
			for i := range m {
				if source.have[i] != written.have[i] {
					return fmt.Errorf("differs from the source's at %.3f s", float64(n+int64(i))/float64(s.Rate*s.Channels))
				}
			}
			source.skip(m)
			written.skip(m)
			n += int64(m)
		}
	})
	return n, lag, g.Wait()
}

// track is samples that come.
type track struct {
	ch   chan []float32
	have []float32
}

// fill waits for so many samples, or the end.
func (t *track) fill(n int) {
	for len(t.have) < n {
		part, ok := <-t.ch
		if !ok {
			return
		}
		t.have = append(t.have, part...)
	}
}

func (t *track) skip(n int) { t.have = t.have[min(n, len(t.have)):] }

// rest counts what is left, to the end.
func (t *track) rest() int {
	n := len(t.have)
	for part := range t.ch {
		n += len(part)
	}
	return n
}

// shift is by how many samples of each channel b is later than a, at most far: the least at
// which their loudest parts are the same, 0 where none is.
func shift(a, b []float32, channels, far int) int {
	const part = 256
	n := min(len(a), len(b)) / channels
	at, loud := -1, float32(0)
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
	looked  = 20.  // seconds from the beginning in which the loudest such part is taken
)

var errEnough = errors.New("enough was heard")

// distance is how much later the written track is than the source's, ms: where the loudest part
// of the first channel agrees best. Silence lies where it should.
func distance(ctx context.Context, s media.Sound, listen listener) (float64, error) {
	most := int(looked * float64(s.Rate))
	first := func(written bool) (out []float32, err error) {
		err = listen(ctx, written, func(part []float32) error {
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
	a, err := first(false)
	if err != nil {
		return 0, err
	}
	b, err := first(true)
	if err != nil {
		return 0, err
	}
	n, far := int(window*float64(s.Rate)), int(reach*float64(s.Rate))
	at, loud := -1, 0.
	for i := far; i+n+far < min(len(a), len(b)); i += n / 2 {
		if e := energy(a[i : i+n]); e > loud {
			at, loud = i, e
		}
	}
	const silent = 1e-8 // of the mean square, -80 dB
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
			sum += float64(v * other[i])
		}
		if alike := sum / math.Sqrt(loud*energy(other)+1e-12); alike > best+.01 {
			best, lag = alike, k
		}
	}
	const same = .5 // below it nothing is told: what was coded is not the same any more
	if best < same {
		return 0, fmt.Errorf("a sound track is not the source's: where it is loudest they are alike by %.0f %%", 100*best)
	}
	return 1000 * float64(lag) / float64(s.Rate), nil
}

func energy(v []float32) (sum float64) {
	for _, x := range v {
		sum += float64(x * x)
	}
	return sum
}
