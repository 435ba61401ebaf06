package timecode_test

import (
	"fmt"

	"celator/core/timecode"
)

// Drop-frame timecode leaves two numbers out at each minute but every tenth.
func ExampleTimecode_Format() {
	tc, err := timecode.New(timecode.Rate{Num: 30000, Den: 1001}, "00:00:59;28")
	if err != nil {
		panic(err)
	}
	for f := range int64(4) {
		fmt.Println(tc.Format(f))
	}
	// Output:
	// 00:00:59;28
	// 00:00:59;29
	// 00:01:00;02
	// 00:01:00;03
}
