package service_test

import (
	"context"
	"encoding/csv"
	"fmt"
	"io"
	"math"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"testing"

	"durvek/client"
	"durvek/core/catalog"
	"durvek/core/compare"
	"durvek/core/fit"
	"durvek/core/ranking"
	"durvek/core/value"
	"durvek/demo/load"
	"durvek/desk/figures"
	"durvek/desk/results"
)

// made is a service with made-up data: 120 variants in 30 tests.
func made(t *testing.T) *running {
	t.Helper()
	r := start(t)
	if _, err := load.Generate(context.Background(), r.desk.Desk, load.Size{Variants: 120, Tests: 30, Readings: 16000}, 1,
		func(int, int) {}); err != nil {
		t.Fatal(err)
	}
	return r
}

// body is what the service answers to a GET, and its content type.
func (r *running) body(path string, pairs ...string) (string, string) {
	r.t.Helper()
	req, err := http.NewRequest(http.MethodGet, "http://"+r.addr+path+"?"+client.Query(pairs...).Encode(), nil)
	if err != nil {
		r.t.Fatal(err)
	}
	req.Header.Set("Authorization", "Bearer "+r.token)
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		r.t.Fatal(err)
	}
	defer resp.Body.Close()
	b, err := io.ReadAll(resp.Body)
	if err != nil || resp.StatusCode != http.StatusOK {
		r.t.Fatalf("%s: %d %v %s", path, resp.StatusCode, err, b)
	}
	return string(b), resp.Header.Get("Content-Type")
}

func TestEveryWayOfComparingOverHTTP(t *testing.T) {
	r := made(t)
	c := get[compare.Comparison](r, "/api/ranking", "measure", "load-002/m3", "field", "load-50", "subject", "load-0000")
	if len(c.Rows) != 12 || c.Rows[0].Estimate.Centre > c.Rows[11].Estimate.Centre {
		t.Errorf("%d rows; lower is better in it", len(c.Rows))
	}
	p := get[figures.Place](r, "/api/places", "measure", "load-002/m3", "variant", c.Rows[0].Variant)
	if p.History.Of != 120 || p.Class.Of != 24 || p.History.Best > 20 {
		t.Errorf("%+v", p)
	}
	cells := get[figures.Cells](r, "/api/cells", "field", "load-50", "measures", "load-000/m0,load-001/m0")
	if len(cells.Rows) != 12 || len(cells.Rows[0]) != 2 || cells.Rows[0][0] == nil {
		t.Errorf("%d by %d cells", len(cells.Rows), len(cells.Rows[0]))
	}
	h := get[compare.Head](r, "/api/heads", "variants", "load-0000,load-0010,load-0020")
	if len(h.Sides) != 3 || len(h.Rows) < 60 || len(h.Exchanges) != 2 || len(h.Rows[0].Gaps) != 2 {
		t.Errorf("%d sides, %d rows", len(h.Sides), len(h.Rows))
	}
	x := get[figures.Index](r, "/api/index", "field", "load-50", "weights", "CPU=2, memory=1,load-002/m3=0.5")
	if len(x.Rows) != 12 || x.Rows[0].Completeness < 0.9 || len(x.ByGroup) != 3 || x.Firm <= 0 ||
		!strings.Contains(x.Firmness, "holds for") {
		t.Errorf("%d rows, %d groups, %q", len(x.Rows), len(x.ByGroup), x.Firmness)
	}
	for i, row := range x.Rows {
		if !(row.Lo <= row.Value && row.Value <= row.Hi) || i > 0 && row.Value > x.Rows[i-1].Value {
			t.Errorf("row %d: %+v", i, row)
		}
	}
	v := get[figures.Valued](r, "/api/value", "field", "load-50", "measure", "load-000/m0", "subject", "load-0010")
	if len(v.Values) != 12 || !slices.ContainsFunc(v.Values, func(x value.Value) bool { return x.Frontier }) ||
		len(v.Climb) == 0 || math.Abs(v.Values[0].Per-100) > 1e-9 {
		t.Errorf("%+v", v.Values)
	}
	if l := get[[]compare.Likeness](r, "/api/likeness", "variant", "load-0000", "most", "3"); len(l) != 3 ||
		l[0].Distance > l[2].Distance || l[0].Shared < 60 {
		t.Errorf("%+v", l)
	}
	l := get[figures.Ledger](r, "/api/ledger", "by", "maker")
	if len(l.Claims) != 360 || len(l.Tallies) != 40 || l.Tallies[0].Kept+l.Tallies[0].Broken > l.Tallies[0].Claims {
		t.Errorf("%d claims, %d makers", len(l.Claims), len(l.Tallies))
	}
	if s := get[[]ranking.Suggestion](r, "/api/suggestions", "field", "load-50", "most", "3"); len(s) > 3 {
		t.Errorf("%d suggestions", len(s))
	}
	paper := get[compare.Comparison](r, "/api/ranking", "measure", "spec/body.weight", "field", "load-50")
	if len(paper.Rows) != 12 || !paper.Rows[0].Estimate.Exact || !strings.Contains(paper.Chart.Subtitle, "not measured") {
		t.Errorf("%d rows, %q", len(paper.Rows), paper.Chart.Subtitle)
	}
}

