package reader

import (
	"context"
	"testing"

	"celator/core/reading"
)

func benchmark(b *testing.B, model reading.Model, in reading.Tensor) {
	m := New(Dir(), 1)
	defer m.Close()
	for b.Loop() {
		if _, err := m.Run(context.Background(), model, in); err != nil {
			b.Fatal(err)
		}
	}
}

func BenchmarkDetect(b *testing.B) { benchmark(b, reading.Detect, reading.NewTensor(1, 3, 736, 704)) }

func BenchmarkRecognise(b *testing.B) {
	benchmark(b, reading.Recognise, reading.NewTensor(1, 3, 48, 320))
}
func BenchmarkFaces(b *testing.B) { benchmark(b, reading.Faces, reading.NewTensor(1, 256, 256, 3)) }
