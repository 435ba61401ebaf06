package sound

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"celator/core/cover"
)

const fps = 25.

// drawn is a chance that is known.
func drawn(seed uint64) Chance {
	return func(string) rand.Source { return rand.NewPCG(seed, 9) }
}

// treated sends a track through a treater in blocks of changing sizes.
func treated(t *testing.T, tr *Treater, in []float64, channels int, rnd *rand.Rand) []float64 {
	t.Helper()
	var out []float64
	give := func(v []float64) error { out = append(out, v...); return nil }
	for at := 0; at < len(in); {
		n := min((1+rnd.IntN(20000))*channels, len(in)-at)
		if err := tr.Write(in[at:at+n], give); err != nil {
			t.Fatal(err)
		}
		at += n
	}
	if err := tr.Close(give); err != nil {
		t.Fatal(err)
	}
	if len(out) != len(in) {
		t.Fatalf("%d samples of %d", len(out), len(in))
	}
	return out
}

// Outside of passages and their fades every sample is the source's; inside, what the last
// passage on a channel says is heard.
func TestPassages(t *testing.T) {
	for seed := range uint64(16) {
		rnd := rand.New(rand.NewPCG(seed, 1))
		channels, rate := 1+rnd.IntN(6), []int{8000, 44100, 48000}[rnd.IntN(3)]
		seconds := 10
		in := make([]float64, seconds*rate*channels)
		for i := range in {
			in[i] = rnd.Float64() - .5
		}
		var passages []cover.Passage
		for range 1 + rnd.IntN(5) {
			p := cover.NewPassage("p", 0, 0)
			p.From = rnd.Float64() * float64(seconds) * fps
			p.To = p.From + rnd.Float64()*3*fps + .1
			p.How = []cover.Sounding{cover.Mute, cover.Tone, cover.Kept}[rnd.IntN(3)]
			p.Pitch, p.Level, p.Fade = 1000, -20, float64(rnd.IntN(30))
			if rnd.IntN(2) == 0 {
				p.Channels = []int{rnd.IntN(channels)}
			}
			if rnd.IntN(4) == 0 {
				p.Tracks = []int{1}
			}
			passages = append(passages, p)
		}
		begins := float64(rnd.IntN(50)) - 20
		tr := New(passages, 0, channels, rate, fps, begins, nil)
		out := treated(t, tr, in, channels, rnd)
		for i, v := range out {
			n, c := i/channels, i%channels
			frame := begins + (float64(n)+.5)/float64(rate)*fps // the sample's middle
			want, sure, touched := in[i], true, false
			for _, p := range passages {
				if !p.On(0, c) {
					continue
				}
				edge := 1 / float64(rate) * fps
				fade := p.Fade/1000*fps + 2*edge
				switch {
				case frame > p.From+edge && frame < p.To-edge:
					sure = p.How != cover.Tone
					want = map[bool]float64{true: in[i], false: 0}[p.How == cover.Kept]
					touched = touched || p.How != cover.Kept
				case frame > p.From-fade && frame < p.To+fade:
					sure, touched = false, true
				}
			}
			if sure && v != want {
				t.Fatalf("seed %d: sample %d of channel %d is %v, not %v", seed, n, c, v, want)
			}
			if !touched && tr.Touched(n, c) {
				t.Fatalf("seed %d: sample %d of channel %d is called touched", seed, n, c)
			}
			if tr.Touched(n, c) == false && v != in[i] {
				t.Fatalf("seed %d: sample %d of channel %d is touched", seed, n, c)
			}
		}
	}
}

// A tone has its pitch and its level.
func TestTone(t *testing.T) {
	const rate = 48000
	p := cover.NewPassage("p", 10, 34)
	p.How, p.Pitch, p.Level = cover.Tone, 1000, -18
	tr := New([]cover.Passage{p}, 0, 1, rate, fps, 0, nil)
	out := treated(t, tr, make([]float64, 3*rate), 1, rand.New(rand.NewPCG(1, 1)))
	in := out[int(.5*rate):int(1.3*rate)]
	peak := math.Abs(slices.MaxFunc(in, func(a, b float64) int { return int(math.Copysign(1, math.Abs(a)-math.Abs(b))) }))
	if db := 20 * math.Log10(peak); math.Abs(db+18) > .1 {
		t.Errorf("peaks of %.2f dB", db)
	}
	crossings := 0
	for i := 1; i < len(in); i++ {
		if in[i-1] < 0 && in[i] >= 0 {
			crossings++
		}
	}
	if crossings < 798 || crossings > 801 {
		t.Errorf("%d waves in 0.8 s", crossings)
	}
}

// vowels is a voice made of pulses through resonances, with a melody.
func vowels(rate int, pitch float64, formants [3]float64, seconds float64) []float64 {
	out := make([]float64, int(seconds*float64(rate)))
	phase := 0.
	for i := range out {
		phase += pitch * (1 + .1*math.Sin(2*math.Pi*float64(i)/float64(rate))) / float64(rate)
		if phase >= 1 {
			phase--
			out[i] = 1
		}
	}
	for _, f := range formants {
		const width = 90. // Hz
		r := math.Exp(-math.Pi * width / float64(rate))
		a, b := 2*r*math.Cos(2*math.Pi*f/float64(rate)), -r*r
		var p, q float64
		for i, v := range out {
			out[i] = (1-a-b)*v + a*p + b*q
			p, q = out[i], p
		}
	}
	var peak float64
	for _, v := range out {
		peak = max(peak, math.Abs(v))
	}
	for i := range out {
		out[i] *= .5 / peak
	}
	return out
}

