//go:build !linux

package response

import "time"

const timer = "runtime"

// sleep goes through Go's timers, which use the system's finest ones.
func sleep(d time.Duration) { time.Sleep(d) }
