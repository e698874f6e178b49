package workload

import (
	"time"

	"golang.org/x/sys/unix"
)

// threadTime is how long the calling thread has had a processor; 0 where the system does not tell. On a
// virtual machine it leaves out what the host took away.
func threadTime() time.Duration {
	var t unix.Timespec
	if unix.ClockGettime(unix.CLOCK_THREAD_CPUTIME_ID, &t) != nil {
		return 0
	}
	return time.Duration(t.Nano())
}
