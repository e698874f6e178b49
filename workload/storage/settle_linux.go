package storage

import (
	"os"

	"golang.org/x/sys/unix"
)

// settle makes everything written to a folder's file system safe.
func settle(dir string) error {
	f, err := os.Open(dir)
	if err != nil {
		return err
	}
	defer f.Close()
	return unix.Syncfs(int(f.Fd()))
}

// flushData makes a file's content safe.
func flushData(f *os.File) error { return unix.Fdatasync(int(f.Fd())) }

// forget asks the system to drop a file from its cache. It is a wish.
func forget(path string) {
	f, err := os.Open(path)
	if err != nil {
		return
	}
	defer f.Close()
	unix.Fadvise(int(f.Fd()), 0, 0, unix.FADV_DONTNEED)
}
