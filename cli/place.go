package cli

import (
	"cmp"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/ranking"
	"durvek/core/record"
	"durvek/core/say"
	"durvek/core/stats"
	"durvek/core/trust"
	"durvek/desk/results"
	"durvek/workload"
)

// published is a figure of an edition: of a machine as delivered, ranked.
type published struct {
	measure, unit, variant, name, conditions string
	version                                  int
	created                                  string // when its edition was made
	centre, lo, hi                           float64
}

// mostPublished is how many bytes of one table of figures are read.
const mostPublished = 64 << 20

// readPublished gathers the figures below a folder: of a site, of an edition, or one table of figures. Of a variant
// that several editions speak of, the newest counts.
func readPublished(path string) ([]published, error) {
	var tables []string
	info, err := os.Stat(path)
	if err != nil {
		return nil, fmt.Errorf("what was published cannot be read: %w", err)
	}
	if !info.IsDir() {
		tables = []string{path}
	} else if err := filepath.WalkDir(path, func(p string, d fs.DirEntry, err error) error {
		if err == nil && d.Type().IsRegular() && d.Name() == "figures.csv" {
			tables = append(tables, p)
		}
		return err
	}); err != nil {
		return nil, err
	}
	newest := map[string]published{}
	for _, table := range tables {
		rows, err := figuresOf(table)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", table, err)
		}
		for _, r := range rows {
			key := r.measure + "|" + r.variant
			if old, ok := newest[key]; !ok || old.created <= r.created {
				newest[key] = r
			}
		}
	}
	if len(newest) == 0 {
		return nil, fmt.Errorf("%s holds no published figures: name the folder of a site or of an edition", path)
	}
	out := make([]published, 0, len(newest))
	for _, r := range newest {
		out = append(out, r)
	}
	return out, nil
}

// figuresOf reads the ranked figures of machines as delivered from a table of figures.
func figuresOf(table string) (out []published, err error) {
	f, err := os.Open(table)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	rows, err := csv.NewReader(io.LimitReader(f, mostPublished)).ReadAll()
	if err != nil || len(rows) == 0 {
		return nil, fmt.Errorf("it is no table of an edition's figures: %w", cmp.Or(err, errors.New("it is empty")))
	}
	at := map[string]int{}
	for i, name := range rows[0] {
		at[name] = i
	}
	for _, need := range []string{"measure", "unit", "test_version", "variant", "name", "host", "place", "setup",
		"conditions", "place_best", "bound", "centre", "low_95", "high_95"} {
		if _, ok := at[need]; !ok {
			return nil, fmt.Errorf("it is no table of an edition's figures: it has no column %q", need)
		}
	}
	var p struct{ Created string }
	if b, err := os.ReadFile(filepath.Join(filepath.Dir(table), "datapackage.json")); err == nil {
		json.Unmarshal(b, &p)
	}
	for i, r := range rows[1:] {
		is := func(column string) string { return r[at[column]] }
		if by, ok := at["measured_by"]; ok && r[by] != "" {
			continue // another desk's, which publishes it itself
		}
		if is("place_best") == "" || is("setup") != method.AsDelivered || is("host")+is("place")+is("bound") != "" {
			continue
		}
		x := published{measure: is("measure"), unit: is("unit"), variant: is("variant"), name: is("name"),
			conditions: is("conditions"), created: p.Created}
		numbers := []*float64{&x.centre, &x.lo, &x.hi}
		for k, column := range []string{"centre", "low_95", "high_95"} {
			if *numbers[k], err = strconv.ParseFloat(cmp.Or(is(column), is("centre")), 64); err != nil ||
				!quantity.Sound(*numbers[k]) {
				return nil, fmt.Errorf("line %d, %s: %q is no number", i+2, column, is(column))
			}
		}
		if x.version, err = strconv.Atoi(is("test_version")); err != nil {
			return nil, fmt.Errorf("line %d, test_version: %q is no number", i+2, is("test_version"))
		}
		out = append(out, x)
	}
	return out, nil
}

// placed is where a machine lands in one measure.
type placed struct {
	Measure string         `json:"measure"`
	Name    string         `json:"name"`
	Mine    stats.Estimate `json:"mine"`
	Unit    string         `json:"unit"`
	Place   ranking.Place  `json:"place"`
	Of      int            `json:"of" doc:"Machines, this one among them"`
	Ahead   string         `json:"ahead,omitempty" doc:"The nearest that is surely better"`
	Behind  string         `json:"behind,omitempty" doc:"The nearest that is surely worse"`
	Unlike  int            `json:"unlike,omitempty" doc:"Published figures of another version of the test, or made by another program"`
}

