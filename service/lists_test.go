package service_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"reflect"
	"strings"
	"testing"

	"durvek/core/catalog"
	"durvek/core/record"
	"durvek/desk/house"
	"durvek/desk/results"
	"durvek/internal/testdesk"
	"durvek/service"
	"durvek/store"
)

// reader reads lists of a desk from its service.
type reader struct {
	t     *testing.T
	at    string
	token string
}

func reading(t *testing.T, d *house.House) reader {
	t.Helper()
	token, err := d.Books.LocalToken(t.Context())
	must(t, err)
	at, _ := guardedWith(t, d, service.Options{})
	return reader{t, "http://" + at, token}
}

// get gives an answer, its status and the path of the next part.
func (r reader) get(path string, into any) (status int, next string) {
	r.t.Helper()
	q, err := http.NewRequest(http.MethodGet, r.at+path, nil)
	must(r.t, err)
	q.Header.Set("Authorization", "Bearer "+r.token)
	a, err := http.DefaultClient.Do(q)
	must(r.t, err)
	defer a.Body.Close()
	must(r.t, json.NewDecoder(a.Body).Decode(into))
	link, _ := strings.CutSuffix(a.Header.Get("Link"), `>; rel="next"`)
	return a.StatusCode, strings.TrimPrefix(link, "<")
}

func (r reader) names(path string) string {
	r.t.Helper()
	var list []catalog.Model
	if status, _ := r.get(path, &list); status != http.StatusOK {
		r.t.Fatalf("%s: %d", path, status)
	}
	out := ""
	for _, m := range list {
		out += m.Slug
	}
	return out
}

func TestAListIsFilteredAndOrdered(t *testing.T) {
	d := testdesk.Opened(t)
	for _, m := range []catalog.Model{{Slug: "d", Maker: "Other", Name: "d", Kind: "phone", Released: "2026-02"},
		{Slug: "e", Maker: "Maker", Name: "Ea", Kind: "phone", Released: "2026-10"}} {
		must(t, testdesk.Err(d.Books.AddModel(t.Context(), m, "me")))
	}
	r := reading(t, d)
	for query, want := range map[string]string{
		"":                                        "abced", // by maker and name, as it was
		"filter=kind%3Dphone":                     "ed",
		"filter=kind!%3Dphone":                    "abc",
		"filter=kind=phone&filter=maker=Maker":    "e",
		"filter=name=a":                           "a", // not those that only hold it
		"filter=name~A":                           "ae",
		"filter=released>2026-02":                 "e",
		"filter=released>%3D2026-02":              "ed",
		"filter=released<2026-10":                 "d",
		"filter=released<=2026-10":                "ed",
		"filter=released=":                        "abc", // what has none
		"filter=released!=":                       "ed",
		"filter=kind=tablet":                      "",
		"sort=name":                               "abcde",
		"sort=-name":                              "edcba",
		"sort=released":                           "deabc", // those without come last, in their order
		"sort=-released":                          "edabc",
		"sort=kind,-name":                         "cbaed",
		"sort=-slug&limit=2":                      "ed",
		"sort=-slug&limit=5":                      "edcba",
		"sort=-slug&limit=6":                      "edcba",
		"filter=kind=laptop&sort=-name&limit=500": "cba",
	} {
		if got := r.names("/api/models?" + query); got != want {
			t.Errorf("%s gives %s, want %s", query, got, want)
		}
	}
	for query, says := range map[string]string{"filter=weight=1": "also_sold_as, kind, maker", "sort=-weight": "weight",
		"filter=kind": "FIELD=VALUE", "filter=kind!x": "compares nothing", "limit=0": "1 to 500", "limit=501": "1 to 500",
		"limit=two": "1 to 500", "after=nothing": "begin anew", "order=name": "What was sent does not fit"} {
		var p struct{ Detail string }
		if status, _ := r.get("/api/models?"+query, &p); status != http.StatusUnprocessableEntity ||
			!strings.Contains(p.Detail, says) {
			t.Errorf("%s: %d %s", query, status, p.Detail)
		}
	}
}

