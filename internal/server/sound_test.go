package server

import (
	"context"
	"encoding/binary"
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"celator/core/cover"
	"celator/internal/media"
)

// What the bench plays of a track is the source's, from the first picture on, whatever part of it is asked
// for; what a revision hides is hidden in it; peaks tell how loud it is.
func TestSoundOfAShot(t *testing.T) {
	s, _ := open(t)
	dir := s.lib.Media
	// The sound begins half a second after the picture.
	if out, err := exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i", "testsrc2=size=64x48:rate=25:duration=3",
		"-itsoffset", "0.5", "-f", "lavfi", "-i", "aevalsrc=0.5*sin(800*t)|0.25*sin(700*t):s=48000:d=2", "-c:v", "libx264",
		"-pix_fmt", "yuv420p", "-c:a", "pcm_s16le", filepath.Join(dir, "spoken.mov")).CombinedOutput(); err != nil {
		t.Fatalf("%v %s", err, out)
	}
	var programme, source struct{ ID, State string }
	s.ask("POST", "/api/programmes", m{"name": "Sound"}, 201, &programme)
	s.ask("POST", "/api/programmes/"+programme.ID+"/sources", m{"media": "spoken.mov"}, 201, &source)
	s.until("the source", func() bool {
		s.ask("GET", "/api/sources/"+source.ID, nil, 200, &source)
		return source.State == "ready"
	})
	var whole struct{ Shots []struct{ ID string } }
	s.ask("GET", "/api/programmes/"+programme.ID, nil, 200, &whole)
	shot := "/api/shots/" + whole.Shots[0].ID
	hear := func(revision int, query string) []int16 {
		b := []byte(s.ask("GET", fmt.Sprintf("%s/sound/%d?%s", shot, revision, query), nil, 200, nil))
		if string(b[:4]) != "RIFF" || int(binary.LittleEndian.Uint32(b[4:]))+8 != len(b) {
			t.Fatalf("%s: no wave file", query)
		}
		out := make([]int16, (len(b)-44)/2)
		for i := range out {
			out[i] = int16(binary.LittleEndian.Uint16(b[44+2*i:]))
		}
		return out
	}
	all := hear(0, "from=0&seconds=3")
	for i := range 48000 * 2 {
		n := i / 2
		want := 0.
		if at := float64(n)/48000 - .5; at >= 0 {
			want = []float64{.5 * math.Sin(800*at), .25 * math.Sin(700*at)}[i%2] * 32768
		}
		if math.Abs(want-float64(all[i])) > 2 {
			t.Fatalf("sample %d of side %d is %d, not %.0f", n, i%2, all[i], want)
		}
	}
	part := hear(0, "from=1.25&seconds=0.5")
	for i, v := range part {
		if v != all[2*60000+i] {
			t.Fatalf("a part differs at %d", i)
		}
	}
	p := cover.NewPassage("p", 25, 37)
	p.Channels = []int{1}
	var rev revision
	s.ask("POST", shot+"/edits", m{"base": 0, "commands": []m{{"do": "passage", "passage": p}}}, 201, &rev)
	for i, v := range hear(rev.Number, "from=1&seconds=0.5") {
		if want := all[2*48000+i] * int16(1-i%2); v != want {
			t.Fatalf("sample %d of side %d is %d, not %d", i/2, i%2, v, want)
		}
	}
	if hear(rev.Number, "from=1&seconds=0.5&source=true")[1] != all[2*48000+1] {
		t.Error("the source's own sound is not heard")
	}
	s.ask("GET", shot+"/sound/0?tracks=1", nil, 404, nil)
	s.ask("GET", shot+"/sound/0?seconds=11", nil, 422, nil)
	peaks := []byte(s.ask("GET", "/api/sources/"+source.ID+"/sound/0/peaks", nil, 200, nil))
	if len(peaks) < 248 || peaks[40] != 0 || peaks[100] < 120 || peaks[100] > 128 {
		t.Errorf("%d peaks, %d before and %d in the sound", len(peaks), peaks[40], peaks[100])
	}
	s.ask("GET", "/api/sources/"+source.ID+"/sound/1/peaks", nil, 404, nil)
}

// A track that cannot be decoded keeps nobody from the pictures: it is not heard, and the others are.
func TestSoundThatCannotBeDecoded(t *testing.T) {
	dir := t.TempDir()
	path := filepath.Join(dir, "two.mkv")
	if out, err := exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i", "testsrc2=size=64x48:rate=25:duration=1",
		"-f", "lavfi", "-i", "sine=d=1", "-map", "1", "-map", "0", "-map", "1", path).CombinedOutput(); err != nil {
		t.Fatalf("%v %s", err, out)
	}
	info, err := media.Probe(context.Background(), path)
	if err != nil {
		t.Fatal(err)
	}
	info.Sound[0].Channels = 0 // as probing finds what it does not know
	c := media.Clip{Path: path, Info: info}
	if err := media.MakeSounds(context.Background(), c, path, dir, func() {}); err != nil {
		t.Fatal(err)
	}
	if _, err := media.Heard(dir, 0, media.Sound{Channels: 1, Rate: 44100}, 0, 10); !os.IsNotExist(err) {
		t.Errorf("the first is heard: %v", err)
	}
	if _, err := media.Heard(dir, 1, info.Sound[1], 0, 10); err != nil {
		t.Error(err)
	}
}

// A surround track is heard by two ears, each channel where it belongs.
func TestMix(t *testing.T) {
	in := []float64{.1, .2, .4, .8, .3, .5}
	var left, right [1]float64
	mix(in, media.Sound{Channels: 6, Layout: "5.1(side)"}, left[:], right[:])
	const less = math.Sqrt2 / 2
	if l, r := .1+less*(.4+.3), .2+less*(.4+.5); math.Abs(left[0]-l) > 1e-9 || math.Abs(right[0]-r) > 1e-9 {
		t.Errorf("%v %v", left, right)
	}
}
