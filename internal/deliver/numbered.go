package deliver

import (
	"archive/zip"
	"context"
	"errors"
	"fmt"
	"image"
	"image/png"
	"io"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"strings"

	"celator/internal/media"
)

// renderPackage writes a ZIP of pictures that are numbered, as one segment which is then taken apart, and of
// what lies beside them.
func renderPackage(ctx context.Context, j Job) error {
	var pieces []Piece
	if j.Preset.Sequence() {
		part := j
		part.Segment, part.Out = true, j.Out+".pictures"
		defer os.Remove(part.Out)
		if err := Render(ctx, part); err != nil {
			return err
		}
		pieces = []Piece{{part.Out, j.First, j.Last}}
	}
	return Join(ctx, j, pieces, nil)
}

// Join makes the job's file of its pieces, written by Render with Segment and in order, and of what goes with the
// pictures.
func Join(ctx context.Context, j Job, pieces []Piece, progress func(done int)) error {
	out := j.output()
	var err error
	if j.Preset.Copies() && !j.Matte {
		dir, err := os.MkdirTemp(filepath.Dir(j.Out), ".copied")
		if err != nil {
			return err
		}
		defer os.RemoveAll(dir)
		if pieces, err = j.filled(ctx, dir, pieces, progress); err != nil {
			return err
		}
	}
	if out.Treated, err = Sounds(ctx, j); err != nil {
		return err
	}
	defer RemoveSounds(out.Treated)
	if out.Beside, err = Beside(ctx, j); err != nil {
		return err
	}
	defer os.RemoveAll(out.Beside)
	return after(ctx, out, pieces, progress)
}

// after puts pieces after one another.
func after(ctx context.Context, out media.Output, pieces []Piece, progress func(done int)) error {
	var files []string
	var lengths []int
	for _, p := range pieces {
		files, lengths = append(files, p.File), append(lengths, p.Last-p.First+1)
	}
	return media.Join(ctx, out, files, lengths, progress)
}

// output is what the job writes.
func (j *Job) output() media.Output {
	return media.Output{
		Path: j.Out, Preset: j.Preset, Gray: j.Matte, Source: j.Clip, Sound: j.Sound, First: j.Clip.From() + j.First,
		Frames: j.Last - j.First + 1, Total: j.Total,
	}
}

// Beside writes what a package holds beside its pictures into a folder, which the caller removes; "" where
// the preset has nothing there.
func Beside(ctx context.Context, j Job) (dir string, err error) {
	waves, mattes := j.waves(), j.Preset.Mattes && !j.Matte
	if !waves && !mattes {
		return "", nil
	}
	if dir, err = os.MkdirTemp(filepath.Dir(j.Out), ".beside"); err != nil {
		return "", err
	}
	if mattes {
		err = j.writeMattes(ctx, filepath.Join(dir, media.MattesFolder))
	}
	if waves && err == nil {
		err = j.writeWaves(ctx, dir)
	}
	if err != nil {
		os.RemoveAll(dir)
		return "", err
	}
	return dir, nil
}

// waves reports whether the package holds sound.
func (j *Job) waves() bool {
	return j.Preset.Waves != "" && !j.Matte && len(j.Clip.Info.Sound) > 0
}

// matteName is the name of a frame's matte, numbered as the pictures are.
func (j *Job) matteName(f int) string { return fmt.Sprintf("%06d.png", j.Clip.From()+f) }

func (j *Job) writeMattes(ctx context.Context, dir string) error {
	if err := os.Mkdir(dir, 0o700); err != nil {
		return err
	}
	enc := png.Encoder{CompressionLevel: png.BestSpeed}
	for f := j.First; f <= j.Last && ctx.Err() == nil; f++ {
		file, err := os.Create(filepath.Join(dir, j.matteName(f)))
		if err != nil {
			return err
		}
		if err := errors.Join(enc.Encode(file, j.matte(f)), file.Close()); err != nil {
			return err
		}
	}
	return ctx.Err()
}

// matte is a frame's, as grey.
func (j *Job) matte(f int) *image.Gray {
	i := j.Clip.Info
	return &image.Gray{
		Pix: grey(j.frameMatte(f)), Stride: i.Width, Rect: image.Rect(0, 0, i.Width, i.Height),
	}
}

