package media

import (
	"bufio"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"path/filepath"
)

// PeaksPerSecond is how many peaks are kept of a second of sound.
const PeaksPerSecond = 100

// soundFile is the file of what is heard of a sound track, in the source's folder: 16-bit samples, the
// channels interleaved, from the time of the first picture on.
func soundFile(dir string, track int) string {
	return filepath.Join(dir, "sound", fmt.Sprintf("%d.pcm", track))
}

// Peaks is the file of a sound track's peaks: a byte for each hundredth of a second from the first
// picture on, 255 full scale.
func Peaks(dir string, track int) string {
	return filepath.Join(dir, "sound", fmt.Sprintf("%d.peaks", track))
}

// soundSize is how many bytes they take.
func soundSize(i Info) (n int64) {
	for _, s := range i.Sound {
		n += int64(i.Duration * float64(2*s.Channels*s.Rate+PeaksPerSecond))
	}
	return n
}

// MakeSounds writes what the bench plays and draws of each sound track of a clip, whose sound is in
// the file. beat is called now and then.
func MakeSounds(ctx context.Context, c Clip, file, dir string, beat func()) error {
	if len(c.Info.Sound) == 0 || c.Info.Still != "" {
		return nil
	}
	if err := os.MkdirAll(filepath.Join(dir, "sound"), 0o700); err != nil {
		return err
	}
	for i, s := range c.Info.Sound {
		err := makeSound(ctx, c, file, dir, i, s, beat)
		if errors.Is(err, ErrUnusable) { // a track that cannot be decoded is not heard, and its pictures are no worse
			err = errors.Join(os.RemoveAll(soundFile(dir, i)), os.RemoveAll(Peaks(dir, i)))
		}
		if err != nil {
			return err
		}
	}
	return nil
}

func makeSound(ctx context.Context, c Clip, file, dir string, track int, s Sound, beat func()) error {
	f, err := os.Create(soundFile(dir, track))
	if err != nil {
		return err
	}
	defer f.Close()
	w := bufio.NewWriterSize(f, 1<<20)
	var peaks []byte
	var peak float64
	n := 0 // samples of each channel
	var two [2]byte
	length := float64(c.Info.Frames) / c.Info.Rate.Float()
	err = Listen(ctx, file, track, s, c.Info.SoundLead(), 0, length, func(part []float64) error {
		for i, v := range part {
			peak = max(peak, math.Abs(v))
			binary.LittleEndian.PutUint16(two[:], uint16(sixteen(v)))
			if _, err := w.Write(two[:]); err != nil {
				return err
			}
			if i%s.Channels == s.Channels-1 {
				if n++; n*PeaksPerSecond/s.Rate > len(peaks) {
					peaks, peak = append(peaks, byte(math.Round(min(peak, 1)*255))), 0
				}
			}
		}
		beat()
		return nil
	})
	if err != nil {
		return err
	}
	if err := w.Flush(); err != nil {
		return err
	}
	return os.WriteFile(Peaks(dir, track), peaks, 0o600)
}

// sixteen is a sample in 16 bits.
func sixteen(v float64) int16 {
	const full = 1 << 15
	return int16(min(max(math.Round(v*full), -full), full-1))
}

// Heard reads, of what MakeSounds wrote, a sound track's samples from a place, in samples of each
// channel, up to another; what lies outside of the file is silent.
func Heard(dir string, track int, s Sound, from, to int) ([]float64, error) {
	f, err := os.Open(soundFile(dir, track))
	if err != nil {
		return nil, err
	}
	defer f.Close()
	out := make([]float64, (to-from)*s.Channels)
	begin := max(from, 0)
	if begin >= to {
		return out, nil
	}
	raw := make([]byte, 2*(to-begin)*s.Channels)
	n, err := f.ReadAt(raw, int64(2*begin*s.Channels))
	if err != nil && err != io.EOF {
		return nil, err
	}
	at := out[(begin-from)*s.Channels:]
	for i := range n / 2 {
		at[i] = float64(int16(binary.LittleEndian.Uint16(raw[2*i:]))) / (1 << 15)
	}
	return out, nil
}

// WriteWave writes stereo samples as a wave file of 16 bits.
func WriteWave(w io.Writer, rate int, left, right []float64) error {
	const header, frame = 44, 4
	b := make([]byte, 0, header+frame*len(left))
	size := uint32(frame * len(left))
	b = append(b, "RIFF"...)
	b = binary.LittleEndian.AppendUint32(b, header-8+size)
	b = append(b, "WAVEfmt "...)
	b = binary.LittleEndian.AppendUint32(b, 16)
	for _, v := range []uint16{1, 2} { // PCM, two channels
		b = binary.LittleEndian.AppendUint16(b, v)
	}
	b = binary.LittleEndian.AppendUint32(b, uint32(rate))
	b = binary.LittleEndian.AppendUint32(b, uint32(rate*frame))
	for _, v := range []uint16{frame, 16} {
		b = binary.LittleEndian.AppendUint16(b, v)
	}
	b = append(b, "data"...)
	b = binary.LittleEndian.AppendUint32(b, size)
	for i := range left {
		b = binary.LittleEndian.AppendUint16(b, uint16(sixteen(left[i])))
		b = binary.LittleEndian.AppendUint16(b, uint16(sixteen(right[i])))
	}
	_, err := w.Write(b)
	return err
}
