package results

import (
	"context"
	"strings"

	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/core/say"
	"durvek/desk"
)

// Example is a made-up rival: a model with one variant and one unit, and its runs.
type Example struct {
	Dossier catalog.Dossier
	Host    string // unit that it was measured in, for a part
	Runs    RunFile
}

// Examples lists the examples that are on the books.
func (d *Results) Examples(ctx context.Context) (desk.Examples, error) {
	list, err := d.desk.Store.Examples(ctx)
	out := desk.Examples{Units: []string{}}
	for _, e := range list {
		out.Units = append(out.Units, e.Unit)
	}
	return out, err
}

// LoadExamples puts made-up rivals on the books, to have something to be ranked against. Those that are there stay.
func (d *Results) LoadExamples(ctx context.Context, list []Example, by string) (desk.Examples, error) {
	runs, tests := 0, map[string]bool{}
	for _, x := range list {
		if err := d.books.TakeExample(ctx, x.Dossier, by); err != nil {
			return desk.Examples{}, err
		}
		unit := x.Dossier.Variants[0].Units[0].Slug
		did, err := d.takeRuns(ctx, x.Runs, Target{Unit: unit, Host: x.Host}, by)
		if err != nil {
			return desk.Examples{}, err
		}
		runs += did.Runs
		for _, r := range x.Runs.Runs {
			tests[r.Test] = true
		}
	}
	if err := d.desk.Write(ctx, func(q *desk.Tx) error {
		q.After(func() { d.figures.Doubted(desk.SortedKeys(tests)...) })
		return q.TrustExamples(ctx)
	}); err != nil {
		return desk.Examples{}, err
	}
	out, err := d.Examples(ctx)
	out.Runs = runs
	return out, err
}

// DropExamples takes the examples off the books, with everything that was measured on them. Where people put work of
// their own on them it is refused and says what, unless all of that is to go too; what refers to them from elsewhere
// keeps them in any case.
func (d *Results) DropExamples(ctx context.Context, all bool, by string) error {
	err := d.desk.Note(ctx, by, "drop examples", "", "", func(q *desk.Tx) error {
		with, refer, err := q.OnExamples(ctx)
		switch {
		case err != nil:
			return err
		case len(refer) > 0:
			return desk.Refuse(desk.Conflict, "the examples stay for what of yours refers to them: %s; change or remove "+
				"that first", counted(refer))
		case len(with) > 0 && !all:
			return desk.Refuse(desk.Conflict, "the examples stay for what of yours is on them: %s; take them away with all of "+
				"that, or leave them", counted(with))
		}
		gone, err := q.DropExamples(ctx)
		if err != nil {
			return err
		}
		tests := map[string]bool{}
		for _, k := range gone {
			test, _ := method.Split(k.Measure)
			tests[test] = true
		}
		q.After(func() {
			d.figures.Put(nil, gone, desk.SortedKeys(tests)...)
			d.desk.CatalogueChanged()
		})
		return nil
	})
	if err == nil {
		d.desk.Events.Send(desk.Event{Name: "run", Data: map[string]string{}})
		d.desk.Events.Send(desk.Event{Name: "doubt", Data: map[string]string{}})
	}
	return err
}

// counted lists numbers of things in words.
func counted(things map[string]int) string {
	var said []string
	for _, what := range desk.SortedKeys(things) {
		said = append(said, say.Things(things[what], what))
	}
	return strings.Join(said, ", ")
}
