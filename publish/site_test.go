package publish

import (
	"encoding/json"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"testing/fstest"

	"durvek/core/verdict"
)

// folder is an edition's folder as a site reads it.
func folder(r Record) fs.FS {
	data, err := json.Marshal(r)
	if err != nil {
		panic(err)
	}
	return fstest.MapFS{"index.html": {Data: []byte("<head><!--head--></head><body><!--site-->" + r.Title + "</body>")},
		"data/edition.json": {Data: data}, "charts/a.svg": {Data: []byte("<svg/>")}}
}

// published are two reviews of laptops, the first in two editions.
func published() []Record {
	figure := func(centre, half float64) []RecordedFigure {
		return []RecordedFigure{{Measure: "hashing/all", Name: "Hashing", Area: "processor", Unit: "MiBy/s", Better: "higher",
			Version: 1, Setup: "as-delivered", Centre: centre, Lo: centre - half, Hi: centre + half, Text: "x"}}
	}
	a := Record{Review: "fen", Number: 1, Title: "Fen & Co", Maker: "Selvane", ModelName: "Fen", Model: "fen",
		Kind:    "laptop",
		Variant: "fen-16", Published: "2026-11-01T08:00:00Z", State: verdict.Preliminary, StateNote: "more",
		Figures: figure(100, 1)}
	b := a
	b.Number, b.Published, b.State, b.Note, b.Figures = 2, "2026-11-03T08:00:00Z", "", "The rest", figure(110, 1)
	b.Changed = []Change{{"Hashing", "100", "110"}}
	c := Record{Review: "relay", Number: 1, Title: "Relay", Maker: "Thrunby", ModelName: "Relay", Model: "relay",
		Kind:    "laptop",
		Variant: "relay-16", Succeeds: "fen", Published: "2026-11-02T08:00:00Z", Figures: figure(120, 2),
		Claims: []RecordedClaim{{"Hashing", "100", "120", "beyond", ""}, {"Weight", "1 kg", "2 kg", "short", ""}}}
	return []Record{a, b, c}
}

func editionsOf(list []Record, opened *int) (out []SiteEdition) {
	for _, r := range list {
		out = append(out, SiteEdition{Review: r.Review, Number: r.Number, Digest: r.Review + string(rune('0'+r.Number)),
			Open: func() (fs.FS, error) { *opened++; return folder(r), nil }})
	}
	return out
}

func TestASiteHoldsAllEditionsAndTouchesOnlyWhatDiffers(t *testing.T) {
	dir, opened := filepath.Join(t.TempDir(), "site"), 0
	site, err := Site{Desk: "A Desk", Imprint: "Us.", Licence: "CC-BY-4.0"}.At("https://desk.example/")
	if err != nil {
		t.Fatal(err)
	}
	write := func(list []Record) SiteWritten {
		t.Helper()
		did, err := WriteSite(dir, site, editionsOf(list, &opened))
		if err != nil {
			t.Fatal(err)
		}
		return did
	}
	all := published()
	first := write(all[:1])
	if first.Editions != 1 || first.Changed != first.Files || opened != 1 {
		t.Errorf("%+v, opened %d", first, opened)
	}
	full := write(all)
	if full.Editions != 3 || opened != 3 || full.Removed != 0 {
		t.Errorf("%+v, opened %d", full, opened)
	}
	if again := write(all); again.Changed != 0 || opened != 3 {
		t.Errorf("nothing is new: %+v, opened %d", again, opened)
	}
	for name, parts := range map[string][]string{
		"index.html": {"A Desk", "Fen &amp; Co", "Relay", "Us.", "edition 2"},
		"reviews/fen/1/index.html": {"edition 2 is newer", `href="https://desk.example/reviews/fen/2/"`,
			"Fen & Co"},
		"reviews/fen/1/edition.html":       {"<!--head-->"},
		"reviews/fen/index.html":           {"url=2/index.html"},
		"models/fen/index.html":            {"Succeeded by", "Earlier editions"},
		"models/relay/index.html":          {"Succeeds the"},
		"rankings/laptop/hashing-all.html": {"As delivered", "Thrunby Relay", "Higher is better"},
		"claims/index.html":                {"Thrunby", "0 kept, 1 surpassed, 1 not kept, 0 undecided"},
		"corrections/index.html":           {"Fen &amp; Co, edition 2", "The rest", "110"},
		"feed.xml": {"Preliminary: Fen", "Edition 2. The rest.",
			"https://desk.example/reviews/relay/1/"},
		"sitemap.xml":            {"https://desk.example/reviews/fen/2/", "https://desk.example/models/fen/"},
		"robots.txt":             {"Sitemap: https://desk.example/sitemap.xml"},
		"assets/search-index.js": {"const found = [", "Hashing, laptops"},
		"assets/ibm-plex-sans-latin-400-normal.woff2": {"wOF2"},
	} {
		data, err := os.ReadFile(filepath.Join(dir, filepath.FromSlash(name)))
		if err != nil {
			t.Error(err)
		}
		for _, part := range parts {
			if !strings.Contains(string(data), part) {
				t.Errorf("%s lacks %q", name, part)
			}
		}
	}
	if data, _ := os.ReadFile(filepath.Join(dir, "sitemap.xml")); strings.Contains(string(data), "fen/1/") {
		t.Error("an edition that a newer one follows is on the map")
	}
	// What was lost is written again; what nobody publishes any more goes.
	os.Remove(filepath.Join(dir, "reviews", "fen", "1", "charts", "a.svg"))
	if healed := write(all); opened != 4 || healed.Changed == 0 {
		t.Errorf("a lost chart is not missed: %+v", healed)
	}
	if less := write(all[:2]); less.Removed == 0 {
		t.Errorf("%+v", less)
	}
	if _, err := os.Stat(filepath.Join(dir, "models", "relay", "index.html")); !errors.Is(err, fs.ErrNotExist) {
		t.Error("a page of what is gone stays")
	}
}

