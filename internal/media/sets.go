package media

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"os"
)

// H.264 in MP4 and QuickTime has its parameter sets in one place for the whole track, the AVC decoder configuration
// record of its sample entry (ISO/IEC 14496-15, 5.3.3.1), which holds several of them, told apart by their numbers.
// Pieces by another encoder stand beside the source's own where that record holds the sets of both.

// setNumber is the number of the sets of what is coded here: the largest that the encoder takes, since most others
// count from 0.
const setNumber = 31

// errSets says that a file's parameter sets are not where they are looked for.
var errSets = errors.New("media: the parameter sets of its pictures are not found")

// maxMoov is how many bytes of a file's index are read for them at most.
const maxMoov = 64 << 20

// avcConfig is an AVC decoder configuration record.
type avcConfig struct {
	head []byte // version, profile, compatibility, level and the length of lengths
	sps  [][]byte
	pps  [][]byte
	tail []byte // what some profiles have more
}

func parseAVC(b []byte) (c avcConfig, err error) {
	if len(b) < 7 || b[0] != 1 {
		return c, errSets
	}
	c.head = b[:5]
	rest, ok := b[5:], true
	list := func(n int) (out [][]byte) {
		for ; n > 0 && ok; n-- {
			if ok = len(rest) >= 2; !ok {
				return nil
			}
			l := int(binary.BigEndian.Uint16(rest))
			if ok = l > 0 && len(rest) >= 2+l; !ok {
				return nil
			}
			out, rest = append(out, rest[2:2+l]), rest[2+l:]
		}
		return out
	}
	n := int(rest[0] & 31)
	rest = rest[1:]
	c.sps = list(n)
	if !ok || len(rest) == 0 {
		return c, errSets
	}
	n, rest = int(rest[0]), rest[1:]
	if c.pps = list(n); !ok {
		return c, errSets
	}
	c.tail = rest
	return c, nil
}

func (c avcConfig) bytes() []byte {
	out := append(bytes.Clone(c.head), 0xe0|byte(len(c.sps)))
	add := func(sets [][]byte) {
		for _, s := range sets {
			out = append(binary.BigEndian.AppendUint16(out, uint16(len(s))), s...)
		}
	}
	add(c.sps)
	out = append(out, byte(len(c.pps)))
	add(c.pps)
	return append(out, c.tail...)
}

// with adds another record's sets. It is errSets where the two cannot stand in one: lengths are told in another way,
// or two different sets have one number.
func (c avcConfig) with(o avcConfig) (avcConfig, error) {
	if c.head[4] != o.head[4] {
		return c, errSets
	}
	join := func(to, from [][]byte, number func([]byte) int) ([][]byte, error) {
		for _, s := range from {
			known := false
			for _, t := range to {
				if known = bytes.Equal(s, t); known {
					break
				}
				if number(s) == number(t) {
					return to, errSets
				}
			}
			if !known {
				to = append(to, s)
			}
		}
		return to, nil
	}
	var err error
	if c.sps, err = join(c.sps, o.sps, func(s []byte) int { return golomb(s, 4) }); err != nil {
		return c, err
	}
	c.pps, err = join(c.pps, o.pps, func(s []byte) int { return golomb(s, 1) })
	if err == nil && (len(c.sps) > 31 || len(c.pps) > 255) {
		err = errSets
	}
	return c, err
}

// golomb reads a number of exponential Golomb code (ITU-T H.264, 9.1) at a byte of a set; -1 where none is.
func golomb(b []byte, at int) int {
	bit := func(i int) int {
		if i/8 >= len(b)-at {
			return -1
		}
		return int(b[at+i/8]>>(7-i%8)) & 1
	}
	zeros := 0
	for bit(zeros) == 0 && zeros < 16 {
		zeros++
	}
	n := 0
	for i := zeros; i <= 2*zeros; i++ {
		v := bit(i)
		if v < 0 {
			return -1
		}
		n = n<<1 | v
	}
	return n - 1
}

// box is a part of a file of the ISO base media format: where it begins, how long its head is, and where it ends.
type box struct{ at, head, end int }

