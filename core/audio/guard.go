package audio

import (
	"errors"
	"runtime/debug"
)

// ErrUnreadable says that samples could not be read any more: they lie in a file that
// has been cut short, or on a disk that fails.
var ErrUnreadable = errors.New("a recording can no longer be read")

// Guard runs f, which reads samples that may lie in a file mapped into memory. Memory that
// cannot be read is an error instead of the end of the program. It is the one place where
// that is dealt with; whoever reads mapped samples does it within.
func Guard(f func()) (err error) {
	defer debug.SetPanicOnFault(debug.SetPanicOnFault(true))
	defer func() {
		switch fault := recover().(type) {
		case nil:
		case interface{ Addr() uintptr }: // what the runtime tells of a fault, see SetPanicOnFault
			err = ErrUnreadable
		default:
			panic(fault)
		}
	}()
	f()
	return nil
}
