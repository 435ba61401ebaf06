package still

import (
	"bytes"
	"compress/zlib"
	"encoding/binary"
	"hash/crc32"
	"slices"
)

// JPEGSegments returns the contents of the segments with a marker, up to the
// picture data.
func JPEGSegments(b []byte, marker byte) (out [][]byte) {
	for i := 2; i+4 <= len(b) && b[i] == 0xff && b[i+1] != 0xda; {
		n := int(binary.BigEndian.Uint16(b[i+2:]))
		if n < 2 || i+2+n > len(b) {
			break
		}
		if b[i+1] == marker {
			out = append(out, b[i+4:i+2+n])
		}
		i += 2 + n
	}
	return out
}

// withChunks gives an encoded PNG the colour and size chunks of another.
func withChunks(encoded, source []byte) []byte {
	const head = 8 + 25 // signature and IHDR
	if len(encoded) < head {
		return encoded
	}
	out := slices.Clone(encoded[:head])
	for i := 8; i+12 <= len(source); {
		n := int(binary.BigEndian.Uint32(source[i:]))
		if n < 0 || n > len(source)-i-12 {
			break
		}
		chunk := source[i : i+12+n]
		kind := string(chunk[4:8])
		if slices.Contains([]string{"cHRM", "gAMA", "iCCP", "sRGB", "cICP", "mDCV", "cLLI", "pHYs"}, kind) &&
			crc32.ChecksumIEEE(chunk[4:8+n]) == binary.BigEndian.Uint32(chunk[8+n:]) {
			out = append(out, chunk...)
		}
		if kind == "IDAT" {
			break
		}
		i += 12 + n
	}
	return append(out, encoded[head:]...)
}

// tiffTag is one entry of a TIFF directory: its type, its count and its value's
// bytes in the file's order.
type tiffTag struct {
	kind  uint16
	count uint32
	value []byte
}

const (
	tagOrientation = 274
	tagXResolution = 282
	tagYResolution = 283
	tagResolution  = 296 // the unit
	tagProfile     = 34675
	tagBits        = 258
	tagCompression = 259
	tagOffsets     = 273
	tagSamples     = 277
	tagLengths     = 279
	tagPredictor   = 317
	tagExtra       = 338
)

// tiffSizes are the bytes of TIFF 6.0's types.
var tiffSizes = map[uint16]uint32{1: 1, 2: 1, 3: 2, 4: 4, 5: 8, 6: 1, 7: 1, 8: 2, 9: 4, 10: 8, 11: 4, 12: 8}

// tiffTags reads the first directory of a TIFF file or Exif block. Tag 0 stands
// for a further directory. What lies outside the bytes is left out.
func tiffTags(b []byte) (map[uint16]tiffTag, binary.ByteOrder) {
	tags := map[uint16]tiffTag{}
	var order binary.ByteOrder = binary.LittleEndian
	if len(b) < 8 {
		return tags, order
	}
	if b[0] == 'M' {
		order = binary.BigEndian
	}
	at := uint64(order.Uint32(b[4:]))
	if at+2 > uint64(len(b)) {
		return tags, order
	}
	n := uint64(order.Uint16(b[at:]))
	for i := range n {
		e := at + 2 + 12*i
		if e+12 > uint64(len(b)) {
			return tags, order
		}
		t := tiffTag{kind: order.Uint16(b[e+2:]), count: order.Uint32(b[e+4:])}
		size := uint64(tiffSizes[t.kind]) * uint64(t.count)
		from := e + 8
		if size > 4 {
			from = uint64(order.Uint32(b[e+8:]))
		}
		if size == 0 || from+size > uint64(len(b)) {
			continue
		}
		t.value = b[from : from+size]
		tags[order.Uint16(b[e:])] = t
	}
	if end := at + 2 + 12*n; end+4 <= uint64(len(b)) && order.Uint32(b[end:]) != 0 {
		tags[0] = tiffTag{value: b[end : end+4]}
	}
	return tags, order
}

// withTiffTags gives an encoded TIFF (little endian) the colour profile and the
// resolution of another, in a directory of its own at the end.
func withTiffTags(encoded, source []byte) []byte {
	from, order := tiffTags(source)
	tags, _ := tiffTags(encoded)
	le := binary.LittleEndian
	for _, id := range []uint16{tagProfile, tagXResolution, tagYResolution, tagResolution} {
		t, ok := from[id]
		if !ok {
			continue
		}
		v := slices.Clone(t.value)
		switch t.kind {
		case 3:
			for i := 0; i+2 <= len(v); i += 2 {
				le.PutUint16(v[i:], order.Uint16(t.value[i:]))
			}
		case 4, 5:
			for i := 0; i+4 <= len(v); i += 4 {
				le.PutUint32(v[i:], order.Uint32(t.value[i:]))
			}
		}
		tags[id] = tiffTag{t.kind, t.count, v}
	}
	return withDirectory(encoded, tags)
}

// withDirectory gives an encoded TIFF (little endian) a directory at the end instead of its own.
func withDirectory(encoded []byte, tags map[uint16]tiffTag) []byte {
	delete(tags, 0)
	le := binary.LittleEndian
	out := slices.Clone(encoded)
	var dir []byte
	var ids []uint16
	for id := range tags {
		ids = append(ids, id)
	}
	slices.Sort(ids)
	dir = le.AppendUint16(dir, uint16(len(ids)))
	for _, id := range ids {
		t := tags[id]
		dir = le.AppendUint32(le.AppendUint16(le.AppendUint16(dir, id), t.kind), t.count)
		if len(t.value) <= 4 {
			dir = append(dir, append(slices.Clone(t.value), make([]byte, 4-len(t.value))...)...)
			continue
		}
		if len(out)%2 == 1 {
			out = append(out, 0)
		}
		dir = le.AppendUint32(dir, uint32(len(out)))
		out = append(out, t.value...)
	}
	if len(out)%2 == 1 {
		out = append(out, 0)
	}
	le.PutUint32(out[4:], uint32(len(out)))
	return append(append(out, dir...), 0, 0, 0, 0)
}

// opaque reports whether a TIFF's pixels are three samples: R'G'B' without opacity.
func opaque(source []byte) bool {
	tags, order := tiffTags(source)
	t := tags[tagSamples]
	return len(t.value) >= 2 && order.Uint16(t.value) == 3
}

// withoutOpacity gives an encoded TIFF (little endian) pixels of three samples, which the
// encoder does not write: R'G'B', rows without gaps, of so many bits.
func withoutOpacity(encoded, rgb []byte, bits int) ([]byte, error) {
	le := binary.LittleEndian
	tags, _ := tiffTags(encoded)
	var data bytes.Buffer
	data.Write(encoded[:8])
	z := zlib.NewWriter(&data)
	if _, err := z.Write(rgb); err != nil {
		return nil, err
	}
	if err := z.Close(); err != nil {
		return nil, err
	}
	short := func(v ...int) tiffTag {
		t := tiffTag{kind: 3, count: uint32(len(v))}
		for _, x := range v {
			t.value = le.AppendUint16(t.value, uint16(x))
		}
		return t
	}
	long := func(v int) tiffTag { return tiffTag{4, 1, le.AppendUint32(nil, uint32(v))} }
	tags[tagBits], tags[tagSamples] = short(bits, bits, bits), short(3)
	tags[tagCompression], tags[tagPredictor] = short(8), short(1) // deflate
	tags[tagOffsets], tags[tagLengths] = long(8), long(data.Len()-8)
	delete(tags, tagExtra)
	return withDirectory(data.Bytes(), tags), nil
}
