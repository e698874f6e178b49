package backup

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"durvek/internal/durable"
)

// Names of archives that are made by themselves: the time stands in them, so that they sort by it.
const (
	prefix = "durvek-"
	suffix = ".tar.zst"
	stamp  = "20060102T150405Z"
)

// File writes an archive of a data folder into a file, whole or not at all.
func File(ctx context.Context, dir, to string) (files int, err error) {
	if err := os.MkdirAll(filepath.Dir(to), 0o700); err != nil {
		return 0, err
	}
	f, err := os.CreateTemp(filepath.Dir(to), ".part-*")
	if err != nil {
		return 0, err
	}
	defer os.Remove(f.Name())
	files, err = Write(ctx, dir, f)
	if err = errors.Join(err, f.Sync(), f.Close()); err != nil {
		return 0, err
	}
	return files, durable.Rename(f.Name(), to)
}

// Schedule says how often archives are made, where, and how many are kept.
type Schedule struct {
	Every time.Duration // 0 for never
	Keep  int
	To    string // folder; "backups" in the data folder if empty
}

// Due is when the next archive is due: a while after the newest that is there, at once where there is none.
func (s Schedule) Due(now time.Time) (time.Time, error) {
	names, err := s.archives()
	if err != nil || len(names) == 0 {
		return now, err
	}
	last, err := time.Parse(stamp, strings.TrimSuffix(strings.TrimPrefix(names[len(names)-1], prefix), suffix))
	if err != nil || last.After(now) {
		return now, nil
	}
	return last.Add(s.Every), nil
}

// archives lists what was made by itself, the oldest first.
func (s Schedule) archives() ([]string, error) {
	list, err := os.ReadDir(s.To)
	if errors.Is(err, os.ErrNotExist) {
		return nil, nil
	}
	var out []string
	for _, e := range list {
		at := strings.TrimSuffix(strings.TrimPrefix(e.Name(), prefix), suffix)
		if _, not := time.Parse(stamp, at); not == nil && e.Name() == prefix+at+suffix {
			out = append(out, e.Name())
		}
	}
	slices.Sort(out)
	return out, err
}

// Make makes an archive now and removes the oldest ones that are too many.
func (s Schedule) Make(ctx context.Context, dir string, now time.Time) (path string, err error) {
	path = filepath.Join(s.To, prefix+now.UTC().Format(stamp)+suffix)
	if _, err := File(ctx, dir, path); err != nil {
		return "", fmt.Errorf("make the backup %s: %w", path, err)
	}
	names, err := s.archives()
	for i := 0; err == nil && i < len(names)-s.Keep; i++ {
		err = os.Remove(filepath.Join(s.To, names[i]))
	}
	return path, err
}

// Run makes archives as they fall due until ctx ends, and tells of each. One that fails is tried again in a tenth of
// the time.
func (s Schedule) Run(ctx context.Context, dir string, tell func(path string, err error)) {
	for s.Every > 0 {
		due, err := s.Due(time.Now())
		if err != nil {
			tell("", err)
			due = time.Now().Add(s.Every / 10)
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(time.Until(due)):
		}
		path, err := s.Make(ctx, dir, time.Now())
		if ctx.Err() != nil {
			return
		}
		tell(path, err)
		if err != nil {
			select {
			case <-ctx.Done():
				return
			case <-time.After(s.Every / 10):
			}
		}
	}
}
