package desk

import (
	"context"
	"crypto/sha256"
	"encoding/csv"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"slices"
	"sort"
	"strconv"
	"strings"
	"time"

	"github.com/google/uuid"

	"durvek/core/analyse"
	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/core/record"
	"durvek/core/stats"
	"durvek/core/trust"
	"durvek/document"
	"durvek/store"
	"durvek/trace"
)

// ImportTest takes in a reviewer's own test definition. A version that has runs keeps its measures
// and conditions: raise the version instead.
func (d *Desk) ImportTest(ctx context.Context, data []byte, by string) (method.Test, error) {
	file, t, err := readTest(data)
	if err != nil {
		return t, err
	}
	found := t.Check()
	if old, err := d.store.Test(ctx, t.Slug, 0); err == nil {
		if old.Origin == "workload" {
			found = append(found, catalog.Problem{Path: []any{"slug"}, Reason: fmt.Sprintf("%q is one of the built-in tests; choose another name", t.Slug)})
		} else if t.Version < old.Version {
			found = append(found, catalog.Problem{Path: []any{"version"}, Reason: fmt.Sprintf("version %d is older than the %d that is known", t.Version, old.Version)})
		}
	}
	if old, err := d.store.Test(ctx, t.Slug, t.Version); err == nil && shape(old) != shape(t) {
		if _, n, err := d.store.Runs(ctx, store.RunFilter{Test: t.Slug, Limit: 1}); err != nil || n > 0 {
			found = append(found, catalog.Problem{Path: []any{"version"}, Reason: fmt.Sprintf("version %d has runs, so its measures, conditions and command stay; raise the version", t.Version)})
		}
	}
	if err := file.Reject(problems(found)); err != nil {
		return t, err
	}
	for i, m := range t.Measures { // symbols are welcome in files; data hold UCUM codes
		code, _ := unitCode(m.Unit)
		t.Measures[i].Unit = code
	}
	return t, d.put(ctx, by, "import test", t.Slug, func(q store.Queries) error { return q.PutTest(ctx, t, d.now()) })
}

// readTest reads a definition's file; what its entries mean is not checked yet.
func readTest(data []byte) (file *document.File, t method.Test, err error) {
	if file, err = document.Read("test", data); err == nil {
		err = file.Decode(testSchema, &t)
	}
	t.Origin = "own"
	if t.Command != nil {
		t.Origin = "command"
	}
	return file, t, err
}

// Trial is a saved output of a program, to try a test's mapping on.
type Trial struct {
	Definition string  `json:"definition,omitempty" doc:"The test's file, YAML or JSON; the test that the desk knows if left out"`
	Test       string  `json:"test,omitempty" doc:"Slug of a test that the desk knows"`
	Output     string  `json:"output,omitempty" doc:"What the program printed"`
	Errors     string  `json:"errors,omitempty" doc:"What it printed as errors"`
	File       string  `json:"file,omitempty" doc:"Content of the file that it wrote"`
	Seconds    float64 `json:"seconds,omitempty" doc:"Seconds until it ended"`
	Line       float64 `json:"line,omitempty" doc:"Seconds until the awaited line"`
}

// Tried is what a mapping found.
type Tried struct {
	Test  string         `json:"test"`
	Found []method.Found `json:"found"`
	Whole bool           `json:"whole" doc:"Every figure was found"`
}

// TryMapping reads a saved output by a test's mapping and records nothing.
func (d *Desk) TryMapping(ctx context.Context, x Trial) (Tried, error) {
	var t method.Test
	var err error
	if x.Definition != "" {
		var file *document.File
		if file, t, err = readTest([]byte(x.Definition)); err != nil {
			return Tried{}, err
		}
		if err := file.Reject(problems(t.Check())); err != nil {
			return Tried{}, err
		}
	} else if t, err = d.store.Test(ctx, x.Test, 0); err != nil {
		return Tried{}, missing(err, "test", x.Test)
	}
	if t.Command == nil {
		return Tried{}, refuse(Invalid, "test %q runs no command, so it has no mapping", t.Slug)
	}
	found, err := t.Read(method.Output{Output: []byte(x.Output), Errors: []byte(x.Errors), File: []byte(x.File), Seconds: x.Seconds, Line: x.Line})
	return Tried{t.Slug, found, err == nil}, nil
}

