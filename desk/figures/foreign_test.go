package figures_test

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"slices"
	"strings"
	"testing"

	"durvek/core/compare"
	"durvek/core/ranking"
	"durvek/core/schedule"
	"durvek/core/verdict"
	"durvek/desk/books"
	"durvek/desk/figures"
	"durvek/desk/house"
	"durvek/exchange"
	"durvek/internal/testdesk"
)

// columns are those of an edition's figures.
var columns = strings.Split("measure,unit,test_version,variant,sample,host,place,setup,must_match,bound,centre,low_95,"+
	"high_95,median,standard_error,degrees_of_freedom,repeats,sittings,simulated,caveat,measured_by", ",")

// published is what a made-up desk published of the test work: rows of variant, version, conditions, centre, caveat and
// what else is unlike the usual, as column=value.
func published(number int, name, id, print string, rows ...string) books.Arrival {
	f := map[string]string{"variants.csv": "variant,model,maker,name,configuration,kind,released,spec\n",
		"tests.csv": "test,version,name,fingerprint\n", "figures.csv": strings.Join(columns, ",") + "\n"}
	listed := map[string]bool{}
	for _, r := range rows {
		x := strings.Split(r, "|")
		var centre float64
		fmt.Sscan(x[3], &centre)
		cells := map[string]string{"measure": "work/rate", "unit": "/min", "test_version": x[1], "variant": x[0],
			"sample": x[0] + "-1", "setup": "as-delivered", "must_match": `"` + strings.ReplaceAll(x[2], `"`, `""`) + `"`,
			"centre": x[3], "low_95": fmt.Sprint(centre * 0.98), "high_95": fmt.Sprint(centre * 1.02), "median": x[3],
			"standard_error": "0.01", "degrees_of_freedom": "20", "repeats": "9", "sittings": "1", "simulated": "false",
			"caveat": x[4], "name": strings.ToUpper(x[0])}
		for _, other := range x[5:] {
			column, value, _ := strings.Cut(other, "=")
			cells[column] = value
		}
		if !listed[x[0]] {
			listed[x[0]] = true
			f["variants.csv"] += fmt.Sprintf("%s,%s,Maker,%s,as sold,laptop,,\"{\"\"body.weight\"\":\"\"1 kg\"\"}\"\n",
				x[0], x[0], cells["name"])
		}
		test, _, _ := strings.Cut(cells["measure"], "/")
		if !listed[test+x[1]] {
			listed[test+x[1]] = true
			f["tests.csv"] += fmt.Sprintf("%s,%s,Work,%s\n", test, x[1], print)
		}
		for i, c := range columns {
			f["figures.csv"] += cells[c] + map[bool]string{false: ",", true: "\n"}[i == len(columns)-1]
		}
	}
	var resources []string
	for t := range f {
		sum := sha256.Sum256([]byte(f[t]))
		resources = append(resources, fmt.Sprintf(`{"name": %q, "hash": "sha256:%s"}`, strings.TrimSuffix(t, ".csv"),
			hex.EncodeToString(sum[:])))
	}
	f[exchange.Package] = fmt.Sprintf(`{"durvek": %q, "durvek_desk": %q, "name": "a", "title": "A, reviewed",
		"version": "%d.0.0", "created": "2026-11-0%dT10:00:00Z", "contributors": [{"title": %q, "role": "publisher"}],
		"resources": [%s]}`, exchange.Profile, id, number, number, name, strings.Join(resources, ","))
	return books.Arrival{Files: f}
}

// of makes an edition one of another review.
func of(review string, a books.Arrival) books.Arrival {
	a.Files[exchange.Package] = strings.Replace(a.Files[exchange.Package], `"name": "a"`, `"name": "`+review+`"`, 1)
	return a
}

const mains, battery = `{"supply":"mains"}`, `{"supply":"battery"}`

// take takes in an edition, or wants it refused.
func take(t *testing.T, d *house.House, a books.Arrival, check bool, refused string) (out books.Rivals) {
	t.Helper()
	out, err := d.Books.TakeEdition(testdesk.Ctx, a, check, "who")
	if refused == "" && err != nil || refused != "" && (err == nil || !strings.Contains(err.Error(), refused)) {
		t.Fatalf("%v, wanted %q", err, refused)
	}
	return out
}

func rankOf(t *testing.T, d *house.House, q compare.Question) compare.Comparison {
	t.Helper()
	q.Measure = "work/rate"
	c, err := d.Figures.Rank(testdesk.Ctx, q)
	if err != nil {
		t.Fatal(err)
	}
	return c
}

