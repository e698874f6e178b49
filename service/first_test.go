package service_test

import (
	"cmp"
	"context"
	"database/sql"
	"net/http"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"durvek/api"
	"durvek/client"
	"durvek/core/catalog"
	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/record"
	"durvek/core/verdict"
	"durvek/desk"
	"durvek/desk/front"
)

var background = context.Background()

// ask asks an operation that must be answered.
func ask[I, O any](r *running, op api.Operation[I, O], in I) O {
	r.t.Helper()
	out, err := client.Ask(background, r.c, op, in)
	if err != nil {
		r.t.Fatalf("%s: %v", op.ID, err)
	}
	return out
}

// device puts a sample on the books.
func device(r *running, kind catalog.Kind, maker, name, configuration string) catalog.Sample {
	r.t.Helper()
	return ask(r, api.AddDevice, api.With(catalog.Device{Kind: kind, Maker: maker, Name: name,
		Configuration: configuration}))
}

// weighed enters a weight.
func weighed(r *running, unit, kg string) {
	r.t.Helper()
	must(r.t, send(r, "/api/readings", map[string]any{"subject": unit, "test": "weight",
		"readings": map[string]string{"weight": kg}}))
}

func TestADeviceComesOnTheBooksByItsNames(t *testing.T) {
	r := start(t)
	for _, c := range []struct {
		kind                     catalog.Kind
		maker, name, conf        string
		model, variant, unit, as string
	}{
		{"laptop", "Selvane", "Fen 16", "16 GiB", "fen-16", "fen-16-16-gib", "fen-16-16-gib-a", "16 GiB"},
		{"laptop", "selvane", " fen 16 ", "16 gib", "fen-16", "fen-16-16-gib", "fen-16-16-gib-b", "16 GiB"}, // the same
		{"laptop", "Selvane", "Fen 16", "", "fen-16", "fen-16-as-sold", "fen-16-as-sold-a", "as sold"},
		{"laptop", "Ardnoe", "Fen 16", "", "ardnoe-fen-16", "ardnoe-fen-16-as-sold", "ardnoe-fen-16-as-sold-a", "as sold"},
		{"tablet", "Ardnoe", "Fen 16", "", "ardnoe-fen-16-2", "ardnoe-fen-16-2-as-sold", "ardnoe-fen-16-2-as-sold-a",
			"as sold"}, // another kind is another model
		{"phone", "Örtlund", "Ål é", "", "al-e", "al-e-as-sold", "al-e-as-sold-a", "as sold"},
		{"phone", "Örtlund", "№ ★", "", "no", "no-as-sold", "no-as-sold-a", "as sold"},
	} {
		if c.name == "№ ★" {
			c.model, c.variant, c.unit = "model", "model-as-sold", "model-as-sold-a"
		}
		s := device(r, c.kind, c.maker, c.name, c.conf)
		if s.Model.Slug != c.model || s.Variant.Slug != c.variant || s.Unit.Slug != c.unit || s.Variant.Name != c.as {
			t.Errorf("%s %q: %s, %s, %s, %s", c.maker, c.name, s.Model.Slug, s.Variant.Slug, s.Unit.Slug, s.Variant.Name)
		}
	}
	units := ask(r, api.Units, api.UnitsIn{})
	titles := map[string]string{}
	for _, u := range units {
		titles[u.Slug] = u.Title
	}
	if titles["fen-16-16-gib-b"] != "Selvane Fen 16, 16 GiB, unit b" || titles["al-e-as-sold-a"] != "Örtlund Ål é, as "+
		"sold" {
		t.Errorf("units are called %v", titles)
	}
	for _, c := range []struct {
		x    catalog.Device
		says string
	}{
		{catalog.Device{Kind: "boat", Maker: "M", Name: "N"}, "unknown kind"},
		{catalog.Device{Kind: "laptop", Maker: "", Name: "N"}, "maker"},
		{catalog.Device{Kind: "laptop", Maker: "M", Name: "N", Succeeds: "nobody"}, "no model"},
		{catalog.Device{Kind: "laptop", Maker: "M", Name: "N", Spec: map[string]any{"memory.size": "16 apples"}},
			"memory.size"},
		{catalog.Device{Kind: "laptop", Maker: "M", Name: "N", Released: "soon"}, "not a month"},
	} {
		_, err := client.Ask(background, r.c, api.AddDevice, api.With(c.x))
		if err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%+v: %v, want %q", c.x, err, c.says)
		}
	}
	if n := len(ask(r, api.Models, api.Listing{})); n != 5 {
		t.Errorf("%d models: something refused was written", n)
	}
}