// shape is the part of a test that figures depend on.
func shape(t method.Test) string {
	ms := slices.Clone(t.Measures)
	for i := range ms {
		ms[i].Unit, _ = unitCode(ms[i].Unit)
		ms[i].Name, ms[i].Margin, ms[i].Repeatability, ms[i].Tolerance = "", 0, 0, 0
	}
	must := slices.Clone(t.MustMatch)
	sort.Strings(must)
	b, _ := json.Marshal([]any{ms, must, t.Command})
	return string(b)
}

// RunsFormat names the files of runs that machines make alone.
const RunsFormat = "durvek-runs/1"

// RunFile is such a file: what the machine says of itself, and its runs.
type RunFile struct {
	Format  string         `json:"format"`
	Machine record.Machine `json:"machine"`
	Runs    []record.Run   `json:"runs"`
}

// Target says what the runs of a file were made on.
type Target struct {
	Unit, Host, Place, Setup string
}

// Imported tells what a file of runs brought.
type Imported struct {
	Runs  int `json:"runs"`
	Known int `json:"known" doc:"Runs that were taken in before and stay as they are"`
}

// ImportRuns takes in a file of runs that a machine made alone: all of it, or nothing. Runs that are
// known already stay as they are.
func (d *Desk) ImportRuns(ctx context.Context, data []byte, at Target, by string) (Imported, error) {
	var f RunFile
	var out Imported
	file, err := document.Read("file of runs", data)
	if err != nil {
		return out, err
	}
	if err := file.Decode(runsSchema, &f); err != nil {
		return out, err
	}
	if at.Setup == "" {
		at.Setup = method.AsDelivered
	}
	kind, wrong := d.checkPlace(ctx, at.Unit, at.Host, at.Setup)
	for i, r := range f.Runs {
		if _, err := uuid.Parse(r.ID); err != nil {
			wrong = append(wrong, fmt.Sprintf("run %d has the id %q, which is no UUID", i+1, r.ID))
		}
		t, err := d.store.Test(ctx, r.Test, r.TestVersion)
		if err != nil {
			wrong = append(wrong, fmt.Sprintf("no version %d of a test %q is known", r.TestVersion, r.Test))
		} else if kind != "" && !t.Fits(kind) {
			wrong = append(wrong, fmt.Sprintf("test %q is not meant for a %s", r.Test, kind))
		}
	}
	if len(wrong) > 0 {
		slices.Sort(wrong)
		return out, refuse(Invalid, "file of runs refused: %s", strings.Join(slices.Compact(wrong), "; "))
	}
	var fresh []record.Run
	for _, r := range f.Runs {
		if _, err := d.store.Run(ctx, r.ID); err == nil {
			out.Known++
			continue
		}
		r.Subject, r.Host, r.Place, r.Setup, r.Plan, r.Step = at.Unit, at.Host, at.Place, at.Setup, "", 0
		r.Source, r.By, r.Simulated = "file", by, f.Machine.Simulated
		fresh = append(fresh, r)
	}
	if len(fresh) == 0 {
		return out, nil
	}
	err = d.store.Write(ctx, func(q store.Queries) error {
		s, err := q.PutSitting(ctx, record.Sitting{ID: newID(), Unit: at.Unit, Boot: f.Machine.Boot, Started: fresh[0].Started, Machine: f.Machine})
		for i := range fresh {
			fresh[i].Sitting = s.ID
		}
		return err
	})
	if err == nil {
		_, err = d.record(ctx, fresh)
	}
	if err == nil {
		out.Runs = len(fresh)
	}
	return out, err
}

// AddRun records a run that an agent sends. Sending it again changes nothing and is no error; fresh
// tells which it was. A run that does not fit its plan is refused.
func (d *Desk) AddRun(ctx context.Context, r record.Run) (fresh bool, err error) {
	if _, err := uuid.Parse(r.ID); err != nil {
		return false, refuse(Invalid, "run id %q is not a UUID", r.ID)
	}
	p, err := d.store.Plan(ctx, r.Plan)
	if err != nil {
		return false, missing(err, "plan", r.Plan)
	}
	if r.Step < 0 || r.Step >= len(p.Steps) || p.Steps[r.Step].Test != r.Test || r.Repeat < 0 || r.Repeat >= p.Steps[r.Step].Repeats {
		return false, refuse(Invalid, "run of %q is not step %d, repeat %d, of its plan", r.Test, r.Step+1, r.Repeat+1)
	}
	s, err := d.store.Sitting(ctx, r.Sitting)
	if err != nil || s.Unit != p.Unit {
		return false, refuse(Invalid, "sitting %q is not one of unit %q", r.Sitting, p.Unit)
	}
	if r.Ended.Before(r.Started) || r.Started.After(d.now().Add(farOff)) {
		return false, refuse(Invalid, "run of %q lasts from %s to %s by its machine's clock, which cannot be", r.Test, r.Started.UTC().Format(time.RFC3339), r.Ended.UTC().Format(time.RFC3339))
	}
	d.heard(ctx, p.ID)
	r.Subject, r.Host, r.Place, r.Setup, r.Source = p.Unit, p.Host, p.Place, p.SetupOf(r.Step), "agent"
	fresh, err = d.record(ctx, []record.Run{r})
	return fresh, err
}

