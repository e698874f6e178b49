package storage

import (
	"fmt"

	"golang.org/x/sys/unix"
)

// openDirect opens with the unified buffer cache switched off (F_NOCACHE).
func openDirect(path string) (file, error) {
	f, err := nameless(path, 0)
	if err != nil {
		return f, err
	}
	if _, err := unix.FcntlInt(uintptr(f.fd), unix.F_NOCACHE, 1); err != nil {
		f.Close()
		return f, fmt.Errorf("%s: %v: %w", path, err, ErrDirect)
	}
	return f, nil
}

func fileSystemOf(dir string) (name string, inMemory bool, err error) {
	var s unix.Statfs_t
	if err := unix.Statfs(dir, &s); err != nil {
		return "", false, err
	}
	name = unix.ByteSliceToString(s.Fstypename[:])
	return name, name == "tmpfs", nil
}

func (f file) readSmall(b []byte, at int64) error { return f.readAt(b, at) }
