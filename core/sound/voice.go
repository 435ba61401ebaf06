package sound

import (
	"math"
	"math/rand/v2"
	"slices"
)

// Voice disguises one. Nothing of the source's waveform is in what it gives: the envelope of
// its spectrum is taken at every hop, its formants are moved, and pulses of another pitch, and
// noise, are sent through it (a vocoder, after Dudley, "Remaking speech", JASA 11, 1939, and Morise,
// Yokomori and Ozawa, "WORLD", IEICE Trans. E99-D, 2016).
//
// What a speaker is known by is drawn anew for each: the pitch around which the new voice speaks does
// not depend on the old one, but that it is never near to it; of the melody half is left; formants
// go by a ratio, up or down. Pitch and formants also wander. The draw is kept nowhere.
type Voice struct {
	rate     float64
	rnd      *rand.Rand
	tract    *tract
	drawn    []float64 // pitches of which the first that is far enough from the old one is taken, Hz
	pitch    float64   // around which it speaks, Hz; 0 until something voiced was heard
	formants float64   // the ratio of its formants
	wander   [2][]wave
	pulse    float64 // the next pulse's sample
	tail     [][]float64
	end      int // sample up to which it was given
}

// wave is one of the slow waves that make up a wandering.
type wave struct{ size, rate, phase float64 } // of the logarithm; Hz; rad

// What is drawn.
const (
	lowestVoice, highestVoice   = 85., 260.  // Hz, even in the logarithm
	least                       = 1.25       // ratio that the new pitch is off the old one at least, and
	leastBeside                 = 1.06       // its harmonics, at any time: 1.5 turns of 100 Hz in a quarter of a second
	leastFormants, mostFormants = 1.18, 1.32 // ratio, or its inverse
	melody                      = .5         // of the old voice's is left
	pitchWander, formantWander  = .07, .05   // of the logarithm, at most
)

func newVoice(rate int, chance rand.Source) *Voice {
	v := &Voice{rate: float64(rate), rnd: rand.New(chance), tract: newTract(rate), end: -1}
	between := func(a, b float64) float64 { return a * math.Pow(b/a, v.rnd.Float64()) }
	v.formants = between(leastFormants, mostFormants)
	if v.rnd.IntN(2) == 0 {
		v.formants = 1 / v.formants
	}
	for range 64 {
		v.drawn = append(v.drawn, between(lowestVoice, highestVoice))
	}
	for i, most := range []float64{pitchWander, formantWander} {
		const waves = 3
		for range waves {
			v.wander[i] = append(v.wander[i], wave{most / waves, between(.15, 1.5), 2 * math.Pi * v.rnd.Float64()})
		}
	}
	return v
}

// unlike chooses the pitch that a voice of another is given.
func (v *Voice) unlike(old float64) float64 {
	for _, p := range v.drawn {
		if p > old*least || p < old/least {
			return p
		}
	}
	return old * least // not in so many draws
}

// strayed is where a wandering is at a sample.
func (v *Voice) strayed(i, n int) (sum float64) {
	for _, w := range v.wander[i] {
		sum += w.size * math.Sin(w.phase+2*math.Pi*w.rate*float64(n)/v.rate)
	}
	return math.Exp(sum)
}

// disguise gives samples from a up to b of each channel that is on. in holds the interleaved
// samples from first on, as far to both sides as is looked.
func (v *Voice) disguise(in []float64, first, channels int, on []bool, a, b int) [][]float64 {
	x := make([][]float64, channels)
	mono := make([]float64, len(in)/channels)
	for c := range x {
		if !on[c] {
			continue
		}
		x[c] = make([]float64, len(mono))
		for i := range mono {
			x[c][i] = in[i*channels+c]
			mono[i] += x[c][i]
		}
	}
	old := pitches(mono, int(v.rate))
	e := &excitation{old: old, new: v.melody(old, first), first: first}
	if v.end != a {
		v.pulse, v.tail = float64(a), make([][]float64, channels)
	}
	pulses, end := e.pulses(v, v.pulse, b)
	out := make([][]float64, channels)
	for c := range x {
		if on[c] {
			out[c] = v.speak(x[c], c, e, pulses, a, b)
		}
	}
	v.pulse, v.end = end, b
	return out
}