func TestWhatAnotherDeskPublishedStandsBesideOnesOwn(t *testing.T) {
	d := testdesk.Opened(t)
	testdesk.Rates(t, d, "a", "as-delivered", 100, 100.4, 99.7, 100.1, 99.9)
	print := testdesk.Work().Fingerprint()
	before := rankOf(t, d, compare.Question{})
	pool, err := d.Figures.Pool(testdesk.Ctx, before.Measure)
	if err != nil {
		t.Fatal(err)
	}
	first := published(1, "Kelp Bench", "k", print, "q|1|"+mains+"|150|", "r|1|"+battery+"|200|", "s|1|"+mains+
		"|50|measured in a warm room", "a|1|"+mains+"|101|")
	seen := take(t, d, first, true, "")
	if seen.Usable != 4 || seen.Figures != 4 || !seen.Taken.IsZero() || len(rankOf(t, d, compare.Question{}).Rows) != 1 {
		t.Errorf("looked at: %+v", seen)
	}
	if got := take(t, d, first, false, ""); got.Origin != "kelp-bench" || got.Taken.IsZero() || got.By != "who" ||
		got.Devices[0] != (books.Foreign{Variant: "q-of-kelp-bench", Name: "Maker Q (Kelp Bench), as sold"}) {
		t.Errorf("%+v", got)
	}
	c := rankOf(t, d, compare.Question{})
	var names []string
	for _, r := range c.Rows {
		names = append(names, r.Name+" by "+r.Origin)
	}
	// Of what this desk has a unit of it counts its own figure, and no product stands twice.
	if !slices.Equal(names, []string{"Maker Q (Kelp Bench) by Kelp Bench", "Maker A by ",
		"Maker S (Kelp Bench) by Kelp Bench"}) {
		t.Errorf("%q", names)
	}
	if c.Rows[0].Estimate.Lo != 147 || c.Rows[0].Estimate.N != 9 || c.Rows[2].Caveat() != "measured in a warm room" ||
		!strings.Contains(c.Chart.Foot, "Measured by other desks: 2 by Kelp Bench.") {
		t.Errorf("%+v\n%s", c.Rows[0], c.Chart.Foot)
	}
	// Its r ran on battery: unlike, though it would be first. What it tells nothing of is no gap.
	left := map[string]compare.Absence{}
	for _, l := range c.LeftOut {
		left[l.Variant] = l.Kind
	}
	if len(left) != 3 || left["r-of-kelp-bench"] != compare.NotComparable || left["b"] != compare.NotRun {
		t.Errorf("%+v", c.LeftOut)
	}
	// Even where most figures are another desk's, one's own say what is compared.
	most := published(2, "Kelp Bench", "k", print, "q|1|"+battery+"|150|", "r|1|"+battery+"|200|", "s|1|"+battery+"|50|")
	take(t, d, most, false, "")
	if c := rankOf(t, d, compare.Question{}); len(c.Rows) != 1 || c.Rows[0].Variant != "a" {
		t.Errorf("%+v", c.Rows)
	}
	after, err := d.Figures.Pool(testdesk.Ctx, before.Measure)
	if err != nil || after.SR != pool.SR || after.Own != pool.Own ||
		after.DF != pool.DF {
		t.Errorf("the desk's repeatability moved: %+v, %+v, %v", pool, after, err)
	}
}

