package media

import (
	"bytes"
	"encoding/binary"
	"os/exec"
	"path/filepath"
	"testing"
)

// The sets of two encoders stand in one record, at their place in a file that is otherwise the same; those of one
// number do not.
func TestParameterSetsOfTwo(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	made := func(name, args string) string {
		path := filepath.Join(dir, name)
		cmd := append([]string{"-v", "error", "-f", "lavfi", "-i", "testsrc2=size=64x48:duration=0.4"}, opts(args)...)
		if out, err := exec.Command("ffmpeg", append(cmd, path)...).CombinedOutput(); err != nil {
			t.Fatalf("%v %s", err, out)
		}
		return path
	}
	one := made("one.mp4", "-c:v libx264 -pix_fmt yuv420p")
	two := made("two.mov", "-c:v libx264 -pix_fmt yuv420p -bf 0 -x264opts sps-id=31")
	other := made("other.mp4", "-c:v libx264 -pix_fmt yuv420p -bf 0")
	both := filepath.Join(dir, "both.mp4")
	if err := withSets(one, both, []string{two, one}); err != nil {
		t.Fatal(err)
	}
	c, err := setsOf(both)
	if err != nil || len(c.sps) != 2 || len(c.pps) != 2 || golomb(c.sps[1], 4) != 31 || golomb(c.pps[1], 1) != 31 {
		t.Fatalf("%d and %d sets, %v", len(c.sps), len(c.pps), err)
	}
	frames := func(path string) []byte {
		out, err := exec.Command("ffmpeg", "-v", "error", "-i", path, "-f", "framemd5", "-").Output()
		if err != nil {
			t.Fatal(err)
		}
		return out
	}
	if !bytes.Equal(frames(one), frames(both)) {
		t.Error("it is decoded to something else")
	}
	if err := withSets(one, both, []string{other}); err == nil {
		t.Error("two sets of one number stand in one record")
	}
}

// Whatever a file's index or a record holds, reading it ends without panic, and what was read is written as it was.
func FuzzParameterSets(f *testing.F) {
	record := []byte{1, 100, 0, 10, 255, 0xe1, 0, 2, 0x67, 1, 1, 0, 2, 0x68, 0xce, 7}
	wrap := func(kind string, skip int, b []byte) []byte {
		out := binary.BigEndian.AppendUint32(nil, uint32(8+skip+len(b)))
		return append(append(append(out, kind...), make([]byte, skip)...), b...)
	}
	all := record
	for i := len(avcPath) - 1; i >= 0; i-- {
		all = wrap(avcPath[i].kind, avcPath[i].skip, all)
	}
	f.Add(record)
	f.Add(wrap("moov", 0, all))
	f.Fuzz(func(t *testing.T, b []byte) {
		if c, err := parseAVC(b); err == nil {
			again := c.bytes()
			again[5] = again[5]&31 | b[5]&0xe0 // bits without meaning
			if !bytes.Equal(again, b) {
				t.Errorf("%x became %x", b, again)
			}
		}
		if len(b) < 8 {
			return
		}
		if out, err := replaceAVC(b, record); err == nil {
			way, err := findAVC(out)
			if err != nil {
				t.Fatal("the record is not found again")
			}
			if r := way[len(way)-1]; !bytes.Equal(out[r.at+r.head:r.end], record) {
				t.Errorf("the record is another: %x", out)
			}
		}
	})
}
