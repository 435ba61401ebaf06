// Package timecode converts between frame numbers and SMPTE ST 12-1 timecode
// for any rational frame rate, drop and non-drop.
package timecode

import (
	"errors"
	"fmt"
	"math/big"
	"strconv"
	"strings"
)

// Rate is a frame rate in frames per second, Num/Den, in lowest terms.
type Rate struct {
	Num int64 `json:"num"`
	Den int64 `json:"den"`
}

// largest is the largest term of a rate. Files hold ratios of 32 bit; beyond, sums of the
// terms would leave 64 bit.
const largest = 1<<31 - 1

// ParseRate reads "25", "30000/1001" or "25/1". The rate must be above 0 and at
// most 1000, its terms at most 2³¹-1.
func ParseRate(s string) (Rate, error) {
	n, d, ok := strings.Cut(s, "/")
	if !ok {
		d = "1"
	}
	num, err1 := strconv.ParseInt(n, 10, 64)
	den, err2 := strconv.ParseInt(d, 10, 64)
	if err1 != nil || err2 != nil || !(Rate{num, den}).valid() {
		return Rate{}, fmt.Errorf("timecode: %q is not a frame rate", s)
	}
	r := big.NewRat(num, den)
	return Rate{r.Num().Int64(), r.Denom().Int64()}, nil
}

func (r Rate) valid() bool {
	return r.Num > 0 && r.Den > 0 && r.Num <= largest && r.Den <= largest && r.Num/r.Den <= 1000
}

func (r Rate) String() string { return fmt.Sprintf("%d/%d", r.Num, r.Den) }

// Float returns the rate as frames per second, for display and estimates only.
func (r Rate) Float() float64 { return float64(r.Num) / float64(r.Den) }

// Nominal is the number of frames that a second of timecode counts: 30 for
// 30000/1001.
func (r Rate) Nominal() int64 { return (r.Num + r.Den - 1) / r.Den }

// CanDrop reports whether drop-frame timecode is defined for the rate: 29.97
// and its multiples.
func (r Rate) CanDrop() bool { return r.Den == 1001 && r.Num%30000 == 0 }

// Seconds returns the time of frame boundary f (f may be half-integral as
// twice/2) as an exact decimal with six digits, for command lines.
func (r Rate) Seconds(twiceF int64) string {
	return big.NewRat(twiceF*r.Den, 2*r.Num).FloatString(6)
}

// Timecode counts frames of a rate from midnight.
type Timecode struct {
	Rate   Rate
	Drop   bool
	Offset int64 // the timecode of frame 0, as a count of frames from 00:00:00:00
}

// New returns the timecode whose frame 0 reads start ("" is 00:00:00:00). A
// ';' or ',' before the frames means drop-frame. The rate must be one that ParseRate takes.
func New(rate Rate, start string) (Timecode, error) {
	if !rate.valid() {
		return Timecode{}, fmt.Errorf("timecode: %v is not a frame rate", rate)
	}
	tc := Timecode{Rate: rate}
	if start == "" {
		return tc, nil
	}
	tc.Drop = strings.ContainsAny(start, ";,") && rate.CanDrop()
	off, err := tc.Parse(start)
	tc.Offset = off
	return tc, err
}

// dropped is how many numbers drop-frame timecode skips at each minute that is
// not a tenth one.
func (t Timecode) dropped() int64 { return t.Rate.Nominal() / 15 }

// Format returns the timecode of frame f, wrapping at 24 hours.
func (t Timecode) Format(f int64) string {
	n, sep := t.Rate.Nominal(), byte(':')
	f += t.Offset
	if t.Drop {
		// Heidelberger's method: put back the numbers skipped so far.
		sep = ';'
		d := t.dropped()
		perMinute, perTen := 60*n-d, 600*n-9*d
		f = ((f % (144 * perTen)) + 144*perTen) % (144 * perTen)
		tens, rest := f/perTen, f%perTen
		f += 9 * d * tens
		if rest >= d {
			f += d * ((rest - d) / perMinute)
		}
	}
	day := 86400 * n
	f = (f%day + day) % day
	return fmt.Sprintf("%02d:%02d:%02d%c%02d", f/(3600*n), f/(60*n)%60, f/n%60, sep, f%n)
}

// ErrSyntax says that a text is no timecode.
var ErrSyntax = errors.New("timecode: write it as hh:mm:ss:ff")

// Parse returns the frame number that a timecode names. Fewer than four groups
// are filled from the left with zeros ("7:12" is second 7, frame 12).
func (t Timecode) Parse(s string) (int64, error) {
	n := t.Rate.Nominal()
	groups := strings.FieldsFunc(strings.TrimSpace(s), func(r rune) bool { return strings.ContainsRune(":;,.", r) })
	if len(groups) == 0 || len(groups) > 4 {
		return 0, ErrSyntax
	}
	var v [4]int64
	for i, g := range groups {
		x, err := strconv.ParseUint(g, 10, 16)
		if err != nil {
			return 0, ErrSyntax
		}
		v[4-len(groups)+i] = int64(x)
	}
	if v[0] > 23 || v[1] > 59 || v[2] > 59 || v[3] >= n {
		return 0, fmt.Errorf("timecode: %s is outside the clock (minutes and seconds to 59, frames to %d)", s, n-1)
	}
	f := ((v[0]*60+v[1])*60+v[2])*n + v[3]
	if t.Drop {
		d, minutes := t.dropped(), v[0]*60+v[1]
		if v[2] == 0 && v[3] < d && minutes%10 != 0 {
			return 0, fmt.Errorf("timecode: %s does not exist in drop-frame timecode", s)
		}
		f -= d * (minutes - minutes/10)
	}
	return f - t.Offset, nil
}

// ParseFrom returns the frame that a person means who types s while frame now is
// shown: "112" or "f 112" is a frame number, "+10" and "-10" are frames from
// here, and of a timecode the groups left out at its front are those of now
// ("14:07" stays in the hour and minute, ":07" in the second; "14:" is its first
// frame).
func (t Timecode) ParseFrom(s string, now int64) (int64, error) {
	s = strings.TrimSpace(s)
	number := strings.TrimSpace(strings.TrimLeft(s, "fF"))
	if strings.HasPrefix(s, "+") || strings.HasPrefix(s, "-") {
		number = s
	}
	if f, err := strconv.ParseInt(number, 10, 32); err == nil {
		if number == s && (s[0] == '+' || s[0] == '-') {
			f += now
		}
		return f, nil
	}
	const marks = ":;,."
	groups := strings.FieldsFunc(s, func(r rune) bool { return strings.ContainsRune(marks, r) })
	if s != "" && strings.ContainsRune(marks, rune(s[len(s)-1])) {
		groups = append(groups, "0")
	}
	if len(groups) == 0 || len(groups) > 4 {
		return 0, ErrSyntax
	}
	shown := strings.FieldsFunc(t.Format(now), func(r rune) bool { return strings.ContainsRune(marks, r) })
	return t.Parse(strings.Join(append(shown[:4-len(groups)], groups...), ":"))
}
