package publish

import (
	"bytes"
	"encoding/csv"
	"maps"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"durvek/core/catalog"
	"durvek/core/chart"
	"durvek/core/claims"
	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/ranking"
	"durvek/core/stats"
	"durvek/core/verdict"
	"durvek/exchange"
)

func content() Content {
	m := compare.Measure{ID: "hashing/all", Name: "Hashing, all threads", Unit: "MiBy/s", Symbol: "MiB/s", Scale: "ratio",
		Better: "higher", Version: 1, MustMatch: []string{"supply"}}
	claimed := 4000.0
	return Content{
		Desk: "A Desk", Field: "laptops",
		Review: verdict.Review{Slug: "fen", Title: "Fen & Co", Subject: "fen-16", Recommendation: "not recommended",
			Summary: "Quick. <script>alert(1)</script>", Advice: "**No** [link](javascript:x)",
			Signed: &verdict.Signature{By: "Ines", At: "2026-11-23T08:00:00Z"},
			Findings: []verdict.Finding{{Kind: "strength", Text: "Fast"}, {Kind: "weakness", Text: "Loud"}, {Kind: "strength",
				Text: "Kept to ourselves", Hidden: true}}},
		Edition: verdict.Edition{Review: "fen", Number: 2, Published: "2026-11-23T08:00:00Z"},
		Model: catalog.Model{Maker: "Selvane", Name: "Fen 14", AlsoSoldAs: []catalog.Alias{{Maker: "Ardnoe",
			Name: "Bog 14"}}}, Variant: catalog.Variant{Name: "16 GiB"},
		Sheet: []catalog.SpecRow{{Key: "cpu.cores", Name: "Cores", Value: "10"}},
		Offers: []catalog.Offer{{Amount: 104900, Currency: "EUR", Region: "DE", Seller: "Quayside", Date: "2026-11-16",
			Condition: "new", Voucher: &catalog.Voucher{Code: "HARBOUR", Amount: 5000}}, {Amount: 99900, Currency: "EUR",
			Seller: "Pierside", Date: "2026-11-17", Condition: "new", TaxIncluded: true}},
		Claims: []claims.Judged{{Claim: catalog.Claim{Measure: "hashing/all", Value: 4, Unit: "GBy/s", Source: "box"},
			Name: "Hashing", Text: "4 GB/s", Symbol: "MiB/s", Verdict: claims.Verdict{Outcome: claims.Short,
				Why: "short by 9 %"}}},
		Figures: []Figure{{Comparison: compare.Comparison{Measure: m,
			Rows: []compare.Row{{Line: compare.Line{Cell: compare.Cell{Variant: "fen-16", Unit: "fen-16-a",
				Setup: "as-delivered", Estimate: stats.Estimate{Centre: 3600, Lo: 3500, Hi: 3700, N: 5}}},
				Name: "Selvane Fen 14", Standing: ranking.Place{Best: 1, Worst: 2}, Claim: &claimed,
				Raised: []compare.RaisedRow{{Setup: "fast-mode", Estimate: stats.Estimate{Centre: 3900}}}}},
			LeftOut: []compare.LeftOut{{Variant: "x", Name: "X", Reason: "not run"}},
			Chart: chart.Ranked{Title: "Fen leads", Rows: []chart.Row{{Name: "Selvane Fen 14", Place: "1", Value: 3600,
				Lo: 3500, Hi: 3700, Label: "3600"}}, Foot: "Foot."}}, Pool: stats.NewPool(nil, 0, 0.01)}},
		Tests: []method.Test{{Name: "Hashing", Version: 1, About: "SHA-256.", MustMatch: []string{"supply"}}},
	}
}