func TestPartsThatAreAddedWithoutANameOfTheirOwnGetOne(t *testing.T) {
	r := start(t)
	m := ask(r, api.AddModel, api.With(catalog.Model{Maker: "Selvane", Name: "Fen 16", Kind: "laptop"}))
	v := ask(r, api.AddVariant, api.With(catalog.Variant{Model: m.Slug, Name: "16 GiB"}))
	u := ask(r, api.AddUnit, api.With(catalog.Unit{Variant: v.Slug}))
	if m.Slug != "fen-16" || v.Slug != "fen-16-16-gib" || u.Slug != "fen-16-16-gib-a" || u.State != "on desk" {
		t.Errorf("%+v, %+v, %+v", m, v, u)
	}
	if again := ask(r, api.AddVariant, api.With(catalog.Variant{Model: m.Slug,
		Name: "16 GiB"})); again.Slug != v.Slug+"-2" {
		t.Errorf("a second of one name is %s", again.Slug)
	}
}

// ranked lists who is ranked in weight.
func ranked(r *running) (names []string) {
	for _, x := range get[compare.Comparison](r, "/api/ranking", "measure", "weight/weight").Rows {
		names = append(names, x.Name)
	}
	return names
}

// rows counts the rows of every table of a data folder's database.
func rows(t *testing.T, dir string) map[string]int {
	t.Helper()
	db, err := sql.Open("sqlite", filepath.Join(dir, "durvek.db"))
	must(t, err)
	defer db.Close()
	list, err := db.Query(`select name from sqlite_schema where type = 'table' and name not like 'sqlite_%'`)
	must(t, err)
	defer list.Close()
	var names []string
	for list.Next() {
		var s string
		must(t, list.Scan(&s))
		names = append(names, s)
	}
	out := map[string]int{}
	for _, name := range names {
		var n int
		must(t, db.QueryRow(`select count(*) from "`+name+`"`).Scan(&n))
		out[name] = n
	}
	return out
}

func TestExamplesAreRankedAgainstAndLeaveNothingBehind(t *testing.T) {
	r := start(t)
	fen := device(r, "laptop", "Selvane", "Fen 16", "")
	weighed(r, fen.Unit.Slug, "1.43")
	before := ranked(r)
	tables := rows(t, r.dir)

	did := ask(r, api.LoadExamples, api.With(api.ExamplesOf{})) // of what is on the books: laptops
	if len(did.Units) != 4 || did.Runs < 200 {
		t.Fatalf("%d examples, %d runs", len(did.Units), did.Runs)
	}
	if again := ask(r, api.LoadExamples, api.With(api.ExamplesOf{})); len(again.Units) != 4 || again.Runs != 0 {
		t.Errorf("once more: %+v", again)
	}
	if got := ranked(r); len(got) != 5 || !slices.Contains(got, "Example light laptop") {
		t.Errorf("ranked: %v", got)
	}
	if open := get[struct{ Total int }](r, "/api/doubts", "state", "open"); open.Total != 0 {
		t.Errorf("%d doubts about what is made up", open.Total)
	}
	more := ask(r, api.LoadExamples, api.With(api.ExamplesOf{Kinds: []catalog.Kind{"drive"}}))
	if !slices.Contains(more.Units, "example-tower-a") || !slices.Contains(more.Units, "example-quick-drive-a") {
		t.Errorf("drives come with their host: %v", more.Units)
	}
	_, err := client.Ask(background, r.c, api.LoadExamples, api.With(api.ExamplesOf{Kinds: []catalog.Kind{"cooler"}}))
	refused(t, err, http.StatusNotFound, "no examples of these kinds")

	hungOnExamples(t, r)

	// Nor is anything published that is held against them.
	review := ask(r, api.AddReview, api.With(api.ReviewRequest{Subject: fen.Variant.Slug}))
	review.Summary, review.Recommendation = "Good.", verdict.Recommended
	must(t, r.c.Do(background, http.MethodPut, "/api/reviews/"+review.Slug, nil, review, nil))
	refused(t, send(r, "/api/reviews/"+review.Slug+"/signature", map[string]string{"by": "Ilse"}), http.StatusConflict,
		"examples, which are made up")

	ask(r, api.DropExamples, api.Dropping{All: true})
	if got := ranked(r); !slices.Equal(got, before) {
		t.Errorf("ranked afterwards: %v", got)
	}
	must(t, send(r, "/api/reviews/"+review.Slug+"/signature", map[string]string{"by": "Ilse"}))
	for table, n := range rows(t, r.dir) {
		if n != tables[table] && !slices.Contains([]string{"journal", "review", "test"}, table) {
			t.Errorf("table %s holds %d rows, %d before", table, n, tables[table])
		}
	}
	r.down() // and the next start finds nothing either
	r.up()
	r.c = client.New("http://"+r.addr, r.token)
	if got := ranked(r); !slices.Equal(got, before) {
		t.Errorf("ranked after a new start: %v", got)
	}
}

