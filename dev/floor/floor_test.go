package floor

import (
	"math"
	"testing"
)

// A figure that could not be taken falls short too.
func TestFloors(t *testing.T) {
	AtLeast("right", 2, 2)
	AtMost("right", 2, 2)
	if len(short) != 0 {
		t.Fatalf("%v", short)
	}
	AtLeast("less", 1.9, 2)
	AtMost("more", 2.1, 2)
	AtLeast("none", math.NaN(), 2)
	AtMost("none", math.NaN(), 2)
	if len(short) != 4 {
		t.Errorf("%v", short)
	}
}