func TestAnEditionIsWholeAndOpensFromDisk(t *testing.T) {
	at := filepath.Join(t.TempDir(), "fen")
	digest, err := Prepare(at, content())
	if err == nil {
		err = Place(at, 2, digest)
	}
	if err != nil || len(digest) != 64 {
		t.Fatalf("%q, %v", digest, err)
	}
	dir := filepath.Join(at, "2")
	page, err := os.ReadFile(filepath.Join(dir, "index.html"))
	if err != nil {
		t.Fatal(err)
	}
	for _, want := range []string{"Fen &amp; Co", "not recommended", "Fast", "Loud", "Ardnoe Bog 14",
		"<title>Fen leads</title>", "short by 9 %", "1,049.00 EUR", ">Quayside, DE, 2026-11-16", ">Pierside, 2026-11-17<",
		"HARBOUR (50.00 EUR off)", "SHA-256.",
		"Compared only where", "edition 2", "± 4.9 %"} {
		if !bytes.Contains(page, []byte(want)) {
			t.Errorf("the page lacks %q", want)
		}
	}
	for _, never := range []string{"<script", "javascript:", "Kept to ourselves", "http://", "https://"} {
		if text := strings.ReplaceAll(string(page), "http://www.w3.org/2000/svg", ""); strings.Contains(text, never) {
			t.Errorf("the page holds %q", never)
		}
	}
	// Every address on the page and in its style leads to a file of the folder.
	for _, m := range regexp.MustCompile(`(?:href|src)="([^"#]+)"|url\(([^)]+)\)`).FindAllStringSubmatch(string(page),
		-1) {
		name := m[1] + m[2]
		if strings.HasPrefix(name, "data:") {
			continue
		}
		if _, err := os.Stat(filepath.Join(dir, name)); err != nil {
			t.Errorf("the page leads to %s: %v", name, err)
		}
	}
	rows, err := csv.NewReader(bytes.NewReader(read(t, dir, "data/figures.csv"))).ReadAll()
	if err != nil || len(rows) != 4 || rows[1][4] != "fen-16" || rows[1][15] != "3600" || rows[2][9] != "fast-mode" ||
		rows[3][23] != "not run" || rows[1][10] != "supply unknown" {
		t.Errorf("figures %v, %v", rows, err)
	}
	if !bytes.HasPrefix(read(t, dir, "charts/hashing-all.png"), []byte("\x89PNG")) || !bytes.HasPrefix(read(t, dir,
		"charts/hashing-all.svg"), []byte("<svg")) {
		t.Error("a chart is not what its name says")
	}
	if sums := read(t, dir, "SHA256SUMS"); bytes.Count(sums, []byte("\n")) != 18 {
		t.Errorf("digests of %d files:\n%s", bytes.Count(sums, []byte("\n")), sums)
	}
}

// What an edition gives away is what another desk takes in: what this one measured, with its errors and conditions, and
// nothing that it has from a third.
func TestTheTablesAreTakenInElsewhere(t *testing.T) {
	c := content()
	c.DeskID, c.Desk, c.Licence, c.Edition = "d1", "Marram Desk", "CC0-1.0",
		verdict.Edition{Review: "fen-16", Number: 2, Published: "2026-11-23T09:00:00Z"}
	c.Review.Slug, c.Review.Title = "fen-16", "Fen 16"
	c.Tests = []method.Test{{Slug: "hashing", Version: 1, Name: "Hashing"}, {}}
	row := c.Figures[0].Rows[0]
	c.Rivals = []exchange.Rival{{Variant: row.Variant, Model: "fen-16", Maker: "Selvane", Name: "=Fen 16", Kind: "laptop",
		Spec: map[string]any{"cpu.cores": 8, "body.weight": "1.2 kg"}}}
	c.Figures[0].Measure.MustMatch, c.Figures[0].Measure.Version = []string{"supply", "power.mode"}, 1
	row.Basis.Conditions = map[string]string{"supply": "mains", "lid": "open"}
	row.Estimate.SE, row.Estimate.DF, row.Estimate.Sittings = 0.0123456789, 11.5, 1
	other := row
	other.Origin, other.Variant = "Saltings Bench", "elsewhere"
	c.Figures[0].Rows = []compare.Row{row, other}
	written := map[string][]byte{}
	if err := tables(c, written); err != nil {
		t.Fatal(err)
	}
	files := map[string][]byte{}
	for name, data := range written {
		files[strings.TrimPrefix(name, "data/")] = data
	}
	e, err := exchange.Read(files)
	if err != nil {
		t.Fatal(err)
	}
	if e.Desk != "Marram Desk" || e.DeskID != "d1" || e.Number != 2 || e.Licence != "CC0-1.0" || len(e.Tests) != 1 ||
		e.Tests[0].Fingerprint != c.Tests[0].Fingerprint() || len(e.Rivals) != 1 || e.Rivals[0].Name != "=Fen 16" ||
		e.Rivals[0].Spec["body.weight"] != "1.2 kg" {
		t.Errorf("%+v", e)
	}
	f := e.Figures[0]
	if f.SE != 0.012345679 || f.DF != 11.5 || f.Centre != 3600 || !maps.Equal(f.Conditions,
		map[string]string{"supply": "mains"}) {
		t.Errorf("%+v", f)
	}
	for _, f := range e.Figures {
		if f.Variant == "elsewhere" {
			t.Error("a third desk's figure went along")
		}
	}
}

