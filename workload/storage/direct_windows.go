package storage

import (
	"fmt"
	"path/filepath"

	"golang.org/x/sys/windows"
)

// file is an open handle; the system deletes the file when the handle is closed, whatever happens.
type file struct{ h windows.Handle }

// openDirect opens unbuffered and written through.
func openDirect(path string) (file, error) {
	p, err := windows.UTF16PtrFromString(path)
	if err != nil {
		return file{}, err
	}
	h, err := windows.CreateFile(p, windows.GENERIC_READ|windows.GENERIC_WRITE, 0, nil, windows.CREATE_NEW,
		windows.FILE_FLAG_NO_BUFFERING|windows.FILE_FLAG_WRITE_THROUGH|windows.FILE_FLAG_DELETE_ON_CLOSE, 0)
	if err != nil {
		return file{}, fmt.Errorf("make test file %s: %w", path, err)
	}
	return file{h}, nil
}

func at(offset int64) *windows.Overlapped {
	return &windows.Overlapped{Offset: uint32(offset), OffsetHigh: uint32(offset >> 32)}
}

func (f file) writeAt(b []byte, offset int64) error {
	var n uint32
	err := windows.WriteFile(f.h, b, &n, at(offset))
	if err == nil && int(n) != len(b) {
		err = fmt.Errorf("only %d of %d bytes", n, len(b))
	}
	if err != nil {
		return fmt.Errorf("write to the test file: %w", err)
	}
	return nil
}

func (f file) readAt(b []byte, offset int64) error {
	var n uint32
	err := windows.ReadFile(f.h, b, &n, at(offset))
	if err == nil && int(n) != len(b) {
		err = fmt.Errorf("only %d of %d bytes", n, len(b))
	}
	if err != nil {
		return fmt.Errorf("read from the test file: %w", err)
	}
	return nil
}

func (f file) readSmall(b []byte, at int64) error { return f.readAt(b, at) }

func (f file) flush() error { return windows.FlushFileBuffers(f.h) }

func (f file) Close() error { return windows.CloseHandle(f.h) }

func fileSystemOf(dir string) (name string, inMemory bool, err error) {
	root := filepath.VolumeName(dir)
	if root == "" {
		abs, err := filepath.Abs(dir)
		if err != nil {
			return "", false, err
		}
		root = filepath.VolumeName(abs)
	}
	p, err := windows.UTF16PtrFromString(root + `\`)
	if err != nil {
		return "", false, err
	}
	var fs [64]uint16
	if err := windows.GetVolumeInformation(p, nil, 0, nil, nil, nil, &fs[0], uint32(len(fs))); err != nil {
		return "", false, err
	}
	return windows.UTF16ToString(fs[:]), windows.GetDriveType(p) == windows.DRIVE_RAMDISK, nil
}
