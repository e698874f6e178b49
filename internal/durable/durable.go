// Package durable keeps files and folders so that they are there whole or not at all, also after a kill or after the
// power went.
package durable

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"
)

// Write makes or replaces a file: its bytes are on the disk before its name leads to them, and the name too.
func Write(path string, data []byte, mode fs.FileMode) error {
	f, err := os.CreateTemp(filepath.Dir(path), ".part-*")
	if err != nil {
		return err
	}
	defer os.Remove(f.Name())
	_, err = f.Write(data)
	if err = errors.Join(err, f.Chmod(mode), f.Sync(), f.Close()); err != nil {
		return err
	}
	return Rename(f.Name(), path)
}

// Rename gives a file or a folder another name, which is on the disk when it returns.
func Rename(from, to string) error {
	if err := os.Rename(from, to); err != nil {
		return err
	}
	SyncDir(filepath.Dir(to))
	return nil
}

// SyncDir has the names in a folder on the disk, as far as the system can do that: not every one can.
func SyncDir(dir string) {
	if d, err := os.Open(dir); err == nil {
		d.Sync()
		d.Close()
	}
}
