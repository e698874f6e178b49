//go:build unix

package storage

import (
	"fmt"
	"os"

	"golang.org/x/sys/unix"
)

// file is an open descriptor; its name is gone already.
type file struct{ fd int }

// nameless opens a new file and removes its name at once: its content lives as long as it is open.
func nameless(path string, flags int) (file, error) {
	fd, err := unix.Open(path, flags|unix.O_RDWR|unix.O_CREAT|unix.O_EXCL|unix.O_CLOEXEC, 0o600)
	if err != nil {
		return file{}, fmt.Errorf("make test file %s: %w", path, err)
	}
	if err := os.Remove(path); err != nil {
		unix.Close(fd)
		return file{}, err
	}
	return file{fd}, nil
}

func (f file) writeAt(b []byte, at int64) error {
	for len(b) > 0 {
		n, err := unix.Pwrite(f.fd, b, at)
		if err == unix.EINTR {
			continue
		}
		if err != nil {
			return fmt.Errorf("write to the test file: %w", err)
		}
		b, at = b[n:], at+int64(n)
	}
	return nil
}

func (f file) readAt(b []byte, at int64) error {
	for len(b) > 0 {
		n, err := unix.Pread(f.fd, b, at)
		if err == unix.EINTR {
			continue
		}
		if err == nil && n == 0 {
			err = fmt.Errorf("the file ends early")
		}
		if err != nil {
			return fmt.Errorf("read from the test file: %w", err)
		}
		b, at = b[n:], at+int64(n)
	}
	return nil
}

func (f file) flush() error { return unix.Fsync(f.fd) }

func (f file) Close() error { return unix.Close(f.fd) }

// Descriptor is the number of the open file, for a reference that measures the very same file.
func (f file) Descriptor() int { return f.fd }