// record writes runs and brings their cells' estimates up to date in one transaction. It returns
// whether any run was new.
func (d *Desk) record(ctx context.Context, runs []record.Run) (bool, error) {
	var changed []store.Estimate
	var fresh []arrived
	d.matrix.write.Lock()
	defer d.matrix.write.Unlock()
	err := d.store.Write(ctx, func(q store.Queries) error {
		for _, r := range runs {
			t, err := q.Test(ctx, r.Test, r.TestVersion)
			if err != nil {
				return missing(err, "test", fmt.Sprintf("%s version %d", r.Test, r.TestVersion))
			}
			setup, err := q.Setup(ctx, r.Setup)
			if err != nil {
				return missing(err, "setup", r.Setup)
			}
			u, err := q.Unit(ctx, r.Subject)
			if err != nil {
				return missing(err, "unit", r.Subject)
			}
			if err := analyse.Figures(t, &r); err != nil {
				return refuse(Invalid, "run of %q refused: %v", r.Test, err)
			}
			for i, x := range r.Readings {
				m, ok := t.Measure(x.Measure)
				if !ok {
					return refuse(Invalid, "test %q has no measure %q", r.Test, x.Measure)
				}
				x = x.Settle(m)
				if why := x.Check(m); why != "" {
					return refuse(Invalid, "run of %q refused: %s", r.Test, why)
				}
				r.Readings[i] = x
			}
			if r.Plan != "" {
				if other, err := q.JobRun(ctx, r.Plan, r.Step, r.Repeat); err == nil && other != r.ID {
					return refuse(Conflict, "repeat %d of %q has a run already, from another agent", r.Repeat+1, r.Test)
				}
			}
			sensed, err := trace.Unpack(r.Trace)
			if err != nil {
				return refuse(Invalid, "run of %q refused: %v", r.Test, err)
			}
			if r.Outcome == "done" && (len(sensed.Times) > 0 || len(r.Negotiated) > 0) {
				r.Course.Limiter = analyse.Limiter(sensed, r.Negotiated, t.Group)
			}
			conditions := trust.Effective(setup.Conditions, r.Observed)
			basis := basisKey(t, conditions)
			isNew, err := q.AddRun(ctx, r, basis)
			if err != nil {
				return err
			}
			if !isNew {
				continue
			}
			fresh = append(fresh, arrived{r, sensed})
			if err := q.PutTrace(ctx, r.ID, sensed); err != nil {
				return err
			}
			for _, x := range r.Readings {
				e := store.Estimate{CellKey: store.CellKey{Measure: method.ID(r.Test, x.Measure), Setup: r.Setup, Unit: r.Subject, Host: r.Host, Place: r.Place, Basis: basis},
					Variant: u.Variant, Conditions: conditions, TestVersion: r.TestVersion, Simulated: r.Simulated, Updated: d.now()}
				m, _ := t.Measure(x.Measure)
				if kept, err := recount(ctx, q, &e, m); err != nil {
					return err
				} else if kept {
					changed = append(changed, e)
				}
			}
		}
		return nil
	})
	if err != nil {
		return false, err
	}
	d.matrix.put(changed, nil)
	for _, r := range runs {
		if r.Plan != "" && r.Outcome == "done" {
			d.lengths.add(r.Test, r.Subject, r.Ended.Sub(r.Started).Seconds())
		}
	}
	if len(fresh) > 0 {
		if err := d.examine(ctx, fresh); err != nil { // the runs are safe; what was not examined is at the next start
			slog.Error("the rules could not be asked", "run", fresh[0].run.ID, "error", err)
		}
		last := runs[len(runs)-1]
		d.Events.Send(Event{"run", map[string]string{"run": last.ID, "plan": last.Plan, "subject": last.Subject, "test": last.Test}})
	}
	return len(fresh) > 0, nil
}

