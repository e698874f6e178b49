package results

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"gonum.org/v1/gonum/stat"

	"durvek/core/method"
	"durvek/core/record"
	"durvek/core/trust"
	"durvek/desk"
)

// Typed is readings that a person enters for one run.
type Typed struct {
	Test       string            `json:"test"`
	Subject    string            `json:"subject" doc:"Unit"`
	Host       string            `json:"host,omitempty"`
	Place      string            `json:"place,omitempty"`
	Setup      string            `json:"setup,omitempty"`
	Sitting    string            `json:"sitting,omitempty" doc:"Names the boot or day that readings share; the day if empty"`
	Date       string            `json:"date,omitempty" doc:"Day it was measured, YYYY-MM-DD; today if empty"`
	Conditions map[string]string `json:"conditions,omitempty" doc:"Conditions beside the setup's, such as program.version"`
	Readings   map[string]string `json:"readings,omitempty" doc:"Measure → what was read: 412, 29 to 31, at least 100, more than 600, missing"`
	Notes      map[string]string `json:"notes,omitempty" doc:"Measure → a note beside its reading"`
	Time       string            `json:"time,omitempty" doc:"Time of the day, HH:MM or HH:MM:SS; it orders repeats"`
	// Series are points along one run, of which its readings are made.
	Series map[string]TypedSeries `json:"series,omitempty" doc:"Measure → its course along the run"`
	Laps   []float64              `json:"laps,omitempty" doc:"Seconds of each lap of a stopwatch, in place of readings; every lap is a repeat"`
	Repeat int                    `json:"repeat,omitempty"`
}

// TypedSeries is the course of a measure along one run.
type TypedSeries struct {
	Axis   string    `json:"axis,omitempty" enum:"second,step"`
	At     []float64 `json:"at" doc:"Seconds of the run, or numbers of its steps, rising"`
	Values []string  `json:"values" doc:"What was read there"`
}

// courses makes series of what was read along a run. Where the test has no analysis of its own, the reading is their
// mean, and says so.
func (x Typed) courses(t method.Test, r *record.Run) (wrong []string) {
	for _, slug := range desk.SortedKeys(x.Series) {
		m, ok := t.Measure(slug)
		s := x.Series[slug]
		switch {
		case !ok:
			wrong = append(wrong, fmt.Sprintf("test %q has no measure %q", x.Test, slug))
			continue
		case len(s.At) != len(s.Values) || len(s.At) < 2:
			wrong = append(wrong, slug+": a series has two points or more, each with its value")
			continue
		case x.Readings[slug] != "":
			wrong = append(wrong, slug+" is a series and a reading at once; leave one out")
			continue
		}
		out := record.Series{Channel: slug, Unit: m.Unit, Times: s.At}
		if s.Axis == "step" {
			out.Axis, out.Along = "step", "1"
		} else {
			r.Ended = r.Started.Add(time.Duration(s.At[max(len(s.At)-1, 0)] * float64(time.Second)))
		}
		for _, text := range s.Values {
			v, err := record.ParseReading(text, m)
			if err == nil && v.State != record.OK {
				err = fmt.Errorf("%q is no figure of a series", text)
			}
			if err != nil {
				wrong = append(wrong, fmt.Sprintf("%s: %v", slug, err))
				break
			}
			out.Values = append(out.Values, v.Value)
		}
		if len(out.Values) < len(s.At) {
			continue
		}
		r.Series = append(r.Series, out)
		if t.Analysis == "" {
			said := []string{x.Notes[slug], fmt.Sprintf("mean of %d points along the run", len(s.At))}
			r.Readings = append(r.Readings, record.Reading{Measure: slug, State: record.OK, Value: stat.Mean(out.Values, nil),
				Reason: strings.TrimPrefix(strings.Join(said, "; "), "; ")}.Settle(m))
		}
	}
	return wrong
}

