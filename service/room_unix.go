//go:build unix

package service

import "syscall"

// room is how many connections this process can hold beside its own files: most of its descriptors.
func room() int {
	var l syscall.Rlimit
	if syscall.Getrlimit(syscall.RLIMIT_NOFILE, &l) != nil {
		return mostConnections
	}
	return max(8, min(mostConnections, int(min(l.Cur, 1<<20))-32))
}
