package exchange

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"maps"
	"math"
	"strings"
	"testing"

	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/internal/mutants"
)

const figureHead = "measure,unit,better,test_version,variant,name,sample,host,place,setup,conditions,row,place_best," +
	"place_worst,bound,centre,low_95,high_95,median,repeats,sittings,simulated,claim,note,must_match,standard_error," +
	"degrees_of_freedom,caveat,measured_by\n"

// row is a figure of the variant a, with some cells otherwise.
func row(cells map[string]string) string {
	is := map[string]string{"measure": "work/rate", "unit": "/min", "better": "higher", "test_version": "1",
		"variant": "a", "name": "Maker A", "sample": "a-1", "setup": "as-delivered", "centre": "100", "low_95": "98",
		"high_95": "102.1", "median": "100", "repeats": "5", "sittings": "1", "must_match": `"{""supply"":""mains""}"`,
		"standard_error": "0.01", "degrees_of_freedom": "12"}
	maps.Copy(is, cells)
	var out []string
	for _, c := range strings.Split(strings.TrimSpace(figureHead), ",") {
		out = append(out, is[c])
	}
	return strings.Join(out, ",") + "\n"
}

// edition is a whole one, of two variants.
func edition() map[string][]byte {
	return map[string][]byte{"figures.csv": []byte(figureHead + row(nil) +
		row(map[string]string{"variant": "b", "centre": "90", "low_95": "", "high_95": "", "standard_error": "",
			"degrees_of_freedom": "", "caveat": "measured in a warm room"}) +
		row(map[string]string{"variant": "third", "measured_by": "a third desk"}) +
		row(map[string]string{"setup": "fast-mode", "must_match": ""}) +
		row(map[string]string{"variant": "gone", "centre": "", "note": "not run"}) +
		row(map[string]string{"measure": "spec/body.weight", "unit": "kg"})),
		"variants.csv": []byte("variant,model,maker,name,configuration,kind,released,spec\n" +
			`a,ma,Maker,A,as sold,laptop,2026-03,"{""body.weight"":""1.2 kg"",""cpu.cores"":8}"` + "\n" +
			"b,mb,Maker,'-B,as sold,laptop,,\n"),
		"tests.csv": []byte("test,version,name,fingerprint\nwork,1,Work,0011223344556677\n")}
}

// files adds the package that describes them, with some of its text otherwise.
func files(f map[string][]byte, swap ...string) map[string][]byte {
	var resources []string
	for _, name := range Tables {
		sum := sha256.Sum256(f[name+".csv"])
		resources = append(resources, fmt.Sprintf(`{"name": %q, "hash": "sha256:%s"}`, name, hex.EncodeToString(sum[:])))
	}
	f[Package] = []byte(strings.NewReplacer(swap...).Replace(`{"durvek": "durvek-edition/2", "durvek_desk": "d1",
		"name": "a", "title": "A, reviewed", "version": "3.0.0", "created": "2026-11-02T10:00:00Z",
		"contributors": [{"title": "Kelp Bench", "role": "publisher"}], "licenses": [{"name": "CC0-1.0"}],
		"resources": [` + strings.Join(resources, ",") + `]}`))
	return f
}

func TestAnEditionIsReadAsItWasPublished(t *testing.T) {
	e, err := Read(files(edition()))
	if err != nil {
		t.Fatal(err)
	}
	if e.Desk != "Kelp Bench" || e.DeskID != "d1" || e.Review != "a" || e.Number != 3 || e.Licence != "CC0-1.0" ||
		e.Published.Year() != 2026 || len(e.Digest) != 64 || len(e.Tests) != 1 {
		t.Errorf("%+v", e)
	}
	if len(e.Rivals) != 2 || e.Rivals[0].Spec["cpu.cores"] != 8.0 || e.Rivals[1].Name != "-B" {
		t.Errorf("%+v", e.Rivals)
	}
	if len(e.Figures) != 2 {
		t.Fatalf("%d figures; a third desk's, one of another mode, one that is none and a spec sheet's are not this desk's",
			len(e.Figures))
	}
	a, b := e.Figures[0], e.Figures[1]
	if a.Conditions["supply"] != "mains" || a.SE != 0.01 || a.DF != 12 || a.Unknown || a.N != 5 || a.Sample != "a-1" {
		t.Errorf("%+v", a)
	}
	if !b.Unknown || b.Lo != 90 || b.Hi != 90 || b.SE != 0 || b.Caveat != "measured in a warm room" {
		t.Errorf("%+v", b)
	}
	own := method.Test{Slug: "work", Version: 1, MustMatch: []string{"supply"}}
	c := a.Cell("a-of-kelp", "Kelp Bench", own, quantity.Ratio)
	if c.Unit != "a-1 of Kelp Bench" || c.Host != "" || c.Estimate.Mean != math.Log(100) || c.Estimate.Exact ||
		math.Abs(c.Estimate.HalfWidth-math.Log(102.1/98)/2) > 1e-12 || c.Basis.Conditions["supply"] != "mains" {
		t.Errorf("%+v", c)
	}
	a.Host = "dock-a"
	if c := a.Cell("a-of-kelp", "Kelp Bench", own, quantity.Level); c.Host != "dock-a of Kelp Bench" ||
		c.HostName != "dock-a" || c.Estimate.Mean != 100 || math.Abs(c.Estimate.HalfWidth-2.05) > 1e-12 {
		t.Errorf("%+v", c)
	}
}

