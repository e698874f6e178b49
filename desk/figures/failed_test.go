package figures_test

import (
	"database/sql"
	"errors"
	"path/filepath"
	"reflect"
	"strings"
	"testing"

	"github.com/google/uuid"

	"durvek/core/catalog"
	"durvek/core/compare"
	"durvek/core/fit"
	"durvek/core/method"
	"durvek/core/ranking"
	"durvek/core/record"
	"durvek/core/trust"
	"durvek/core/verdict"
	"durvek/desk"
	"durvek/desk/bench"
	"durvek/desk/books"
	"durvek/desk/figures"
	"durvek/desk/house"
	"durvek/desk/results"
	"durvek/document"
	"durvek/internal/testdesk"
	"durvek/publish"
	"durvek/rawfile"
	"durvek/store"
)

// whole is a desk in which every question has an answer: two units with figures under two setups, prices, claims, a
// plan, a doubt.
func whole(t *testing.T, dir string) *house.House {
	t.Helper()
	d := testdesk.OpenedIn(t, dir, testdesk.Morning)
	testdesk.Quiet(t, d)
	testdesk.Rates(t, d, "a", "", 100, 101, 150)
	testdesk.Rates(t, d, "a", "fast-mode", 110, 111)
	testdesk.Price(t, d, "a", 50000, "EUR")
	testdesk.Price(t, d, "b", 60000, "EUR")
	for _, err := range []error{
		second(d.Books.AddClaim(testdesk.Ctx, catalog.Claim{Variant: "a", Measure: "work/rate", Value: 100, Unit: "/min",
			Source: "box, 2026"}, "me")),
		second(d.Figures.AddUse(testdesk.Ctx, fit.Use{Slug: "galley", Name: "the galley",
			Weights: []fit.Weight{{Measure: "work/rate", Weight: 1}}}, "me")),
		second(d.Reviews.AddReview(testdesk.Ctx, verdict.Review{Subject: "a"}, "me")),
		d.Books.AddRig(testdesk.Ctx, catalog.Rig{Slug: "build", Name: "Build", Parts: []catalog.RigPart{{Unit: "a",
			Role: "host"}}}, "me"),
	} {
		if err != nil {
			t.Fatal(err)
		}
	}
	return d
}

func second[T any](_ T, err error) error { return err }

// here is the owner of the desk, at the desk.
var here = books.Who{Person: "Owner", Role: books.Owner, Kind: books.Session}

