package media

import (
	"context"
	"errors"
	"fmt"
	"os"
	"slices"
	"strings"

	"celator/core/frame"
	"celator/core/timecode"
)

// raw describes the pictures on the encoder's standard input.
func raw(info Info, f frame.Format, pix string) []string {
	return []string{
		"-f", "rawvideo", "-pix_fmt", pix, "-s", fmt.Sprintf("%dx%d", f.Width, f.Height), "-framerate",
		info.Rate.String(), "-i", "pipe:0",
	}
}

// Writer encodes pictures in order.
type Writer struct {
	proc *process
	pipe *os.File
	pack func([]byte) []byte // what is written of a picture's bytes; nil all of them
	err  error
}

// Output says what Create writes.
type Output struct {
	Path    string
	Preset  Preset
	Segment bool     // pictures only, for Join
	Gray    bool     // luma only, as a matte
	Source  Clip     // whose sound, tags, aspect and timecode are kept
	Sound   string   // the file with the sound, the source itself
	Treated []string // files with tracks of the sound that take the place of the source's, "" where none does
	Beside  string   // folder of what a package holds beside the pictures, "" none
	First   int      // frame range, for the sound's and the timecode's place
	Frames  int
	Total   int // frames of the whole source
}

// Create starts an encoder. Closing finishes the file; Abort leaves none.
func Create(ctx context.Context, o Output) (*Writer, error) {
	info := o.Source.Info
	pix, pack := info.storedFormat(), info.pack
	if t := o.Preset.format(info); t != "" && !strings.HasPrefix(t, "yuva") {
		pix, pack = info.workedOn(), nil
	}
	if o.Gray {
		pix, pack = "gray", nil
	}
	args := append([]string{"-nostdin", "-v", "error", "-y"}, raw(info, info.Format(), pix)...)
	video := o.Preset.EncoderArgs(info)
	if o.Gray {
		plain := info
		plain.Tags, plain.Range = Tags{}, frame.Full
		video = o.Preset.EncoderArgs(plain)
		if i := slices.Index(video, "-vf"); o.Preset.Sequence() {
			video = slices.Delete(video, i, i+2)
		}
		if o.Preset.pixFmt == "" || o.Preset.Sequence() {
			video[slices.Index(video, "-pix_fmt")+1] = "gray"
		}
	}
	switch {
	case o.Segment:
		args = append(append(append(args, "-map", "0:v"), video...), o.segmentArgs()...)
	case o.Gray:
		args = append(append(append(args, "-map", "0:v"), video...), o.finish()...)
	default:
		args = append(args, o.soundInput()...)
		args = append(append(append(args, "-map", "0:v"), o.soundMaps()...), "-map_metadata", "-1")
		maps, _ := o.Preset.besideArgs(info, o.whole())
		args = append(append(append(args, maps...), video...), o.finish()...)
	}
	w, err := pipeTo(ctx, append(args, "file:"+o.Path))
	if err == nil {
		w.pack = pack
	}
	return w, err
}

// pipeTo starts an encoder that reads pictures from its standard input.
func pipeTo(ctx context.Context, args []string) (*Writer, error) {
	pr, pw, err := widePipe()
	if err != nil {
		return nil, err
	}
	p, err := start(ctx, "ffmpeg", args, pr, nil)
	pr.Close()
	if err != nil {
		pw.Close()
		return nil, err
	}
	return &Writer{proc: p, pipe: pw}, nil
}

func (o Output) segmentArgs() []string {
	if o.Preset.segment == "mp4" || o.Preset.segment == "mov" {
		return []string{"-video_track_timescale", fmt.Sprint(o.Source.Info.Rate.Num), "-f", o.Preset.segment}
	}
	return []string{"-f", o.Preset.segment}
}

// soundInput opens the source for its sound, shifted so that it keeps its place
// to the pictures, which begin at 0.
func (o Output) soundInput() []string {
	info := o.Source.Info
	begin := info.SoundLead() + float64(o.First)/info.Rate.Float()
	args := input(o.Sound, "-vn", "-t", fmt.Sprintf("%.9f", begin+o.seconds()))
	if o.whole() {
		args = input(o.Sound, "-vn", "-itsoffset", fmt.Sprintf("%.9f", -info.SoundLead()))
	}
	for _, t := range o.Treated {
		if t != "" {
			args = append(args, input(t)...)
		}
	}
	return args
}

// seconds is how long the range lasts.
func (o Output) seconds() float64 { return float64(o.Frames) / o.Source.Info.Rate.Float() }

