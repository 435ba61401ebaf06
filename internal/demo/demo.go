// Package demo draws the made-up footage that ships with the application, with
// exact ground truth beside it.
//
// A clip's folder holds clip.mp4; truth.csv (frame, the four corners of the
// surface in picture coordinates, the share of it that is seen); foreground.mkv
// (lossless grey: coverage of what passes in front); and meta.json.
package demo

import (
	"context"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"strings"

	"celator/core/frame"
	"celator/core/geom"
	"celator/core/timecode"
	"celator/internal/media"
)

// Meta describes a generated clip.
type Meta struct {
	Name      string     `json:"name"`
	Frames    int        `json:"frames"`
	Reference int        `json:"reference_frame"`
	Quad      [8]float64 `json:"quad"`
	Category  string     `json:"category"`
	Width     int        `json:"width"`
	Height    int        `json:"height"`
}

// version is raised when the drawing changes, so that old footage is made anew.
const version = 6

// Generate draws the shots that are not in dir yet, one after the other; say is told what is
// being drawn.
func Generate(ctx context.Context, dir string, shots []Shot, say func(string)) error {
	for _, s := range shots {
		if s.Drawn(dir) {
			continue
		}
		say(fmt.Sprintf("drawing %s (%d frames)", s.Title, s.Frames))
		if err := s.Draw(ctx, dir, nil); err != nil {
			return err
		}
	}
	return nil
}

// Drawn reports whether dir has the shot as it is drawn now.
func (s Shot) Drawn(dir string) bool { return drawn(dir, s.Name, "clip.mp4") }

// Draw draws the shot into a folder of its own in dir, and tells progress the frames that are
// done. An unfinished folder does not stay.
func (s Shot) Draw(ctx context.Context, dir string, progress func(done int)) error {
	return folder(dir, s.Name, func(tmp string) error { return s.generate(ctx, tmp, progress) })
}

func drawn(dir, name, file string) bool {
	b, err := os.ReadFile(filepath.Join(dir, name, ".version"))
	_, gone := os.Stat(filepath.Join(dir, name, file))
	return err == nil && gone == nil && string(b) == fmt.Sprint(version)
}

// folder makes a folder whole or not at all.
func folder(dir, name string, fill func(tmp string) error) error {
	final := filepath.Join(dir, name)
	tmp := final + ".part"
	os.RemoveAll(tmp)
	defer os.RemoveAll(tmp)
	err := os.MkdirAll(tmp, 0o755)
	if err == nil {
		err = fill(tmp)
	}
	if err == nil {
		err = os.WriteFile(filepath.Join(tmp, ".version"), []byte(fmt.Sprint(version)), 0o644)
	}
	if err == nil {
		os.RemoveAll(final)
		err = os.Rename(tmp, final)
	}
	if err != nil {
		return fmt.Errorf("demo footage %s: %w", name, err)
	}
	return nil
}

func (s Shot) generate(ctx context.Context, dir string, progress func(done int)) error {
	rate, err := timecode.ParseRate(s.Rate)
	if err != nil {
		return err
	}
	sound := filepath.Join(dir, "sound.wav")
	if err := os.WriteFile(sound, ambience(float64(s.Frames)/rate.Float(), s.Name), 0o644); err != nil {
		return err
	}
	defer os.Remove(sound)
	info := media.Info{
		PixFmt: "yuv420p", Width: s.Width, Height: s.Height, Depth: 8, SubX: 1, SubY: 1, Range: frame.Limited,
		Matrix: frame.BT709,
		Tags:   media.Tags{Range: "tv", Primaries: "bt709", Transfer: "bt709", Space: "bt709"}, Rate: rate, Frames: s.Frames,
		Pixel: media.Ratio{Num: 1, Den: 1}, Field: "progressive", Timecode: s.Timecode,
		Sound: []media.Sound{{Codec: "pcm_s16le", Channels: 2, Rate: 48000}},
	}
	out := media.Output{
		Path: filepath.Join(dir, "clip.mp4"), Preset: s.recorded(),
		Source: media.Clip{Info: info}, Sound: sound, Frames: s.Frames, Total: s.Frames,
	}
	clip, err := media.Create(ctx, out)
	if err != nil {
		return err
	}
	defer clip.Abort()
	matte, err := media.Create(ctx, media.Output{
		Path:   filepath.Join(dir, "foreground.mkv"),
		Preset: media.Presets["archive"], Gray: true, Source: out.Source,
	})
	if err != nil {
		return err
	}
	defer matte.Abort()

	var truth strings.Builder
	truth.WriteString("frame,x1,y1,x2,y2,x3,y3,x4,y4,visible_fraction\n")
	meta := Meta{
		Name: s.Name, Frames: s.Frames, Reference: s.Reference, Category: s.Kind, Width: s.Width,
		Height: s.Height,
	}
	at := s.prepare()
	d := &picture{pic: frame.New(s.format(), nil), front: make([]byte, s.Width*s.Height)}
	for f := range s.Frames {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		s.draw(at, f, d)
		if err := errors.Join(clip.Write(d.pic.Data), matte.Write(d.front)); err != nil {
			return err
		}
		if progress != nil {
			progress(f + 1)
		}
		fmt.Fprintf(&truth, "%d", f)
		for i, p := range d.surface {
			fmt.Fprintf(&truth, ",%.4f,%.4f", p.X, p.Y)
			if f == s.Reference {
				meta.Quad[2*i], meta.Quad[2*i+1] = p.X, p.Y
			}
		}
		fmt.Fprintf(&truth, ",%.4f\n", d.visible)
	}
	if err := clip.Close(); err != nil {
		return err
	}
	if err := matte.Close(); err != nil {
		return err
	}
	b, err := json.Marshal(meta)
	if err == nil {
		err = os.WriteFile(filepath.Join(dir, "truth.csv"), []byte(truth.String()), 0o644)
	}
	if err == nil {
		err = os.WriteFile(filepath.Join(dir, "meta.json"), b, 0o644)
	}
	return err
}

