package deliver

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"celator/internal/media"
)

// Reel is shots one after another in one file, a job each, which the first one's Out names: of one source or of
// several, whose pictures and sound are of one kind. The file's own time begins at 0, and what lies beside pictures
// and sound is not carried. A job that is not of NewReel is a reel by itself, written as Join writes it.
type Reel []Job

// NewReel sets jobs, of whole shots and by one preset, one after another. The error says, for people, why they
// cannot go into one file.
func NewReel(jobs []Job) (Reel, error) {
	r, at := Reel(slices.Clone(jobs)), 0
	for i := range r {
		r[i].Reel, r[i].At = true, at
		at += r[i].Last - r[i].First + 1
	}
	for i := range r {
		r[i].Total = at
		if why := r[0].apart(&r[i]); why != "" {
			return nil, fmt.Errorf("shot %d of them cannot stand in one file with the first: %s", i+1, why)
		}
	}
	switch p := r[0].Preset; {
	case p.Copies():
		return nil, errors.New("shots in one file are coded anew: choose another format than the source's")
	case p.Still, p.Packed():
		return nil, errors.New("several shots do not go into one file of this format")
	}
	return r, nil
}

// apart says why another job cannot stand beside this one in a file; "" where it can.
func (j *Job) apart(other *Job) string {
	a, b := j.Clip.Info, other.Clip.Info
	switch {
	case a.Width != b.Width || a.Height != b.Height:
		return fmt.Sprintf("its pictures are %dx%d, not %dx%d", b.Width, b.Height, a.Width, a.Height)
	case a.Rate != b.Rate:
		return fmt.Sprintf("it has %.5g frames a second, not %.5g", b.Rate.Float(), a.Rate.Float())
	case a.First() != b.First():
		return fmt.Sprintf("it is %s, not %s", scan(b), scan(a))
	case a.Format() != b.Format() || a.Pixel != b.Pixel || a.Tags != b.Tags ||
		!slices.Equal(j.Preset.EncoderArgs(a), other.Preset.EncoderArgs(b)):
		return "its pictures have another shape, other colours or other samples"
	case len(a.Sound) != len(b.Sound):
		return fmt.Sprintf("it has %d sound tracks, not %d", len(b.Sound), len(a.Sound))
	}
	for i, s := range a.Sound {
		if t := b.Sound[i]; s.Channels != t.Channels || s.Rate != t.Rate {
			return fmt.Sprintf("its sound track %d has %d channels at %d Hz, not %d at %d Hz", i+1, t.Channels, t.Rate,
				s.Channels, s.Rate)
		}
	}
	return ""
}

// Of is the job that a frame of the file is of.
func (r Reel) Of(f int) Job {
	i, found := slices.BinarySearchFunc(r, f, func(j Job, f int) int { return j.At - f })
	if !found {
		i--
	}
	return r[max(i, 0)]
}

// Frames is how many the file has.
func (r Reel) Frames() int { return r[0].Total }

// output is what is written: as the first shot's source says.
func (r Reel) output() media.Output {
	j := r[0]
	info := j.Clip.Info
	info.Frames, info.Subtitles, info.Chapters = r.Frames(), nil, 0
	if strings.Contains(info.Timecode, ";") {
		info.Timecode = "00:00:00;00"
	} else if info.Timecode != "" {
		info.Timecode = "00:00:00:00"
	}
	return media.Output{
		Path: j.Out, Preset: j.Preset, Source: media.Clip{Path: j.Clip.Path, Info: info}, Sound: j.Sound,
		Frames: r.Frames(), Total: r.Frames(),
	}
}

// Join makes the file of its pieces, written by Render with Segment and in order, and of the shots' sound.
func (r Reel) Join(ctx context.Context, pieces []Piece, progress func(done int)) error {
	if !r[0].Reel {
		return Join(ctx, r[0], pieces, progress)
	}
	out := r.output()
	defer func() { RemoveSounds(out.Treated) }()
	for i, s := range r.tracks() {
		file := fmt.Sprintf("%s.sound%d", out.Path, i)
		out.Treated = append(out.Treated, file)
		w, err := media.CreateSound(ctx, file, s)
		if err != nil {
			return err
		}
		defer w.Abort()
		for k := range r {
			if err := r[k].treatTo(ctx, i, s, w.Write); err != nil {
				return err
			}
		}
		if err := w.Close(); err != nil {
			return err
		}
	}
	return after(ctx, out, pieces, progress)
}

// tracks are the file's sound: with samples that hold those of all shots.
func (r Reel) tracks() []media.Sound {
	all := slices.Clone(r[0].Clip.Info.Sound)
	for i := range all {
		for _, j := range r {
			if s := j.Clip.Info.Sound[i]; s.Sample != all[i].Sample || s.Bits != all[i].Bits {
				all[i].Sample, all[i].Bits = "dbl", 0
			}
		}
	}
	return all
}

// Verify reads the written file again, as Verify does of one job: each shot of it must be its source's at its place.
func (r Reel) Verify(ctx context.Context, progress func(done int)) (Proof, error) {
	if !r[0].Reel {
		return Verify(ctx, r[0], progress)
	}
	path := r[0].Out
	info, err := media.Probe(ctx, path)
	if err != nil {
		return Proof{}, fmt.Errorf("the written file cannot be read again: %w", err)
	}
	all := Proof{Frames: info.Frames, Duration: info.Duration, Sound: len(info.Sound)}
	like := r[0].Clip.Info
	if err := built(info, like, r.Frames()); err != nil {
		return all, err
	}
	pictures := info.As(like)
	b, err := media.Clip{Path: path, Info: pictures}.Open(ctx, 0, -1)
	if err != nil {
		return all, err
	}
	defer b.Close()
	for i, j := range r {
		j.Out = path
		if err := j.verifyIn(ctx, info, pictures, b, &all, progress); err != nil {
			return all, fmt.Errorf("shot %d: %w", i+1, err)
		}
	}
	return all, nil
}

// verifyIn verifies one shot of a reel and adds to what is proved. b goes on with its pictures.
func (j *Job) verifyIn(ctx context.Context, info, pictures media.Info, b *media.Reader, all *Proof,
	progress func(done int),
) error {
	add := func(to *[]string, words []string) {
		for _, w := range words {
			if !slices.Contains(*to, w) {
				*to = append(*to, w)
			}
		}
	}
	add(&all.Left, j.Preset.Left(j.Clip.Info, false))
	from := j.Clip.From()
	add(&all.Damage, j.Clip.Info.Damage.Of(from+j.First, from+j.Last).Words())
	s, err := verifySound(ctx, *j, info)
	all.Samples, all.Lag, all.Passages = all.Samples+s.samples, max(all.Lag, s.lag), all.Passages+s.passages
	if err != nil {
		return fmt.Errorf("the written file's %w", err)
	}
	if !j.Preset.Lossless {
		all.Touched += touched(*j)
		return nil
	}
	return j.compare(ctx, b, pictures, all, progress)
}
