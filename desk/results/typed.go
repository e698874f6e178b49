package results

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"durvek/core/method"
	"durvek/core/record"
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
	Laps       []float64         `json:"laps,omitempty" doc:"Seconds of each lap of a stopwatch, in place of readings; every lap is a repeat"`
	Repeat     int               `json:"repeat,omitempty"`
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
	if len(x.Readings) == 0 {
		wrong = append(wrong, noReading)
	}
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
		reading.Reason = strings.TrimSpace(x.Notes[slug])
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
		return runs[0], desk.Refuse(desk.Invalid, "readings refused: %s", strings.Join(slices.Compact(wrong), "; "))
	}
	if err := d.sittings(ctx, runs, func(i int, id string) { runs[i].Sitting = id }); err != nil {
		return runs[0], err
	}
	_, err := d.record(ctx, runs)
	return runs[len(runs)-1], err
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