// recount makes a cell anew from its readings and keeps it; false if none counts.
func recount(ctx context.Context, q store.Queries, e *store.Estimate, m method.Measure) (bool, error) {
	readings, err := q.CellReadings(ctx, e.CellKey)
	if err != nil {
		return false, err
	}
	values := make([]stats.Value, len(readings))
	limiters := map[string]int{}
	counting := 0
	for i, r := range readings {
		values[i] = stats.Value{X: r.Value, HalfWidth: r.HalfWidth(), Sitting: r.Sitting, Bound: r.State.Bound(), Extreme: r.Extreme}
		if r.Extreme {
			continue
		}
		if counting == 0 {
			e.BestLow, e.BestHigh = r.Value, r.Value
		}
		e.BestLow, e.BestHigh = min(e.BestLow, r.Value), max(e.BestHigh, r.Value)
		limiters[r.Limiter]++
		counting++
	}
	if counting == 0 {
		return false, q.DropEstimate(ctx, e.CellKey)
	}
	e.Limiter = ""
	for l, n := range limiters {
		if 2*n > counting && l != "unknown" {
			e.Limiter = l
		}
	}
	e.Cell = stats.NewCell(values, m.Scale.Logarithmic())
	return true, q.PutEstimate(ctx, *e)
}

// basisKey names what a figure rests on: test version and the conditions that must match. Runs whose
// keys differ are never averaged.
func basisKey(t method.Test, conditions map[string]string) string {
	keys := slices.Clone(t.MustMatch)
	sort.Strings(keys)
	h := sha256.New()
	fmt.Fprintf(h, "%d", t.Version)
	for _, k := range keys {
		fmt.Fprintf(h, "|%s=%s", k, conditions[k])
	}
	return hex.EncodeToString(h.Sum(nil)[:6])
}

// Typed is readings that a person enters for one run.
type Typed struct {
	Test       string            `json:"test"`
	Subject    string            `json:"subject" doc:"Unit"`
	Host       string            `json:"host,omitempty"`
	Place      string            `json:"place,omitempty"`
	Setup      string            `json:"setup,omitempty"`
	Sitting    string            `json:"sitting,omitempty" doc:"Names the boot or day that readings share; the day if empty"`
	Date       string            `json:"date,omitempty" doc:"Day it was measured, YYYY-MM-DD; today if empty"`
	Conditions map[string]string `json:"conditions,omitempty" doc:"Conditions beside the setup's, such as program.version"`
	Readings   map[string]string `json:"readings,omitempty" doc:"Measure → what was read: 412, 29 to 31, at least 100, more than 600, missing"`
	Notes      map[string]string `json:"notes,omitempty" doc:"Measure → a note beside its reading"`
	Laps       []float64         `json:"laps,omitempty" doc:"Seconds of each lap of a stopwatch, in place of readings; every lap is a repeat"`
	Repeat     int               `json:"repeat,omitempty"`
}

// typedRun checks one typed run and makes it a run; all that is wrong comes back at once.
func (d *Desk) typedRun(ctx context.Context, x Typed, by, source string) (record.Run, []string) {
	if x.Setup == "" {
		x.Setup = method.AsDelivered
	}
	kind, wrong := d.checkPlace(ctx, x.Subject, x.Host, x.Setup)
	t, err := d.store.Test(ctx, x.Test, 0)
	if err != nil {
		wrong = append(wrong, fmt.Sprintf("no test %q is known", x.Test))
	} else if kind != "" && !t.Fits(kind) {
		wrong = append(wrong, fmt.Sprintf("test %q is not meant for a %s", x.Test, kind))
	}
	at := d.now()
	if x.Date != "" {
		day, err := time.Parse(time.DateOnly, x.Date)
		if err != nil {
			wrong = append(wrong, fmt.Sprintf("%q is not a date, YYYY-MM-DD", x.Date))
		} else if day.After(at) {
			wrong = append(wrong, fmt.Sprintf("%s lies in the future", x.Date))
		}
		at = day
	}
	if x.Sitting == "" {
		x.Sitting = "day " + at.Format(time.DateOnly)
	}
	for k := range x.Conditions {
		if _, ok := method.Condition(k); !ok {
			wrong = append(wrong, fmt.Sprintf("unknown condition %q", k))
		}
	}
	r := record.Run{ID: newID(), Test: x.Test, TestVersion: t.Version, Subject: x.Subject, Host: x.Host, Place: x.Place, Setup: x.Setup,
		Sitting: x.Sitting, Repeat: x.Repeat, Started: at, Ended: at, Outcome: "done", Source: source, By: by, Observed: x.Conditions}
	if len(x.Readings) == 0 {
		wrong = append(wrong, noReading)
	}
	for _, slug := range sortedKeys(x.Readings) {
		m, ok := t.Measure(slug)
		if !ok {
			if err == nil {
				wrong = append(wrong, fmt.Sprintf("test %q has no measure %q", x.Test, slug))
			}
			continue
		}
		reading, err := record.ParseReading(x.Readings[slug], m)
		if err != nil {
			wrong = append(wrong, fmt.Sprintf("%s: %v", slug, err))
			continue
		}
		reading.Reason = strings.TrimSpace(x.Notes[slug])
		r.Readings = append(r.Readings, reading)
	}
	return r, wrong
}

