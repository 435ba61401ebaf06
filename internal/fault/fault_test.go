package fault

import (
	"errors"
	"fmt"
	"io"
	"os"
	"syscall"
	"testing"
)

// What the machine did is known however often it was wrapped; what is wrong with a file
// is not taken for it.
func TestIsMachine(t *testing.T) {
	full := &os.PathError{Op: "write", Path: "x", Err: syscall.ENOSPC}
	for err, want := range map[error][2]bool{
		fmt.Errorf("segment: %w", full):                               {true, true},
		fmt.Errorf("join: %w", ErrFull):                               {true, true},
		Said("av_interleaved_write_frame(): No space left on device"): {true, true},
		Machinef("ffmpeg was killed"):                                 {true, false},
		fmt.Errorf("a: %w", fmt.Errorf("b: %w", syscall.EIO)):         {true, false},
		Said("Exiting normally, received signal 15."):                 {true, false},
		errors.New("moov atom not found"):                             {false, false},
		io.ErrUnexpectedEOF:                                           {false, false},
		os.ErrNotExist:                                                {false, false},
	} {
		if got := [2]bool{IsMachine(err), IsFull(err)}; got != want {
			t.Errorf("%v: machine, full = %v, want %v", err, got, want)
		}
	}
	if Machine(nil) != nil || IsMachine(nil) || Said("Invalid data found when processing input") != nil {
		t.Error("nothing is no fault")
	}
}