func (o Output) whole() bool { return o.First == 0 && o.Frames == o.Total }

func (o Output) finish() []string {
	var args []string
	if !o.Gray {
		args = o.soundArgs()
		_, beside := o.Preset.besideArgs(o.Source.Info, o.whole())
		args = append(args, beside...)
	}
	if o.Source.Info.Timecode != "" {
		tc, err := timecode.New(o.Source.Info.Rate, o.Source.Info.Timecode)
		if err == nil {
			args = append(args, "-metadata", "timecode="+tc.Format(int64(o.First)))
		}
	}
	return append(args, o.Preset.muxer...)
}

// Write encodes one picture's bytes, planes after one another.
func (w *Writer) Write(data []byte) error {
	if w.err != nil {
		return w.err
	}
	if w.pack != nil {
		data = w.pack(data)
	}
	if _, err := w.pipe.Write(data); err != nil {
		w.err = err
		w.pipe.Close()
		if werr := w.proc.wait(); werr != nil {
			w.err = fmt.Errorf("media: the encoder stopped: %w", werr)
		}
	}
	return w.err
}

// Close ends the file and reports whether it is whole.
func (w *Writer) Close() error {
	if w.err != nil {
		return w.err
	}
	w.err = errors.New("media: the writer is closed")
	w.pipe.Close()
	err := w.proc.wait()
	if err == nil {
		err = w.proc.errs.fault()
	}
	if err != nil {
		return fmt.Errorf("media: the encoder failed: %w", err)
	}
	return nil
}

// Abort stops encoding; the file is unfinished and for the caller to remove.
func (w *Writer) Abort() {
	if w.err == nil {
		w.err = errors.New("media: the writer was stopped")
		w.pipe.Close()
		w.proc.kill()
	}
}

// Join puts segments, written by Create with Segment, after one another without
// encoding them again and adds the sound. progress is told the number of pictures done.
func Join(ctx context.Context, o Output, segments []string, lengths []int, progress func(done int)) error {
	if o.Preset.SoundAlone() {
		return o.pack(nil)
	}
	if o.Preset.Still {
		b, err := os.ReadFile(segments[0])
		if err != nil {
			return err
		}
		return os.WriteFile(o.Path, b, 0o600)
	}
	inOne := o.Preset.linked && o.Preset.apart == "" && (o.Preset.segment == "mp4" || o.Preset.segment == "mov")
	if inOne {
		first := o.Path + ".first" + o.Preset.Ending
		defer os.Remove(first)
		if err := withSets(segments[0], first, segments[1:]); err != nil {
			return err
		}
		segments = append([]string{first}, segments[1:]...)
	}
	var list strings.Builder
	list.WriteString("ffconcat version 1.0\n")
	for i, s := range segments {
		fmt.Fprintf(&list, "file 'file:%s'\nduration %s\n", strings.ReplaceAll(s, "'", `'\''`),
			o.Source.Info.Rate.Seconds(int64(2*lengths[i])))
	}
	listPath := o.Path + ".list"
	if err := os.WriteFile(listPath, []byte(list.String()), 0o600); err != nil {
		return err
	}
	defer os.Remove(listPath)
	args := []string{"-f", "concat", "-safe", "0", "-protocol_whitelist", "file,pipe,fd", "-i", "file:" + listPath}
	if inOne { // as they are: their sets are where they belong
		args = append([]string{"-auto_convert", "0"}, args...)
	}
	if o.Gray || o.Preset.Sequence() {
		args = append(args, "-map", "0:v")
	} else {
		args = append(append(append(args, o.soundInput()...), "-map", "0:v"), o.soundMaps()...)
		maps, _ := o.Preset.besideArgs(o.Source.Info, o.whole())
		args = append(args, maps...)
	}
	args = append(args, "-map_metadata", "-1", "-c:v", "copy")
	if o.Preset.Sequence() {
		return o.number(ctx, args, progress)
	}
	if o.Preset.Ending == ".mp4" || o.Preset.Ending == ".mov" {
		args = append(args, "-video_track_timescale", fmt.Sprint(o.Source.Info.Rate.Num))
	}
	args = append(args, o.finish()...)
	p, err := watched(ctx, append(args, "file:"+o.Path), progress)
	if err == nil {
		err = p.errs.fault() // it may go on when the disk is full, and end well
	}
	if err != nil {
		return fmt.Errorf("media: the segments cannot be joined: %w", err)
	}
	return nil
}
