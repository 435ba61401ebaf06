package sound

import "math"

// What is told of a passage goes by its loudest part and by what lies beside it.
const (
	loudest = 1.   // s that are compared
	apart   = .02  // s that the same sound may lie elsewhere in another track
	edge    = .06  // s beyond a passage that are listened to
	moment  = .1   // s that loudness is taken over
	faint   = 1e-5 // of the mean square, -50 dB: nothing is said there
)

// Loudest is where, among mono samples, the part of a second or less lies that is loudest; ok is
// false where nothing can be heard in it.
func Loudest(mono []float64, rate int) (from, to int, ok bool) {
	n := min(int(loudest*float64(rate)), len(mono))
	step := max(n/8, 1)
	best := -1.
	for a := 0; a+n <= len(mono); a += step {
		if e := energy(mono[a : a+n]); e > best {
			best, from = e, a
		}
	}
	return from, from + n, n > 0 && best > faint*float64(n)
}

// Alike is how much the same two sounds are, 0 to 1, where they lie at most some hundredths of a
// second apart: the largest correlation. Where a part of one sounds beside others in the other, it
// is as much less.
func Alike(a, b []float64, rate int) float64 {
	far := int(apart * float64(rate))
	n := min(len(a), len(b)) - 2*far
	if n <= 0 {
		return 0
	}
	part := a[far : far+n]
	own := energy(part)
	var best float64
	for k := range 2*far + 1 {
		q := b[k : k+n]
		var sum float64
		for i, v := range part {
			sum += v * q[i]
		}
		best = max(best, math.Abs(sum)/math.Sqrt(own*energy(q)+1e-12))
	}
	return best
}

// GoesOn says by how many dB what is heard just outside of a passage, from sample from up to sample
// to of mono samples, with fades of so many samples, is softer than the loudest tenth of a second
// near that edge; +Inf where nothing is heard there.
func GoesOn(mono []float64, from, to, fade, rate int) (before, after float64) {
	n, near := int(edge*float64(rate)), int(3*moment*float64(rate))
	mean := func(a, b int) float64 {
		a, b = max(a, 0), min(b, len(mono))
		if a >= b {
			return 0
		}
		return energy(mono[a:b]) / float64(b-a)
	}
	inside := func(a, b int) (most float64) {
		w := int(moment * float64(rate))
		for i := a; i < b; i += max(w/2, 1) {
			most = max(most, mean(i, min(i+w, b)))
		}
		return most
	}
	softer := func(out, in float64) float64 {
		if out < faint || in < faint {
			return math.Inf(1)
		}
		return 10 * math.Log10(in/out)
	}
	return softer(mean(from-fade-n, from-fade), inside(from, min(from+near, to))),
		softer(mean(to+fade, to+fade+n), inside(max(to-near, from), to))
}
