package analyse

import (
	"fmt"
	"slices"

	"durvek/core/method"
	"durvek/core/record"
)

// analysis makes readings of a finished run's raw series, and says beside them what else it saw.
type analysis func(method.Test, *record.Run) ([]record.Reading, map[string]string, error)

var analyses = map[string]analysis{}

// register adds an analysis under the name by which tests ask for it; each analysis's file adds its own.
func register(name string, f analysis) { analyses[name] = f }

func init() { register("sustained", sustained) }

// Figures adds to a finished run the readings that its test's analysis makes of its series, for measures
// that the run brings none of. A run of a test without an analysis stays as it is.
func Figures(t method.Test, r *record.Run) error {
	missing := slices.ContainsFunc(t.Measures, func(m method.Measure) bool { return !brings(r, m.Slug) })
	if t.Analysis == "" || r.Outcome != record.Done || !missing {
		return nil
	}
	read, ok := analyses[t.Analysis]
	if !ok {
		return fmt.Errorf("test %q asks for the unknown analysis %q", t.Slug, t.Analysis)
	}
	made, said, err := read(t, r)
	if err != nil {
		if len(r.Readings) > 0 {
			return nil // it was made elsewhere, without its series
		}
		return err
	}
	for _, x := range made {
		if !brings(r, x.Measure) {
			r.Readings = append(r.Readings, x)
		}
	}
	for k, v := range said {
		if r.Negotiated == nil {
			r.Negotiated = map[string]string{}
		}
		r.Negotiated[k] = v
	}
	return nil
}

func brings(r *record.Run, measure string) bool {
	return slices.ContainsFunc(r.Readings, func(x record.Reading) bool { return x.Measure == measure })
}

// channel finds a series over time by its channel.
func channel(all []record.Series, name string) (record.Series, bool) {
	i := slices.IndexFunc(all, func(s record.Series) bool { return s.Channel == name && s.Axis == "" })
	if i < 0 {
		return record.Series{}, false
	}
	return all[i], true
}

// sustained makes the readings of the series "rate" under lasting load.
func sustained(_ method.Test, r *record.Run) ([]record.Reading, map[string]string, error) {
	s, ok := channel(r.Series, "rate")
	if !ok {
		return nil, nil, fmt.Errorf("a run under lasting load brings a series \"rate\"")
	}
	length := 0.0
	if n := len(s.Times); n > 0 {
		length = s.Times[n-1]
	}
	out, said := SustainedReadings(s, length)
	return out, said, nil
}

// SustainedReadings turns a series of rates under lasting load into burst, sustained, hold and time to drop, and says
// how it went. A rate that never fell makes the time to drop "more than" the run's length in seconds; one that fell and
// recovered, or again and again, has none.
func SustainedReadings(s record.Series, length float64) ([]record.Reading, map[string]string) {
	ok := func(measure string, v float64) record.Reading {
		return record.Reading{Measure: measure, State: record.OK, Value: v}
	}
	missing := func(measure, why string) record.Reading {
		return record.Reading{Measure: measure, State: record.Missing, Reason: why}
	}
	a, enough := Sustain(s.Times, s.Values)
	if !enough {
		why := fmt.Sprintf("%d samples are too few for a level", len(s.Values))
		return []record.Reading{missing("burst", why), missing("sustained", why), missing("hold", why),
			missing("drop", why)}, nil
	}
	out := []record.Reading{ok("burst", a.Burst)}
	if a.Reached {
		out = append(out, ok("sustained", a.Sustained), ok("hold", 100*a.Hold))
	} else {
		why := "no sustained level was reached"
		out = append(out, missing("sustained", why), missing("hold", why))
	}
	switch {
	case a.Drop > 0:
		out = append(out, ok("drop", a.Drop))
	case a.Way == HeldOut:
		out = append(out, record.Reading{Measure: "drop", State: record.BeyondLimit, Value: length})
	default:
		out = append(out, missing("drop", "it "+string(a.Way)))
	}
	return out, map[string]string{"load.shape": a.Says("s")}
}
