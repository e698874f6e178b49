package books

import (
	"cmp"
	"context"
	"embed"
	"encoding/json"
	"fmt"
	"io/fs"
	"maps"
	"slices"
	"sort"
	"strings"

	"durvek/core/analyse"
	"durvek/core/catalog"
	"durvek/core/compare"
	"durvek/core/formula"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/desk"
	"durvek/document"
	"durvek/store"
)

// Tests lists the newest version of every test.
func (d *Books) Tests(ctx context.Context) ([]method.Test, error) { return d.desk.Store.Tests(ctx) }

// Test finds the newest version of a test.
func (d *Books) Test(ctx context.Context, slug string) (method.Test, error) {
	t, err := d.desk.Store.Test(ctx, slug, 0)
	return t, desk.Missing(err, "test", slug)
}

// SetAside has a test's figures shown with a caveat and counted nowhere, or, without a reason, counted again.
func (d *Books) SetAside(ctx context.Context, slug, reason, by string) (method.Test, error) {
	t, err := d.Test(ctx, slug)
	if err != nil {
		return t, err
	}
	t.Aside = strings.TrimSpace(reason)
	return t, d.desk.Put(ctx, by, "set test aside", slug, func(q *desk.Tx) error {
		return q.SetAside(ctx, slug, t.Aside, by, d.desk.Now())
	})
}

// Setups lists all setups.
func (d *Books) Setups(ctx context.Context) ([]method.Setup, error) { return d.desk.Store.Setups(ctx) }

// AddSetup adds a setup. Changing the conditions of one that runs were made under is refused.
func (d *Books) AddSetup(ctx context.Context, s method.Setup, by string) error {
	if err := desk.FirstProblem("setup", s.Check()); err != nil {
		return err
	}
	for k := range s.Conditions {
		if err := d.desk.KnownOwn(ctx, k); err != nil {
			return err
		}
	}
	old, err := d.desk.Store.Setup(ctx, s.Slug)
	known, err := desk.Found(err)
	if err != nil {
		return err
	}
	if known && !maps.Equal(old.Conditions, s.Conditions) {
		_, n, err := d.desk.Store.Runs(ctx, store.RunFilter{Setup: s.Slug, Limit: 1})
		if err != nil {
			return err
		}
		if n > 0 {
			return desk.Refuse(desk.Conflict, "setup %q has %d runs, so its conditions stay; add a setup of another name",
				s.Slug, n)
		}
	}
	return d.desk.Put(ctx, by, "add setup", s.Slug, func(q *desk.Tx) error { return q.PutSetup(ctx, s) })
}

// Conditions lists the conditions of the desk's own.
func (d *Books) Conditions(ctx context.Context) ([]method.ConditionKey, error) {
	return d.desk.Store.Conditions(ctx)
}

// AddCondition adds a condition of the desk's own to the vocabulary, or changes its words.
func (d *Books) AddCondition(ctx context.Context, c method.ConditionKey, by string) error {
	slug, ok := strings.CutPrefix(c.Key, method.OwnCondition)
	if !ok {
		return desk.Refuse(desk.Invalid, "the key of a condition of your own begins with %q, such as %q", method.OwnCondition,
			method.OwnCondition+"table-fan")
	}
	if why := catalog.CheckSlug(slug); why != "" {
		return desk.Refuse(desk.Invalid, "%s", why)
	}
	if c.Name == "" || c.Meaning == "" {
		return desk.Refuse(desk.Invalid, "a condition needs a name and a meaning, so that others use it alike")
	}
	return d.desk.Put(ctx, by, "add condition", c.Key, func(q *desk.Tx) error { return q.PutCondition(ctx, c) })
}

