package reader

import (
	"bufio"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"

	"celator/core/reading"
)

// The protocol between the program and its children: frames in both directions, numbers
// little-endian. A request is the model's place in reading.Models (1 byte) and a tensor; an
// answer is a count of tensors (1 byte) and the tensors, or the count 255 and words (their
// length in 2 bytes). A tensor is its rank (1 byte), its dimensions (4 bytes each) and its
// numbers (4 bytes each).

const (
	mostRank    = 5
	mostNumbers = 32 << 20 // of a tensor: none here has a quarter of that
	refused     = 255
)

type request struct {
	model reading.Model
	in    reading.Tensor
}

// refusal is what a child says that is well but could not do it.
type refusal struct{ says string }

func (r *refusal) Error() string { return r.says }

func send(w io.Writer, q request) error {
	i := slices.Index(reading.Models, q.model)
	if i < 0 {
		return &refusal{fmt.Sprintf("there is no network %q", q.model)}
	}
	b := bufio.NewWriterSize(w, 1<<12)
	b.WriteByte(byte(i))
	writeTensor(b, q.in)
	return b.Flush()
}

func receiveRequest(r *bufio.Reader) (q request, err error) {
	i, err := r.ReadByte()
	if err != nil {
		return q, err // io.EOF: there are no more
	}
	if int(i) >= len(reading.Models) {
		return q, fmt.Errorf("there is no network %d", i)
	}
	q.model = reading.Models[i]
	q.in, err = readTensor(r)
	return q, err
}

func answer(w io.Writer, out []reading.Tensor, err error) error {
	b := bufio.NewWriterSize(w, 1<<12)
	if err != nil {
		says := err.Error()
		says = says[:min(len(says), 1<<12)]
		b.WriteByte(refused)
		binary.Write(b, binary.LittleEndian, uint16(len(says)))
		b.WriteString(says)
		return b.Flush()
	}
	b.WriteByte(byte(len(out)))
	for _, t := range out {
		writeTensor(b, t)
	}
	return b.Flush()
}

// receive reads an answer, and no more than that.
func receive(r io.Reader) ([]reading.Tensor, error) {
	var head [3]byte
	if _, err := io.ReadFull(r, head[:1]); err != nil {
		return nil, err
	}
	if head[0] == refused {
		if _, err := io.ReadFull(r, head[1:]); err != nil {
			return nil, err
		}
		says := make([]byte, binary.LittleEndian.Uint16(head[1:]))
		if _, err := io.ReadFull(r, says); err != nil {
			return nil, err
		}
		return nil, &refusal{string(says)}
	}
	out := make([]reading.Tensor, head[0])
	for i := range out {
		var err error
		if out[i], err = readTensor(r); err != nil {
			return nil, err
		}
	}
	return out, nil
}

func writeTensor(w *bufio.Writer, t reading.Tensor) {
	w.WriteByte(byte(len(t.Shape)))
	var b [4]byte
	for _, d := range t.Shape {
		binary.LittleEndian.PutUint32(b[:], uint32(d))
		w.Write(b[:])
	}
	piece := make([]byte, 0, 4*min(len(t.Data), pieceOf))
	for p := range slices.Chunk(t.Data, pieceOf) {
		piece = piece[:0]
		for _, v := range p {
			piece = binary.LittleEndian.AppendUint32(piece, math.Float32bits(v))
		}
		w.Write(piece)
	}
}

// pieceOf is how many numbers are passed on at once.
const pieceOf = 1 << 16

var errTensor = errors.New("no tensor")

func readTensor(r io.Reader) (t reading.Tensor, err error) {
	var b [4]byte
	if _, err := io.ReadFull(r, b[:1]); err != nil {
		return t, err
	}
	if b[0] == 0 || b[0] > mostRank {
		return t, errTensor
	}
	t.Shape = make([]int, b[0])
	n := 1
	for i := range t.Shape {
		if _, err := io.ReadFull(r, b[:]); err != nil {
			return t, err
		}
		d := binary.LittleEndian.Uint32(b[:])
		if d > mostNumbers || n*int(d) > mostNumbers {
			return t, errTensor
		}
		t.Shape[i] = int(d)
		n *= int(d)
	}
	// In pieces: a shape that lies takes no more memory than what comes with it.
	piece := make([]byte, 4*min(n, pieceOf))
	for len(t.Data) < n {
		p := piece[:4*min(n-len(t.Data), pieceOf)]
		if _, err := io.ReadFull(r, p); err != nil {
			return t, err
		}
		t.Data = slices.Grow(t.Data, min(n-len(t.Data), max(len(p)/4, len(t.Data))))
		for i := 0; i < len(p); i += 4 {
			t.Data = append(t.Data, math.Float32frombits(binary.LittleEndian.Uint32(p[i:])))
		}
	}
	return t, nil
}
