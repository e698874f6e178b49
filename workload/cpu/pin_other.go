//go:build !linux

package cpu

import "durvek/workload"

func allowedCores() ([]int, error) {
	return nil, workload.NotRun("this system does not let a thread be bound to a core")
}

func pin(int) error { return nil }