func TestAnEditionIsTakenInOnceAndUnderOneName(t *testing.T) {
	d := testdesk.Opened(t)
	testdesk.Rates(t, d, "a", "as-delivered", 100, 100.4, 99.7, 100.1, 99.9)
	print, before := testdesk.Work().Fingerprint(), rankOf(t, d, compare.Question{})
	first := published(1, "Kelp Bench", "k", print, "q|1|"+mains+"|150|")
	most := published(2, "Kelp Bench", "k", print, "q|1|"+battery+"|150|")
	take(t, d, most, false, "")
	take(t, d, first, false, `edition 2 of "a" by Kelp Bench is here already`)
	take(t, d, published(2, "Kelp Bench", "k", print, "q|1|"+mains+"|151|"), false, "with other tables")
	if again := take(t, d, most, false, ""); again.Edition != 2 {
		t.Error("the same edition again is answered as it stands")
	}
	take(t, d, published(1, "Kelp Bench", "other", print, "q|1|"+mains+"|1|"), false, "another desk goes by")
	take(t, d, published(1, "Desk", "other", print, "q|1|"+mains+"|1|"), false, "this desk is called")
	take(t, d, published(1, "X", d.Desk.Self().ID, print, "q|1|"+mains+"|1|"), false, "this desk itself")
	renamed := first
	renamed.As = "X\nY"
	take(t, d, renamed, false, "a line of text")
	renamed = most
	renamed.As = "Another name"
	take(t, d, renamed, false, "remove what is here of it")
	second := published(1, "Kelp Bench", "other", print, "q|1|"+mains+"|120|")
	second.As = "Kelp in the north"
	take(t, d, second, false, "")
	if c := rankOf(t, d, compare.Question{}); len(c.Rows) != 2 || c.Rows[0].Origin != "Kelp in the north" {
		t.Errorf("%+v", c.Rows)
	}
	list, err := d.Books.Exchanged(testdesk.Ctx)
	if err != nil || len(list) != 2 || list[1].Desk != "Kelp in the north" {
		t.Errorf("%+v, %v", list, err)
	}
	if err := d.Books.DropExchanged(testdesk.Ctx, "kelp-bench", "b", "who"); err == nil {
		t.Error("a review that is not here was removed")
	}
	for _, origin := range []string{"kelp-bench", "kelp-in-the-north"} {
		if err := d.Books.DropExchanged(testdesk.Ctx, origin, "", "who"); err != nil {
			t.Error(err)
		}
	}
	now := rankOf(t, d, compare.Question{})
	if len(now.Rows) != 1 || len(now.LeftOut) != len(before.LeftOut) || now.Chart.Foot != before.Chart.Foot {
		t.Errorf("something stayed: %+v", now)
	}
}

func TestOtherTestsOfOneNameAreKeptApart(t *testing.T) {
	d := testdesk.Opened(t)
	testdesk.Rates(t, d, "a", "as-delivered", 100, 100.4, 99.7, 100.1, 99.9)
	got := take(t, d, published(1, "Kelp Bench", "k", "0000000000000000", "q|1|"+mains+"|150|"), false, "")
	if got.Usable != 0 || got.Tests[0].Stands != exchange.Other {
		t.Errorf("%+v", got)
	}
	if c := rankOf(t, d, compare.Question{}); len(c.Rows) != 1 || len(c.LeftOut) != 2 {
		t.Errorf("%+v", c)
	}
	got = take(t, d, published(2, "Kelp Bench", "k", "0000000000000000", "q|7|"+mains+"|150|"), false, "")
	if got.Tests[0].Stands != exchange.Version || got.Tests[0].Here != 1 {
		t.Errorf("%+v", got)
	}
	c := rankOf(t, d, compare.Question{})
	if len(c.Rows) != 1 || len(c.LeftOut) != 3 || !slices.ContainsFunc(c.LeftOut, func(l compare.LeftOut) bool {
		return l.Variant == "q-of-kelp-bench" && strings.Contains(l.Reason, "version")
	}) {
		t.Errorf("%+v", c.LeftOut)
	}
}

func TestAnotherDesksDevicesAreComparedAndNothingElse(t *testing.T) {
	d := testdesk.Opened(t)
	ctx := testdesk.Ctx
	testdesk.Rates(t, d, "a", "as-delivered", 100, 100.4, 99.7, 100.1, 99.9)
	take(t, d, published(1, "Kelp Bench", "k", testdesk.Work().Fingerprint(), "a|1|"+mains+"|101|", "q|1|"+mains+"|150|"),
		false, "")
	h, err := d.Figures.HeadToHead(ctx, []string{"a", "q-of-kelp-bench"}, "", "")
	if err != nil || len(h.Rows) != 1 || h.Sides[1].Name != "Maker Q (Kelp Bench)" {
		t.Errorf("%+v, %v", h, err)
	}
	if err := d.Figures.AddField(ctx, ranking.Field{Slug: "both", Name: "both", Variants: []string{"a",
		"a-of-kelp-bench", "q-of-kelp-bench"}}, "who"); err != nil {
		t.Error(err)
	}
	if err := d.Figures.AddField(ctx, ranking.Field{Slug: "no", Name: "no", Variants: []string{"z-of-kelp-bench"}},
		"who"); err == nil {
		t.Error("a variant that nobody has was picked")
	}
	if c := rankOf(t, d, compare.Question{Field: "both"}); len(c.Rows) != 3 { // a twin that is named stands there
		t.Errorf("%+v", c.Rows)
	}
	if _, err := d.Reviews.AddReview(ctx, verdict.Review{Subject: "q-of-kelp-bench"}, "who"); err == nil ||
		!strings.Contains(err.Error(), "measured by another desk") {
		t.Error(err)
	}
	next, err := d.Figures.Next(ctx, figures.NextQuestion{Most: 50})
	if err != nil {
		t.Fatal(err)
	}
	for _, s := range next {
		if strings.Contains(s.Variant, "-of-") {
			t.Errorf("to be tested: %+v", s)
		}
	}
	// Spec sheets come with them; prices are of what is sold, whoever measured it.
	c, err := d.Figures.Rank(ctx, compare.Question{Measure: "spec/body.weight", Subject: "a-of-kelp-bench"})
	if err != nil || len(c.Rows) != 2 || strings.Contains(c.Chart.Foot, "other desks") {
		t.Errorf("%+v, %v", c, err)
	}
	testdesk.Price(t, d, "a", 90000, "EUR")
	c, err = d.Figures.Rank(ctx, compare.Question{Measure: "price/EUR", Subject: "a-of-kelp-bench"})
	if err != nil || len(c.Rows) != 2 {
		t.Errorf("%+v, %v", c.Rows, err)
	}
}