// figuresWith adds a row of figures with other cells.
func figuresWith(cells map[string]string) func(map[string][]byte) {
	return func(f map[string][]byte) { f["figures.csv"] = []byte(figureHead + row(nil) + row(cells)) }
}

// within changes a text of a table once.
func within(name, old, now string) func(map[string][]byte) {
	return func(f map[string][]byte) { f[name] = bytes.Replace(f[name], []byte(old), []byte(now), 1) }
}

// moreTests fills the table of tests up to n rows.
func moreTests(n int) func(map[string][]byte) {
	return func(f map[string][]byte) {
		var b strings.Builder
		for i := 1; i < n; i++ {
			fmt.Fprintf(&b, "t%d,1,T,0\n", i)
		}
		f["tests.csv"] = append(f["tests.csv"], b.String()...)
	}
}

// broken is what may be wrong in an edition, by a change of its files or a text of its head swapped, and what is said.
var broken = []struct {
	change func(map[string][]byte)
	swap   []string
	want   string
}{
	{nil, []string{`"durvek": "durvek-edition/2", `, ""}, "another profile"},
	{nil, []string{"edition/2", "edition/1"}, `its profile is "durvek-edition/1"`},
	{nil, []string{"2026-11-02T10", "yesterday"}, "created"},
	{nil, []string{"3.0.0", "0.1.0"}, "version"},
	{nil, []string{"Kelp Bench", ""}, "publisher"},
	{nil, []string{"Kelp Bench", strings.Repeat("k", 81)}, "over 80 bytes"},
	{nil, []string{`"d1"`, `""`}, "durvek_desk"},
	{nil, []string{"A, reviewed", `A\u0000`}, "title"},
	{nil, []string{`"name": "a"`, `"name": "A b"`}, "not an identifier"},
	{nil, []string{`{"name": "tests"`, `{"name": "other"`}, `no table "tests"`},
	{nil, []string{"sha256:", "sha256:0"}, "their hashes differ"},
	{nil, []string{"}]}", "}]"}, "cannot be read"},
	{func(f map[string][]byte) { delete(f, "tests.csv") }, nil, "no tests.csv among the files"},
	{within("figures.csv", "must_match", "matches"), nil, `line 1: there is no column "must_match"`},
	{within("tests.csv", "work,1", "work,2"), nil, `names version 1 of "work"`},
	{within("tests.csv", "work,1,Work", "work,1,Work,x"), nil, "no CSV"},
	{within("tests.csv", "\nwork", "\nwork,1,Work,0\nwork"), nil, `"work" twice`},
	{within("variants.csv", "\na,", "\nb,"), nil, `"b" twice`},
	{within("variants.csv", "\na,", "\nc,"), nil, `names the variant "a"`},
	{within("variants.csv", "laptop", "Space ship"), nil, "variants.csv, line 2, kind"},
	{within("variants.csv", "1.2 kg", "1.2 s"), nil, "variants.csv, line 2, spec"},
	{within("variants.csv", `"{""body`, `"[""body`), nil, "no JSON object"},
	{within("variants.csv", "Maker,A", ",A"), nil, "maker and name"},
	{figuresWith(map[string]string{"centre": "97.9"}), nil, "figures.csv, line 3, centre: it lies outside"},
	{figuresWith(map[string]string{"centre": "102.2"}), nil, "centre: it lies outside"},
	{figuresWith(map[string]string{"centre": "1e300"}), nil, `"1e300" is no number`},
	{figuresWith(map[string]string{"centre": "NaN"}), nil, "is no number"},
	{figuresWith(map[string]string{"repeats": "0"}), nil, "at least one repeat"},
	{figuresWith(map[string]string{"repeats": "1.5"}), nil, "no count"},
	{figuresWith(map[string]string{"sittings": "0"}), nil, "at least one repeat"},
	{figuresWith(map[string]string{"repeats": "-1"}), nil, "no count"},
	{figuresWith(map[string]string{"repeats": "2147483648"}), nil, "no count"},
	{within("variants.csv", "1.2 kg", strings.Repeat("k", mostSpec)), nil, "spec: it is too long"},
	{moreTests(mostRows + 1), nil, "at most 100000 rows"},
	{figuresWith(map[string]string{"standard_error": "-0.1"}), nil, "an error has a size"},
	{figuresWith(map[string]string{"degrees_of_freedom": "0"}), nil, "an error has a size"},
	{figuresWith(map[string]string{"bound": "about"}), nil, "bound"},
	{figuresWith(map[string]string{"measure": "work"}), nil, "no test/measure"},
	{figuresWith(map[string]string{"setup": ""}), nil, "setup"},
	{figuresWith(map[string]string{"place": strings.Repeat("p", 301)}), nil, "place: it is too long"},
	{func(f map[string][]byte) {
		f["figures.csv"] = []byte(figureHead + row(map[string]string{"measured_by": "another"}))
	}, nil, "no figure that its desk measured itself"},
	{func(f map[string][]byte) { f["edition.json"] = make([]byte, Most) }, nil, "at most 16 MB"},
}

