package cli_test

import (
	"encoding/csv"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

func TestComparingFromTheCommandLine(t *testing.T) {
	serve(t, bed.fresh)
	home := t.TempDir()
	do := func(args ...string) result {
		t.Helper()
		return call(t, home, append([]string{"--data", bed.fresh}, args...)...)
	}

	// Head to head: the dearer sibling that ties on mains and loses on battery; a predecessor; rivals that are found.
	do("head", "show", "fen-14-16-512", "fen-14-32-1000").want(t, 0, "Selvane Fen 14, 16 GiB, 512 GB\t",
		"is surely worse in", "chart panning: 9 h", "shorter (18 %", "For 350 EUR more", "take the cheaper")
	do("head", "show", "sound-14-16-512", "sound-16-32-1000").want(t, 0,
		"\tHythebrook Sound 14\tHythebrook Sound 16\t", "Worth it for an owner of the", "Benjamini–Hochberg")
	do("head", "rivals", "sound-16-32-1000").want(t, 0, "Siblings: sound-16-16-512",
		"Predecessors: sound-14-16-512, sound-12-16-512", "Successors: none")
	do("head", "alike", "fen-14-16-512", "--most", "2").want(t, 0, "fen-14-32-1000", "alike over")
	do("head", "show", "fen-14-16-512").want(t, 2, "usage: durvek head show")

	// An index, a fit, value.
	do("index", "show", "--field", "machines", "--use", "chart-room").want(t, 0, "100 is the field’s geometric mean",
		"not ranked", "of plausible weights", "CPU: 33 % of the weight")
	do("index", "show", "--weights", "hashing/all=0").want(t, 1, "sum to zero")
	do("index", "show", "--weights", "fan-noise/full-load=1").want(t, 1, "cannot enter an index")
	do("use", "schema").want(t, 0, "json-schema.org/draft/2020-12")
	do("use", "list").want(t, 0, "foredeck", "wheelhouse")
	do("use", "fit", "foredeck", "--field", "foredeck").want(t, 0, "Fit for the foredeck",
		"unknown: Screen luminance at least 500 cd/m²")
	do("value", "show", "--measure", "compression/pack-all", "--field", "laptops", "--subject", "fen-14-16-512").want(t, 0,
		"with the voucher HARBOUR; without it 1,099.00 EUR", "it would be the best buy",
		"beaten by Thrunby Relay 15, 16 GiB, 512 GB", "no sure gain for 350.00 EUR more", "EUR per Wh")
	do("value", "show", "--measure", "compression/pack-all", "--currency", "GBP").want(t, 0, "GBP of 2026-11-02")
	do("value", "show", "--measure", "compression/pack-all", "--field", "laptops", "--no-voucher").want(t, 0, "1,099.00")
	do("value", "show", "--measure", "drive-sequential/read", "--field", "survey-drives").want(t, 0, "EUR per GB")
	do("value", "show", "--measure", "hashing/all", "--currency", "CHF").want(t, 1, "no exchange rate from EUR to CHF")
	do("rate", "add", "CHF", "EUR", "one").want(t, 2, "a number such as 1.137")
	do("rate", "list").want(t, 0, "1 GBP", "1.137 EUR")
	do("rig", "cost", "own-build").want(t, 0, "case, supply and cooler", "109.00 GBP at 1.137 EUR",
		"Together: 1,039.93 EUR")

	// Modes, curves, places, the ledger, what to test next.
	do("mode", "show", "compression/pack-all").want(t, 0, "Fast mode", "Noise +4", "On battery", "not measured")
	do("mode", "show", "fan-noise/full-load").want(t, 1, "told in per cent")
	do("curve", "show", "hashing-sustained", "--field", "laptops").want(t, 0, "Hythebrook Sound 16 is highest at the end",
		"keeps 8")
	do("rank", "place", "fan-noise/full-load", "tern-mini-32-1000").want(t, 0, "ever measured alike", "Its kind",
		"All history")
	do("rank", "show", "spec/body.weight", "--field", "laptops").want(t, 0, "As written down, not measured")
	do("rank", "show", "compression/pack-all", "--field", "laptop-modes").want(t, 0, "in fast mode", "on battery")
	do("claim", "tally").want(t, 0, "Of 12 claims by Selvane that are decided", "Impossible")
	do("claim", "tally", "--by", "moon").want(t, 2, "one of maker, model, variant, year, maker-year")
	do("plan", "suggest", "--field", "laptops", "--most", "3").want(t, 0, "It is missing in", "standings narrow")
	do("plan", "suggest", "--add", "999").want(t, 2, "--add takes a number of the list")

	// Fields.
	do("field", "add", "light", "--name", "light laptops", "--kinds", "laptop", "--price", "600..1300 EUR", "--released",
		"2025-01..").want(t, 0, "laptops; 600 to 1300 EUR; released from 2025-01")
	do("field", "add", "light", "--name", "x", "--price", "cheap").want(t, 2, "'600..1100 EUR'")
	do("field", "drop", "light").want(t, 0, "is gone")
	do("field", "drop", "laptops").want(t, 1, "rests on the field")

	// What a picture shows is in its figures, too.
	for _, c := range [][]string{{"head", "show", "fen-14-16-512", "fen-14-32-1000"}, {"index", "show", "--use", "survey",
		"--field", "laptops"}, {"value", "show", "--use", "survey", "--field", "laptops"},
		{"mode", "show", "compression/pack-all"}, {"curve", "show", "hashing-sustained", "--field", "laptops"},
		{"claim", "check", "fen-14-16-512"}} {
		name := strings.Join(c[:1], "") + ".csv"
		do(append(c, "-o", name)...).want(t, 0, "Written to "+name)
		b, err := os.ReadFile(filepath.Join(home, name))
		must(err)
		rows, err := csv.NewReader(strings.NewReader(string(b))).ReadAll()
		if err != nil || len(rows) < 3 {
			t.Errorf("%v: %d rows, %v", c, len(rows), err)
		}
		var any any
		if r := do(append(c, "--json")...); json.Unmarshal([]byte(r.out), &any) != nil {
			t.Errorf("%v --json: %.200s", c, r.out)
		}
	}
	do("index", "show", "--use", "survey", "-o", "index.pdf").want(t, 2, ".svg or .png")
}

func TestASuggestionGoesOnTheBench(t *testing.T) {
	serve(t, bed.fresh)
	home := t.TempDir()
	call(t, home, "--data", bed.fresh, "plan", "suggest", "--field", "laptops", "--add", "1").want(t, 0, "is on the bench",
		"5 repeats on ")
	call(t, home, "--data", bed.fresh, "plan", "list").want(t, 0, "Suggested: ", "waiting")
}

func TestAScheduleGoesOnTheBench(t *testing.T) {
	serve(t, bed.fresh)
	home := t.TempDir()
	schedule := func(args ...string) result {
		return call(t, home, append([]string{"--data", bed.fresh, "plan", "schedule", "--field", "laptops"}, args...)...)
	}
	schedule("--minutes", "30", "--variant", "pilot-13-16-512").want(t, 0, "of 30 min on one machine", "pilot-13-16-512-a",
		"with 9 min of set-up", "hree repeats of everything")
	schedule("--minutes", "9").want(t, 0, "Nothing that fits into 9 min")
	schedule("--minutes", "0").want(t, 2, "--minutes is 1 or more, not 0")
	schedule("--variant", "nobody").want(t, 1, "nobody")
	schedule("--use", "nothing").want(t, 1, "nothing")
	schedule("--minutes", "90", "--variant", "pilot-13-16-512", "--use", "chart-room", "--repeats", "3",
		"--add").want(t, 0,
		"tests on pilot-13-16-512-a", "By hand on pilot-13-16-512-a: ", " of 1 h 30 min on one machine")
	call(t, home, "--data", bed.fresh, "plan", "list").want(t, 0, "Scheduled: ", "waiting")
}

func TestDataAreMadeUpForASize(t *testing.T) {
	home := t.TempDir()
	call(t, home, "data", "generate", "--data", "load", "--variants", "60", "--tests", "20", "--readings", "6000").want(t,
		0, "60 variants, 20 tests", "durvek serve --data load")
	call(t, home, "data", "generate", "--data", "load").want(t, 1, "into an empty data folder")
	call(t, home, "data", "generate", "--data", "other", "--variants", "3").want(t, 1, "at least 50 variants")
	serve(t, filepath.Join(home, "load"))
	call(t, home, "--data", "load", "rank", "show", "load-003/m1", "--field", "load-50").want(t, 0, "Maker",
		"All samples are simulated")
}
