package publish

import (
	"bytes"
	"encoding/csv"
	"errors"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"durvek/core/catalog"
	"durvek/core/chart"
	"durvek/core/claims"
	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/ranking"
	"durvek/core/stats"
	"durvek/core/verdict"
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
			Condition: "new", Voucher: &catalog.Voucher{Code: "HARBOUR", Amount: 5000}}},
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
	dir := filepath.Join(t.TempDir(), "fen", "2")
	digest, err := Write(dir, content())
	if err != nil || len(digest) != 64 {
		t.Fatalf("%q, %v", digest, err)
	}
	page, err := os.ReadFile(filepath.Join(dir, "index.html"))
	if err != nil {
		t.Fatal(err)
	}
	for _, want := range []string{"Fen &amp; Co", "not recommended", "Fast", "Loud", "Ardnoe Bog 14",
		"<title>Fen leads</title>", "short by 9 %", "1,049.00 EUR", "HARBOUR (50.00 EUR off)", "SHA-256.",
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
	if sums := read(t, dir, "SHA256SUMS"); bytes.Count(sums, []byte("\n")) != 13 {
		t.Errorf("digests of %d files:\n%s", bytes.Count(sums, []byte("\n")), sums)
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
	dir := filepath.Join(t.TempDir(), "1")
	first, err := Write(dir, content())
	if err != nil {
		t.Fatal(err)
	}
	before := read(t, dir, "index.html")
	changed := content()
	changed.Review.Title = "Another"
	if _, err := Write(dir, changed); !errors.Is(err, ErrExists) {
		t.Errorf("a second writing: %v", err)
	}
	if !bytes.Equal(before, read(t, dir, "index.html")) {
		t.Error("the edition changed")
	}
	again, err := Write(dir+"-again", content())
	if err != nil || again != first {
		t.Errorf("one content, two digests: %s, %s, %v", first, again, err)
	}
	broken := content()
	broken.Review.Signed = nil // the page cannot be made
	if _, err := Write(dir+"-broken", broken); err == nil {
		t.Error("an unsigned review was written")
	}
	left, _ := os.ReadDir(filepath.Dir(dir))
	if len(left) != 2 {
		t.Errorf("left are %v, want the two whole editions", left)
	}
}