func TestEveryChartIsDrawnInEveryFormatAndAsATable(t *testing.T) {
	r := made(t)
	for kind, query := range map[string][]string{
		"ranked": {"measure", "load-000/m0", "field", "load-50", "subject", "load-0000"},
		"head":   {"variants", "load-0000,load-0010"},
		"index":  {"field", "load-50", "weights", "CPU=1"},
		"value":  {"field", "load-50", "measure", "load-000/m0"},
		"modes":  {"field", "load-50", "measure", "load-000/m0"},
		"curves": {"field", "load-50", "test", "load-000"},
		"claims": {"variant", "load-0000"},
	} {
		sizes := map[string]string{"page": `viewBox="0 0 1040 `, "card": `viewBox="0 0 1920 1080"`,
			"tall": `viewBox="0 0 1080 1920"`, "column": `viewBox="0 0 `}
		for format, says := range sizes {
			svg, media := r.body("/api/charts/"+kind+".svg", append(query, "format", format)...)
			if media != "image/svg+xml" || !strings.Contains(svg, says) || !strings.Contains(svg, "<desc>") {
				t.Errorf("%s as %s: %s, %.120s", kind, format, media, svg)
			}
		}
		dark, _ := r.body("/api/charts/"+kind+".svg", append(query, "dark", "true")...)
		clear, _ := r.body("/api/charts/"+kind+".svg", append(query, "transparent", "true")...)
		if !strings.Contains(dark, "#0e1b23") || strings.Contains(clear, `fill="#f6f8f9" d="M0`) {
			t.Errorf("%s is neither dark nor clear where it is asked to be", kind)
		}
		if png, media := r.body("/api/charts/"+kind+".png", append(query, "pixels", "0.5")...); media != "image/png" ||
			!strings.HasPrefix(png, "\x89PNG") {
			t.Errorf("%s: %s", kind, media)
		}
		table, media := r.body("/api/charts/"+kind+".csv", query...)
		rows, err := csv.NewReader(strings.NewReader(table)).ReadAll()
		if err != nil || !strings.HasPrefix(media, "text/csv") || len(rows) < 1 {
			t.Errorf("%s: %s, %d rows, %v", kind, media, len(rows), err)
		}
		for _, row := range rows[1:] {
			if kind == "ranked" {
				if v, err := strconv.ParseFloat(row[3], 64); err != nil || v <= 0 {
					t.Errorf("a figure that programs cannot read: %q", row[3])
				}
			}
		}
		if want := map[string]int{"ranked": 13, "index": 13, "claims": 4, "value": 13}[kind]; want > 0 && len(rows) != want {
			t.Errorf("%s: %d rows, want %d", kind, len(rows), want)
		}
	}
}

// An answer that was sent before is sent again only as long as nothing that it can rest on has changed.
func TestAnswersAreKeptUntilTheDeskChanges(t *testing.T) {
	r := made(t)
	ask := func() string {
		b, _ := r.body("/api/charts/ranked.svg", "measure", "load-000/m0", "field", "load-50")
		return b
	}
	first := ask()
	if ask() != first {
		t.Error("the same question has two answers")
	}
	other, _ := r.body("/api/charts/ranked.svg", "measure", "load-000/m0", "field", "load-50", "dark", "true")
	if other == first {
		t.Error("another question has the same answer")
	}
	for i, change := range []func() error{
		func() error {
			return send(r, "/api/readings", results.Typed{Test: "load-000", Subject: "load-0000-a", Repeat: 9,
				Readings: map[string]string{"m0": "900", "m1": "900", "m2": "900", "m3": "1"}})
		},
		func() error {
			return send(r, "/api/fields", ranking.Field{Slug: "load-50", Name: "other name", Variants: []string{"load-0000",
				"load-0010"}})
		},
		func() error {
			return send(r, "/api/models", catalog.Model{Slug: "load-model-0000", Maker: "Maker 00", Name: "Renamed",
				Kind: "laptop"})
		},
	} {
		if err := change(); err != nil {
			t.Fatal(err)
		}
		next := ask()
		if next == first {
			t.Errorf("change %d is not seen", i+1)
		}
		first = next
	}
	if !strings.Contains(first, "Renamed") {
		t.Error("the model's new name is not in the chart")
	}
	// Who may not ask gets nothing from what was kept for others.
	resp, err := http.Get("http://" + r.addr + "/api/charts/ranked.svg?" + client.Query("measure", "load-000/m0", "field",
		"load-50").Encode())
	if err != nil {
		t.Fatal(err)
	}
	resp.Body.Close()
	if resp.StatusCode != http.StatusUnauthorized {
		t.Errorf("a stranger got %d", resp.StatusCode)
	}
}

