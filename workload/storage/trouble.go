package storage

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"durvek/core/record"
)

// Troubles that a drive may get into while it is measured.
var (
	ErrFull     = errors.New("the drive is full")
	ErrVanished = errors.New("the drive vanished or failed while it was measured")
	ErrLocked   = errors.New("the drive does not let itself be written to")
)

// plainly says what a system's error means for the one who measures, in one sentence.
func plainly(err error, dir string) error {
	if err == nil || errors.Is(err, record.ErrNotRun) || errors.Is(err, context.Canceled) {
		return err
	}
	for _, t := range []struct {
		meaning error
		advice  string
		causes  []error
	}{
		{ErrFull, "make room and run it again", full},
		{ErrVanished, "see to its cable and port", vanished},
		{ErrLocked, "check its switch and your rights", locked},
	} {
		if slices.ContainsFunc(t.causes, func(c error) bool { return errors.Is(err, c) }) {
			return fmt.Errorf("%w (%s); %s: %w", t.meaning, dir, t.advice, err)
		}
	}
	return err
}
