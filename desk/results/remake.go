package results

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"

	"durvek/core/analyse"
	"durvek/core/method"
	"durvek/core/record"
	"durvek/desk"
	"durvek/rawfile"
	"durvek/store"
)

// remake makes the figures anew of files whose analysis has a newer version than the one that made them, and keeps the
// course of those that were taken in before courses were kept. What was taken out or corrected by hand stays so.
func (d *Results) remake(ctx context.Context, out *Recounted) error {
	all, err := d.desk.Store.Sources(ctx, "")
	if err != nil {
		return err
	}
	for _, s := range all {
		var m rawfile.Mapping
		if err := json.Unmarshal([]byte(s.Mapping), &m); err != nil {
			return err
		}
		a, ok := analyse.Named(m.Analysis)
		if !ok {
			continue
		}
		if err := d.keepCourse(ctx, s); err != nil {
			return err
		}
		if a.Version <= s.Version {
			continue
		}
		if err := d.remakeOne(ctx, s, a, out); err != nil {
			return err
		}
	}
	return nil
}

// keepCourse keeps the course of a file's run where it has none.
func (d *Results) keepCourse(ctx context.Context, s store.Source) error {
	has, err := d.desk.Store.Series(ctx, s.Run)
	if err != nil || len(has) > 0 {
		return err
	}
	_, made, err := d.again(ctx, s)
	var refused *desk.Error
	if errors.As(err, &refused) {
		return nil // the file is gone, or says nothing any more
	}
	if err != nil {
		return err
	}
	return d.desk.Write(ctx, func(q *desk.Tx) error { return q.AddSeries(ctx, s.Run, made.Picture.Series()) })
}

func (d *Results) remakeOne(ctx context.Context, s store.Source, a analyse.Analysis, out *Recounted) error {
	r, err := d.desk.Store.Run(ctx, s.Run)
	if err != nil {
		return err
	}
	t, err := d.desk.Store.Test(ctx, r.Test, r.TestVersion)
	if err != nil {
		return err
	}
	_, made, err := d.again(ctx, s)
	var refused *desk.Error
	if errors.As(err, &refused) { // the file is gone, or says nothing any more: the figures stay
		out.Moved = append(out.Moved, fmt.Sprintf("run %s stays as it was: %s", s.Run, refused.Message))
		return nil
	}
	if err != nil {
		return err
	}
	now, err := fitted(t, a, made)
	if err != nil {
		return err
	}
	changes, err := d.desk.Store.Changes(ctx, s.Run, 1_000_000)
	if err != nil {
		return err
	}
	by := fmt.Sprintf("%s, version %d", a.Name, a.Version)
	var edits []edit
	for _, x := range r.Readings {
		i := slices.IndexFunc(now, func(n record.Reading) bool { return n.Measure == x.Measure })
		if i < 0 || now[i].State == x.State && now[i].Value == x.Value ||
			slices.ContainsFunc(changes, func(c store.Change) bool { return c.Measure == x.Measure && c.Kind != "remake" }) {
			continue
		}
		m, _ := t.Measure(x.Measure)
		edits = append(edits, edit{kind: "remake", run: s.Run, measure: x.Measure, to: now[i], reason: "made anew by " + by})
		out.Moved = append(out.Moved, fmt.Sprintf("%s of run %s: %s, was %s", method.ID(t.Slug, m.Slug), s.Run,
			now[i].Says(m), x.Says(m)))
	}
	s.Version = a.Version
	keep := func(q *desk.Tx) error { return q.PutSource(ctx, s) }
	if len(edits) == 0 {
		return d.desk.Write(ctx, keep)
	}
	return d.edit(ctx, edits, by, keep)
}
