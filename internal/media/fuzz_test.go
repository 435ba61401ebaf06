package media

import (
	"context"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"testing"
)

// Whatever ffprobe answers of a file, or is made to answer by it, what is read of it can be
// worked with, or is refused: nothing panics, and no size, rate or count is one that would
// do harm later.
func FuzzProbe(f *testing.F) {
	path := filepath.Join(f.TempDir(), "clip.mp4")
	if out, err := exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i",
		"testsrc2=size=64x48:rate=30000/1001:duration=1", "-c:v", "libx264", "-pix_fmt", "yuv420p",
		path).CombinedOutput(); err != nil {
		f.Fatalf("%v %s", err, out)
	}
	streams, err := run(context.Background(), "ffprobe",
		append([]string{"-v", "error", "-of", "json", "-show_streams", "-show_format"}, input(path)...))
	if err != nil {
		f.Fatal(err)
	}
	packets, err := run(context.Background(), "ffprobe",
		append([]string{"-v", "error", "-select_streams", "v:0", "-of", "csv=p=0", "-show_entries", "packet=pts,flags"},
			input(path)...))
	if err != nil {
		f.Fatal(err)
	}
	f.Add(streams, packets)
	f.Add([]byte(`{"streams":[{"codec_type":"video","pix_fmt":"yuv420p","width":-5,"height":9999999,"time_base"`+
		`:"1/0","r_frame_rate":"0/0","sample_aspect_ratio":"0:0"}],"format":{"start_time":"nan"`+
		`}}`), []byte("1,K\n-9223372036854775808,\n9223372036854775807,\n"))
	f.Add([]byte(`{"streams":[{"codec_type":"video","pix_fmt":"yuv422p10le","width":64,"height":48,"time_base":`+
		`"1/90000","r_frame_rate":"90000/1","avg_frame_rate":"1/1000000","tags":{"DURATION":"99:99:99.9","timecode`+
		`":"99:99:99;99"},"side_data_list":[{"side_data_type":"Display Matrix","rotation":1e308}]}`+
		`]}`), []byte("0,K__\n3003,\n3004,D\n900000000000,\n"))
	f.Fuzz(func(t *testing.T, streams, packets []byte) {
		var i Info
		p, v, err := i.describe(streams)
		if err != nil {
			return
		}
		if err := i.Format().Validate(); err != nil {
			t.Fatalf("taken: %v", err)
		}
		timed, err := i.times(packets, p, v)
		if err != nil || !timed {
			return
		}
		if i.Rate.Num < 1 || i.Rate.Den < 1 || !(i.Rate.Float() > 0) || i.Frames < 1 || i.Frames > 24*60*60*120 {
			t.Fatalf("%d frames at %v", i.Frames, i.Rate)
		}
		if w, h := i.ViewSize(); w < 1 || h < 1 || w > ViewWidth {
			t.Fatalf("a view of %dx%d", w, h)
		}
		i.whole(p, v)
		Presets["review"].EncoderArgs(i)
	})
}

// Checksums of frames are read as they were written, and nothing else is taken for them.
func FuzzSums(f *testing.F) {
	f.Add([]byte("#format: frame checksums\n0, 0, 0, 1, 13824, 0xdeadbeef\n0, 1, 1, 1, 13824, 0x00000001\n"))
	f.Add([]byte{1, 2, 3})
	f.Fuzz(func(t *testing.T, b []byte) {
		dir := t.TempDir()
		text, sums := filepath.Join(dir, "frames.txt"), filepath.Join(dir, "frames.sum")
		if err := os.WriteFile(text, b, 0o600); err != nil {
			t.Fatal(err)
		}
		got, err := readSums(text)
		if err != nil {
			return
		}
		if err := SaveSums(sums, got); err != nil {
			t.Fatal(err)
		}
		if again, err := LoadSums(sums); err != nil || !slices.Equal(again, got) {
			t.Fatalf("%v, %v, then %v", err, got, again)
		}
		if err := os.WriteFile(sums, b, 0o600); err != nil {
			t.Fatal(err)
		}
		if _, err := LoadSums(sums); (err == nil) != (len(b)%4 == 0) {
			t.Fatalf("%d bytes: %v", len(b), err)
		}
	})
}

// Whatever ffprobe says of pictures and of what a decoder complained of is read, or passed over.
func FuzzPictures(f *testing.F) {
	f.Add([]byte("0,1,1,tv,bt709,bt709,bt709,left\n40,1,1,tv,bt709,bt709,bt709,left\n"))
	f.Add([]byte(`{"frames":[{},{"logs":[{"message":"error while decoding MB 1 2"}]},{"logs":[{"message":"x"}]}]}`))
	f.Add([]byte("N/A,,,\n\n,,,,,,,,,,\n"))
	f.Fuzz(func(t *testing.T, out []byte) {
		if _, times, _ := readScan(out); !slices.IsSorted(times) {
			t.Errorf("times are not in order: %v", times)
		}
		var tags Tags
		tags.fill(readTags(out))
		readLogs(out)
	})
}

// The frames are named on which the decoder complained, and no more than help.
func TestWhereDamageLies(t *testing.T) {
	bad, good := `{"logs":[{"message":"error while decoding MB 1 2"}]}`, `{"logs":[{"message":"Frame num gap 3 1"}]}`
	for out, want := range map[string]string{
		good: "", good + "," + bad: " on frame 1", bad + "," + good + "," + bad: " on frames 0, 2",
		bad + "," + bad + "," + bad + "," + bad: " on frames 0, 1 and more",
	} {
		if got := readLogs([]byte(`{"frames":[` + out + `]}`)); got != want {
			t.Errorf("%s: %q, not %q", out, got, want)
		}
	}
}
