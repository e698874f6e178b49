//go:build !linux

package storage

import "os"

// settle makes the files of a folder safe, one by one: this system has no call for all at once.
func settle(dir string) error {
	return Walk(dir, func(path, _ string, _ int64) error {
		f, err := os.OpenFile(path, os.O_RDWR, 0)
		if err != nil {
			return err
		}
		defer f.Close()
		return f.Sync()
	})
}

// flushData makes a file's content safe.
func flushData(f *os.File) error { return f.Sync() }

// forget: this system has no call to drop a file from its cache.
func forget(string) {}