// A figure whose spread is not known has neither an interval nor a place, also in the tables.
func TestTheTablesSayNothingThatIsNotKnown(t *testing.T) {
	c := content()
	row := &c.Figures[0].Rows[0]
	row.Estimate = stats.Estimate{Centre: 3600, Lo: 3600, Hi: 3600, Median: 3600, N: 1, Sittings: 1, Unknown: true}
	row.Standing = ranking.Place{}
	row.Raised[0].Estimate = row.Estimate
	c.Claims[0].Verdict.Estimate = &row.Estimate
	figures, err := csvOf(c)
	if err != nil {
		t.Fatal(err)
	}
	rows, err := csv.NewReader(bytes.NewReader(figures)).ReadAll()
	if want := []string{"", "", "", "3600", "", "", "3600", "1", "1"}; err != nil || !slices.Equal(rows[1][12:21], want) ||
		rows[1][23] != "spread unknown" || !slices.Equal(rows[2][12:21], want) {
		t.Errorf("%q, %v", rows[1:3], err)
	}
	judged, err := claimsCSV(c)
	if err != nil {
		t.Fatal(err)
	}
	if rows, err = csv.NewReader(bytes.NewReader(judged)).ReadAll(); err != nil ||
		!slices.Equal(rows[1][5:8], []string{"3600", "", ""}) {
		t.Errorf("%q, %v", rows, err)
	}
}

func read(t *testing.T, dir, name string) []byte {
	t.Helper()
	b, err := os.ReadFile(filepath.Join(dir, name))
	if err != nil {
		t.Fatal(err)
	}
	return b
}

func TestAnEditionIsNeverWrittenTwiceAndNeverHalf(t *testing.T) {
	at := t.TempDir()
	first, err := Prepare(at, content())
	if err != nil {
		t.Fatal(err)
	}
	again, err := Prepare(at, content())
	if err != nil || again != first {
		t.Errorf("one content, two digests: %s, %s, %v", first, again, err)
	}
	for range 2 { // asked again it stands already
		if err := Place(at, 1, first); err != nil {
			t.Error(err)
		}
	}
	changed := content()
	changed.Review.Title = "Another"
	other, err := Prepare(at, changed)
	if err != nil || other == first {
		t.Fatal(other, err)
	}
	if err := Place(at, 1, other); err == nil {
		t.Error("an edition was written over")
	}
	if err := Check(filepath.Join(at, "1"), first); err != nil {
		t.Errorf("the edition changed: %v", err)
	}
	broken := content()
	broken.Review.Signed = nil // the page cannot be made
	if _, err := Prepare(at, broken); err == nil {
		t.Error("an unsigned review was written")
	}
	if got := names(t, at); got != ".prepared-"+other+" 1" {
		t.Errorf("left are %s", got)
	}
}

