package media

import (
	"bufio"
	"bytes"
	"math"
	"slices"
	"strconv"
	"strings"

	"celator/core/cover"
	"celator/core/timecode"
)

// common are the rates that a variable clip is conformed to.
var common = []timecode.Rate{
	{Num: 24000, Den: 1001},
	{Num: 24, Den: 1},
	{Num: 25, Den: 1},
	{Num: 30000, Den: 1001},
	{Num: 30, Den: 1},
	{Num: 50, Den: 1},
	{Num: 60000, Den: 1001},
	{Num: 60, Den: 1},
}

// times reads all packet times and decides the rate: constant when every
// picture lies within a fifth of a frame of its place, else variable, conformed
// to the common rate nearest above what most of its pictures ask for.
//
// out is ffprobe's list of packets; timed is false where they have no times.
func (info *Info) times(out []byte, p probed, v probedStream) (timed bool, err error) {
	tb, err := timecode.ParseRate(v.TimeBase) // a time base is a ratio as well
	if err != nil {
		return false, unusable("it gives no time base")
	}
	fileStart, _ := strconv.ParseFloat(p.Format.Start, 64)
	var pts []int64
	var keys []bool // of the pictures in pts
	untimed := 0
	sc := bufio.NewScanner(bytes.NewReader(out))
	for sc.Scan() {
		t, flags, _ := strings.Cut(sc.Text(), ",")
		info.packets++
		if strings.Contains(flags, "D") { // before the edit list's start: not shown
			info.Coded.Hidden = true
			continue
		}
		if n, err := strconv.ParseInt(t, 10, 64); err == nil {
			pts, keys = append(pts, n), append(keys, strings.Contains(flags, "K"))
		} else if t == "N/A" {
			untimed++
		}
	}
	rate, err := timecode.ParseRate(v.RFrameRate)
	if err != nil || rate.Float() > 240 {
		if rate, err = timecode.ParseRate(v.AvgRate); err != nil {
			rate = timecode.Rate{Num: 25, Den: 1}
		}
	}
	rate = plain(rate)
	info.Rate = rate
	if len(pts) == 0 {
		return false, nil
	}
	if len(pts)+untimed > cover.MaxFrames {
		return false, unusable("it has more than %d frames", cover.MaxFrames)
	}
	info.Coded.Groups = groups(pts, keys)
	slices.Sort(pts)
	unit := float64(tb.Num) / float64(tb.Den)
	if info.begun { // what comes before cannot be decoded: a recording began in mid-group
		first, _ := slices.BinarySearch(pts, info.begins)
		info.Skipped = first > 0
		pts = pts[min(first, len(pts)-1):]
	} else {
		info.begins = pts[0]
	}
	info.Lead = float64(info.begins)*unit - fileStart
	if untimed > 0 { // one after the other at the rate that the container says
		info.Indexed, info.Frames = false, len(pts)+untimed
		info.Duration = float64(info.Frames) / rate.Float()
		return true, nil
	}
	whole := info.woven(pts)
	info.Indexed = info.Indexed && len(whole) == len(pts) // else its index is one of fields
	pts = whole
	info.Frames = len(pts)
	if info.flagged && fits(pts, unit, film.Float(), filmOff) {
		info.Film, info.Rate, info.Duration = true, film, float64(len(pts))/film.Float()
		return true, nil
	}
	if fits(pts, unit, rate.Float(), off) {
		info.Duration = float64(len(pts)) / rate.Float()
		return true, nil
	}
	for _, c := range common { // a wrong nominal rate, e.g. a field rate
		if fits(pts, unit, c.Float(), off) {
			info.Rate, info.Duration = c, float64(len(pts))/c.Float()
			return true, nil
		}
	}
	info.Variable = true
	return true, info.schedule(pts, unit)
}

// plain returns the common rate that is meant by one which a container could not say
// exactly, such as 19001/317 for 59.94.
func plain(r timecode.Rate) timecode.Rate {
	for _, c := range common {
		if math.Abs(r.Float()/c.Float()-1) < 1e-5 { // 29.97 and 30 are 1e-3 apart
			return c
		}
	}
	return r
}

// commonRate returns the common rate nearest to r where one is within 2 %, else
// the next above it, so that no picture is lost.
func commonRate(r float64) timecode.Rate {
	best, above := timecode.Rate{}, common[len(common)-1]
	for _, c := range slices.Backward(common) {
		if c.Float() >= r {
			above = c
		}
		if math.Abs(c.Float()-r) <= .02*r && (best.Num == 0 || math.Abs(c.Float()-r) < math.Abs(best.Float()-r)) {
			best = c
		}
	}
	if best.Num != 0 {
		return best
	}
	return above
}

// film is the rate of film in fields of 59.94. By turns shown for two and three of them, its pictures lie
// up to a fifth from their places.
var film = timecode.Rate{Num: 24000, Den: 1001}

// How far pictures of a constant rate may lie from their places, in frames.
const off, filmOff = .2, .3

func fits(pts []int64, unit, rate, off float64) bool {
	for i, p := range pts {
		if math.Abs(float64(p-pts[0])*unit*rate-float64(i)) > off {
			return false
		}
	}
	return true
}
