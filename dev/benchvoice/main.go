// Command benchvoice measures disguised voices on generated speech: how many words a recogniser
// still understands, of a list it knows, and how well the speaker's pitch and formants are
// estimated from the result. The estimators are not those of the disguise.
//
// Needs Debian's espeak-ng, pocketsphinx and pocketsphinx-en-us.
package main

import (
	"bytes"
	"encoding/binary"
	"flag"
	"fmt"
	"log"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"

	"gonum.org/v1/gonum/dsp/fourier"

	"celator/core/cover"
	"celator/core/sound"
)

const rate = 16000 // Hz, what the recogniser hears

// The first are to work on, the second are only ever measured.
var sets = map[string]struct {
	voices, words []string
	seed          uint64
}{
	"work": {
		[]string{"en-us+m1", "en-us+m3", "en-us+f2", "en-us+f4"},
		[]string{
			"harbour", "seven", "window", "market", "orange", "doctor", "winter", "number", "river", "yellow", "morning",
			"ticket", "garden", "silver", "happy", "engine", "paper", "mountain", "letter", "kitchen",
		},
		1,
	},
	"measured": {
		[]string{"en-gb+m2", "en-us+m7", "en-us+f1", "en-us+f5", "en-us+m5"},
		[]string{
			"captain", "eleven", "summer", "bottle", "purple", "teacher", "island", "money", "village", "butter", "evening",
			"station", "forest", "copper", "lucky", "motor", "pencil", "valley", "message", "chamber",
		},
		1000,
	},
}

func main() {
	log.SetFlags(0)
	which := flag.String("set", "measured", "work or measured")
	draws := flag.Int("draws", 3, "disguises of each word's speaker")
	flag.Parse()
	set, ok := sets[*which]
	if !ok {
		log.Fatalf("no set %q", *which)
	}
	dir, err := os.MkdirTemp("", "celator-voice")
	if err != nil {
		log.Fatal(err)
	}
	defer os.RemoveAll(dir)
	var t tally
	for i, voice := range set.voices {
		for draw := range *draws {
			seed := set.seed + uint64(i)*100 + uint64(draw)
			said, err := speak(dir, voice, set.words, rand.New(rand.NewPCG(seed, 7)))
			if err != nil {
				log.Fatal(err)
			}
			if err := t.add(dir, voice, set.words, said, seed); err != nil {
				log.Fatal(err)
			}
		}
	}
	t.print(set.words)
}

// word is one that was said.
type word struct {
	is      int
	samples []float64
}

// speak says every word, in a carrier that makes it a sentence's length, in some order.
func speak(dir, voice string, words []string, rnd *rand.Rand) (out []word, err error) {
	for _, k := range rnd.Perm(len(words)) {
		file := filepath.Join(dir, "said.wav")
		speed, pitch := 130+rnd.IntN(40), 35+rnd.IntN(30)
		cmd := exec.Command("espeak-ng", "-v", voice, "-s", fmt.Sprint(speed), "-p", fmt.Sprint(pitch), "-w", file,
			"the "+words[k])
		if b, err := cmd.CombinedOutput(); err != nil {
			return nil, fmt.Errorf("espeak-ng: %w: %s", err, b)
		}
		raw, err := exec.Command("ffmpeg", "-v", "error", "-i", file, "-ar", fmt.Sprint(rate), "-ac", "1", "-f", "f64le",
			"-").Output()
		if err != nil {
			return nil, err
		}
		s := make([]float64, len(raw)/8)
		if err := binary.Read(bytes.NewReader(raw), binary.LittleEndian, s); err != nil {
			return nil, err
		}
		out = append(out, word{k, s})
	}
	return out, nil
}

// disguise sends all words through one voice, with pauses between.
func disguise(said []word, seed uint64) []word {
	const pause = rate / 4
	var all []float64
	for _, w := range said {
		all = append(append(all, w.samples...), make([]float64, pause)...)
	}
	p := cover.NewPassage("p", 0, len(all)*25/rate+1)
	p.How, p.Fade = cover.Disguised, 0
	t := sound.New([]cover.Passage{p}, 0, 1, rate, 25, 0,
		func(string) rand.Source { return rand.NewPCG(seed, 99) })
	var out []float64
	give := func(v []float64) error { out = append(out, v...); return nil }
	if err := t.Write(all, give); err != nil {
		log.Fatal(err)
	}
	if err := t.Close(give); err != nil {
		log.Fatal(err)
	}
	got := make([]word, len(said))
	at := 0
	for i, w := range said {
		got[i] = word{w.is, out[at : at+len(w.samples)]}
		at += len(w.samples) + pause
	}
	return got
}