const noReading = "no reading was given"

// TypeReadings records one run that a person read off, or a run for every lap of a stopwatch: all of it or
// nothing. It returns the last run.
func (d *Desk) TypeReadings(ctx context.Context, x Typed, by string) (record.Run, error) {
	each := []Typed{x}
	if len(x.Laps) > 0 {
		t, err := d.store.Test(ctx, x.Test, 0)
		switch {
		case err != nil:
			return record.Run{}, missing(err, "test", x.Test)
		case t.Hands != "stopwatch":
			return record.Run{}, refuse(Invalid, "test %q is not timed with a stopwatch, so it has no laps", x.Test)
		case len(x.Readings) > 0:
			return record.Run{}, refuse(Invalid, "give laps or readings, not both")
		}
		each = nil
		for i, s := range x.Laps {
			lap := x
			lap.Repeat += i
			lap.Readings = map[string]string{t.Measures[0].Slug: strconv.FormatFloat(s, 'f', -1, 64)}
			each = append(each, lap)
		}
	}
	var runs []record.Run
	var wrong []string
	for _, one := range each {
		r, bad := d.typedRun(ctx, one, by, "typed")
		runs, wrong = append(runs, r), append(wrong, bad...)
	}
	if len(wrong) > 0 {
		slices.Sort(wrong)
		return runs[0], refuse(Invalid, "readings refused: %s", strings.Join(slices.Compact(wrong), "; "))
	}
	if err := d.sittings(ctx, runs, func(i int, id string) { runs[i].Sitting = id }); err != nil {
		return runs[0], err
	}
	_, err := d.record(ctx, runs)
	return runs[len(runs)-1], err
}

// sittings finds or makes the sitting that each run names by its label.
func (d *Desk) sittings(ctx context.Context, runs []record.Run, set func(i int, id string)) error {
	return d.store.Write(ctx, func(q store.Queries) error {
		for i, r := range runs {
			s, err := q.PutSitting(ctx, record.Sitting{ID: newID(), Unit: r.Subject, Boot: r.Sitting, Started: r.Started, Machine: record.Machine{Name: "entered by hand", Boot: r.Sitting}})
			if err != nil {
				return err
			}
			set(i, s.ID)
		}
		return nil
	})
}

// Table is what a CSV table of readings holds: how much is new, and every row that is refused.
type Table struct {
	Rows    int        `json:"rows"`
	Runs    int        `json:"runs"`
	Known   int        `json:"known" doc:"Runs that were taken in before and stay as they are"`
	Refused []Refused  `json:"refused"`
	Written bool       `json:"written"`
	Sample  []TableRow `json:"sample" doc:"The first runs as understood"`
}

// Refused is a row that cannot be taken in, and why.
type Refused struct {
	Line   int    `json:"line"`
	Reason string `json:"reason"`
}

// TableRow is one run of the table as it was understood.
type TableRow struct {
	Line     int               `json:"line"`
	Subject  string            `json:"subject"`
	Test     string            `json:"test"`
	Setup    string            `json:"setup"`
	Readings map[string]string `json:"readings"`
}

// tableColumns are the columns that a table may have besides "condition:KEY"; unit, test, measure and
// value must be there.
var tableColumns = []string{"unit", "host", "place", "setup", "sitting", "date", "test", "repeat", "measure", "value"}

