package response

import (
	"time"
	"unsafe"

	"golang.org/x/sys/unix"
)

const timer = "system call"

// sleep lets the system put this thread to sleep. Go's own timers would add its scheduler's delay.
func sleep(d time.Duration) {
	t := unix.NsecToTimespec(int64(d))
	for t.Nano() > 0 {
		var left unix.Timespec
		if _, _, e := unix.RawSyscall(unix.SYS_NANOSLEEP, uintptr(unsafe.Pointer(&t)), uintptr(unsafe.Pointer(&left)),
			0); e != unix.EINTR {
			return
		}
		t = left
	}
}
