package deliver

import (
	"fmt"
	"math"
	"strings"
)

// likeness holds written samples to what they are to be.
type likeness struct {
	*pair
	at   int64   // of the next sample, of all channels
	code float64 // what a sample may be rounded by
	sums []sums  // of each channel
}

// sums are products of what the source has (raw), what is to be (want) and what was written,
// over what is hidden in a window.
type sums struct {
	raw, want, written, asRaw, asWant float64
	n                                 int
}

func (p *pair) likeness(at int64) *likeness {
	l := &likeness{pair: p, at: at, code: 1. / (1<<15 - 1), sums: make([]sums, p.s.Channels)}
	if strings.HasPrefix(p.s.Sample, "u8") {
		l.code = 1. / (1<<7 - 1)
	}
	return l
}

// add takes samples more, and counts those that had to be the source's and are. Exact, or else coded
// with loss, in which only what is hidden is looked at.
func (l *likeness) add(raw, want, written []float64, exact bool) (same int64, err error) {
	rate, channels := float64(l.s.Rate), int64(l.s.Channels)
	for i := range written {
		n, c := int((l.at+int64(i))/channels), int((l.at+int64(i))%channels)
		touched := l.passages != nil && l.passages.known.Touched(n, c)
		switch {
		case !exact:
		case !touched && raw[i] != written[i]:
			return same, fmt.Errorf("differs from the source's at %.3f s", float64(n)/rate)
		case !touched:
			same++
		case !l.passages.voices.Touched(n, c) && math.Abs(want[i]-written[i]) > l.code:
			return same, fmt.Errorf("is not what it is to be at %.3f s", float64(n)/rate)
		}
		if touched && l.passages.known.Hidden(n, c) {
			if l.heard(&l.sums[c], raw[i], want[i], written[i]) {
				return same, fmt.Errorf("can still be heard at %.3f s, where it is to be hidden", float64(n)/rate)
			}
		} else if touched {
			l.sums[c] = sums{}
		}
	}
	l.at += int64(len(written))
	return same, nil
}

// heard reports, at the end of a window, whether what is hidden in it can still be heard. What is
// hidden by a tone may have been that tone.
func (l *likeness) heard(s *sums, raw, want, written float64) bool {
	s.raw, s.want, s.written = s.raw+raw*raw, s.want+want*want, s.written+written*written
	s.asRaw, s.asWant = s.asRaw+raw*written, s.asWant+raw*want
	if s.n++; s.n < int(window*float64(l.s.Rate)) {
		return false
	}
	defer func() { *s = sums{} }()
	is := s.asRaw / math.Sqrt(s.raw*s.written+1e-12)
	meant := s.asWant / math.Sqrt(s.raw*s.want+1e-12)
	return s.raw > audible*float64(s.n) && is > sameSound && meant < sameSound
}
