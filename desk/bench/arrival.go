package bench

import (
	"cmp"
	"context"
	"errors"
	"strings"
	"time"

	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/core/record"
	"durvek/desk"
	"durvek/store"
)

// Books is what this room asks of the one that keeps the books.
type Books interface {
	AddDevice(ctx context.Context, x catalog.Device, by string) (catalog.Sample, error)
}

// ArrivalCode makes a one-time code for a machine of a kind that is on no book yet: what it tells of itself when it
// joins
// with the code is put there, with a plan of the usual tests that it begins at once. The code holds for an hour.
func (d *Bench) ArrivalCode(ctx context.Context, kind catalog.Kind) (code string, expires time.Time, err error) {
	if why, err := d.desk.CheckKinds(ctx, kind); err != nil || why != "" {
		return "", expires, cmp.Or(err, desk.Refuse(desk.Invalid, "%s", why))
	}
	if desk.NeedsHost(kind) {
		return "", expires, desk.Refuse(desk.Invalid, "a %s cannot tell of itself: add it by its form, and measure it in a "+
			"host",
			kind)
	}
	code, expires = randomCode(), d.desk.Now().Add(joinLife)
	return code, expires, d.desk.Write(ctx, func(q *desk.Tx) error {
		return q.AddCode(ctx, desk.Hash(code), "arrive", string(kind), d.desk.Now(), expires)
	})
}

// arrive puts a machine on the books that comes with a code for such, and makes the code one that joins its plan. Any
// other code is left as it is.
func (d *Bench) arrive(ctx context.Context, code string, m record.Machine) error {
	d.arriving.Lock()
	defer d.arriving.Unlock()
	kind, err := d.desk.Store.Code(ctx, desk.Hash(code), "arrive", d.desk.Now())
	if errors.Is(err, store.ErrNotFound) {
		return nil
	} else if err != nil {
		return err
	}
	device := told(catalog.Kind(kind), m)
	steps, err := d.usual(ctx, device.Kind, m)
	if err != nil {
		return err
	}
	s, err := d.books.AddDevice(ctx, device, m.Name)
	if err != nil {
		return err
	}
	p, err := d.AddPlan(ctx, method.Plan{Unit: s.Unit.Slug, Setup: method.AsDelivered, Name: "First look", Steps: steps,
		Terms: method.Terms{Order: "grouped", Failure: "go-on"}}, m.Name)
	if err != nil {
		return err
	}
	return d.desk.Write(ctx, func(q *desk.Tx) error {
		return q.TurnCode(ctx, desk.Hash(code), "arrive", "join", p.ID)
	})
}

// usual lists the steps of a plan for a machine of which nothing is known: the usual tests that it can make.
func (d *Bench) usual(ctx context.Context, kind catalog.Kind, m record.Machine) ([]method.PlanStep, error) {
	tests, err := d.figures.Tests(ctx)
	if err != nil {
		return nil, err
	}
	var steps []method.PlanStep
	if m.Facts["browser.engine"] != "" {
		data, err := planFiles.ReadFile("plans/probe.yaml")
		if err != nil {
			return nil, err
		}
		f, err := readPlanFile(data)
		for _, s := range f.Tests {
			if tests[s.Test].Fits(kind) {
				steps = append(steps, s)
			}
		}
		return steps, err
	}
	for _, slug := range desk.SortedKeys(tests) {
		if t := tests[slug]; t.Usual && t.Fits(kind) && t.Origin == "workload" {
			steps = append(steps, method.PlanStep{Test: slug, Repeats: 3})
		}
	}
	return steps, nil
}

// told is a device as a machine that is on no book tells of itself.
func told(kind catalog.Kind, m record.Machine) catalog.Device {
	fact := func(key string) string { return strings.TrimSpace(m.Facts[key]) }
	return catalog.Device{Kind: kind, Maker: cmp.Or(fact("device.maker"), "Unnamed"),
		Name: cmp.Or(fact("device.model"), m.Name), Spec: m.Sheet(),
		Notes: "Put on the books by what the machine told of itself."}
}