// hungOnExamples puts one thing after the other on an example, and has others refer to one: each keeps them all and
// says
// so. What refers to them is removed again; what is on them stays.
func hungOnExamples(t *testing.T, r *running) {
	t.Helper()
	const unit, variant = "example-laptop-a", "example-laptop"
	put := func(path string, in any) string {
		made, err := client.Post[struct{ ID, Slug string }](background, r.c, path, nil, in)
		must(t, err)
		return cmp.Or(made.ID, made.Slug)
	}
	drop := func(all bool) error {
		_, err := client.Ask(background, r.c, api.DropExamples, api.Dropping{All: all})
		return err
	}
	for _, x := range []struct {
		says, path string
		in         any
	}{
		{"1 run", "/api/readings", map[string]any{"subject": unit, "test": "weight",
			"readings": map[string]string{"weight": "1.5"}}},
		{"1 unit", "/api/units", catalog.Unit{Variant: variant}},
		{"1 plan", "/api/plans", map[string]any{"unit": unit, "steps": []method.PlanStep{{Test: "hashing", Repeats: 1}}}},
		{"1 claim", "/api/claims", catalog.Claim{Variant: variant, Measure: "weight/weight", Value: 1, Unit: "kg",
			Source: "box"}},
		{"1 remark", "/api/remarks", map[string]any{"variant": variant, "text": "It creaks."}},
		{"1 incident", "/api/incidents", map[string]any{"unit": unit, "kind": "crash", "text": "It fell.", "times": 1}},
		{"1 partner", "/api/partners", map[string]any{"part": unit, "partner": "a printer",
			"outcome": "works"}},
	} {
		put(x.path, x.in)
		refused(t, drop(false), http.StatusConflict, x.says, "for what of yours is on them: ")
	}
	for _, x := range []struct {
		says, path string
		in         any
		gone       string
	}{
		{"1 rig", "/api/rigs", catalog.Rig{Slug: "pair", Name: "Pair", Parts: []catalog.RigPart{{Unit: unit}}},
			"/api/books/rig/pair"},
		{"1 successor", "/api/models", catalog.Model{Maker: "M", Name: "Next", Kind: "laptop", Succeeds: variant},
			"/api/books/model/next"},
		{"1 field", "/api/fields", map[string]any{"slug": "few", "name": "few", "variants": []string{variant}},
			"/api/fields/few"},
		{"1 field", "/api/fields", map[string]any{"slug": "most", "name": "most", "without": []string{variant}},
			"/api/fields/most"},
		{"1 review", "/api/reviews", map[string]any{"subject": variant, "slug": "made-up"}, "/api/books/review/made-up"},
	} {
		put(x.path, x.in)
		refused(t, drop(true), http.StatusConflict, x.says, "for what of yours refers to them: ")
		must(t, r.c.Do(background, http.MethodDelete, x.gone, nil, nil, nil))
	}
	v := ask(r, api.AddReview, api.With(api.ReviewRequest{Subject: "fen-16-as-sold", Slug: "other"}))
	v.Alternatives = []verdict.Alternative{{Variant: variant, Reason: "lighter"}}
	must(t, r.c.Do(background, http.MethodPut, "/api/reviews/other", nil, v, nil))
	refused(t, drop(true), http.StatusConflict, "refers to them: 1 review")
	must(t, r.c.Do(background, http.MethodDelete, "/api/books/review/other", nil, nil, nil))
}

