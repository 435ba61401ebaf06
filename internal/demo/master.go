package demo

import (
	"context"
	"fmt"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"celator/internal/media"
)

// Master is a whole programme made of the shots, as a station would send it: title, cuts, a
// dissolve, four tracks of sound. Its folder holds master.mxf.
type Master struct {
	Name   string // folder
	Title  string
	Fields bool // interlaced, top field first
	Width  int
	Height int
	Cuts   []Cut
}

// Cut is one picture after another in a master: a shot, from its beginning.
type Cut struct {
	Shot     string
	Frames   int // of the master
	Dissolve int // frames for which it comes in over the one before, which end with it; 0 is a cut
}

// masterRate is how many frames a second the masters have.
const masterRate = 25

// cuts are those of the programme. The shots are as long as they are there.
var cuts = []Cut{
	{Shot: "title", Frames: 125},
	{Shot: "quay-trike", Frames: 200},
	{Shot: "chandlers-sign", Frames: 175},
	{Shot: "rower-number", Frames: 150, Dissolve: 25},
	{Shot: "departures", Frames: 150},
	{Shot: "crane-crate", Frames: 200},
	{Shot: "quay-trike", Frames: 200},
	{Shot: "rower-number", Frames: 150, Dissolve: 25},
	{Shot: "title", Frames: 125},
}

// Masters are the demo programme's: as frames, and in fields.
var Masters = []Master{
	{Name: "festival-master", Title: "Harbour festival master", Width: 1920, Height: 1080, Cuts: cuts},
	{
		Name: "festival-master-fields", Title: "Harbour festival master in fields", Fields: true, Width: 1920,
		Height: 1080, Cuts: cuts,
	},
}

// File is the master's file in the folder that all footage is drawn into.
func (m Master) File(dir string) string { return filepath.Join(dir, m.Name, "master.mxf") }

// Frames is how long the master is.
func (m Master) Frames() (n int) {
	for _, c := range m.Cuts {
		n += c.Frames - c.Dissolve
	}
	return n
}

// Drawn reports whether dir has the master as it is made now.
func (m Master) Drawn(dir string) bool { return drawn(dir, m.Name, "master.mxf") }

// Needs are the shots that the master is made of.
func (m Master) Needs() (out []Shot) {
	for _, s := range append([]Shot{Title}, Shots...) {
		for _, c := range m.Cuts {
			if c.Shot == s.Name {
				out = append(out, s)
				break
			}
		}
	}
	return out
}

// Draw makes the master of the shots in dir, which must be drawn, and tells progress the frames
// that are done.
func (m Master) Draw(ctx context.Context, dir string, progress func(done int)) error {
	return folder(dir, m.Name, func(tmp string) error {
		return media.Run(ctx, append(m.arguments(dir), filepath.Join(tmp, "master.mxf")), progress)
	})
}

// arguments are ffmpeg's, without the file that it writes. All is put together at the rate of the fields and
// woven at the end, so that what moves at that rate does.
func (m Master) arguments(dir string) []string {
	rate := masterRate
	if m.Fields {
		rate *= 2
	}
	var args, graph []string
	picture, sound, length := "v0", "a0", 0
	// Times are reckoned in frames: a hair's breadth less would be a frame less.
	time := func(frames int) string { return strconv.FormatFloat(float64(frames)/masterRate, 'f', 6, 64) }
	for i, c := range m.Cuts {
		args = append(args, "-i", filepath.Join(dir, c.Shot, "clip.mp4"))
		graph = append(graph,
			fmt.Sprintf("[%d:v]fps=%d,scale=%d:%d:force_original_aspect_ratio=decrease:flags=bicubic,pad=%d:%d:-1:-1,"+
				"setsar=1,format=yuv422p,trim=duration=%s,settb=1/%d,setpts=N[v%d]", i, rate, m.Width, m.Height, m.Width,
				m.Height, time(c.Frames), rate, i),
			fmt.Sprintf("[%d:a]apad,atrim=duration=%s[a%d]", i, time(c.Frames), i))
		if i == 0 {
			length = c.Frames
			continue
		}
		p, s := fmt.Sprintf("p%d", i), fmt.Sprintf("s%d", i)
		if c.Dissolve == 0 {
			graph = append(graph, fmt.Sprintf("[%s][%s][v%d][a%d]concat=n=2:v=1:a=1[%s][%s]", picture, sound, i, i, p, s))
		} else {
			d := time(c.Dissolve)
			graph = append(graph,
				fmt.Sprintf("[%s]settb=1/%d[b%d];[b%d][v%d]xfade=duration=%s:offset=%s[%s]", picture, rate, i, i, i, d,
					time(length-c.Dissolve), p),
				fmt.Sprintf("[%s][a%d]acrossfade=d=%s[%s]", sound, i, d, s))
		}
		picture, sound, length = p, s, length+c.Frames-c.Dissolve
	}
	last, flags := "null", "+cgop"
	if m.Fields {
		last, flags = "tinterlace=mode=interleave_top", "+cgop+ildct+ilme"
	}
	graph = append(graph, fmt.Sprintf("[%s]%s[picture]", picture, last),
		// Tracks of one channel each: the mix, and its quieter effects.
		fmt.Sprintf("[%s]asplit=4[m1][m2][m3][m4];[m1]pan=mono|c0=c0[t1];[m2]pan=mono|c0=c1[t2];"+
			"[m3]pan=mono|c0=.5*c0,lowpass=f=900[t3];[m4]pan=mono|c0=.5*c1,lowpass=f=900[t4]", sound))
	args = append(args, "-filter_complex", strings.Join(graph, ";"), "-map", "[picture]")
	for t := range 4 {
		args = append(args, "-map", fmt.Sprintf("[t%d]", t+1))
	}
	args = append(args, strings.Fields("-c:v mpeg2video -b:v 35M -maxrate 35M -bufsize 17825792 -g 12 -bf 2 "+
		"-sc_threshold 1000000000 -dc 10 -intra_vlc 1 -non_linear_quant 1 -qmin 1 -qmax 28 -pix_fmt yuv422p -color_range tv "+
		"-color_primaries bt709 -color_trc bt709 -colorspace bt709 -c:a pcm_s24le -ar 48000 -timecode 10:00:00:00")...)
	args = append(args, "-flags", flags, "-frames:v", fmt.Sprint(m.Frames()))
	if m.Fields {
		args = append(args, "-field_order", "tt", "-top", "1")
	}
	return args
}

// Pick returns the shots and the masters of those names, with the shots that these are made of;
// all of them for no names.
func Pick(names []string) (shots []Shot, masters []Master, err error) {
	if len(names) == 0 {
		return append(slices.Clone(Shots), Title), Masters, nil
	}
	add := func(s Shot) {
		if !slices.ContainsFunc(shots, func(o Shot) bool { return o.Name == s.Name }) {
			shots = append(shots, s)
		}
	}
	for _, n := range names {
		i := slices.IndexFunc(Shots, func(s Shot) bool { return s.Name == n })
		k := slices.IndexFunc(Masters, func(m Master) bool { return m.Name == n })
		switch {
		case i >= 0:
			add(Shots[i])
		case k >= 0:
			masters = append(masters, Masters[k])
			for _, s := range Masters[k].Needs() {
				add(s)
			}
		default:
			return nil, nil, fmt.Errorf("there is no demo footage %q", n)
		}
	}
	return shots, masters, nil
}
