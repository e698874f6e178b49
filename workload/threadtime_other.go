//go:build !linux

package workload

import "time"

// threadTime: this system has no such clock that a program reads at small cost.
func threadTime() time.Duration { return 0 }
