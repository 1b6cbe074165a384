package store

import (
	"runtime"
	"syscall"
)

// quietly gives the goroutine a thread of its own that stands back behind those that decide:
// where the machine is busy, pictures are kept later.
func quietly() {
	runtime.LockOSThread()
	// Setting the priority of a thread by its number is Linux's own way; where it is refused the
	// thread is as others are.
	_ = syscall.Setpriority(syscall.PRIO_PROCESS, syscall.Gettid(), 10)
}