func TestAMachineThatIsOnNoBookTellsOfItself(t *testing.T) {
	r := start(t)
	code := ask(r, api.ArrivalCode, api.With(api.Arrival{Kind: "laptop"}))
	if code.Code == "" || !strings.Contains(code.Link, "/probe/#"+code.Code) {
		t.Fatalf("%+v", code)
	}
	told := record.Machine{Name: "crew-7", Boot: "boot-1", System: "Strand OS 9", Processor: "Lodestow Dab", Cores: 10,
		Threads: 16, Memory: 156 << 30 / 10, Facts: map[string]string{"device.maker": "Selvane", "device.model": "Fen 16"}}
	j, err := r.c.Join(background, code.Code, "", told)
	must(t, err)
	if j.Plan.Unit != "fen-16-16-gib-a" || j.Plan.State != method.PlanRunning || len(j.Plan.Steps) < 10 ||
		len(j.Tests) < 10 {
		t.Errorf("its plan: %+v", j.Plan)
	}
	v := ask(r, api.Variant, api.Slugged{Slug: "fen-16-16-gib"})
	if v.Spec["cpu.name"] != "Lodestow Dab" || v.Spec["memory.size"] != "16 GiB" || v.Spec["cpu.threads"] != 16.0 {
		t.Errorf("its sheet: %v", v.Spec)
	}
	_, err = r.c.Join(background, code.Code, "", record.Machine{Name: "other", Boot: "boot-2"})
	refused(t, err, http.StatusUnauthorized, "unknown, spent or expired")
	if n := len(ask(r, api.Units, api.UnitsIn{})); n != 1 {
		t.Errorf("%d units", n)
	}

	// A phone comes by its browser, and is measured by what a browser can.
	code = ask(r, api.ArrivalCode, api.With(api.Arrival{Kind: "phone"}))
	j, err = r.c.Join(background, code.Code, "", record.Machine{Name: "Blink on Shoal OS, 1a2b3c", Boot: "probe-1a2b3c",
		System: "Shoal OS 5", Facts: map[string]string{"browser.engine": "Blink", "screen.pixels": "2400 × 1080"}})
	must(t, err)
	if !slices.ContainsFunc(j.Plan.Steps, func(s method.PlanStep) bool { return s.Test == "screen-facts" }) {
		t.Errorf("its plan: %+v", j.Plan.Steps)
	}
	for _, kind := range []catalog.Kind{"drive", "boat"} {
		if _, err := client.Ask(background, r.c, api.ArrivalCode, api.With(api.Arrival{Kind: kind})); err == nil {
			t.Errorf("a %s can tell of itself", kind)
		}
	}
}

func TestTheDeskSaysOfItselfWhatItWasTold(t *testing.T) {
	r := &running{t: t, dir: t.TempDir(), addr: "127.0.0.1:0"}
	r.up()
	t.Cleanup(func() { r.down() })
	token, err := r.desk.Books.LocalToken(background)
	must(t, err)
	r.c, r.token = client.New("http://"+r.addr, token), token
	if s := ask(r, api.Self, api.None{}); s.Name != "Durvek" || s.Named || len(s.Fixed) != 0 {
		t.Errorf("unnamed: %+v", s)
	}
	fen := device(r, "laptop", "Selvane", "Fen 16", "")
	weighed(r, fen.Unit.Slug, "1.43")
	foot := func() string {
		return get[compare.Comparison](r, "/api/ranking", "measure", "weight/weight").Chart.Foot
	}
	if !strings.HasSuffix(foot(), "Durvek.") {
		t.Errorf("a chart's foot: %q", foot())
	}
	s := ask(r, api.Describe, api.With(desk.Self{Name: " Harbour Desk ", Licence: "CC-BY-4.0", Imprint: "The harbour"}))
	if s.Name != "Harbour Desk" || !s.Named || !strings.HasSuffix(foot(), "Harbour Desk.") {
		t.Errorf("named: %+v, foot %q", s, foot())
	}
	for _, bad := range []desk.Self{{Name: " "}, {Name: "D", Licence: "Anything"}, {Name: strings.Repeat("d", 81)}} {
		if _, err := client.Ask(background, r.c, api.Describe, api.With(bad)); err == nil {
			t.Errorf("%+v is taken", bad)
		}
	}
	r.down()
	r.name = "Told Desk"
	r.up()
	r.c = client.New("http://"+r.addr, r.token)
	if s := ask(r, api.Self, api.None{}); s.Name != "Told Desk" || s.Licence != "CC-BY-4.0" ||
		s.Imprint != "The harbour" ||
		!slices.Equal(s.Fixed, []string{"name"}) {
		t.Errorf("after a start with a name: %+v", s)
	}
	_, err = client.Ask(background, r.c, api.Describe, api.With(desk.Self{Name: "Other"}))
	refused(t, err, http.StatusUnprocessableEntity, "--name")
}