// tableSpace names runs from tables, so that the same table taken in again is recognised.
var tableSpace = uuid.MustParse("6f0a3c1e-52c4-4f0e-9d5b-6d1c7b3a9e10")

// ImportTable reads a CSV table (RFC 4180) with one reading per row; rows that agree in all but
// measure and value are one run. With refused rows, or with checkOnly, nothing is written.
func (d *Desk) ImportTable(ctx context.Context, data []byte, checkOnly bool, by string) (Table, error) {
	t := Table{Refused: []Refused{}, Sample: []TableRow{}}
	typed, lines, refused, err := readTable(data)
	if err != nil {
		return t, err
	}
	t.Refused = append(t.Refused, refused...)
	var runs []record.Run
	for i, x := range typed {
		t.Rows += len(x.Readings)
		r, wrong := d.typedRun(ctx, x, by, "table")
		for _, w := range wrong {
			t.Refused = append(t.Refused, Refused{lines[i], w})
		}
		if len(wrong) > 0 {
			continue
		}
		identity := strings.Join([]string{x.Subject, x.Host, x.Place, x.Setup, x.Sitting, x.Date, x.Test, strconv.Itoa(r.TestVersion), strconv.Itoa(x.Repeat), fmt.Sprint(x.Conditions), fmt.Sprint(x.Readings)}, "\x00")
		r.ID = uuid.NewSHA1(tableSpace, []byte(identity)).String()
		if _, err := d.store.Run(ctx, r.ID); err == nil {
			t.Known++
			continue
		}
		runs = append(runs, r)
		if len(t.Sample) < 20 {
			t.Sample = append(t.Sample, TableRow{lines[i], r.Subject, r.Test, r.Setup, x.Readings})
		}
	}
	t.Rows += len(refused)
	t.Runs = len(runs)
	sort.SliceStable(t.Refused, func(i, j int) bool { return t.Refused[i].Line < t.Refused[j].Line })
	if checkOnly || len(t.Refused) > 0 || len(runs) == 0 {
		return t, nil
	}
	if err := d.sittings(ctx, runs, func(i int, id string) { runs[i].Sitting = id }); err != nil {
		return t, err
	}
	_, err = d.record(ctx, runs)
	t.Written = err == nil
	return t, err
}

// readTable gathers a table's rows into runs; lines holds each run's first line.
func readTable(data []byte) (runs []Typed, lines []int, refused []Refused, err error) {
	r := csv.NewReader(strings.NewReader(strings.TrimPrefix(string(data), "\ufeff")))
	r.FieldsPerRecord = -1
	head, err := r.Read()
	if err != nil {
		return nil, nil, nil, refuse(Invalid, "the table is empty; its first line names the columns: %s", strings.Join(tableColumns, ","))
	}
	column := map[string]int{}
	for i, h := range head {
		h = strings.ToLower(strings.TrimSpace(h))
		_, condition := strings.CutPrefix(h, "condition:")
		if _, twice := column[h]; twice || !condition && !slices.Contains(tableColumns, h) {
			return nil, nil, nil, refuse(Invalid, "line 1: column %q is unknown or stands twice; columns are %s and condition:KEY", h, strings.Join(tableColumns, ", "))
		}
		column[h] = i
	}
	for _, need := range []string{"unit", "test", "measure", "value"} {
		if _, ok := column[need]; !ok {
			return nil, nil, nil, refuse(Invalid, "line 1: the table needs a column %q", need)
		}
	}
	index := map[string]int{}
	for {
		row, err := r.Read()
		if errors.Is(err, io.EOF) {
			return runs, lines, refused, nil
		}
		if err != nil {
			var pe *csv.ParseError
			if errors.As(err, &pe) {
				return nil, nil, nil, refuse(Invalid, "line %d, column %d: %v", pe.Line, pe.Column, pe.Err)
			}
			return nil, nil, nil, err
		}
		line, _ := r.FieldPos(0)
		if len(row) != len(head) {
			refused = append(refused, Refused{line, fmt.Sprintf("has %d columns, the first line has %d", len(row), len(head))})
			continue
		}
		get := func(name string) string {
			if i, ok := column[name]; ok {
				return strings.TrimSpace(row[i])
			}
			return ""
		}
		x := Typed{Test: get("test"), Subject: get("unit"), Host: get("host"), Place: get("place"), Setup: get("setup"), Sitting: get("sitting"), Date: get("date"),
			Conditions: map[string]string{}, Readings: map[string]string{}}
		if s := get("repeat"); s != "" {
			if x.Repeat, err = strconv.Atoi(s); err != nil || x.Repeat < 0 {
				refused = append(refused, Refused{line, fmt.Sprintf("repeat %q is not a whole number", s)})
				continue
			}
		}
		for name := range column {
			if key, ok := strings.CutPrefix(name, "condition:"); ok && get(name) != "" {
				x.Conditions[key] = get(name)
			}
		}
		key := fmt.Sprintf("%q %q %q %q %q %q %q %d %v", x.Test, x.Subject, x.Host, x.Place, x.Setup, x.Sitting, x.Date, x.Repeat, x.Conditions)
		i, ok := index[key]
		if !ok {
			i = len(runs)
			index[key] = i
			runs, lines = append(runs, x), append(lines, line)
		}
		if _, twice := runs[i].Readings[get("measure")]; twice {
			refused = append(refused, Refused{line, fmt.Sprintf("%s of this run stands twice; number its repeats in the column repeat", get("measure"))})
			continue
		}
		runs[i].Readings[get("measure")] = get("value")
	}
}