// typedRun checks one typed run and makes it a run; all that is wrong comes back at once.
func (d *Results) typedRun(ctx context.Context, x Typed, by string, source record.Source) (record.Run, []string,
	error) {
	if x.Setup == "" {
		x.Setup = method.AsDelivered
	}
	kind, wrong, err := d.desk.CheckPlace(ctx, x.Subject, x.Host, x.Setup)
	if err != nil {
		return record.Run{}, nil, err
	}
	t, err := d.desk.Store.Test(ctx, x.Test, 0)
	known, err := desk.Found(err)
	if err != nil {
		return record.Run{}, nil, err
	}
	if !known {
		wrong = append(wrong, fmt.Sprintf("no test %q is known", x.Test))
	} else if t.Derived() {
		wrong = append(wrong, fmt.Sprintf("the figures of test %q are worked out from others; enter those", x.Test))
	} else if kind != "" && !t.Fits(kind) {
		wrong = append(wrong, fmt.Sprintf("test %q is not meant for a %s", x.Test, kind))
	}
	at := d.desk.Now()
	if x.Date != "" {
		day, err := time.Parse(time.DateOnly, x.Date)
		if err != nil {
			wrong = append(wrong, fmt.Sprintf("%q is not a date, YYYY-MM-DD", x.Date))
		} else if day.After(at) {
			wrong = append(wrong, fmt.Sprintf("%s lies in the future", x.Date))
		}
		at = day
	}
	if x.Time != "" {
		clock, err := time.Parse(time.TimeOnly, x.Time)
		if err != nil {
			clock, err = time.Parse("15:04", x.Time)
		}
		if err != nil {
			wrong = append(wrong, fmt.Sprintf("%q is not a time of the day, HH:MM or HH:MM:SS", x.Time))
		}
		at = at.UTC().Truncate(24 * time.Hour).Add(clock.Sub(clock.Truncate(24 * time.Hour)))
		if at.After(d.desk.Now().Add(desk.FarOff)) {
			wrong = append(wrong, fmt.Sprintf("%s lies in the future", at.Format("2006-01-02 15:04")))
		}
	}
	if x.Sitting == "" {
		x.Sitting = "day " + at.Format(time.DateOnly)
	}
	for k := range x.Conditions {
		if _, ok := method.Condition(k); !ok {
			wrong = append(wrong, fmt.Sprintf("unknown condition %q", k))
		}
	}
	r := record.Run{ID: desk.NewID(), Test: x.Test, TestVersion: t.Version, Subject: x.Subject, Host: x.Host,
		Place: x.Place, Setup: x.Setup,
		Sitting: x.Sitting, Repeat: x.Repeat, Started: at, Ended: at, Outcome: record.Done, Source: source, By: by,
		Observed: x.Conditions}
	if len(x.Readings)+len(x.Series) == 0 {
		wrong = append(wrong, noReading)
	}
	wrong = append(wrong, x.courses(t, &r)...)
	for _, slug := range desk.SortedKeys(x.Readings) {
		m, ok := t.Measure(slug)
		if !ok {
			if known {
				wrong = append(wrong, fmt.Sprintf("test %q has no measure %q", x.Test, slug))
			}
			continue
		}
		reading, err := record.ParseReading(x.Readings[slug], m)
		if err != nil {
			wrong = append(wrong, fmt.Sprintf("%s: %v", slug, err))
			continue
		}
		if note := strings.TrimSpace(x.Notes[slug]); note != "" {
			reading.Reason = strings.TrimPrefix(reading.Reason+"; "+note, "; ")
		}
		r.Readings = append(r.Readings, reading)
	}
	return r, wrong, nil
}

const noReading = "no reading was given"

// TypeReadings records one run that a person read off, or a run for every lap of a stopwatch: all of it or
// nothing. It returns the last run.
func (d *Results) TypeReadings(ctx context.Context, x Typed, by string) (record.Run, error) {
	each := []Typed{x}
	if len(x.Laps) > 0 {
		t, err := d.desk.Store.Test(ctx, x.Test, 0)
		switch {
		case err != nil:
			return record.Run{}, desk.Missing(err, "test", x.Test)
		case t.Hands != "stopwatch":
			return record.Run{}, desk.Refuse(desk.Invalid, "test %q is not timed with a stopwatch, so it has no laps", x.Test)
		case len(x.Readings) > 0:
			return record.Run{}, desk.Refuse(desk.Invalid, "give laps or readings, not both")
		}
		each = nil
		for i, s := range x.Laps {
			lap := x
			lap.Repeat += i
			lap.Readings = map[string]string{t.Measures[0].Slug: strconv.FormatFloat(s, 'f', -1, 64)}
			each = append(each, lap)
		}
	}
	var runs []record.Run
	var wrong []string
	for _, one := range each {
		r, bad, err := d.typedRun(ctx, one, by, record.Typed)
		if err != nil {
			return r, err
		}
		runs, wrong = append(runs, r), append(wrong, bad...)
	}
	if len(wrong) > 0 {
		slices.Sort(wrong)
		like, err := d.desk.Like(ctx, x.Subject, x.Test)
		if err != nil {
			return runs[0], err
		}
		return runs[0], desk.Refuse(desk.Invalid, "readings refused: %s", strings.Join(append(slices.Compact(wrong),
			like...), "; "))
	}
	if err := d.sittings(ctx, runs, func(i int, id string) { runs[i].Sitting = id }); err != nil {
		return runs[0], err
	}
	if _, err := d.record(ctx, runs); err != nil {
		return runs[len(runs)-1], err
	}
	last := runs[len(runs)-1]
	var err error
	last.Untold, err = d.untold(ctx, last)
	return last, err
}

// untold names the conditions without which a run stands beside no other.
func (d *Results) untold(ctx context.Context, r record.Run) ([]string, error) {
	t, err := d.desk.Store.Test(ctx, r.Test, r.TestVersion)
	if err != nil {
		return nil, err
	}
	s, err := d.desk.Store.Setup(ctx, r.Setup)
	return trust.Untold(t, s.Conditions, r.Observed), err
}

// sittings finds or makes the sitting that each run names by its label.
func (d *Results) sittings(ctx context.Context, runs []record.Run, set func(i int, id string)) error {
	return d.desk.Write(ctx, func(q *desk.Tx) error {
		for i, r := range runs {
			s, err := q.PutSitting(ctx, record.Sitting{ID: desk.NewID(), Unit: r.Subject, Boot: r.Sitting, Started: r.Started,
				Machine: record.Machine{Name: "entered by hand", Boot: r.Sitting}})
			if err != nil {
				return err
			}
			set(i, s.ID)
		}
		return nil
	})
}