func TestWhatOneLooksForIsFoundThoughLettersAreWrong(t *testing.T) {
	r := start(t)
	device(r, "laptop", "Selvane", "Fen 16", "16 GiB")
	device(r, "laptop", "Ardnoe", "Skiff 14", "")
	device(r, "tablet", "Ardnoe", "Ketch Tab", "")
	for _, c := range []struct{ text, kind, name string }{
		{"fen 16", "model", "Selvane Fen 16"},
		{"SKIFF", "model", "Ardnoe Skiff 14"},
		{"skif", "model", "Ardnoe Skiff 14"},
		{"skfif", "model", "Ardnoe Skiff 14"}, // two letters changed their places
		{"selvnae", "model", "Selvane Fen 16"},
		{"ketsh tab", "model", "Ardnoe Ketch Tab"},
		{"hashing", "test", "Hashing"},
		{"compresion", "test", "Compression"},
		{"fen-16-16-gib-a", "unit", "Selvane Fen 16, 16 GiB"},
		{"as delivered", "setup", "As delivered"},
		{"weigth", "test", "Weight"},
		{"fen ardnoe", "", ""}, // all words must fit
		{"zzzz", "", ""},
		{"fne", "model", "Selvane Fen 16"},
		{"fon", "", ""}, // of a short word two letters may have changed places, and no more
		{" ", "", ""},
	} {
		got := ask(r, api.Find, api.Finding{Text: c.text, Most: 12})
		if c.kind == "" {
			if len(got) > 0 {
				t.Errorf("%q finds %+v", c.text, got[0])
			}
			continue
		}
		if !slices.ContainsFunc(got[:min(3, len(got))], func(f front.Found) bool {
			return f.Kind == c.kind &&
				f.Name == c.name
		}) {
			t.Errorf("%q finds %+v", c.text, got)
		}
	}
	if n := len(ask(r, api.Find, api.Finding{Text: "all", Most: 2})); n != 2 {
		t.Errorf("%d of 2 at most", n)
	}
}

func TestTodayTellsWhatRunsWhatWaitsAndWhatIsDoubtedForOneReason(t *testing.T) {
	r := filled(t)
	day := ask(r, api.Today, api.None{})
	if day.Open == 0 || len(day.Doubts) == 0 || len(day.Doubts) > day.Open || day.Holds.Runs == 0 ||
		day.Holds.Reviews == 0 {
		t.Fatalf("%+v", day)
	}
	warm := slices.IndexFunc(day.Doubts, func(c front.Cause) bool {
		return c.Rule == "ambient" &&
			c.Unit == "petrel-8-256-a"
	})
	if warm < 0 || day.Doubts[warm].Runs < 10 || !strings.HasPrefix(day.Doubts[warm].Name, "Tamrisk Petrel") {
		t.Errorf("the warm room is one entry: %+v", day.Doubts)
	}
	seen := map[string]bool{}
	for _, c := range day.Doubts {
		if seen[c.Rule+c.Unit] {
			t.Errorf("%s of %s stands twice", c.Rule, c.Unit)
		}
		seen[c.Rule+c.Unit] = true
	}
	if len(day.Decided) == 0 || !slices.ContainsFunc(day.Decided,
		func(c front.Decided) bool { return c.Outcome.Decided() }) {
		t.Errorf("decided: %+v", day.Decided)
	}
	waiting := len(day.Waiting)
	p := ask(r, api.AddPlan, api.With(api.PlanRequest{Unit: "fen-14-16-512-a", Steps: []method.PlanStep{{Test: "hashing",
		Repeats: 1}}, Terms: method.Terms{Order: "grouped", Failure: "go-on", Departure: "mark"}}))
	if day = ask(r, api.Today, api.None{}); len(day.Waiting) != waiting+1 || day.Asks != 0 {
		t.Errorf("%d wait, %d ask", len(day.Waiting), day.Asks)
	}
	code := ask(r, api.PlanCode, api.Slugged{Slug: p.ID})
	_, err := r.c.Join(background, code.Code, "", record.Machine{Name: "fen", Boot: "b", Simulated: true})
	must(t, err)
	if day = ask(r, api.Today, api.None{}); len(day.Measuring) != 1 || day.Measuring[0].Plan.ID != p.ID {
		t.Errorf("measuring: %+v", day.Measuring)
	}
}