// child is the first box of a kind within some bytes of b.
func child(b []byte, from, to int, kind string) (box, bool) {
	for from+8 <= to {
		n, head := int(binary.BigEndian.Uint32(b[from:])), 8
		if n == 0 {
			n = to - from
		}
		if n < head || n > to-from {
			return box{}, false
		}
		if string(b[from+4:from+8]) == kind {
			return box{from, head, from + n}, true
		}
		from += n
	}
	return box{}, false
}

// avcPath leads to the record, with how many bytes stand before the first box in each.
var avcPath = []struct {
	kind string
	skip int
}{{"trak", 0}, {"mdia", 0}, {"minf", 0}, {"stbl", 0}, {"stsd", 8}, {"avc1", 78}, {"avcC", 0}}

// findAVC returns the boxes from moov, which b is, to the record.
func findAVC(b []byte) ([]box, error) {
	way := []box{{0, 8, len(b)}}
	skip := 0
	for _, p := range avcPath {
		in := way[len(way)-1]
		found, ok := child(b, in.at+in.head+skip, in.end, p.kind)
		if !ok {
			return nil, errSets
		}
		way, skip = append(way, found), p.skip
	}
	return way, nil
}

// moov reads a file's index, which the boxes of files written here have one of; at is where it begins.
func moov(f *os.File) (b []byte, at int64, err error) {
	size, err := f.Seek(0, io.SeekEnd)
	if err != nil {
		return nil, 0, err
	}
	var head [16]byte
	for at+8 <= size {
		n, err := f.ReadAt(head[:], at)
		if err != nil && !errors.Is(err, io.EOF) {
			return nil, 0, err
		}
		length := int64(binary.BigEndian.Uint32(head[:]))
		switch {
		case length == 1 && n == 16:
			length = int64(binary.BigEndian.Uint64(head[8:]))
		case length == 0:
			length = size - at
		}
		if length < 8 || length > size-at {
			return nil, 0, errSets
		}
		if string(head[4:8]) == "moov" {
			if length > maxMoov {
				return nil, 0, errSets
			}
			b = make([]byte, length)
			_, err := f.ReadAt(b, at)
			return b, at, err
		}
		at += length
	}
	return nil, 0, errSets
}

// setsOf reads a file's record.
func setsOf(path string) (avcConfig, error) {
	f, err := os.Open(path)
	if err != nil {
		return avcConfig{}, err
	}
	defer f.Close()
	b, _, err := moov(f)
	if err != nil {
		return avcConfig{}, err
	}
	way, err := findAVC(b)
	if err != nil {
		return avcConfig{}, err
	}
	record := way[len(way)-1]
	return parseAVC(b[record.at+record.head : record.end])
}

// withSets writes a copy of a file whose record holds the sets of others as well. Its index comes last, as in pieces.
func withSets(path, out string, others []string) error {
	all, err := setsOf(path)
	if err != nil {
		return err
	}
	for _, o := range others {
		c, err := setsOf(o)
		if err == nil {
			all, err = all.with(c)
		}
		if err != nil {
			return fmt.Errorf("%w (%s)", err, o)
		}
	}
	f, err := os.Open(path)
	if err != nil {
		return err
	}
	defer f.Close()
	b, at, err := moov(f)
	if err != nil {
		return err
	}
	if size, err := f.Seek(0, io.SeekEnd); err != nil || size != at+int64(len(b)) {
		return errors.Join(err, errSets)
	}
	if b, err = replaceAVC(b, all.bytes()); err != nil {
		return err
	}
	w, err := os.Create(out)
	if err != nil {
		return err
	}
	_, err = io.Copy(w, io.NewSectionReader(f, 0, at))
	if err == nil {
		_, err = w.Write(b)
	}
	return errors.Join(err, w.Close())
}

// replaceAVC puts another record into a file's index.
func replaceAVC(b, record []byte) ([]byte, error) {
	way, err := findAVC(b)
	if err != nil {
		return nil, err
	}
	old := way[len(way)-1]
	out := bytes.Clone(b[:old.at+old.head])
	out = append(append(out, record...), b[old.end:]...)
	for _, x := range way {
		binary.BigEndian.PutUint32(out[x.at:], uint32(x.end-x.at+len(record)-(old.end-old.at-old.head)))
	}
	return out, nil
}
