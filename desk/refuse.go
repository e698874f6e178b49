package desk

import (
	"errors"
	"fmt"

	"durvek/core/catalog"
	"durvek/document"
	"durvek/store"
)

// Kind says what sort of refusal an Error is.
type Kind string

const (
	Invalid  Kind = "invalid"
	NotFound Kind = "not found"
	Conflict Kind = "conflict"
	Denied   Kind = "denied" // nobody known asks

	Forbidden Kind = "forbidden" // who asks may not
	Changed   Kind = "changed"   // what was to be changed is another by now
)

// Error is a refusal: what is wrong, where, and what to do.
type Error struct {
	Kind    Kind
	Message string
}

func (e *Error) Error() string { return e.Message }

// Refuse makes a refusal.
func Refuse(k Kind, format string, args ...any) error {
	return &Error{k, fmt.Sprintf(format, args...)}
}

// Refused tells whether an error is a refusal of a kind.
func Refused(err error, k Kind) bool {
	var e *Error
	return errors.As(err, &e) && e.Kind == k
}

// Missing turns store.ErrNotFound into a refusal that names the thing; other errors, and nil, pass.
func Missing(err error, what, name string) error {
	switch {
	case errors.Is(err, store.ErrNotFound) && name == "":
		return Refuse(Invalid, "no %s is named, and without one this cannot be", what)
	case errors.Is(err, store.ErrNotFound):
		return Refuse(NotFound, "no %s %q is known here", what, name)
	}
	return err
}

// Found tells whether what was asked for is there. An error of reading is neither and comes back.
func Found(err error) (bool, error) {
	if errors.Is(err, store.ErrNotFound) {
		return false, nil
	}
	return err == nil, err
}

// Behind says of a list that was to go on behind an entry that there is no such entry.
func Behind(entry string, err error) error {
	if errors.Is(err, store.ErrNotFound) {
		return Refuse(Invalid, "there is no entry %q here to go on behind; leave `after` out to begin with the newest", entry)
	}
	return err
}

// Problems turns core's findings about a file into document's.
func Problems(ps []catalog.Problem) []document.Problem {
	out := make([]document.Problem, len(ps))
	for i, p := range ps {
		out[i] = document.Problem{Path: p.Path, Reason: p.Reason}
	}
	return out
}

// FirstProblem turns findings about a single entry into a refusal that lists them all; nil where there are none.
func FirstProblem(what string, ps []catalog.Problem) error {
	if len(ps) == 0 {
		return nil
	}
	text := ""
	for i, p := range ps {
		if i > 0 {
			text += "; "
		}
		text += p.Reason
	}
	return Refuse(Invalid, "%s refused: %s", what, text)
}
