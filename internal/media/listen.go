package media

import (
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math"
	"strings"
)

// SoundLead is how long before the first picture the source's own time begins, seconds.
func (i Info) SoundLead() float64 { return i.Lead + i.Moved }

// Listen gives a sound track's samples, by channel as they are interleaved, from the time of the
// first picture and so many seconds more: what lies before is left out, and where there is no
// sound it is silent. lead is how long before that picture the file begins. A length below 0 goes to the
// track's end. The slice is its own only until do returns; an error of do ends the listening.
func Listen(ctx context.Context, path string, track int, s Sound, lead, from, length float64,
	do func(samples []float64) error,
) error {
	if s.Channels < 1 || s.Rate < 1 {
		return unusable("sound track %d says nothing of its channels or its rate", track+1)
	}
	filter := "aresample=async=1:first_pts=0"
	first := int64(math.Round(from * float64(s.Rate)))
	filter += fmt.Sprintf(",atrim=start_sample=%d", first)
	if length >= 0 {
		filter += fmt.Sprintf(":end_sample=%d", first+int64(math.Round(length*float64(s.Rate))))
	}
	args := append([]string{"-nostdin", "-v", "error"}, input(path, "-itsoffset", fmt.Sprintf("%.9f", -lead))...)
	args = append(args, "-map", fmt.Sprintf("0:a:%d", track), "-vn", "-sn", "-dn", "-af", filter, "-f", "f64le", "pipe:1")
	p, pr, err := pipeFrom(ctx, args)
	if err != nil {
		return err
	}
	defer pr.Close()
	raw, out := make([]byte, 8*s.Channels*4096), make([]float64, s.Channels*4096)
	for {
		n, err := io.ReadFull(pr, raw)
		for i := range n / 8 {
			out[i] = math.Float64frombits(binary.LittleEndian.Uint64(raw[8*i:]))
		}
		if n >= 8 {
			if err := do(out[:n/8]); err != nil {
				p.kill()
				return err
			}
		}
		switch {
		case err == nil:
		case errors.Is(err, io.EOF), errors.Is(err, io.ErrUnexpectedEOF):
			if werr := p.wait(); werr != nil {
				return blame(ctx, werr, "sound track %d cannot be decoded", track+1)
			}
			return nil
		default:
			p.kill()
			return err
		}
	}
}

// SoundWriter writes a sound track of its own, without loss.
type SoundWriter struct {
	*Writer
	raw []byte
}

// CreateSound starts a file, Matroska, that holds sound as another track decodes.
func CreateSound(ctx context.Context, path string, s Sound) (*SoundWriter, error) {
	args := []string{
		"-nostdin", "-v", "error", "-y", "-f", "f64le", "-ar", fmt.Sprint(s.Rate), "-ac", fmt.Sprint(s.Channels),
	}
	if s.Layout != "" {
		args = append(args, "-channel_layout", s.Layout)
	}
	args = append(append(args, "-i", "pipe:0"), s.exactly(false)...)
	switch { // else the encoder takes what is nearest to 64 bits
	case args[len(args)-1] != "flac":
	case strings.HasPrefix(s.Sample, "s16"):
		args = append(args, "-sample_fmt", "s16")
	default:
		args = append(args, "-sample_fmt", "s32")
	}
	w, err := pipeTo(ctx, append(args, "-f", "matroska", "file:"+path))
	return &SoundWriter{Writer: w}, err
}

// Write adds samples, the channels interleaved.
func (w *SoundWriter) Write(samples []float64) error {
	w.raw = w.raw[:0]
	for _, v := range samples {
		w.raw = binary.LittleEndian.AppendUint64(w.raw, math.Float64bits(v))
	}
	return w.Writer.Write(w.raw)
}
