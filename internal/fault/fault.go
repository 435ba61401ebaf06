// Package fault tells what fails because of the machine from what is wrong with what
// the program was given. What the machine does to a job passes: the job is tried again,
// and nothing that a person brought is thrown away for it.
package fault

import (
	"errors"
	"fmt"
	"strings"
	"syscall"
)

// machine marks an error as the machine's.
type machine struct{ error }

func (m machine) Unwrap() error { return m.error }

// Machine marks an error as the machine's; nil stays nil.
func Machine(err error) error {
	if err == nil {
		return nil
	}
	return machine{err}
}

// Machinef is fmt.Errorf for an error of the machine's.
func Machinef(format string, a ...any) error { return machine{fmt.Errorf(format, a...)} }

// ErrFull says that there is no room on the disk. It is the machine's.
var ErrFull = Machine(errors.New("the disk is full"))

// errnos are the system's own words for what another try may not meet again.
var errnos = []syscall.Errno{
	syscall.ENOSPC, syscall.EDQUOT, syscall.ENOMEM, syscall.EMFILE, syscall.ENFILE,
	syscall.EAGAIN, syscall.EIO, syscall.EROFS, syscall.ESTALE,
}

// IsMachine reports whether an error is the machine's.
func IsMachine(err error) bool {
	var m machine
	if errors.As(err, &m) {
		return true
	}
	for _, e := range errnos {
		if errors.Is(err, e) {
			return true
		}
	}
	return false
}

// IsFull reports whether an error says that the disk is full.
func IsFull(err error) bool {
	return errors.Is(err, ErrFull) || errors.Is(err, syscall.ENOSPC) || errors.Is(err, syscall.EDQUOT)
}

// Said returns the fault that a tool's last words tell of, or nil. Tools end with the
// same exit code whether their input or the machine stopped them.
func Said(words string) error {
	switch {
	case strings.Contains(words, "No space left on device"), strings.Contains(words, "Disk quota exceeded"):
		return ErrFull
	case strings.Contains(words, "Cannot allocate memory"), strings.Contains(words, "Resource temporarily unavailable"),
		strings.Contains(words, "Too many open files"), strings.Contains(words, "received signal"):
		return Machine(errors.New(words))
	}
	return nil
}
