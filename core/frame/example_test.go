package frame_test

import (
	"fmt"

	"celator/core/frame"
)

// White, in the codes of a limited-range picture of 8 bit.
func ExampleFormat_Encode() {
	f := frame.Format{Width: 16, Height: 16, Depth: 8, SubX: 1, SubY: 1, Matrix: frame.BT709, Range: frame.Limited}
	codes := f.Encode(1, 1, 1)
	fmt.Printf("Y' %.0f, Cb %.0f, Cr %.0f\n", codes[0], codes[1], codes[2])
	// Output: Y' 235, Cb 128, Cr 128
}
