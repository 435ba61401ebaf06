package sound

import (
	"math"
	"math/rand/v2"
	"testing"
)

// The same sound is known where it is softer, beside others and some hundredths of a second off; another
// is not taken for it.
func TestAlike(t *testing.T) {
	const rate = 16000
	rnd := rand.New(rand.NewPCG(1, 2))
	a, b := vowels(rate, 110, [3]float64{500, 1500, 2500}, 1), vowels(rate, 171, [3]float64{650, 1100, 2400}, 1)
	same := make([]float64, len(a))
	for i := range same {
		if i >= 200 {
			same[i] = .1 * a[i-200]
		}
		same[i] += .005 * rnd.NormFloat64()
	}
	if like := Alike(a, same, rate); like < .8 {
		t.Errorf("the same, softer and later: %.2f", like)
	}
	if like := Alike(a, b, rate); like > .4 {
		t.Errorf("another: %.2f", like)
	}
	if like := Alike(a, make([]float64, len(a)), rate); like != 0 {
		t.Errorf("silence: %.2f", like)
	}
}

// A word that goes on beyond a passage is heard; a pause is not.
func TestGoesOn(t *testing.T) {
	const rate = 16000
	v := vowels(rate, 120, [3]float64{500, 1500, 2500}, 3)
	clear(v[2*rate:]) // said is a second from 1 to 2
	clear(v[:rate])
	fade := rate / 100
	before, after := GoesOn(v, rate-rate/20, 2*rate+rate/20, fade, rate)
	if !math.IsInf(before, 1) || !math.IsInf(after, 1) {
		t.Errorf("all of it is hidden, and %.0f and %.0f dB are told", before, after)
	}
	if before, after := GoesOn(v, rate+rate/10, 2*rate+rate/20, fade, rate); before > 6 || !math.IsInf(after, 1) {
		t.Errorf("cut at its beginning: %.0f and %.0f dB", before, after)
	}
	if before, after := GoesOn(v, rate-rate/20, 2*rate-rate/10, fade, rate); !math.IsInf(before, 1) || after > 6 {
		t.Errorf("cut at its end: %.0f and %.0f dB", before, after)
	}
	if from, to, ok := Loudest(v, rate); !ok || from < rate-rate/8 || to > 2*rate+rate/8 {
		t.Errorf("loudest from %d to %d, %v", from, to, ok)
	}
	if _, _, ok := Loudest(make([]float64, rate), rate); ok {
		t.Error("silence has a loudest part")
	}
}