// recorded is how the shot is coded.
func (s Shot) recorded() media.Preset {
	if s.Broadcast > 0 {
		return media.Broadcast(s.Broadcast)
	}
	return media.Camera(s.CRF)
}

// Truth is the surface's corners in one frame and the share of it that is seen.
type Truth struct {
	Corners [4]geom.Point
	Visible float64
}

// ReadTruth reads a clip's truth.csv.
func ReadTruth(dir string) ([]Truth, error) {
	b, err := os.ReadFile(filepath.Join(dir, "truth.csv"))
	if err != nil {
		return nil, err
	}
	var all []Truth
	for i, line := range strings.Split(strings.TrimSpace(string(b)), "\n") {
		if i == 0 {
			continue
		}
		var t Truth
		var f int
		c := &t.Corners
		if _, err := fmt.Sscanf(line, "%d,%g,%g,%g,%g,%g,%g,%g,%g,%g", &f, &c[0].X, &c[0].Y, &c[1].X, &c[1].Y, &c[2].X,
			&c[2].Y, &c[3].X, &c[3].Y, &t.Visible); err != nil || f != i-1 {
			return nil, fmt.Errorf("demo: truth.csv line %d: %q", i+1, line)
		}
		all = append(all, t)
	}
	return all, nil
}

// ambience is stereo sea wash with a far bell, as a WAV file (16 bit, 48 kHz).
func ambience(seconds float64, name string) []byte {
	n := int(seconds * 48000)
	data := make([]byte, 0, 4*n)
	var low [2]float64
	state := uint32(len(name))*2654435761 + 1
	for i := range n {
		t := float64(i) / 48000
		for c := range 2 {
			state ^= state << 13
			state ^= state >> 17
			state ^= state << 5
			white := float64(state)/(1<<31) - 1
			low[c] += .04 * (white - low[c])
			wash := low[c] * (.5 + .35*math.Sin(2*math.Pi*t/3.7+float64(c)))
			beat := math.Mod(t, 2.5)
			bell := .12 * math.Exp(-2.2*beat) * (math.Sin(2*math.Pi*587*beat) + .5*math.Sin(2*math.Pi*1411*beat))
			data = binary.LittleEndian.AppendUint16(data, uint16(int16(32000*min(max(.8*wash+bell, -1), 1))))
		}
	}
	var w []byte
	w = append(w, "RIFF"...)
	w = binary.LittleEndian.AppendUint32(w, uint32(36+len(data)))
	w = append(w, "WAVEfmt "...)
	w = binary.LittleEndian.AppendUint32(w, 16)
	for _, v := range []uint16{1, 2} {
		w = binary.LittleEndian.AppendUint16(w, v)
	}
	w = binary.LittleEndian.AppendUint32(w, 48000)
	w = binary.LittleEndian.AppendUint32(w, 48000*4)
	for _, v := range []uint16{4, 16} {
		w = binary.LittleEndian.AppendUint16(w, v)
	}
	w = append(w, "data"...)
	w = binary.LittleEndian.AppendUint32(w, uint32(len(data)))
	return append(w, data...)
}