// names lists what stands in a folder.
func names(t *testing.T, dir string) string {
	t.Helper()
	list, err := os.ReadDir(dir)
	if err != nil {
		t.Fatal(err)
	}
	var out []string
	for _, e := range list {
		out = append(out, e.Name())
	}
	return strings.Join(out, " ")
}

// A kill may come at any moment: what was published is there after the next start, what was not is out of the way.
func TestFoldersAreBroughtToWhatWasPublished(t *testing.T) {
	now := time.Date(2026, 11, 28, 9, 30, 0, 0, time.UTC)
	at := t.TempDir()
	digest, err := Prepare(at, content())
	if err != nil {
		t.Fatal(err)
	}
	for _, name := range []string{".unfinished-1", ".edition-2", ".prepared-of-nobody", "3", "photos"} {
		if err := os.Mkdir(filepath.Join(at, name), 0o755); err != nil {
			t.Fatal(err)
		}
	}
	did, err := Tidy(at, map[int]string{1: digest, 2: "gone"}, now)
	if said := strings.Join(did, "\n"); err != nil || !strings.Contains(said, "edition 1 was put in its place") ||
		!strings.Contains(said, "the folder of edition 2 is gone") || !strings.Contains(said, "never published") ||
		len(did) != 3 {
		t.Errorf("%s, %v", said, err)
	}
	if got := names(t, at); got != ".put-away-3-20261128T093000Z 1 photos" {
		t.Errorf("left are %s", got)
	}
	if did, err := Tidy(at, map[int]string{1: digest}, now); err != nil || len(did) != 0 {
		t.Errorf("again: %v, %v", did, err)
	}
	if did, err := Tidy(filepath.Join(at, "none"), nil, now); err != nil || len(did) != 0 {
		t.Errorf("a review without editions: %v, %v", did, err)
	}
}

func TestAChangedEditionIsNoticed(t *testing.T) {
	at := t.TempDir()
	digest, err := Prepare(at, content())
	if err == nil {
		err = Place(at, 1, digest)
	}
	if err != nil {
		t.Fatal(err)
	}
	dir := filepath.Join(at, "1")
	for _, spoil := range []func() error{
		func() error { return os.Chmod(filepath.Join(dir, "index.html"), 0o644) },
		func() error { return os.WriteFile(filepath.Join(dir, "index.html"), []byte("other"), 0o644) },
		func() error { return os.Remove(filepath.Join(dir, "index.html")) },
	} {
		before := Check(dir, digest)
		if err := spoil(); err != nil {
			t.Fatal(err)
		}
		if i, _ := os.Stat(filepath.Join(dir, "index.html")); before == nil && i != nil && i.Size() != 5 {
			continue // its mode alone is another
		}
		if Check(dir, digest) == nil {
			t.Error("an edition that was changed passes")
		}
	}
	if Check(dir, "another") == nil {
		t.Error("a list of files of another edition passes")
	}
}

// No reader's browser asks elsewhere for what a reviewer wrote.
func TestAPictureInATextIsText(t *testing.T) {
	for source, want := range map[string]string{
		"See ![the *hinge*](https://harbour.example/p.png \"t\") here": "See the hinge (picture: " +
			"https://harbour.example/p.png) here",
		"![](//harbour.example/p.png)": "picture: //harbour.example/p.png", "![a][b]\n\n[b]: x.png": "a (picture: x.png)",
		"![a](data:image/png;base64,AA)":       "a (picture: data:image/png;base64,AA)",
		"![<b>](\"><script>alert(1)</script>)": "script",
	} {
		got := string(Markdown(source))
		if !strings.Contains(got, want) || strings.Contains(got, "<img") || strings.Contains(got, "<script") {
			t.Errorf("%s became %s", source, got)
		}
	}
	if got := string(Markdown("[text](https://harbour.example/)")); !strings.Contains(got,
		`href="https://harbour.example/"`) {
		t.Errorf("a link is lost: %s", got)
	}
	if got := string(Markdown(`<img src="https://harbour.example/p.png"><script src="x"></script>`)); strings.Contains(got,
		"src=") {
		t.Errorf("raw HTML gets through: %s", got)
	}
}