// place finds where the runs of one machine stand among published figures. What the machine does not tell of itself,
// such as its power mode, is taken to be as delivered; the program that measured must be the same.
func place(runs []record.Run, all []published) (out []placed) {
	for _, w := range workload.Tests() {
		for _, m := range w.Measures {
			if m.Scale != quantity.Ratio || m.Better == quantity.Target {
				continue
			}
			id := method.ID(w.Slug, m.Slug)
			mine, told, ok := measuredHere(runs, w, m)
			if !ok {
				continue
			}
			x := placed{Measure: id, Name: compare.NewMeasure(w, m).Name, Mine: mine, Unit: m.Unit,
				Place: ranking.Place{Best: 1, Worst: 1}, Of: 1}
			above, below := math.Inf(1), math.Inf(1)
			for _, p := range all {
				if p.measure != id {
					continue
				}
				if p.version != w.Version || p.unit != m.Unit || told != "" && !strings.Contains(p.conditions, told) {
					x.Unlike++
					continue
				}
				x.Of++
				x.Place.Worst++
				better, worse := p.lo > mine.Hi, p.hi < mine.Lo
				if m.Better == quantity.Lower {
					better, worse = worse, better
				}
				apart := math.Abs(math.Log(p.centre / mine.Centre))
				switch {
				case better:
					x.Place.Best++
					if apart < above {
						above, x.Ahead = apart, p.name
					}
				case worse:
					x.Place.Worst--
					if apart < below {
						below, x.Behind = apart, p.name
					}
				}
			}
			if x.Of > 1 || x.Unlike > 0 {
				out = append(out, x)
			}
		}
	}
	return out
}

// measuredHere is what a machine's runs say of one of its measures, and by which program they were made, in words. Its
// scatter is what the test ships with, or what the runs show, whichever is larger.
func measuredHere(runs []record.Run, t method.Test, m method.Measure) (e stats.Estimate, told string, ok bool) {
	var values []stats.Value
	for _, r := range runs {
		if r.Test != t.Slug || r.TestVersion != t.Version || r.Outcome != record.Done {
			continue
		}
		for _, x := range r.Readings {
			if x.Measure == m.Slug && x.State == record.OK && x.Value > 0 {
				values = append(values, stats.Value{X: x.Value, Sitting: "here"})
				told = compare.Condition("runtime", trust.Effective(nil, r.Observed)["runtime"])
			}
		}
	}
	if len(values) == 0 {
		return e, "", false
	}
	if !slices.Contains(t.MustMatch, "runtime") {
		told = ""
	}
	c := stats.NewCell(values, true)
	n := float64(len(values))
	variance, df := m.Repeatability*m.Repeatability, 10.0
	if ss := c.Sittings[0].SS; n > 1 && ss/(n-1) > variance {
		variance, df = ss/(n-1), n-1
	}
	half := stats.TQuantile(0.975, df) * math.Sqrt(variance/n)
	mean := c.Sittings[0].Mean
	return stats.Estimate{Centre: math.Exp(mean), Mean: mean, Lo: math.Exp(mean - half), Hi: math.Exp(mean + half),
		N: len(values)}, told, true
}

// placeCmd places runs that were made before.
func (a *app) placeCmd() *cobra.Command {
	return verb("place RUNS FOLDER", "Say where the runs of a file stand among what a site or an edition published",
		"durvek bench place runs.json public", 2, func(_ *cobra.Command, args []string) error {
			file, err := a.readRuns(args[0])
			if err != nil {
				return err
			}
			all, err := readPublished(args[1])
			if err != nil {
				return err
			}
			return a.printPlaces(place(file.Runs, all))
		})
}

// printPlaces says where a machine lands among what was published.
func (a *app) printPlaces(list []placed) error {
	if a.json {
		return a.printJSON(list)
	}
	if len(list) == 0 {
		a.say("\nNothing that was measured here has been published.")
		return nil
	}
	var rows [][]any
	unlike := 0
	for _, x := range list {
		unlike += x.Unlike
		if x.Of < 2 {
			continue
		}
		where := ranking.Within{Place: x.Place, Of: x.Of, Words: x.Place.Words(x.Of)}
		rows = append(rows, []any{x.Name, quantity.Told(x.Mine.Centre, x.Mine.Lo, x.Mine.Hi, x.Unit),
			where.Among("machines"), cmp.Or(x.Ahead, "—"), cmp.Or(x.Behind, "—")})
	}
	a.say("")
	a.print([]string{"Measure", "→Here", "Place", "Next ahead", "Next behind"}, rows)
	a.say("Places are ranges where intervals overlap. As delivered; what this machine does not tell of itself is taken " +
		"to be so.")
	if unlike > 0 {
		a.say("%s of another version of a test, or made by another build of the program, left out.",
			say.Capital(say.Things(unlike, "published figure")))
	}
	return nil
}

// readRuns reads a file of runs that `bench run` wrote.
func (a *app) readRuns(path string) (results.RunFile, error) {
	var f results.RunFile
	b, err := a.readFile(path)
	if err != nil {
		return f, err
	}
	if err := json.Unmarshal(b, &f); err != nil || f.Format != results.RunsFormat {
		return f, fmt.Errorf("%s is no file of runs; `durvek bench run … --output FILE` writes one", path)
	}
	return f, nil
}