// ImportTest takes in a reviewer's own test definition. A version that has runs keeps its measures
// and conditions: raise the version instead.
func (d *Books) ImportTest(ctx context.Context, data []byte, checkOnly bool, by string) (method.Test, error) {
	file, t, err := readTest(data)
	if err != nil {
		return t, err
	}
	found := t.Check()
	if _, ok := analyse.Named(t.Analysis); !ok && t.Analysis != "" {
		found = append(found, catalog.Problem{Path: []any{"analysis"}, Reason: fmt.Sprintf("there is no analysis %q",
			t.Analysis)})
	}
	old, err := d.desk.Store.Test(ctx, t.Slug, 0)
	known, err := desk.Found(err)
	if err != nil {
		return t, err
	}
	if known {
		if old.Origin == "workload" {
			found = append(found, catalog.Problem{Path: []any{"slug"}, Reason: fmt.Sprintf("%q is one of the built-in tests; "+
				"choose another name", t.Slug)})
		} else if t.Version < old.Version {
			found = append(found, catalog.Problem{Path: []any{"version"}, Reason: fmt.Sprintf("version %d is older than the "+
				"%d that is known", t.Version, old.Version)})
		}
	}
	old, err = d.desk.Store.Test(ctx, t.Slug, t.Version)
	if known, err = desk.Found(err); err != nil {
		return t, err
	}
	if known && shape(old) != shape(t) {
		_, n, err := d.desk.Store.Runs(ctx, store.RunFilter{Test: t.Slug, Limit: 1})
		if err != nil {
			return t, err
		}
		if n > 0 {
			found = append(found, catalog.Problem{Path: []any{"version"}, Reason: fmt.Sprintf("version %d has runs, so its "+
				"measures, conditions and command stay; raise the version", t.Version)})
		}
	}
	if why, err := d.desk.CheckKinds(ctx, t.Subjects...); err != nil {
		return t, err
	} else if why != "" {
		found = append(found, catalog.Problem{Path: []any{"subjects"}, Reason: why})
	}
	wrong, err := d.formulas(ctx, t)
	if err != nil {
		return t, err
	}
	if err := file.Reject(desk.Problems(append(found, wrong...))); err != nil {
		return t, err
	}
	if checkOnly {
		return t, nil
	}
	for i, m := range t.Measures { // symbols are welcome in files; data hold UCUM codes
		code, _ := quantity.Code(m.Unit)
		t.Measures[i].Unit = code
	}
	return t, d.desk.Put(ctx, by, importTest, t.Slug, func(q *desk.Tx) error { return q.PutTest(ctx, t, d.desk.Now()) })
}

// formulas says what is wrong with what a test's formulas refer to, and with their units.
func (d *Books) formulas(ctx context.Context, t method.Test) (out []catalog.Problem, err error) {
	if !t.Derived() {
		return nil, nil
	}
	tests, err := d.desk.Store.Tests(ctx)
	if err != nil {
		return nil, err
	}
	find := func(ref string) (compare.Measure, error) {
		test, measure := method.Split(ref)
		for _, x := range tests {
			if m, ok := x.Measure(measure); ok && x.Slug == test {
				return compare.NewMeasure(x, m), nil
			}
		}
		m, ok := compare.Paper(ref)
		if !ok {
			return m, fmt.Errorf("no measure %q is known; numbers of the spec sheet are spec/KEY, prices price/EUR", ref)
		}
		return m, nil
	}
	for i, m := range t.Measures {
		x, err := formula.Parse(m.Formula)
		if err != nil {
			continue // said already
		}
		inputs, err := compare.Inputs(x, find)
		if err == nil {
			_, err = compare.Fitting(m, x, inputs)
		}
		if err != nil {
			out = append(out, catalog.Problem{Path: []any{"measures", i, "formula"}, Reason: err.Error()})
		}
	}
	return out, nil
}

// readTest reads a definition's file; what its entries mean is not checked yet.
func readTest(data []byte) (file *document.File, t method.Test, err error) {
	if file, err = document.Read("test", data); err == nil {
		err = file.Decode(testSchema, &t)
	}
	t.Origin, t.Version = "own", max(t.Version, 1)
	for i, m := range t.Measures {
		t.Measures[i].Scale = cmp.Or(m.Scale, quantity.ScaleOf(m.Unit))
	}
	if t.Command != nil {
		t.Origin = "command"
	}
	return file, t, err
}