func TestPartsOfAListAreTheWholeList(t *testing.T) {
	d := testdesk.Opened(t)
	r := reading(t, d)
	for _, size := range []int{1, 2, 3} {
		got, path := "", fmt.Sprintf("/api/models?sort=-name&limit=%d", size)
		for path != "" {
			var list []catalog.Model
			var status int
			if status, path = r.get(path, &list); status != http.StatusOK || len(list) == 0 {
				t.Fatalf("%d: %v", status, list)
			}
			for _, m := range list {
				got += m.Slug
			}
		}
		if got != "cba" {
			t.Errorf("by %d: %s", size, got)
		}
	}
	var list []catalog.Model
	_, next := r.get("/api/models?limit=1&sort=name", &list)
	must(t, testdesk.Err(d.Books.AddModel(t.Context(), catalog.Model{Slug: "0", Maker: "Maker", Name: "0", Kind: "phone"},
		"me")))
	if got := r.names(next); got != "b" {
		t.Errorf("after one came in before the part, the next is %s", got)
	}
}

// walk reads a growing list, two at a time, while another entry comes in after each part.
func walk[P, E any](t *testing.T, r reader, path string, entries func(P) []E, id func(E) string, grow func()) []string {
	t.Helper()
	var ids []string
	for after := ""; ; {
		var page P
		if status, _ := r.get(path+"limit=2&after="+after, &page); status != http.StatusOK {
			t.Fatalf("%s: %d", path, status)
		}
		list := entries(page)
		if len(list) == 0 {
			return ids
		}
		for _, e := range list {
			ids = append(ids, id(e))
		}
		after = ids[len(ids)-1]
		grow()
	}
}

func TestGrowingListsAreReadWithoutGapsOrDoubles(t *testing.T) {
	d := testdesk.Opened(t)
	r := reading(t, d)
	testdesk.Quiet(t, d)
	testdesk.Rates(t, d, "a", "", 100, 300, 500, 700) // in doubt
	note := func() {
		must(t, testdesk.Err(d.Bench.NoteIncident(t.Context(), record.Incident{Unit: "a", Kind: "crash", Text: "x",
			At: testdesk.Morning(), Times: 1, Tries: 1}, "me")))
	}
	for range 5 {
		note()
	}
	type runs struct{ Runs []record.Run }
	type incidents struct{ Incidents []record.Incident }
	type journal struct{ Lines []record.Noted }
	n := 10
	another := func() {
		n++
		testdesk.Typed(t, d, results.Typed{Subject: "b", Repeat: n, Readings: map[string]string{"rate": "100"}})
	}
	check := func(what string, got []string, whole []string) {
		t.Helper()
		if len(whole) < 3 || !reflect.DeepEqual(got, whole) {
			t.Errorf("%s in parts are %v, want %v", what, got, whole)
		}
	}
	list, _, err := d.Results.Runs(t.Context(), store.RunFilter{Subject: "a", Limit: 100})
	must(t, err)
	check("runs", walk(t, r, "/api/runs?subject=a&", func(p runs) []record.Run { return p.Runs },
		func(x record.Run) string { return x.ID }, another), ids(list, func(x record.Run) string { return x.ID }))
	inc, _, err := d.Bench.Incidents(t.Context(), store.IncidentFilter{})
	must(t, err)
	of := func(x record.Incident) string { return x.ID }
	check("incidents", walk(t, r, "/api/incidents?kind=crash&", func(p incidents) []record.Incident { return p.Incidents },
		of, func() {}), ids(inc, of))
	lines, _, err := d.Books.Journal(t.Context(), "", "", 0, 500)
	must(t, err)
	line := func(x record.Noted) string { return fmt.Sprint(x.ID) }
	check("journal", walk(t, r, "/api/journal?", func(p journal) []record.Noted { return p.Lines }, line, note),
		ids(lines, line))
	for _, path := range []string{"/api/runs", "/api/incidents", "/api/doubts", "/api/journal"} {
		var p struct{ Detail string }
		if status, _ := r.get(path+"?after=nobody", &p); status != http.StatusUnprocessableEntity ||
			!strings.Contains(p.Detail, "nobody") {
			t.Errorf("%s: %d %s", path, status, p.Detail)
		}
	}
	doubts, total, err := d.Results.Doubts(t.Context(), store.DoubtFilter{})
	must(t, err)
	for i := range total {
		rest, _, err := d.Results.Doubts(t.Context(), store.DoubtFilter{After: doubts[i].ID})
		must(t, err)
		if len(rest) != total-1-i || len(rest) > 0 && rest[0].ID != doubts[i+1].ID {
			t.Errorf("behind doubt %d of %d are %d", i, total, len(rest))
		}
	}
	if total < 2 {
		t.Errorf("only %d doubts", total)
	}
}

func ids[E any](list []E, id func(E) string) (out []string) {
	for _, e := range list {
		out = append(out, id(e))
	}
	return out
}
