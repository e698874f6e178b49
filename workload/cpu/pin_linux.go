package cpu

import (
	"fmt"

	"golang.org/x/sys/unix"

	"durvek/workload"
)

// allowedCores lists the logical cores that this process may use.
func allowedCores() ([]int, error) {
	var set unix.CPUSet
	if err := unix.SchedGetaffinity(0, &set); err != nil {
		return nil, workload.NotRun("the system does not say which cores may be used: %v", err)
	}
	var out []int
	for i := range len(set) * 64 {
		if set.IsSet(i) {
			out = append(out, i)
		}
	}
	return out, nil
}

// pin binds the calling thread to a core.
func pin(core int) error {
	var set unix.CPUSet
	set.Set(core)
	if err := unix.SchedSetaffinity(0, &set); err != nil {
		return fmt.Errorf("bind a thread to core %d: %w", core, err)
	}
	return nil
}