func TestACaveatOfAnotherDeskComesAlongIntoWhatIsWorkedOut(t *testing.T) {
	d := derivedDesk(t)
	take(t, d, published(1, "Kelp Bench", "k", testdesk.Work().Fingerprint(), "b|1|"+mains+"|150|measured in a warm room",
		"a|1|"+mains+"|100|"), false, "")
	all := ranking.Field{Slug: "all", Name: "all", Variants: []string{"a", "b", "a-of-kelp-bench", "b-of-kelp-bench"}}
	if err := d.Figures.AddField(testdesk.Ctx, all, "me"); err != nil {
		t.Fatal(err)
	}
	c, err := d.Figures.Rank(testdesk.Ctx, compare.Question{Measure: "money/rate", Field: "all"})
	if err != nil {
		t.Fatal(err)
	}
	said := map[string]string{}
	for _, r := range c.Rows {
		said[r.Variant] = r.Caveat()
	}
	if len(said) != 4 || said["b-of-kelp-bench"] != "measured in a warm room" || said["a-of-kelp-bench"]+said["b"] != "" {
		t.Errorf("%v", said)
	}
}

func TestWhatAnotherDeskMeasuredIsFoundWhereItStands(t *testing.T) {
	d := testdesk.Opened(t)
	edition := published(1, "Kelp Bench", "k", testdesk.Work().Fingerprint(), "q|1|"+mains+"|150|")
	if got := take(t, d, edition, false, ""); got.Known {
		t.Error("it was here before it came")
	}
	for _, check := range []bool{true, false} {
		if got := take(t, d, edition, check, ""); !got.Known || got.By != "who" || got.Taken.IsZero() {
			t.Errorf("%+v", got)
		}
	}
	found, err := d.Front.Find(testdesk.Ctx, "kelp", 5)
	if err != nil || len(found) != 1 || found[0].Path != "/compare?subject=q-of-kelp-bench" {
		t.Errorf("%+v, %v", found, err)
	}
	if own, err := d.Front.Find(testdesk.Ctx, "maker b", 1); err != nil || own[0].Path != "/catalogue/b" {
		t.Errorf("%+v, %v", own, err)
	}
}

func TestOfTwoEditionsTheNewerFigureCounts(t *testing.T) {
	print := testdesk.Work().Fingerprint()
	for _, newer := range []string{"a", "b"} { // the store's order is by name
		older := map[string]string{"a": "b", "b": "a"}[newer]
		d := testdesk.Opened(t)
		take(t, d, of(newer, published(4, "Kelp Bench", "k", print, "q|1|"+mains+"|150|warm")), false, "")
		take(t, d, of(older, published(3, "Kelp Bench", "k", print, "q|1|"+mains+"|140|cold",
			"q|1|"+mains+"|90||sample=q-2|host=Sled",
			"r|1|"+mains+"|80|")), false, "")
		m, err := d.Figures.Measure(testdesk.Ctx, "work/rate")
		if err != nil {
			t.Fatal(err)
		}
		ranked := rankOf(t, d, compare.Question{})
		if len(ranked.Rows) != 3 || m.Measure.Variants != 2 {
			t.Fatalf("%d variants, %+v", m.Measure.Variants, ranked.Rows)
		}
		for i, want := range []struct {
			centre float64
			caveat string // of the one unit that it was published with
		}{{150, "warm"}, {90, ""}, {80, ""}} {
			if r := ranked.Rows[i]; r.Estimate.Centre != want.centre || r.Caveat() != want.caveat {
				t.Errorf("newer in %s: %g, %q", newer, r.Estimate.Centre, r.Caveat())
			}
		}
	}
}

