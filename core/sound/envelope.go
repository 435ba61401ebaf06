package sound

import (
	"math"

	"gonum.org/v1/gonum/dsp/fourier"
)

// tract is what shapes a voice at a moment: the envelope of its spectrum.
type tract struct {
	fft  *fourier.FFT
	n    int
	rate float64
	time []float64
	spec []complex128
}

func newTract(rate int) *tract {
	const longest = .04 // s that a look takes, at least
	n := 256
	for float64(n) < longest*float64(rate) {
		n *= 2
	}
	return &tract{fourier.NewFFT(n), n, float64(rate), make([]float64, n), make([]complex128, n/2+1)}
}

// envelope is the logarithm of the power spectrum without the pitch, at n/2+1 frequencies: what
// white noise of variance 1 must be filtered by to sound alike. A window of three periods, means
// over two thirds of the pitch and a cepstrum without the pitch's quefrency leave no harmonic
// standing (Morise, "CheapTrick, a spectral envelope estimator for high-quality speech
// synthesis", Speech Communication 67, 2015).
func (t *tract) envelope(x []float64, at int, pitch float64) []float64 {
	const unvoiced = 160. // Hz, that the width of the look goes by
	if pitch == 0 {
		pitch = unvoiced
	}
	half := min(int(1.5*t.rate/pitch), t.n/2-1)
	clear(t.time)
	var weight float64
	for i := -half; i <= half; i++ {
		w := .5 + .5*math.Cos(math.Pi*float64(i)/float64(half+1))
		weight += w * w
		if j := at + i; j >= 0 && j < len(x) {
			t.time[i+half] = w * x[j]
		}
	}
	t.fft.Coefficients(t.spec, t.time)
	power := make([]float64, len(t.spec))
	for i, c := range t.spec {
		power[i] = (real(c)*real(c) + imag(c)*imag(c)) / weight
	}
	smooth := t.means(power, pitch*2/3)
	const floor = 1e-14 // -140 dB
	for i, v := range smooth {
		smooth[i] = math.Log(v + floor)
	}
	cepstrum := t.cepstrum(smooth)
	const recover, slope = 1.18, -.09 // Morise's q1 and q2
	for q := 1; q < t.n; q++ {
		s := float64(min(q, t.n-q)) / t.rate * pitch
		sinc := math.Sin(math.Pi*s) / (math.Pi * s)
		cepstrum[q] *= sinc * (recover + 2*slope*math.Cos(2*math.Pi*s))
	}
	return t.spectrum(cepstrum)
}

// means are those over so many Hz around each frequency.
func (t *tract) means(v []float64, width float64) []float64 {
	sum := make([]float64, len(v)+1)
	for i, x := range v {
		sum[i+1] = sum[i] + x
	}
	at := func(p float64) float64 { // the integral up to a place between bins
		p = min(max(p, 0), float64(len(v)))
		i := min(int(p), len(v)-1)
		return sum[i] + (p-float64(i))*v[i]
	}
	half := max(width/2*float64(t.n)/t.rate, .5)
	out := make([]float64, len(v))
	for i := range v {
		a, b := max(float64(i)+.5-half, 0), min(float64(i)+.5+half, float64(len(v)))
		out[i] = max(at(b)-at(a), 0) / (b - a)
	}
	return out
}

// cepstrum is the transform of a log spectrum, real and even, n long.
func (t *tract) cepstrum(log []float64) []float64 {
	for i, v := range log {
		t.spec[i] = complex(v, 0)
	}
	out := t.fft.Sequence(nil, t.spec)
	for i := range out {
		out[i] /= float64(t.n)
	}
	return out
}

// spectrum takes it back.
func (t *tract) spectrum(cepstrum []float64) []float64 {
	t.fft.Coefficients(t.spec, cepstrum)
	out := make([]float64, len(t.spec))
	for i, c := range t.spec {
		out[i] = real(c)
	}
	return out
}

// filter is the minimum-phase response of an envelope: the cepstrum's second half is laid over
// the first (Oppenheim and Schafer, "Discrete-Time Signal Processing", 12).
func (t *tract) filter(envelope []float64) []complex128 {
	c := t.cepstrum(envelope)
	for q := 1; q < t.n/2; q++ {
		c[q] *= 2
	}
	clear(c[t.n/2+1:])
	out := t.fft.Coefficients(nil, c)
	for i, v := range out { // half the logarithm of the power is that of the magnitude
		sin, cos := math.Sincos(imag(v) / 2)
		m := math.Exp(real(v) / 2)
		out[i] = complex(m*cos, m*sin)
	}
	return out
}

// stretched is an envelope whose formants lie higher by a ratio.
func stretched(envelope []float64, ratio float64) []float64 {
	out := make([]float64, len(envelope))
	for i := range out {
		p := float64(i) / ratio
		j := int(p)
		if j >= len(envelope)-1 {
			out[i] = envelope[len(envelope)-1]
			continue
		}
		out[i] = envelope[j] + (p-float64(j))*(envelope[j+1]-envelope[j])
	}
	return out
}