func (j *Job) writeWaves(ctx context.Context, dir string) error {
	out := j.output()
	for i, s := range j.Clip.Info.Sound {
		w, err := out.CreateWave(ctx, filepath.Join(dir, media.WaveName(i)), s)
		if err != nil {
			return err
		}
		if err := j.treatSound(ctx, i, s, w); err != nil {
			return err
		}
	}
	return nil
}

// verifyPackage reads a ZIP again: all pictures must be there, whole, of the source's size, and numbered as its
// frames; mattes must be the covers', and sound what it is in any other delivery.
func verifyPackage(ctx context.Context, j Job) (Proof, error) {
	i, want := j.Clip.Info, j.Last-j.First+1
	p := Proof{Touched: touched(j), Left: j.Preset.Left(i, j.whole()), Duration: float64(want) / i.Rate.Float()}
	if j.Preset.Sequence() {
		n, err := media.CheckNumbered(j.Out, j.Clip.From()+j.First, i.Width, i.Height)
		if p.Frames = n; err != nil {
			return p, err
		}
		if n != want {
			return p, fmt.Errorf("the written file has %d pictures, not %d", n, want)
		}
	}
	z, err := zip.OpenReader(j.Out)
	if err != nil {
		return p, err
	}
	defer z.Close()
	if j.Preset.Mattes && !j.Matte {
		if err := j.checkMattes(z); err != nil {
			return p, err
		}
	}
	if !j.waves() {
		return p, nil
	}
	p.Sound = len(i.Sound)
	s, err := j.checkWaves(ctx, z)
	p.Samples, p.Lag, p.Passages = s.samples, s.lag, s.passages
	return p, err
}

// checkMattes holds the written mattes to the covers'.
func (j *Job) checkMattes(z fs.FS) error {
	for f := j.First; f <= j.Last; f++ {
		name := path.Join(media.MattesFolder, j.matteName(f))
		r, err := z.Open(name)
		if err != nil {
			return fmt.Errorf("matte %s is not there", name)
		}
		got, err := png.Decode(r)
		r.Close()
		if err != nil {
			return fmt.Errorf("matte %s: %w", name, err)
		}
		gray, ok := got.(*image.Gray)
		if want := j.matte(f); !ok || gray.Rect != want.Rect || string(gray.Pix) != string(want.Pix) {
			return fmt.Errorf("matte %s is not the covers'", name)
		}
	}
	return nil
}

// checkWaves listens to the written tracks, which are unpacked for that.
func (j *Job) checkWaves(ctx context.Context, z fs.FS) (heard, error) {
	dir, err := os.MkdirTemp(filepath.Dir(j.Out), ".unpacked")
	if err != nil {
		return heard{}, err
	}
	defer os.RemoveAll(dir)
	for i := range j.Clip.Info.Sound {
		if err := unpack(z, media.WaveName(i), dir); err != nil {
			return heard{}, err
		}
		if err := j.checkTime(i, filepath.Join(dir, media.WaveName(i))); err != nil {
			return heard{}, err
		}
	}
	all, err := j.listenTo(ctx, func(i int) written {
		return written{filepath.Join(dir, media.WaveName(i)), 0, 0, j.Preset.Exact(j.Clip.Info.Sound[i])}
	})
	if err != nil {
		err = fmt.Errorf("the written %w", err)
	}
	return all, err
}

// checkTime holds the time that a track's file tells of its first sample to the source's.
func (j *Job) checkTime(track int, path string) error {
	f, err := os.Open(path)
	if err != nil {
		return err
	}
	defer f.Close()
	const header = 1024 // in which it is told
	head, err := io.ReadAll(io.LimitReader(f, header))
	if err != nil {
		return err
	}
	out := j.output()
	want := out.SinceMidnight(j.Clip.Info.Sound[track])
	if got := media.WaveReference(head); got != want {
		return fmt.Errorf("the written sound track %d tells of sample %d of the day, not %d", track+1, got, want)
	}
	return nil
}

func unpack(z fs.FS, name, dir string) error {
	r, err := z.Open(name)
	if err != nil {
		return fmt.Errorf("%s is not there", strings.TrimSuffix(name, path.Ext(name)))
	}
	defer r.Close()
	w, err := os.Create(filepath.Join(dir, name))
	if err != nil {
		return err
	}
	_, err = io.Copy(w, r)
	return errors.Join(err, w.Close())
}