// Runs lists runs, the newest first, and how many there are in all.
func (d *Desk) Runs(ctx context.Context, f store.RunFilter) ([]record.Run, int, error) {
	return d.store.Runs(ctx, f)
}

// arrived is a run on its way to the rules, with what its sensors told.
type arrived struct {
	run    record.Run
	sensed record.Trace
}

// RunPage is a run with its raw samples and what its conditions departed from.
type RunPage struct {
	Run        record.Run         `json:"run"`
	Machine    record.Machine     `json:"machine"`
	Title      string             `json:"title"`
	TestName   string             `json:"test_name"`
	Measures   []method.Measure   `json:"measures"`
	Departures []trust.Difference `json:"departures" doc:"Conditions observed otherwise than the setup says"`
	Sensors    []record.Channel   `json:"sensors" doc:"Channels that its trace has"`
	Outside    []OutsideLog       `json:"outside" doc:"Logs of outside sensors laid beside it"`
	Photos     []Attachment       `json:"photos"`
	Doubts     []trust.Doubt      `json:"doubts" doc:"What makes one distrust it, settled or not"`
	Changes    []store.Change     `json:"changes" doc:"What was changed in it since, the newest first"`
}

// Run finds a run with its raw samples.
func (d *Desk) Run(ctx context.Context, id string) (RunPage, error) {
	p := RunPage{Departures: []trust.Difference{}, Outside: []OutsideLog{}}
	var err error
	if p.Run, err = d.store.Run(ctx, id); err != nil {
		return p, missing(err, "run", id)
	}
	if p.Run.Series, err = d.store.Series(ctx, id); err != nil {
		return p, err
	}
	if s, err := d.store.Sitting(ctx, p.Run.Sitting); err == nil {
		p.Machine = s.Machine
	}
	if p.Sensors, err = d.store.TraceChannels(ctx, id); err != nil {
		return p, err
	}
	logs, err := d.store.Outsides(ctx, id)
	if err != nil {
		return p, err
	}
	for _, o := range logs {
		p.Outside = append(p.Outside, outsideLog(o))
	}
	if p.Photos, err = d.Attachments(ctx, store.AttachmentFilter{Run: id}); err != nil {
		return p, err
	}
	if p.Doubts, _, err = d.store.Doubts(ctx, store.DoubtFilter{Run: id}); err != nil {
		return p, err
	}
	if p.Changes, err = d.store.Changes(ctx, id, 1000); err != nil {
		return p, err
	}
	t, err := d.store.Test(ctx, p.Run.Test, p.Run.TestVersion)
	if err != nil {
		return p, err
	}
	p.TestName, p.Measures = t.Name, t.Measures
	if setup, err := d.store.Setup(ctx, p.Run.Setup); err == nil {
		p.Departures = append(p.Departures, trust.Departures(setup.Conditions, p.Run.Observed)...)
	}
	view, err := d.view(ctx)
	if err != nil {
		return p, err
	}
	if u, err := d.store.Unit(ctx, p.Run.Subject); err == nil {
		p.Title = view.variants[u.Variant].FullName()
	}
	return p, nil
}