// called gives arguments with which a method begins to read; those that are not named here get a value of their type.
var called = map[string][]any{
	"Books.AddPerson":    {books.Person{Name: "Z", Role: books.Editor}, "me"},
	"Books.TakeEdition":  {published(1, "Z", "z", "", `q|1|{}|150|`), false, "me"},
	"Books.AddDevice":    {catalog.Device{Kind: "laptop", Maker: "M", Name: "Z"}, "me"},
	"Bench.ArrivalCode":  {catalog.Kind("laptop")},
	"Books.AddToken":     {here, books.NewToken{Name: "z"}},
	"Books.DropToken":    {here, "z"},
	"Books.LinkFor":      {here, "Owner"},
	"Books.AddModel":     {catalog.Model{Slug: "z", Maker: "M", Name: "Z", Kind: "laptop"}, "me"},
	"Books.Clear":        {"model", "a", []string{"notes"}, "me"},
	"Books.Remove":       {"unit", "a", "me"},
	"Books.AddCondition": {method.ConditionKey{Key: "own.fan", Name: "fan", Meaning: "on or off"}, "me"},
	"Books.AddRig":       {catalog.Rig{Slug: "z", Name: "Z", Parts: []catalog.RigPart{{Unit: "a", Role: "host"}}}, "me"},
	"Books.AddRate":      {catalog.Rate{From: "EUR", To: "GBP", Rate: 0.8, Date: "2026-11-01"}, "me"},
	"Books.AddSetup":     {method.Setup{Slug: "z", Name: "Z", Conditions: map[string]string{"supply": "mains"}}, "me"},
	"Books.ImportDossier": {[]byte("format: durvek-dossier/1\nmodel: {slug: z, maker: M, name: Z, kind: " +
		"laptop}\nvariants: [{slug: z, name: Z}]\n"), false, "me"},
	"Books.ImportTest": {[]byte("format: durvek-test/1\nslug: z\nversion: 1\nname: Z\ngroup: " +
		"application\nmeasures: [{slug: m, name: m, unit: s, scale: ratio, better: lower}]\nmust_match: [supply]\n"), false,
		"me"},
	"Bench.Join":          {"AAAA-AAAA", "", record.Machine{Name: "m", Boot: "b"}},
	"Bench.AgentIncident": {record.Incident{ID: uuid.NewString(), Plan: "p", Kind: "crash"}},
	"Bench.NoteIncident":  {record.Incident{Unit: "a", Kind: "crash", Times: 1}, "me"},
	"Bench.AddPlan":       {method.Plan{Unit: "a", Steps: []method.PlanStep{{Test: "work"}}}, "me"},
	"Bench.ChangePlan":    {"p", method.Plan{Steps: []method.PlanStep{{Test: "work", Repeats: 1}}}, "me"},
	"Bench.AddPlanFrom":   {bench.PlanFrom{Library: "laptop-quick", Unit: "a"}, "me"},
	"Results.AddRun":      {record.Run{ID: uuid.NewString(), Plan: "p"}},
	"Results.Correct":     {"r", results.Correction{Do: "void", Reason: "so"}, "me"},
	"Results.ImportRuns": {[]byte(
		`{"format":"durvek-runs/1","machine":{"name":"m","system":"Linux","boot":"b"},"runs":[]}`), results.Target{Unit: "a"},
		"me"},
	"Results.ImportTable":   {[]byte("unit,test,measure,value\na,work,rate,100\n"), false, "me"},
	"Results.Tune":          {trust.Tuning{Rule: "outlier", Off: true, Reason: "so"}, "me"},
	"Results.ShiftLog":      {"r", "l", 1.0, "me"},
	"Results.Raise":         {results.Raising{Run: "r", Sentence: "so"}, "me"},
	"Results.NotePairing":   {compare.Pair{Part: "a", Partner: "b", Outcome: "works"}, "me"},
	"Results.TypeReadings":  {results.Typed{Test: "work", Subject: "a", Readings: map[string]string{"rate": "1"}}, "me"},
	"Results.AddFrames":     {[]byte("ms\n1\n"), results.FramesOf{Test: "work", Subject: "a"}, "me"},
	"Books.Journal":         {"", "7", 0, 1},
	"Results.TakeRaw":       {[]byte("time [s],power [W]\n0,1\n1,1\n"), results.RawOf{Subject: "a"}, false, "me"},
	"Results.SaveMapping":   {rawfile.Mapping{Name: "z", Analysis: "surface", Grid: true}, "me"},
	"Results.ImportMapping": {[]byte("format: durvek-mapping/1\nname: z\nanalysis: surface\ngrid: true\n"), false, "me"},
	"Books.AddKind":         {catalog.OwnKind{Kind: "z"}, "me"},
	"Books.Archive":         {"plan", "p", "", "me"},
	"Figures.Ledger":        {"", "", "maker"},
	"Figures.AddField":      {ranking.Field{Slug: "z", Name: "Z", Kinds: []catalog.Kind{"laptop"}}, "me"},
	"Figures.DropField":     {"z", "me"},
	"Figures.ImportUse": {[]byte(
		"format: durvek-use/1\nslug: z\nname: Z\nweights: [{measure: work/rate, weight: 1}]\n"), false, "me"},
	"Reviews.WriteSite": {"", "me"},
	"Reviews.Cards":     {"a", publish.CardChoice{}},
	"Figures.Kin":       {kinOf(), store.CellKey{Setup: "as-delivered"}, "a", map[string]string{"supply": "mains"}},
}

func kinOf() compare.Measure {
	return compare.NewMeasure(testdesk.Work(), testdesk.Work().Measures[0])
}

// unread are the methods that answer without the database.
var unread = map[string]bool{"Books.Schema": true, "Books.Sheets": true, "Figures.Keeps": true,
	"Reviews.SiteOf": true}

// rooms are a house's rooms by name.
func rooms(d *house.House) map[string]any {
	return map[string]any{"Books": d.Books, "Bench": d.Bench, "Results": d.Results, "Figures": d.Figures,
		"Reviews": d.Reviews, "Front": d.Front}
}

// With the database closed under it, every question of every room is an error of reading: never an empty answer, and
// never a refusal that says something is not there.
func TestAFailedReadIsAnAnswerEverywhere(t *testing.T) {
	d := whole(t, t.TempDir())
	d.Figures.InMemory() // it has read all it wants behind the start
	if err := d.Desk.Store.Close(); err != nil {
		t.Fatal(err)
	}
	asked := 0
	for room, r := range rooms(d) {
		v := reflect.ValueOf(r)
		for i := range v.NumMethod() {
			name := room + "." + v.Type().Method(i).Name
			f := v.Method(i)
			n := f.Type().NumOut()
			if n == 0 || f.Type().Out(n-1) != reflect.TypeFor[error]() || unread[name] {
				continue
			}
			d.Figures.Forget()
			d.Desk.CatalogueChanged()
			d.Figures.Rest()
			asked++
			out := f.Call(arguments(f.Type(), called[name]))
			err, _ := out[n-1].Interface().(error)
			var refusal *desk.Error
			var faults *document.Faults
			if err == nil || errors.As(err, &refusal) || errors.As(err, &faults) {
				t.Errorf("%s answers %v", name, err)
			}
		}
	}
	if asked < 100 {
		t.Errorf("only %d questions were asked", asked)
	}
}