// melody is the new voice's pitch at every hop, where the old one has one.
func (v *Voice) melody(old []float64, first int) []float64 {
	voiced := slices.DeleteFunc(slices.Clone(old), func(p float64) bool { return p == 0 })
	out := make([]float64, len(old))
	if len(voiced) == 0 {
		return out
	}
	slices.Sort(voiced)
	if v.pitch == 0 {
		v.pitch = v.unlike(voiced[len(voiced)/2])
	}
	const near = 1.5 // s to each side that the old voice's own pitch is told from
	n := int(near / hop)
	var sum float64
	var count, from, to int
	for k, p := range old {
		for ; to < min(k+n, len(old)); to++ {
			if old[to] > 0 {
				sum += math.Log(old[to])
				count++
			}
		}
		for ; from < k-n; from++ {
			if old[from] > 0 {
				sum -= math.Log(old[from])
				count--
			}
		}
		if p > 0 {
			rise := min(max(math.Log(p)-sum/float64(count), -.7), .7) // an octave is a mistake of the estimator
			out[k] = beside(v.pitch*math.Exp(melody*rise)*v.strayed(0, first+int(float64(k)*hop*v.rate)), p)
		}
	}
	return out
}

// beside moves a new pitch off the places where one of its harmonics is the old pitch, or it is one of
// the old one's: while both run alike the waveform would be heard, whatever the two are made of.
func beside(pitch, old float64) float64 {
	harmonic := math.Max(math.Round(old/pitch), 1)
	if pitch > old {
		harmonic = 1 / math.Round(pitch/old)
	}
	meets := old / harmonic
	switch off := pitch / meets; {
	case off >= 1 && off < leastBeside:
		return meets * leastBeside
	case off < 1 && off > 1/leastBeside:
		return meets / leastBeside
	}
	return pitch
}

// excitation is what goes through the tract.
type excitation struct {
	old, new []float64 // pitch at every hop, from sample first on
	first    int
}

// pulse is one of the new voice.
type pulse struct {
	at     float64 // sample
	period float64 // samples
}

// pulses are those of voiced hops from a sample up to another, and where the next one comes.
func (e *excitation) pulses(v *Voice, at float64, to int) (out []pulse, next float64) {
	for at < float64(to) {
		k := min(max(int((at-float64(e.first))/v.rate/hop+.5), 0), len(e.new)-1)
		if k < 0 || e.new[k] == 0 {
			at += hop * v.rate
			continue
		}
		period := v.rate / e.new[k]
		out = append(out, pulse{at, period})
		at += period
	}
	return out, at
}

// breath is the share of noise in a voiced sound's power at a frequency: voices are less and
// less periodic above their third formant.
func breath(hz float64) float64 {
	const from, to, most = 2500., 7000., .9
	return most * min(max((hz-from)/(to-from), 0), 1)
}

// speak gives a channel's samples from a up to b.
func (v *Voice) speak(x []float64, c int, e *excitation, pulses []pulse, a, b int) []float64 {
	t, n := v.tract, v.tract.n
	out := make([]float64, b-a+2*n)
	copy(out, v.tail[c])
	width := max(int(hop*v.rate), 1)
	noise, spec := make([]float64, n), make([]complex128, n/2+1)
	share := make([]float64, n/2+1)
	for i := range share {
		share[i] = breath(float64(i) * v.rate / float64(n))
	}
	next := 0
	// Looks lie on a grid of their own, so that parts that follow each other agree.
	for at := (a + width - 1) / width * width; at < b && len(e.old) > 0; at += width {
		h := min(int(float64(at-e.first)/v.rate/hop+.5), len(e.old)-1)
		filter := t.filter(stretched(t.envelope(x, at-e.first, e.old[h]), v.formants*v.strayed(1, at)))
		voiced := e.new[h] > 0
		clear(noise)
		for i := range 2 * width { // squares of neighbours' windows add up to 1
			noise[i] = v.rnd.NormFloat64() * math.Sin(math.Pi*(float64(i)+.5)/float64(2*width))
		}
		t.fft.Coefficients(spec, noise)
		for i := range spec {
			g := 1.
			if voiced {
				g = math.Sqrt(share[i])
			}
			spec[i] *= filter[i] * complex(g, 0)
		}
		t.add(out, spec, at-a)
		for ; next < len(pulses) && pulses[next].at < float64(at+width); next++ {
			p := pulses[next]
			whole := math.Floor(p.at)
			size := math.Sqrt(p.period)
			for i := range spec {
				turn := -2 * math.Pi * float64(i) * (p.at - whole) / float64(n)
				sin, cos := math.Sincos(turn)
				spec[i] = filter[i] * complex(cos, sin) * complex(size*math.Sqrt(1-share[i]), 0)
			}
			t.add(out, spec, int(whole)-a)
		}
	}
	v.tail[c] = append([]float64(nil), out[b-a:]...)
	return out[:b-a]
}

// add adds what a spectrum is in time at a place.
func (t *tract) add(out []float64, spec []complex128, at int) {
	part := t.fft.Sequence(t.time, spec)
	for i, v := range part {
		if j := at + i; j >= 0 && j < len(out) {
			out[j] += v / float64(t.n)
		}
	}
}