func TestASiteTouchesNothingThatItDidNotWrite(t *testing.T) {
	opened := 0
	all := editionsOf(published(), &opened)
	foreign := t.TempDir()
	os.WriteFile(filepath.Join(foreign, "letter"), []byte("mine"), 0o600)
	if _, err := WriteSite(foreign, Site{Desk: "D"}, all); !errors.Is(err, ErrForeign) || opened != 0 {
		t.Errorf("%v, opened %d", err, opened)
	}
	dir := t.TempDir()
	if _, err := WriteSite(dir, Site{Desk: "D"}, all[:1]); err != nil {
		t.Fatal(err)
	}
	mine := filepath.Join(dir, "models", "relay", "index.html")
	os.MkdirAll(filepath.Dir(mine), 0o755)
	os.WriteFile(mine, []byte("mine"), 0o600)
	os.WriteFile(filepath.Join(dir, "notes.txt"), []byte("mine"), 0o600)
	if _, err := WriteSite(dir, Site{Desk: "D"}, all); !errors.Is(err, ErrForeign) {
		t.Errorf("a file in the way was taken over: %v", err)
	}
	if data, _ := os.ReadFile(mine); string(data) != "mine" {
		t.Error("it was written over")
	}
	os.Remove(mine)
	// Cut off in the middle: what stands there is its own, and is made whole.
	if did, err := WriteSite(dir, Site{Desk: "D"}, all); err != nil || did.Editions != 3 {
		t.Errorf("%+v, %v", did, err)
	}
	if did, err := WriteSite(dir, Site{Desk: "D"}, all); err != nil || did.Changed != 0 {
		t.Errorf("%+v, %v", did, err)
	}
	if data, _ := os.ReadFile(filepath.Join(dir, "notes.txt")); string(data) != "mine" {
		t.Error("a file that nobody needs was touched")
	}
	os.WriteFile(filepath.Join(dir, siteList), []byte("{"), 0o600)
	if _, err := WriteSite(dir, Site{Desk: "D"}, all); !errors.Is(err, ErrForeign) {
		t.Errorf("a broken list: %v", err)
	}
	for _, bad := range []string{"desk.example", "ftp://desk.example", "https://", "https://desk.example/?x",
		"https://a/#b"} {
		if _, err := (Site{}).At(bad); err == nil {
			t.Errorf("%q is taken for an address", bad)
		}
	}
}

func TestPlacesOnASite(t *testing.T) {
	of := func(r string, version int, caveat string, lo, centre, hi float64) Record {
		return Record{Review: r, Variant: r, Kind: "laptop", Figures: []RecordedFigure{{Measure: "m/a", Version: version,
			Caveat: caveat, Better: "lower", Centre: centre, Lo: lo, Hi: hi}}}
	}
	gone := of("gone", 1, "", 1, 1, 1)
	gone.State = verdict.Withdrawn
	tables := rankings([]Record{of("a", 1, "", 9, 10, 11), of("b", 1, "", 11, 12, 13), of("c", 1, "", 11.5, 12, 12.5),
		of("d", 2, "", 1, 2, 3), of("e", 1, "A longer cable.", 1, 2, 3), gone})
	if len(tables) != 1 {
		t.Fatalf("%+v", tables)
	}
	var got []string
	for _, r := range tables[0].Rows {
		got = append(got, r.Record.Review+" "+r.Place())
	}
	if all := strings.Join(got, "|"); all != "a 1–2|b 1–3|c 2–3" {
		t.Error(all)
	}
	unknown := tables[0].Rows[0]
	unknown.Unknown = true
	if unknown.Place() != "?" {
		t.Error("a place is known of what is not")
	}
	twins := rankings([]Record{of("a", 1, "", 9, 10, 11), of("b", 1, "", 11.1, 12, 13), of("x", 2, "", 1, 2, 3), of("y",
		2, "", 1, 2, 3)})
	if len(twins) != 2 || twins[0].File() == twins[1].File() {
		t.Errorf("two versions share a page: %+v", twins)
	}
}

func TestChangesAreOfTheSubjectsOwnFigures(t *testing.T) {
	c := content()
	before := recordOf(c)
	if got := ChangesFrom(before, c); len(got) != 0 {
		t.Errorf("nothing changed: %+v", got)
	}
	c.Figures[0].Rows[0].Estimate.Centre, c.Figures[0].Rows[0].Estimate.Lo, c.Figures[0].Rows[0].Estimate.Hi = 3900,
		3800, 4000
	got := ChangesFrom(before, c)
	if len(got) != 1 || got[0].Was == got[0].Now || !strings.Contains(got[0].Now, "3900") {
		t.Errorf("%+v", got)
	}
	c.Figures[0].Rows[0].Variant = "other"
	if got := ChangesFrom(before, c); len(got) != 0 {
		t.Errorf("another product's figure is a correction: %+v", got)
	}
	if _, err := ReadRecord(t.TempDir()); err != nil {
		t.Error(err)
	}
}