// Trial is a saved output of a program, to try a test's mapping on.
type Trial struct {
	Definition string  `json:"definition,omitempty" doc:"The test's file, YAML or JSON; the test that the desk knows if left out"`
	Test       string  `json:"test,omitempty" doc:"Slug of a test that the desk knows"`
	Output     string  `json:"output,omitempty" doc:"What the program printed"`
	Errors     string  `json:"errors,omitempty" doc:"What it printed as errors"`
	File       string  `json:"file,omitempty" doc:"Content of the file that it wrote"`
	Seconds    float64 `json:"seconds,omitempty" doc:"Seconds until it ended"`
	Line       float64 `json:"line,omitempty" doc:"Seconds until the awaited line"`
}

// Tried is what a mapping found.
type Tried struct {
	Test  string         `json:"test"`
	Found []method.Found `json:"found"`
	Whole bool           `json:"whole" doc:"Every figure was found"`
}

// TryMapping reads a saved output by a test's mapping and records nothing.
func (d *Books) TryMapping(ctx context.Context, x Trial) (Tried, error) {
	var t method.Test
	var err error
	if x.Definition != "" {
		var file *document.File
		if file, t, err = readTest([]byte(x.Definition)); err != nil {
			return Tried{}, err
		}
		if err := file.Reject(desk.Problems(t.Check())); err != nil {
			return Tried{}, err
		}
	} else if t, err = d.desk.Store.Test(ctx, x.Test, 0); err != nil {
		return Tried{}, desk.Missing(err, "test", x.Test)
	}
	if t.Command == nil {
		return Tried{}, desk.Refuse(desk.Invalid, "test %q runs no command, so it has no mapping", t.Slug)
	}
	found, err := t.Read(method.Output{Output: []byte(x.Output), Errors: []byte(x.Errors), File: []byte(x.File),
		Seconds: x.Seconds, Line: x.Line})
	return Tried{t.Slug, found, err == nil}, nil
}

// shape is the part of a test that figures depend on.
func shape(t method.Test) string {
	ms := slices.Clone(t.Measures)
	for i := range ms {
		ms[i].Unit, _ = quantity.Code(ms[i].Unit)
		ms[i].Name, ms[i].Margin, ms[i].Repeatability, ms[i].Tolerance = "", 0, 0, 0
		ms[i].Words, ms[i].Alone = "", false // how it is spoken of
	}
	must := slices.Clone(t.MustMatch)
	sort.Strings(must)
	b, _ := json.Marshal([]any{ms, must, t.Command})
	return string(b)
}

var (
	testSchema  = desk.Schema("test")
	sheetSchema = desk.Schema("sheet")
)

// handsOn are the tests made by hand and the inspection sheets that every desk starts with.
//
//go:embed hands/*.yaml sheets/*.yaml
var handsOn embed.FS

// handsOnTests reads the tests by hand that ship with the program.
func handsOnTests() ([]method.Test, error) {
	names, err := fs.Glob(handsOn, "hands/*.yaml")
	if err != nil {
		return nil, err
	}
	var out []method.Test
	for _, name := range names {
		data, err := handsOn.ReadFile(name)
		if err != nil {
			return nil, err
		}
		_, t, err := readTest(data)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", name, err)
		}
		if err := desk.FirstProblem(name, t.Check()); err != nil {
			return nil, err
		}
		for i, m := range t.Measures {
			t.Measures[i].Unit, _ = quantity.Code(m.Unit)
		}
		out = append(out, t)
	}
	return out, nil
}

// Sheets lists the inspection sheets, those for a kind of device or all.
func (d *Books) Sheets(kind catalog.Kind) ([]method.Sheet, error) {
	names, err := fs.Glob(handsOn, "sheets/*.yaml")
	if err != nil {
		return nil, err
	}
	out := []method.Sheet{}
	for _, name := range names {
		data, err := handsOn.ReadFile(name)
		if err != nil {
			return nil, err
		}
		file, err := document.Read("sheet", data)
		var s method.Sheet
		if err == nil {
			err = file.Decode(sheetSchema, &s)
		}
		if err != nil {
			return nil, fmt.Errorf("%s: %w", name, err)
		}
		if kind == "" || len(s.Subjects) == 0 || slices.Contains(s.Subjects, kind) {
			out = append(out, s)
		}
	}
	return out, nil
}