func TestWhatIsWrongInAnEditionIsSaidWithItsPlace(t *testing.T) {
	for _, x := range broken {
		f := edition()
		if x.change != nil {
			x.change(f)
		}
		if _, err := Read(files(f, x.swap...)); err == nil || !strings.Contains(err.Error(), x.want) {
			t.Errorf("%s: %v", x.want, err)
		}
	}
	if _, err := Read(edition()); err == nil || !strings.Contains(err.Error(), "there is no datapackage.json") {
		t.Error(err)
	}
}

func TestJustWhatIsTakenOfAnEdition(t *testing.T) {
	whole := edition()
	moreTests(mostRows)(whole)
	if _, err := Read(files(whole)); err != nil {
		t.Error(err)
	}
	for _, edge := range []map[string]string{{"centre": "98"}, {"centre": "102.1"}, {"repeats": "1"},
		{"place": strings.Repeat("p", 300)}, {"bound": "at most"}, {"repeats": "2147483647"}} {
		f := edition()
		figuresWith(edge)(f)
		if _, err := Read(files(f)); err != nil {
			t.Error(edge, err)
		}
	}
}

func TestWhatAFigureLeavesOutIsNotMadeUp(t *testing.T) {
	for _, x := range []struct {
		cells map[string]string
		is    func(Figure) bool
	}{
		{map[string]string{"median": "99"}, func(f Figure) bool { return f.Median == 99 && !f.Simulated && !f.Unknown }},
		{map[string]string{"median": ""}, func(f Figure) bool { return f.Median == 100 }},
		{map[string]string{"simulated": "true"}, func(f Figure) bool { return f.Simulated }},
		{map[string]string{"low_95": ""}, func(f Figure) bool { return f.Unknown && f.Hi == 100 && f.SE == 0 }},
		{map[string]string{"high_95": ""}, func(f Figure) bool { return f.Unknown && f.Lo == 100 }},
	} {
		f := edition()
		f["figures.csv"] = []byte(figureHead + row(x.cells))
		if e, err := Read(files(f)); err != nil || !x.is(e.Figures[0]) {
			t.Errorf("%v: %+v, %v", x.cells, e.Figures, err)
		}
	}
}

func TestTestsStandToOneAnother(t *testing.T) {
	own := method.Test{Slug: "work", Version: 2}
	mine := map[string]method.Test{"work": own}
	for want, x := range map[Standing]Test{Alike: {Slug: "work", Version: 2, Fingerprint: own.Fingerprint()},
		Version: {Slug: "work", Version: 1}, Other: {Slug: "work", Version: 2, Fingerprint: "0"},
		Unknown: {Slug: "play", Version: 2}} {
		if got := x.Stands(mine); got != want {
			t.Errorf("%+v is %s, not %s", x, got, want)
		}
	}
	m := compare.Measure{Unit: "s", Scale: quantity.Ratio}
	for _, x := range []struct {
		f    Figure
		want bool
	}{{Figure{Unit: "s", Lo: 1, Centre: 2}, true}, {Figure{Unit: "min", Lo: 1, Centre: 2}, false},
		{Figure{Unit: "s", Lo: 0, Centre: 2}, false}, {Figure{Unit: "s", Centre: 2, Unknown: true}, true},
		{Figure{Unit: "s", Unknown: true}, false}} {
		if got := x.f.Usable(m); got != x.want {
			t.Errorf("%+v usable: %v", x.f, got)
		}
	}
}

func FuzzEdition(f *testing.F) {
	whole := files(edition())
	mutants.Add(f, whole["figures.csv"], whole["variants.csv"], whole["tests.csv"], whole[Package])
	f.Fuzz(func(t *testing.T, data []byte) {
		for _, name := range []string{"figures.csv", "variants.csv", "tests.csv", Package} {
			x := edition()
			if name != Package {
				x[name] = data
			}
			x = files(x)
			if name == Package {
				x[name] = data
			}
			e, err := Read(x)
			if err != nil {
				continue
			}
			for _, c := range e.Figures {
				if c.Lo > c.Centre || c.Centre > c.Hi || !quantity.Sound(c.Centre) || c.N < 1 {
					t.Fatalf("%+v", c)
				}
			}
		}
	})
}
