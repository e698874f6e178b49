package house

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"

	"durvek/core/catalog"
	"durvek/desk"
	"durvek/desk/results"
	"durvek/store"
)

// Example is a made-up rival: a model with one variant and one unit, and its runs.
type Example struct {
	Dossier catalog.Dossier
	Host    string // unit that it was measured in, for a part
	Runs    results.RunFile
}

// Examples lists the examples that are on the books.
func (h *House) Examples(ctx context.Context) (desk.Examples, error) {
	list, err := h.Desk.Store.Examples(ctx)
	out := desk.Examples{Units: []string{}}
	for _, e := range list {
		out.Units = append(out.Units, e.Unit)
	}
	return out, err
}

// LoadExamples puts made-up rivals on the books, to have something to be ranked against. Those that are there stay.
func (h *House) LoadExamples(ctx context.Context, list []Example, by string) (desk.Examples, error) {
	runs := 0
	for _, x := range list {
		unit := x.Dossier.Variants[0].Units[0].Slug
		data, err := json.Marshal(x.Dossier)
		if err != nil {
			return desk.Examples{}, err
		}
		if _, err := h.Books.ImportDossier(ctx, data, false, by); err != nil {
			return desk.Examples{}, err
		}
		if err := h.Desk.Write(ctx, func(q *desk.Tx) error { return q.PutExample(ctx, unit) }); err != nil {
			return desk.Examples{}, err
		}
		did, err := h.Results.TakeRuns(ctx, x.Runs, results.Target{Unit: unit, Host: x.Host}, by)
		if err != nil {
			return desk.Examples{}, err
		}
		runs += did.Runs
	}
	tests := map[string]bool{}
	for _, x := range list {
		for _, r := range x.Runs.Runs {
			tests[r.Test] = true
		}
	}
	if err := h.Desk.Write(ctx, func(q *desk.Tx) error {
		q.After(func() { h.Figures.Doubted(desk.SortedKeys(tests)...) })
		return q.TrustExamples(ctx)
	}); err != nil {
		return desk.Examples{}, err
	}
	out, err := h.Examples(ctx)
	out.Runs = runs
	return out, err
}

// DropExamples takes the examples off the books, with everything that was measured on them. Where somebody hung work of
// their own on them, it is refused and says what.
func (h *House) DropExamples(ctx context.Context, by string) error {
	err := h.Desk.Note(ctx, by, "drop examples", "", "", func(q *desk.Tx) error {
		hangs, err := q.OnExamples(ctx)
		if err != nil {
			return err
		}
		if len(hangs) > 0 {
			var said []string
			for _, what := range slices.Sorted(maps.Keys(hangs)) {
				said = append(said, fmt.Sprintf("%d %s(s)", hangs[what], what))
			}
			return desk.Refuse(desk.Conflict, "the examples stay: %s of yours rest on them; remove those first",
				strings.Join(said, ", "))
		}
		gone, err := q.DropExamples(ctx)
		if err != nil {
			return err
		}
		q.After(func() {
			h.Figures.Put(nil, gone, testsOf(gone)...)
			h.Desk.CatalogueChanged()
		})
		return nil
	})
	if err == nil {
		h.Desk.Events.Send(desk.Event{Name: "run", Data: map[string]string{}})
		h.Desk.Events.Send(desk.Event{Name: "doubt", Data: map[string]string{}})
	}
	return err
}

func testsOf(cells []store.CellKey) []string {
	tests := map[string]bool{}
	for _, k := range cells {
		test, _, _ := strings.Cut(k.Measure, "/")
		tests[test] = true
	}
	return slices.Sorted(maps.Keys(tests))
}