func TestWhatCannotStandBesideOnesOwnStaysOut(t *testing.T) {
	d := derivedDesk(t)
	ctx := testdesk.Ctx
	if _, err := d.Books.ImportTest(ctx, []byte("format: durvek-test/1\nslug: own\nname: Own\ngroup: processor\n"+
		"measures:\n  - {slug: rate, name: rate, unit: /min, better: higher}\n"), false, "me"); err != nil {
		t.Fatal(err)
	}
	own, err := d.Books.Test(ctx, "money")
	if err != nil {
		t.Fatal(err)
	}
	take(t, d, of("m", published(1, "Kelp Bench", "k", own.Fingerprint(),
		"z|1|"+mains+"|9||measure=money/rate|unit=/min/EUR")), false, "")
	got := take(t, d, published(2, "Kelp Bench", "k", testdesk.Work().Fingerprint(), "q|1|"+mains+"|150||unit=/s",
		"p|1|"+mains+"|0||low_95=-1|high_95=1", "b|1|"+mains+"|150||name=C", "r|1|"+mains+"|80||measure=work/unheard"),
		false, "")
	if got.Figures != 4 {
		t.Errorf("%d figures", got.Figures)
	}
	names := func(measure, subject string) (out []string) {
		c, err := d.Figures.Rank(ctx, compare.Question{Measure: measure, Subject: subject})
		if err != nil {
			t.Fatal(err)
		}
		for _, r := range c.Rows {
			out = append(out, r.Variant)
		}
		slices.Sort(out)
		return out
	}
	if got := names("spec/body.weight", "b-of-kelp-bench"); !slices.Equal(got, []string{"b-of-kelp-bench"}) {
		t.Errorf("devices of which nothing can stand here are listed: %q", got)
	}
	// It bears the name of a variant that is here, and is another product: no price of that is its own.
	if got := names("price/EUR", "b-of-kelp-bench"); !slices.Equal(got, []string{"a", "b"}) {
		t.Errorf("priced: %q", got)
	}
	if got := names("money/rate", "b"); !slices.Equal(got, []string{"a", "b"}) {
		t.Errorf("worked out: %q", got)
	}
}

func TestADeskThatMeasuredNothingYetComparesWhatOthersDid(t *testing.T) {
	d := testdesk.Opened(t)
	print := testdesk.Work().Fingerprint()
	take(t, d, published(1, "Kelp Bench", "k", print, "q|1|"+battery+"|150||setup=fast-mode",
		"r|1|"+battery+"|140||setup=fast-mode",
		"s|1|"+battery+"|130||setup=loud", "r|1|"+mains+"|160||setup=fast-mode|sample=r-2"), false, "")
	c := rankOf(t, d, compare.Question{})
	if len(c.Rows) != 2 || c.Rows[0].Variant != "q-of-kelp-bench" || c.Rows[0].Setup != "fast-mode" {
		t.Errorf("%+v", c.Rows)
	}
	plan, _, err := d.Figures.ToSchedule(testdesk.Ctx, schedule.Question{})
	if err != nil || len(plan.Machines) != 3 {
		t.Errorf("%+v, %v", plan.Machines, err)
	}
}

func TestWhatAnotherDeskMeasuredIsNothingToMeasureHere(t *testing.T) {
	d := testdesk.Opened(t)
	testdesk.Rates(t, d, "a", "as-delivered", 100)
	testdesk.Rates(t, d, "b", "as-delivered", 150)
	take(t, d, published(1, "Kelp Bench", "k", testdesk.Work().Fingerprint(),
		"q|1|"+mains+"|200||repeats=1|low_95=|high_95=|standard_error=|degrees_of_freedom=", "r|1|"+mains+"|220|"), false, "")
	c := rankOf(t, d, compare.Question{})
	if last := c.Rows[len(c.Rows)-1]; len(c.Rows) != 4 || !last.Estimate.Unknown || last.Variant != "q-of-kelp-bench" {
		t.Fatalf("%+v", c.Rows)
	}
	next, err := d.Figures.Next(testdesk.Ctx, figures.NextQuestion{Most: 50})
	if err != nil {
		t.Fatal(err)
	}
	asked := map[string]bool{}
	for _, s := range next {
		if s.Test == "work" {
			asked[s.Variant] = true
		}
	}
	if !asked["c"] || asked["q-of-kelp-bench"] || asked["r-of-kelp-bench"] {
		t.Errorf("to be tested: %v", asked)
	}
	input, _, err := d.Figures.ToSchedule(testdesk.Ctx, schedule.Question{})
	if err != nil {
		t.Fatal(err)
	}
	for _, m := range input.Machines {
		if strings.Contains(m.Variant, "-of-") {
			t.Errorf("on the bench: %+v", m)
		}
	}
}
