package simulate

import (
	"context"
	"fmt"
	"slices"
	"time"

	"durvek/core/method"
	"durvek/core/record"
)

// Fault is something that goes wrong with a simulated machine.
type Fault struct {
	Kind    string
	Test    string // "" for any
	Repeats []int  // which executions of the test it strikes; none means all
	At      float64
	Size    float64
	Times   int // how often it strikes in all; 0 for always, but a crash or hang strikes once
}

// strikes says which faults strike one execution of a test.
func (m *Machine) strikes(test string, repeat int) map[string]Fault {
	out := map[string]Fault{}
	for i, f := range m.Faults {
		most := f.Times
		if most == 0 && (f.Kind == Crash || f.Kind == Hang) {
			most = 1
		}
		if f.Test != "" && f.Test != test || len(f.Repeats) > 0 && !slices.Contains(f.Repeats, repeat) || most > 0 &&
			m.spent[i] >= most {
			continue
		}
		m.spent[i]++
		out[f.Kind] = f
	}
	return out
}

// befall lets the faults that strike a run happen when their moment has come.
func (m *Machine) befall(ctx context.Context, struck map[string]Fault, at float64, without map[string]bool) error {
	for kind, f := range struck {
		if at < f.At {
			continue
		}
		switch kind {
		case Crash:
			return fmt.Errorf("%w: the simulated machine lost its run's process %.0f s into it", record.ErrCrashed, at)
		case Hang:
			<-ctx.Done()
			return fmt.Errorf("stopped: %w", context.Cause(ctx))
		case Dropout:
			without["temperature.package"] = true
		case Unplugged, WrongMode:
			m.mu.Lock()
			if m.fault == nil {
				m.fault = map[string]string{}
			}
			if kind == Unplugged {
				m.fault["supply"] = "battery"
			} else {
				m.fault["power.mode"] = "quiet"
			}
			m.mu.Unlock()
		case ClockStep:
			m.mu.Lock()
			m.jumped += time.Duration(or(f.Size, 3600) * float64(time.Second))
			m.mu.Unlock()
			delete(struck, kind)
		}
	}
	return nil
}

// Quirk is what sets a simulated machine apart from its spec sheet.
type Quirk struct {
	Measure string  // test/measure; "" for all
	Factor  float64 // multiplies the figure; 0 leaves it
	Fail    string  // the run fails with this
	NotRun  string  // the machine cannot run it, for this reason
	// Observed replaces observed conditions, as when somebody pulled the plug.
	Observed map[string]string
	Repeats  []int // which repeats it concerns; none means all
}

func (q Quirk) concerns(test string, repeat int) bool {
	t, _ := method.Split(q.Measure)
	if q.Measure != "" && t != test {
		return false
	}
	if len(q.Repeats) == 0 {
		return true
	}
	for _, r := range q.Repeats {
		if r == repeat {
			return true
		}
	}
	return false
}