// heard recognises each word, of those it knows. As listeners do, it adapts to the size of a speaker's
// vocal tract (Lee and Rose, "Speaker normalization using efficient frequency warping", ICASSP 1996):
// of a few warps, the one with which it understands most.
func heard(dir string, words []string, said []word) (right int, err error) {
	const grammar = "said.gram"
	text := "#JSGF V1.0;\ngrammar said;\npublic <said> = the ( " + strings.Join(words, " | ") + " );\n"
	if err := os.WriteFile(filepath.Join(dir, grammar), []byte(text), 0o600); err != nil {
		return 0, err
	}
	var list strings.Builder
	for i, w := range said {
		name := fmt.Sprintf("w%d", i)
		list.WriteString(name + "\n")
		var b bytes.Buffer
		for range rate / 4 {
			b.Write([]byte{0, 0})
		}
		for _, v := range w.samples {
			binary.Write(&b, binary.LittleEndian, int16(math.Max(-1, math.Min(1, v*.8))*32767))
		}
		for range rate / 4 {
			b.Write([]byte{0, 0})
		}
		if err := os.WriteFile(filepath.Join(dir, name+".raw"), b.Bytes(), 0o600); err != nil {
			return 0, err
		}
	}
	if err := os.WriteFile(filepath.Join(dir, "list"), []byte(list.String()), 0o600); err != nil {
		return 0, err
	}
	for _, warp := range []string{"0.74", "0.86", "1", "1.16", "1.34"} {
		n, err := recognise(dir, grammar, words, said, warp)
		if err != nil {
			return 0, err
		}
		right = max(right, n)
	}
	return right, nil
}

// recognise counts the words that are recognised where frequencies are warped by a ratio.
func recognise(dir, grammar string, words []string, said []word, warp string) (right int, err error) {
	const model = "/usr/share/pocketsphinx/model/en-us/"
	cmd := exec.Command("pocketsphinx_batch", "-adcin", "yes", "-cepdir", dir, "-cepext", ".raw", "-ctl",
		filepath.Join(dir, "list"), "-hyp", filepath.Join(dir, "hyp"), "-jsgf", filepath.Join(dir, grammar),
		"-hmm", model+"en-us", "-dict", model+"cmudict-en-us.dict",
		"-warp_type", "inverse_linear", "-warp_params", warp)
	if b, err := cmd.CombinedOutput(); err != nil {
		return 0, fmt.Errorf("pocketsphinx: %w: %s", err, b[max(0, len(b)-500):])
	}
	hyp, err := os.ReadFile(filepath.Join(dir, "hyp"))
	if err != nil {
		return 0, err
	}
	lines := strings.Split(string(hyp), "\n")
	for i, w := range said {
		if i < len(lines) && strings.Contains(" "+lines[i], " "+words[w.is]+" ") {
			right++
		}
	}
	return right, nil
}

// speaker is what an estimator finds of one: the medians over voiced parts.
type speaker struct {
	pitch    float64
	formants [3]float64
}

// tally adds up the trials.
type tally struct {
	words, plain, disguised int
	voices                  []string
	was, is                 []speaker
}

func (t *tally) add(dir, voice string, words []string, said []word, seed uint64) error {
	hidden := disguise(said, seed)
	a, err := heard(dir, words, said)
	if err != nil {
		return err
	}
	b, err := heard(dir, words, hidden)
	if err != nil {
		return err
	}
	t.words, t.plain, t.disguised = t.words+len(said), t.plain+a, t.disguised+b
	was, is := estimate(said, hidden)
	t.voices, t.was, t.is = append(t.voices, voice), append(t.was, was), append(t.is, is)
	return nil
}

func (t *tally) print(words []string) {
	fmt.Printf("words understood, of a list of %d: %.1f %% as said, %.1f %% disguised (%d said)\n", len(words),
		100*float64(t.plain)/float64(t.words), 100*float64(t.disguised)/float64(t.words), t.words)
	names := [4]string{"pitch", "first formant", "second formant", "third formant"}
	get := func(s speaker, k int) float64 {
		if k == 0 {
			return s.pitch
		}
		return s.formants[k-1]
	}
	for i, v := range t.voices {
		fmt.Printf("%-10s", v)
		for k := range names {
			fmt.Printf("  %5.0f → %5.0f", get(t.was[i], k), get(t.is[i], k))
		}
		fmt.Println()
	}
	for k, name := range names {
		near, guessed := 0, 0
		var ratios []float64
		for i := range t.was {
			ratios = append(ratios, math.Log(get(t.is[i], k)/get(t.was[i], k)))
		}
		// One who knows the method moves everything back by the one amount that is best over all.
		best := 0
		for _, r := range ratios {
			n := 0
			for _, q := range ratios {
				if math.Abs(q-r) <= math.Log(1.1) {
					n++
				}
			}
			best = max(best, n)
		}
		guessed = best
		for _, r := range ratios {
			if math.Abs(r) <= math.Log(1.1) {
				near++
			}
		}
		fmt.Printf("%s: within 10 %% in %d of %d as it is, in %d moved back by the best amount, correlation %.2f\n", name,
			near, len(ratios), guessed, correlation(t.was, t.is, func(s speaker) float64 { return math.Log(get(s, k)) }))
	}
}