// A disguised voice speaks at another pitch, as loud, with nothing of the old one's waveform, and
// otherwise at every draw.
func TestVoice(t *testing.T) {
	const rate = 16000
	rnd := rand.New(rand.NewPCG(3, 3))
	for _, pitch := range []float64{90, 130, 210} {
		in := vowels(rate, pitch, [3]float64{600, 1400, 2600}, 11)
		p := cover.NewPassage("p", 25, 25*10-1)
		p.How = cover.Disguised
		var before []float64
		for draw := range uint64(3) {
			out := treated(t, New([]cover.Passage{p}, 0, 1, rate, fps, 0, drawn(draw)), in, 1, rnd)
			a, b := in[2*rate:9*rate], out[2*rate:9*rate]
			if db := 10 * math.Log10(energy(b)/energy(a)); math.Abs(db) > 4 {
				t.Errorf("%v Hz, draw %d: %.1f dB louder", pitch, draw, db)
			}
			if like := alike(a[:2*rate], b[:2*rate]); like > .3 {
				t.Errorf("%v Hz, draw %d: like the source by %.2f", pitch, draw, like)
			}
			if before != nil && alike(before[:2*rate], b[:2*rate]) > .3 {
				t.Errorf("%v Hz, draw %d: like the draw before by %.2f", pitch, draw, alike(before[:2*rate], b[:2*rate]))
			}
			before = b
			found := slices.DeleteFunc(pitches(b, rate), func(p float64) bool { return p == 0 })
			if len(found) < 1000 {
				t.Fatalf("%v Hz, draw %d: voiced in %d of 1400 looks", pitch, draw, len(found))
			}
			slices.Sort(found)
			if ratio := found[len(found)/2] / pitch; ratio > 1/1.12 && ratio < 1.12 {
				t.Errorf("%v Hz, draw %d: speaks at %.0f Hz", pitch, draw, found[len(found)/2])
			}
			before, after := rate-rate/50, 10*rate+rate/50
			if !slices.Equal(out[:before], in[:before]) || !slices.Equal(out[after:], in[after:]) {
				t.Errorf("%v Hz, draw %d: what lies outside is not the source's", pitch, draw)
			}
		}
	}
}

// However it is drawn, no harmonic of the new voice lies where a tone was, steady or not: a whistle or a held note
// would be heard as before, for a quarter of a second.
func TestVoiceOfATone(t *testing.T) {
	const rate, window = 16000, 4000
	rnd := rand.New(rand.NewPCG(4, 4))
	in := make([]float64, 3*rate)
	for _, pitch := range [][2]float64{{175, 0}, {200, 0}, {255, 0}, {382, -32}, {143, 64}} {
		for i := range in {
			s := float64(i) / rate
			in[i] = .3 * math.Sin(2*math.Pi*(pitch[0]+pitch[1]*s)*s)
		}
		p := cover.NewPassage("p", 12, 62)
		p.How = cover.Disguised
		for draw := range uint64(24) {
			out := treated(t, New([]cover.Passage{p}, 0, 1, rate, fps, 0, drawn(draw)), in, 1, rnd)
			for at := rate / 2; at+window < 5*rate/2; at += window / 2 {
				a, b := in[at:at+window], out[at:at+window]
				var sum float64
				for i, v := range a {
					sum += v * b[i]
				}
				if like := sum / math.Sqrt(energy(a)*energy(b)+1e-12); like > .25 {
					t.Errorf("%.0f Hz, draw %d, at %.2f s: like the source by %.2f", pitch, draw, float64(at)/rate, like)
				}
			}
		}
	}
}

// A pitch is moved as little as keeps its harmonics beside the old one, and the old one's beside it.
func TestBeside(t *testing.T) {
	rnd := rand.New(rand.NewPCG(6, 6))
	for range 20000 {
		old, pitch := lowest+rnd.Float64()*(highest-lowest), lowest+rnd.Float64()*(highest-lowest)
		got := beside(pitch, old)
		if moved := max(got/pitch, pitch/got); moved > leastBeside+1e-9 {
			t.Fatalf("%.1f Hz beside %.1f becomes %.1f", pitch, old, got)
		}
		for k := 1.; k < 9; k++ {
			for _, q := range []float64{k * got / old, got / (k * old)} {
				if off := max(q, 1/q); off < leastBeside-1e-9 {
					t.Fatalf("%.1f Hz beside %.1f becomes %.1f, too near to harmonic %.0f", pitch, old, got, k)
				}
			}
		}
	}
}

// alike is the largest correlation at any shift up to 10 ms.
func alike(a, b []float64) (best float64) {
	const far = 160
	a = a[far : len(a)-far]
	for k := range 2 * far {
		q := b[k : k+len(a)]
		var sum float64
		for i, v := range a {
			sum += v * q[i]
		}
		best = max(best, math.Abs(sum)/math.Sqrt(energy(a)*energy(q)))
	}
	return best
}

// Silence, clicks, a rate nobody speaks at and the shortest of tracks are no harm.
func TestVoiceOfNothing(t *testing.T) {
	rnd := rand.New(rand.NewPCG(5, 5))
	for _, rate := range []int{100, 4000, 8000, 96000} {
		for _, n := range []int{1, 7, rate / 3, 6 * rate} {
			in := make([]float64, 2*n)
			in[n] = 1
			p := cover.NewPassage("p", 0, 1000)
			p.How = cover.Disguised
			for _, v := range treated(t, New([]cover.Passage{p}, 0, 2, rate, fps, 0, drawn(1)), in, 2, rnd) {
				if math.IsNaN(v) || math.Abs(v) > 4 {
					t.Fatalf("%d Hz, %d samples: %v", rate, n, v)
				}
			}
		}
	}
}
