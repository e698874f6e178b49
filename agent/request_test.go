package agent

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"durvek/core/record"
)

// late is a service that is up only after some tries.
type late struct {
	Service
	tries, up int
}

var errDown = errors.New("connection refused")

func (l *late) Join(context.Context, string, string, record.Machine) (record.Joined, error) {
	if l.tries++; l.tries < l.up {
		return record.Joined{}, errDown
	}
	return record.Joined{Sitting: "s"}, nil
}

type anyMachine struct{ Machine }

func (anyMachine) Describe(context.Context) (record.Machine, error) {
	return record.Machine{Name: "m", Boot: "b"}, nil
}
func (anyMachine) Now() time.Time { return time.Unix(0, 0) }

// An agent that is started before its service is up waits for it and says so; one that never comes is an error in its
// own words.
func TestAnAgentWaitsForItsService(t *testing.T) {
	joining := func(up int, wait time.Duration) (said string, tries int, err error) {
		s := &late{up: up}
		w := &worker{Options: Options{Service: s, Machine: anyMachine{}, Code: "K", Dir: t.TempDir(), Retry: time.Millisecond,
			Wait: wait, Log: func(f string, args ...any) { said += fmt.Sprintf(f+"\n", args...) }}}
		err = w.join(context.Background())
		return said, s.tries, err
	}
	said, tries, err := joining(7, time.Minute)
	if err != nil || tries != 7 || strings.Count(said, "not there yet") != 1 || strings.Count(said, "is back") != 1 {
		t.Errorf("%v after %d tries: %s", err, tries, said)
	}
	if said, _, err = joining(1, time.Minute); err != nil || said != "" {
		t.Errorf("%v: %q", err, said)
	}
	if _, tries, err = joining(1<<30, 20*time.Millisecond); !errors.Is(err, errDown) || tries < 2 {
		t.Errorf("%v after %d tries", err, tries)
	}
}