func arguments(f reflect.Type, given []any) (args []reflect.Value) {
	for i := range f.NumIn() {
		in := f.In(i)
		switch {
		case in == reflect.TypeFor[interface{ Done() <-chan struct{} }](), in.String() == "context.Context":
			args = append(args, reflect.ValueOf(testdesk.Ctx))
			continue
		case len(given) > 0:
			args, given = append(args, reflect.ValueOf(given[0])), given[1:]
			continue
		}
		v := reflect.New(in).Elem()
		switch in.Kind() {
		case reflect.String:
			v.SetString("a")
		case reflect.Int, reflect.Int64:
			v.SetInt(1)
		case reflect.Func:
			v = reflect.MakeFunc(in, func([]reflect.Value) []reflect.Value { return nil })
		case reflect.Slice:
			if in.Elem().Kind() == reflect.String {
				v = reflect.ValueOf([]string{"a", "b"})
			}
		}
		if f.IsVariadic() && i == f.NumIn()-1 {
			continue
		}
		args = append(args, v)
	}
	return args
}

// A table of the database that cannot be read for a while makes every comparison that needs it fail, and none of that
// is kept: when it is there again, the answers are what they were.
func TestNothingOfAFailedReadIsKept(t *testing.T) {
	dir := t.TempDir()
	d := whole(t, dir)
	questions := map[string]func() (any, error){
		"rank": func() (any, error) {
			return d.Figures.Rank(testdesk.Ctx, compare.Question{Measure: "work/rate", Claims: true, Raised: true})
		},
		"cells": func() (any, error) { return d.Figures.CellsOf(testdesk.Ctx, "", nil, nil, "") },
		"head":  func() (any, error) { return d.Figures.HeadToHead(testdesk.Ctx, []string{"a", "b"}, "", "") },
		"index": func() (any, error) { return d.Figures.IndexOf(testdesk.Ctx, figures.IndexQuestion{Use: "galley"}) },
		"fit":   func() (any, error) { return d.Figures.FitOf(testdesk.Ctx, "galley", "", "") },
		"value": func() (any, error) {
			return d.Figures.ValueOf(testdesk.Ctx, figures.ValueQuestion{Measure: "work/rate"})
		},
		"modes":    func() (any, error) { return d.Figures.ModesOf(testdesk.Ctx, "work/rate", "", "") },
		"next":     func() (any, error) { return d.Figures.Next(testdesk.Ctx, figures.NextQuestion{}) },
		"place":    func() (any, error) { return d.Figures.PlaceOf(testdesk.Ctx, "work/rate", "a", "") },
		"alike":    func() (any, error) { return d.Figures.Alike(testdesk.Ctx, "a", 3) },
		"ledger":   func() (any, error) { return d.Figures.Ledger(testdesk.Ctx, "a", "", "") },
		"why":      func() (any, error) { return d.Figures.Why(testdesk.Ctx, "work/rate", "a", "b", "") },
		"worth":    func() (any, error) { return d.Figures.Worth(testdesk.Ctx, "work/rate", "") },
		"measure":  func() (any, error) { return d.Figures.Measure(testdesk.Ctx, "work/rate") },
		"measures": func() (any, error) { return d.Figures.Measures(testdesk.Ctx) },
		"history": func() (any, error) {
			return d.Figures.History(testdesk.Ctx, figures.HistoryAsked{Unit: "a", Measure: "work/rate"})
		},
		"pool": func() (any, error) { return d.Figures.Pool(testdesk.Ctx, kinOf()) },
		"pool for": func() (any, error) {
			return d.Figures.PoolFor(testdesk.Ctx, kinOf(), store.CellKey{Setup: "as-delivered", Unit: "a"})
		},
		"versions": func() (any, error) {
			return d.Figures.Versions(kinOf(), "as-delivered", "a", map[string]string{"supply": "1"})
		},
		"kin": func() (any, error) {
			return d.Figures.Kin(testdesk.Ctx, kinOf(), store.CellKey{Setup: "as-delivered"}, "a",
				map[string]string{"supply": "mains"})
		},
		"subject": func() (any, error) { return d.Figures.Subject(testdesk.Ctx, "a") },
		"expected": func() (any, error) {
			v, from, err := d.Figures.Expected(testdesk.Ctx, "work/rate", "x", "a")
			return []any{v, from}, err
		},
		"charts":  func() (any, error) { return d.Reviews.ReviewCharts(testdesk.Ctx, "a") },
		"recount": func() (any, error) { return d.Results.Recount(testdesk.Ctx) },
	}
	db, err := sql.Open("sqlite", filepath.Join(dir, "durvek.db"))
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	change := func(statement string) {
		t.Helper()
		if _, err := db.Exec(statement); err != nil {
			t.Fatal(err)
		}
	}
	d.Figures.InMemory()
	for name, ask := range questions {
		d.Figures.Forget()
		d.Figures.Rest()
		before, err := ask()
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		d.Figures.Forget()
		d.Figures.Rest()
		change("alter table estimate rename to away")
		_, err = ask()
		if err == nil || !strings.Contains(err.Error(), "estimate") {
			t.Errorf("%s without the cells: %v", name, err)
		}
		change("alter table away rename to estimate")
		if after, err := ask(); err != nil || !reflect.DeepEqual(after, before) {
			t.Errorf("%s with the cells again: %v, another answer than before: %v", name, err, !reflect.DeepEqual(after, before))
		}
	}
}
