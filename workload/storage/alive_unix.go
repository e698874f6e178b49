//go:build unix

package storage

import "golang.org/x/sys/unix"

// alive tells whether a process exists.
func alive(pid int) bool { return unix.Kill(pid, 0) != unix.ESRCH }