func correlation(a, b []speaker, of func(speaker) float64) float64 {
	var ma, mb float64
	for i := range a {
		ma += of(a[i]) / float64(len(a))
		mb += of(b[i]) / float64(len(a))
	}
	var sab, saa, sbb float64
	for i := range a {
		x, y := of(a[i])-ma, of(b[i])-mb
		sab, saa, sbb = sab+x*y, saa+x*x, sbb+y*y
	}
	return sab / math.Sqrt(saa*sbb+1e-300)
}

// estimate finds a speaker's pitch by autocorrelation, and formants by linear prediction, as said and
// disguised: over the same moments, where both are voiced.
func estimate(said, hidden []word) (was, is speaker) {
	const look, step = 640, 160
	var pitches [2][]float64
	var formants [2][3][]float64
	for i := range said {
		for at := 0; at+look < len(said[i].samples); at += step {
			var p [2]float64
			var f [2][3]float64
			voiced := true
			for k, w := range []word{said[i], hidden[i]} {
				x := w.samples[at : at+look]
				var clear float64
				var ok bool
				p[k], clear = autocorrelation(x)
				f[k], ok = predicted(x)
				voiced = voiced && ok && clear > .5
			}
			for k := range p {
				if !voiced {
					continue
				}
				pitches[k] = append(pitches[k], p[k])
				for n, v := range f[k] {
					formants[k][n] = append(formants[k][n], v)
				}
			}
		}
	}
	for k, s := range []*speaker{&was, &is} {
		s.pitch = median(pitches[k])
		for n, v := range formants[k] {
			s.formants[n] = median(v)
		}
	}
	return was, is
}

func median(v []float64) float64 {
	if len(v) == 0 {
		return math.NaN()
	}
	slices.Sort(v)
	return v[len(v)/2]
}

// autocorrelation gives the pitch of a window and how clear it is.
func autocorrelation(x []float64) (hz, clear float64) {
	var best, at float64
	for lag := rate / 400; lag <= rate/60; lag++ {
		var sum, a, b float64
		for i := 0; i+lag < len(x); i++ {
			sum += x[i] * x[i+lag]
			a += x[i] * x[i]
			b += x[i+lag] * x[i+lag]
		}
		// The shortest of periods that are nearly alike.
		if c := sum / math.Sqrt(a*b+1e-9); c > best+.03 {
			best, at = c, float64(lag)
		}
	}
	return rate / max(at, 1), best
}

// predicted are the three lowest formants: the peaks of the spectrum of linear prediction of order 11 of
// what lies below 5 kHz (Makhoul, Proc. IEEE 63, 1975).
func predicted(x []float64) (f [3]float64, ok bool) {
	const order, below = 11, 5000
	w := make([]float64, len(x))
	for i := 1; i < len(x); i++ {
		w[i] = (x[i] - .97*x[i-1]) * (.5 - .5*math.Cos(2*math.Pi*float64(i)/float64(len(x))))
	}
	spectrum := fourier.NewFFT(len(w)).Coefficients(nil, w)
	bins := below * len(w) / rate
	var r [order + 1]float64
	for k := range r {
		for i, c := range spectrum[:bins] {
			r[k] += (real(c)*real(c) + imag(c)*imag(c)) * math.Cos(math.Pi*float64(i*k)/float64(bins)) / float64(bins)
		}
	}
	if r[0] < 1e-7 {
		return f, false
	}
	a := make([]float64, order+1)
	a[0] = 1
	e := r[0] * 1.0001
	for i := 1; i <= order; i++ {
		k := -r[i]
		for j := 1; j < i; j++ {
			k -= a[j] * r[i-j]
		}
		k /= e
		b := slices.Clone(a)
		for j := 1; j < i; j++ {
			a[j] = b[j] + k*b[i-j]
		}
		a[i] = k
		e *= 1 - k*k
	}
	const step = 10. // Hz
	at := func(hz float64) float64 {
		var re, im float64
		for k, c := range a {
			sin, cos := math.Sincos(2 * math.Pi * hz * float64(k) / (2 * below))
			re, im = re+c*cos, im-c*sin
		}
		return -(re*re + im*im)
	}
	n := 0
	for hz := 150.; hz < 5000 && n < 3; hz += step {
		if m := at(hz); m > at(hz-step) && m >= at(hz+step) {
			f[n] = hz
			n++
		}
	}
	return f, n == 3
}
