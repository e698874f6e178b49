package cli_test

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"durvek/core/record"
	"durvek/desk/results"
)

const figuresHead = "measure,unit,better,test_version,variant,name,sample,host,place,setup,conditions,row,place_best," +
	"place_worst,bound,centre,low_95,high_95,median,repeats,sittings,simulated,claim,note,measured_by\n"

// edition writes a table of published figures: a line for each "variant version place setup bound centre low high".
func edition(t *testing.T, dir, created string, lines ...string) {
	t.Helper()
	if err := os.MkdirAll(dir, 0o755); err != nil {
		t.Fatal(err)
	}
	text := figuresHead
	for _, l := range lines {
		f := strings.Split(l, "|")
		text += fmt.Sprintf("hashing/all,MiBy/s,higher,%s,%s,%s,s,,%s,%s,%s,,%s,9,%s,%s,%s,%s,1,3,1,false,,,%s\n", f[1], f[0],
			strings.ToUpper(f[0]), f[2], f[3], f[8], f[9], f[4], f[5], f[6], f[7], strings.Join(f[10:], ""))
	}
	for name, b := range map[string]string{"figures.csv": text, "datapackage.json": `{"created": "` + created + `"}`} {
		if err := os.WriteFile(filepath.Join(dir, name), []byte(b), 0o644); err != nil {
			t.Fatal(err)
		}
	}
}

func TestAMachineIsPlacedAmongWhatWasPublished(t *testing.T) {
	home := t.TempDir()
	file := results.RunFile{Format: results.RunsFormat}
	for _, v := range []float64{1000, 1001, 999} {
		file.Runs = append(file.Runs, record.Run{Test: "hashing", TestVersion: 1, Outcome: record.Done,
			Observed: map[string]string{"runtime": "native go1.26.8"},
			Readings: []record.Reading{{Measure: "all", Value: v, State: record.OK}, {Measure: "single",
				State: record.Missing}}})
	}
	failed := file.Runs[0]
	failed.Outcome, failed.Readings = record.Failed, []record.Reading{{Measure: "all", Value: 9, State: record.OK}}
	file.Runs = append(file.Runs, failed)
	b, _ := json.Marshal(file)
	runs, site := filepath.Join(home, "runs.json"), filepath.Join(home, "site")
	if err := os.WriteFile(runs, b, 0o644); err != nil {
		t.Fatal(err)
	}
	const native = "mains; native go1.26.8"
	edition(t, filepath.Join(site, "reviews", "x", "1", "data"), "2026-11-01",
		"far|1||as-delivered||5000|4900|5100|"+native+"|1",
		"near|1||as-delivered||2000|1900|2100|"+native+"|1", "like|1||as-delivered||1000|900|1100|"+native+"|1",
		"slow|1||as-delivered||500|490|510|"+native+"|1",
		"third|1||as-delivered||3000|2900|3100|"+native+"|1|Saltings Bench",
		"slower|1||as-delivered||400|390|410|"+native+"|1",
		"raised|1||fast-mode||9000|8900|9100|"+native+"|1", "port|1|left port|as-delivered||9000|8900|9100|"+native+"|1",
		"bound|1||as-delivered|at least|9000|9000|9000|"+native+"|1", "unranked|1||as-delivered||9000|8900|9100|"+native+"|",
		"old|2||as-delivered||9000|8900|9100|"+native+"|1", "browser|1||as-delivered||9000|8900|9100|in the browser|1")
	call(t, home, "bench", "place", runs, site).want(t, 0, "third to fourth of 6 machines", "NEAR", "SLOW\n",
		"2 published figures of another version", "1000 MiB/s")
	edition(t, filepath.Join(site, "reviews", "x", "2", "data"), "2026-11-02",
		"near|1||as-delivered||600|590|610|"+native+"|1")
	call(t, home, "bench", "place", runs, site).want(t, 0, "second to third of 6 machines", "FAR", "NEAR\n")
	call(t, home, "bench", "place", runs, filepath.Join(site, "reviews", "x", "2", "data", "figures.csv")).want(t, 0,
		"first of 2 machines")
	call(t, home, "bench", "place", runs, filepath.Join(home, "none")).want(t, 1, "what was published cannot be read")
	call(t, home, "bench", "place", runs, home+"/site/reviews/x/2/data/datapackage.json").want(t, 1, "it is no table")
	call(t, home, "bench", "place", site+"/reviews/x/2/data/datapackage.json", site).want(t, 1, "is no file of runs")
	empty := t.TempDir()
	call(t, home, "bench", "place", runs, empty).want(t, 1, "holds no published figures")
	call(t, home, "bench", "run", "hashing", "--place", empty).want(t, 1, "holds no published figures")
	edition(t, filepath.Join(empty, "data"), "", "x|1||as-delivered||fast|1|2|"+native+"|1")
	call(t, home, "bench", "place", runs, empty).want(t, 1, `line 2, centre: "fast" is no number`)
}