func TestOddQuestionsAreRefusedInASentence(t *testing.T) {
	r := made(t)
	for _, c := range []struct {
		path   string
		query  url.Values
		status int
		says   string
	}{
		{"/api/ranking", client.Query("measure", "load-000/m9"), 404, "the list of measures"},
		{"/api/ranking", client.Query("measure", "spec/body.colour"), 404, "spec/KEY"},
		{"/api/heads", client.Query("variants", "load-0000"), 422, "between two and four"},
		{"/api/index", client.Query("weights", "CPU"), 422, "weights are written as"},
		{"/api/index", client.Query("weights", "CPU=0"), 422, "sum to zero"},
		{"/api/index", client.Query("weights", "CPU=-1"), 422, "numbers from 0 up"},
		{"/api/value", client.Query("measure", "load-000/m0", "field", "load-50", "currency", "CHF"), 422,
			"no exchange rate from EUR to CHF"},
		{"/api/value", client.Query("measure", "load-000/m0", "currency", "euro"), 422, "currency"},
		{"/api/modes", client.Query("measure", "x/y"), 404, "the list of measures"},
		{"/api/curves", client.Query("test", "x"), 404, "list of all"},
		{"/api/fits", client.Query("use", "x"), 404, "list of all"},
		{"/api/places", client.Query("measure", "load-000/m0", "variant", "x"), 404, "list of all"},
		{"/api/ledger", client.Query("by", "moon"), 422, "by"},
		{"/api/charts/ranked.svg", client.Query("measure", "load-000/m0", "format", "poster"), 422, "format"},
	} {
		err := r.c.Do(context.Background(), http.MethodGet, c.path, c.query, nil, nil)
		t.Run(fmt.Sprint(c.path, "?", c.query.Encode()), func(t *testing.T) { refused(t, err, c.status, c.says) })
	}
	for _, c := range []struct {
		path string
		body any
		says string
	}{
		{"/api/rates", catalog.Rate{From: "EUR", To: "EUR", Rate: 1, Date: "2026-11-02"}, "between two currencies"},
		{"/api/rates", catalog.Rate{From: "EUR", To: "GBP", Rate: -1, Date: "2026-11-02"}, "above zero"},
		{"/api/fields", ranking.Field{Slug: "f", Name: "f", ReleasedFrom: "2026-13"}, "is not a month"},
		{"/api/fields", ranking.Field{Slug: "f", Name: "f", Price: &ranking.PriceBand{From: 5, To: 1, Currency: "EUR"}},
			"ends before it begins"},
		{"/api/uses", fit.Use{Slug: "u", Name: "u", Weights: []fit.Weight{{Group: "CPU"}}}, "sum to zero"},
		{"/api/use-files", []byte("format: durvek-use/1\nslug: u\nname: u\nweights:\n  - {group: CPU, wieght: 2}\n"),
			"wieght"},
	} {
		err := r.c.Do(context.Background(), http.MethodPost, c.path, nil, c.body, nil)
		t.Run(c.path+" "+c.says, func(t *testing.T) { refused(t, err, 422, c.says) })
	}
}

func TestAUseIsTakenInAndAskedFor(t *testing.T) {
	r := made(t)
	file := []byte("format: durvek-use/1\nslug: galley\nname: the galley\nneeds:\n  - {spec: body.weight, most: 1.5, " +
		"unit: kg}\nweights:\n  - {measure: load-000/m0, weight: 2}\n  - {group: memory, weight: 1}\n")
	var u fit.Use
	if err := r.c.Do(context.Background(), http.MethodPost, "/api/use-files", client.Query("check_only", "true"), file,
		&u); err != nil || len(get[[]fit.Use](r, "/api/uses")) != 0 {
		t.Fatalf("a trial wrote something, or failed: %v", err)
	}
	if err := r.c.Do(context.Background(), http.MethodPost, "/api/use-files", nil, file, &u); err != nil ||
		u.Slug != "galley" {
		t.Fatal(err)
	}
	fit := get[figures.UseFit](r, "/api/fits", "use", "galley", "field", "load-50")
	if len(fit.Fits) != 12 {
		t.Fatalf("%d fits", len(fit.Fits))
	}
	order := map[string]int{"for": 0, "open": 1, "not for": 2}
	for i, f := range fit.Fits {
		weight := fit.Fits[i].Needs[0]
		if (weight.Met == "failed") != (f.For == "not for") || i > 0 &&
			order[string(f.For)] < order[string(fit.Fits[i-1].For)] {
			t.Errorf("%+v", f)
		}
	}
	x := get[figures.Index](r, "/api/index", "use", "galley", "field", "load-50", "against", "load-0000")
	i := slices.IndexFunc(x.Rows, func(row ranking.IndexRow) bool { return row.ID == "load-0000" })
	if x.Rows[i].Value != 100 || x.Rows[i].Lo != 100 || !strings.Contains(x.Chart.Title, "for the galley") {
		t.Errorf("%+v, %q", x.Rows[i], x.Chart.Title)
	}
}
