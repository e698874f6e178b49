package cli

import (
	"cmp"
	"errors"
	"fmt"
	"maps"
	"math"
	"os"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"durvek/api"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/core/say"
	"durvek/desk/books"
	"durvek/desk/results"
)

func formatValue(v float64, unit string) string { return quantity.Format(v, unit) }

// bar draws a share as a bar of so many cells.
func bar(share float64, cells int) string {
	n := min(max(int(share*float64(cells)+0.5), 0), cells)
	return "[" + strings.Repeat("=", n) + strings.Repeat(" ", cells-n) + "]"
}

func leftText(s float64) string {
	switch d := time.Duration(s * float64(time.Second)); {
	case d < 90*time.Second:
		return fmt.Sprintf("%.0f s", s)
	case d < 90*time.Minute:
		return fmt.Sprintf("%.0f min", s/60)
	}
	return fmt.Sprintf("%.1f h", s/3600)
}

// origin says how a test's figures come about.
func origin(t method.Test) string {
	if t.Derived() {
		return "worked out"
	}
	return map[string]string{"workload": "agent", "command": "agent, by command", "own": "by hand"}[t.Origin]
}

func (a *app) testCmd() *cobra.Command {
	var def api.File
	imp := asking(a, "import FILE", "Take in a test definition of your own",
		"durvek test import demo/tests/survey-export.yaml",
		api.ImportTest, &def, []any{&def.RawBody}, func(t method.Test) {
			if def.CheckOnly {
				a.say("Nothing wrong with test %s, version %d; nothing written.", t.Slug, t.Version)
				return
			}
			a.say("Test %s, version %d, is known.", t.Slug, t.Version)
		})
	list := all(a, "list", "List tests and their measures", "durvek test list", api.Tests, func(ts []method.Test) {
		var rows [][]any
		for _, t := range ts {
			for _, m := range t.Measures {
				rows = append(rows, []any{method.ID(t.Slug, m.Slug), t.Name + ", " + m.Name, cmp.Or(quantity.Symbol(m.Unit), "—"),
					m.Better.Phrase(), origin(t), t.Version})
			}
		}
		a.print([]string{"Measure", "Meaning", "Unit", "Better", "Measured", "→Version"}, rows)
	})
	show := one(a, "show TEST", "Show a test", "durvek test show drive-random", api.Test, func(t method.Test) {
		a.explain(t)
	})
	var trial books.Trial
	var output, errs, written string
	try := verb("try TEST-OR-FILE", "Try a test's mapping on a saved output and record nothing",
		"durvek test try demo/tests/hull-mesher.yaml --file demo/tests/hull-mesher.json --seconds 38", 1,
		func(cmd *cobra.Command, args []string) error {
			trial.Test = args[0]
			if _, err := os.Stat(args[0]); err == nil {
				data, err := a.readFile(args[0])
				if err != nil {
					return err
				}
				trial.Definition = string(data)
			}
			for _, x := range []struct {
				name string
				into *string
			}{{output, &trial.Output}, {errs, &trial.Errors}, {written, &trial.File}} {
				if x.name == "" {
					continue
				}
				data, err := a.readFile(x.name)
				if err != nil {
					return err
				}
				*x.into = string(data)
			}
			whole := true
			err := ask(a, cmd, api.TryMapping, api.With(trial), func(t books.Tried) {
				whole = t.Whole
				var rows [][]any
				for _, f := range t.Found {
					value := quantity.Format(f.Value, f.Unit)
					if f.Fault != "" {
						value = "—"
					}
					rows = append(rows, []any{f.Measure, value, f.Raw, f.Where + note("; missing: ", f.Fault)})
				}
				a.print([]string{"Measure", "→Figure", "What stands there", "Looked for in"}, rows)
			})
			if err == nil && !whole {
				err = errors.New("the mapping does not fit this output; a run with it would fail")
			}
			return err
		})
	f := try.Flags()
	f.StringVar(&output, "output", "", "file with what the program printed; - for standard input")
	f.StringVar(&errs, "errors", "", "file with what it printed as errors")
	f.StringVar(&written, "file", "", "the file that it wrote")
	f.Float64Var(&trial.Seconds, "seconds", 0, "seconds until it ended")
	f.Float64Var(&trial.Line, "line", 0, "seconds until the awaited line")
	return under(noun("test", "What is measured and how", imp, list, show, try, a.schema("test", "test definitions")),
		a.asideCmds()...)
}

func (a *app) setupCmd() *cobra.Command {
	var s method.Setup
	var conditions []string
	add := verb("add SLUG", "Add a setup", "durvek setup add fast-battery --name 'Fast mode on battery' --raised "+
		"--condition supply=battery --condition power.mode=fast", 1, func(cmd *cobra.Command, args []string) error {
		var err error
		s.Slug = args[0]
		if s.Conditions, err = pairs(conditions); err != nil {
			return err
		}
		return ask(a, cmd, api.AddSetup, api.With(s), func(x method.Setup) { a.say("Setup %s is known.", x.Slug) })
	})
	add.Flags().StringVar(&s.Name, "name", "", "name")
	add.Flags().StringVar(&s.Hands, "hands", "", "what a person does to bring a machine into it; made from the "+
		"conditions if left out")
	add.Flags().BoolVar(&s.Raised, "raised", false, "a mode beside the default one")
	add.Flags().StringArrayVar(&conditions, "condition", nil, "KEY=VALUE; may be repeated")
	list := listing(a, "list", "List setups", "durvek setup list", api.Setups, func(ss []method.Setup) {
		var rows [][]any
		for _, s := range ss {
			var cs []string
			for _, k := range slices.Sorted(maps.Keys(s.Conditions)) {
				cs = append(cs, k+"="+s.Conditions[k])
			}
			rows = append(rows, []any{s.Slug, s.Name, strings.Join(cs, ", ")})
		}
		a.print([]string{"Slug", "Name", "Conditions"}, rows)
	})
	return under(noun("setup", "Named sets of conditions", add, list, a.dropCmd("setup", "SLUG", "fast-battery")),
		a.archiveCmds("setup", "quiet-mode")...)
}

// inShort is a reading as a list of runs says it: without its unit.
func inShort(x record.Reading) string {
	v := quantity.Number(x.Value, 4)
	if x.Low != nil && x.High != nil {
		v = quantity.Given(*x.Low, "1") + " to " + quantity.Given(*x.High, "1")
	}
	switch x.State {
	case record.Missing:
		return "missing"
	case record.Void:
		return v + " (void)"
	}
	return strings.TrimSpace(x.State.Bound() + " " + v)
}

func (a *app) runCmd() *cobra.Command {
	q := api.RunsIn{Page: api.Page{Limit: 30}}
	list := asking(a, "list", "List runs, the newest first", "durvek run list --unit fen-14-16-512-a --test hashing",
		api.Runs, &q, []any{own{&q.Offset}, own{&q.After}}, func(l api.RunList) {
			var rows [][]any
			for _, r := range l.Runs {
				var figures []string
				for _, x := range r.Readings {
					figures = append(figures, x.Measure+" "+inShort(x))
				}
				what := strings.Join(figures, ", ")
				if r.Doubts > 0 {
					what = fmt.Sprintf("[%d in doubt] ", r.Doubts) + what
				}
				if r.Outcome != record.Done {
					what = strings.ReplaceAll(string(r.Outcome), "-", " ") + ": " + r.Failure
				}
				rows = append(rows, []any{r.ID, r.Started.Format("2006-01-02 15:04"), r.Subject, r.Test, r.Setup, what})
			}
			a.print([]string{"Run", "Started (UTC)", "Unit", "Test", "Setup", "Readings"}, rows)
			a.say("%d of %d runs.", len(l.Runs), l.Total)
		})
	show := one(a, "show RUN", "Show a run with its conditions and raw samples", "durvek run show 01995c3e-…", api.Run,
		func(p results.RunPage) {
			r := p.Run
			a.say("%s on %s (%s), setup %s, repeat %d, started %s", p.TestName, p.Title, r.Subject, r.Setup, r.Repeat+1,
				r.Started.Format(time.RFC3339))
			if r.Host != "" {
				a.say("Measured in %s%s", r.Host, note(", ", r.Place))
			}
			if r.Simulated {
				a.say("A simulated machine.")
			}
			if r.Failure != "" {
				a.say("%s: %s", map[record.Ending]string{record.Failed: "Failed", record.NotRun: "Not run"}[r.Outcome], r.Failure)
			}
			for _, m := range r.Marks {
				a.say("Not as planned, after %s: %s", leftText(m.At), m.Text)
			}
			if len(r.Marks) == 0 {
				for _, d := range p.Departures {
					a.say("Not as planned: %s", d)
				}
			}
			switch l := r.Course.Limiter; l.Label {
			case "":
			case "unknown":
				a.say("What held it back is not known: %s", l.Why)
			default:
				a.say("Held back by %s: %s", l.Label, l.Why)
			}
			if r.Course.Attempt > 0 {
				a.say("Begun before and broken off %s", say.Things(r.Course.Attempt, "time"))
			}
			units := map[string]method.Measure{}
			for _, m := range p.Measures {
				units[m.Slug] = m
			}
			var rows [][]any
			for _, x := range r.Readings {
				rows = append(rows, []any{units[x.Measure].Name, x.Says(units[x.Measure]),
					string(x.State) + note(": ", x.Reason)})
			}
			a.say("")
			a.print([]string{"Reading", "→Value", "State"}, rows)
			a.say("")
			rows = nil
			for _, x := range p.Doubts {
				rows = append(rows, []any{x.ID, x.Severity, string(x.State) + note(": ", x.Reason), x.Sentence})
			}
			if len(rows) > 0 {
				a.print([]string{"Doubt", "Weight", "State", "What"}, rows)
				a.say("")
				rows = nil
			}
			for _, c := range p.Changes {
				rows = append(rows, []any{c.At.Format("2006-01-02 15:04"), c.By, c.Kind, c.Measure,
					standing(c.Old, units[c.Measure]), standing(c.Now, units[c.Measure]), c.Reason})
			}
			if len(rows) > 0 {
				a.print([]string{"Changed (UTC)", "By", "What", "Measure", "→Before", "→Since", "Why"}, rows)
				a.say("")
				rows = nil
			}
			for _, k := range slices.Sorted(maps.Keys(r.Observed)) {
				c, _ := method.Condition(k)
				rows = append(rows, []any{c.Name, r.Observed[k]})
			}
			if len(rows) > 0 {
				a.print([]string{"Observed", ""}, rows)
			}
			if len(r.Negotiated) > 0 {
				a.say("")
				rows = nil
				for _, k := range slices.Sorted(maps.Keys(r.Negotiated)) {
					rows = append(rows, []any{negotiatedName(k), r.Negotiated[k]})
				}
				a.print([]string{"Negotiated", ""}, rows)
			}
			if len(p.Machine.Untold) > 0 {
				a.say("\nNot observable here: %s", strings.Join(p.Machine.Untold, ", "))
			}
			if len(p.Sensors) > 0 {
				var names []string
				for _, c := range p.Sensors {
					names = append(names, c.Name)
				}
				a.say("\nTrace of %s; `durvek run trace %s` shows it.", strings.Join(names, ", "), r.ID)
			}
			for _, o := range p.Outside {
				a.say("Log %q beside it (%s), shifted by %.2f s%s", o.Name, o.ID, o.Shift, note("; ", o.Note))
			}
			a.seriesOf(p)
		})
	at := api.RunsFrom{Setup: method.AsDelivered}
	imp := asking(a, "import FILE", "Take in the runs of a machine that measured alone",
		"durvek run import runs.json --unit fen-14-16-512-a", api.ImportRuns, &at, []any{&at.RawBody},
		func(x results.Imported) { a.say("%s, %d known already.", say.Things(x.Runs, "new run"), x.Known) })
	trace, logs := a.traceCmds()
	return noun("run", "What was measured", slices.Concat([]*cobra.Command{list, show, imp, trace}, logs,
		a.correctCmds())...)
}

// seriesOf says how a run's series went.
func (a *app) seriesOf(p results.RunPage) {
	a.say("")
	for _, w := range p.Courses {
		a.say("%s", w.Sentence)
	}
	for _, s := range p.Run.Series {
		if len(s.Values) == 0 {
			continue
		}
		if s.Axis != "" {
			a.curve(s)
			continue
		}
		lo, hi := s.Values[0], s.Values[0]
		for _, v := range s.Values {
			lo, hi = min(lo, v), max(hi, v)
		}
		a.say("Samples of %s: %d, from %s to %s", s.Channel, len(s.Values), quantity.Format(lo, s.Unit),
			quantity.Format(hi, s.Unit))
	}
}

// curve prints a series over another axis than time, a line per point.
func (a *app) curve(s record.Series) {
	most := slices.Max(s.Values)
	a.say("%s over %s", strings.ToUpper(s.Channel[:1])+s.Channel[1:], s.Axis)
	var rows [][]any
	every := (len(s.Values) + 39) / 40
	for i := 0; i < len(s.Values); i += every {
		rows = append(rows, []any{axisText(s.Times[i], s.Along), quantity.Format(s.Values[i], s.Unit), strings.Repeat("▇",
			int(30*s.Values[i]/most+0.5))})
	}
	a.print([]string{"→" + strings.ToUpper(s.Axis[:1]) + s.Axis[1:], "→" + strings.ToUpper(s.Channel[:1]) + s.Channel[1:],
		""}, rows)
	a.say("")
}

// axisText is a place on an axis; bytes are said in the largest binary unit.
func axisText(v float64, unit string) string {
	if unit == "By" {
		for _, u := range []struct {
			size float64
			code string
		}{{1 << 30, "GiBy"}, {1 << 20, "MiBy"}, {1 << 10, "KiBy"}} {
			if v >= u.size {
				return quantity.Number(v/u.size, 3) + " " + quantity.Symbol(u.code)
			}
		}
	}
	return quantity.Plain(math.Round(v*1000)/1000, unit)
}

func (a *app) readingCmd() *cobra.Command {
	var x results.Typed
	var repeat int
	var conditions, notes []string
	add := verb("add UNIT TEST MEASURE=VALUE…", "Enter what was read off: 412, '2 min 14 s', '29 to 31', 'about "+
		"95', 'at least 100', 'at most 20', pass, fail, a mark, 'missing: why'",
		"durvek reading add fen-14-16-512-a survey-export time='498 s' --condition "+
			"program.version=3.2", 0, func(cmd *cobra.Command, args []string) error {
			var err error
			x.Subject, x.Test = args[0], args[1]
			if x.Readings, err = pairs(args[2:]); err != nil {
				return err
			}
			if x.Conditions, err = pairs(conditions); err != nil {
				return err
			}
			if x.Notes, err = pairs(notes); err != nil {
				return err
			}
			if x.Repeat = repeat - 1; x.Repeat < 0 {
				return usageError{fmt.Errorf("--repeat counts from 1, not %d", repeat)}
			}
			return ask(a, cmd, api.TypeReadings, api.With(x), func(r record.Run) {
				switch len(x.Laps) {
				case 0:
					a.say("Run %s holds %s.", r.ID, say.Things(len(r.Readings), "reading"))
				case 1:
					a.say("The lap is run %s.", r.ID)
				default:
					a.say("%d laps are %d runs; the last is %s.", len(x.Laps), len(x.Laps), r.ID)
				}
				if len(r.Untold) > 0 {
					a.say("It stands beside no other before %s known: --condition KEY=VALUE tells.", areOne(r.Untold))
				}
			})
		})
	add.Args = func(c *cobra.Command, args []string) error {
		if len(args) < 2 || len(args) < 3 && len(x.Laps) == 0 {
			return usage(c, args)
		}
		return nil
	}
	f := add.Flags()
	f.StringVar(&x.Setup, "setup", method.AsDelivered, "setup")
	f.StringVar(&x.Host, "host", "", "unit or rig that a part was measured in")
	f.StringVar(&x.Place, "place", "", "port, slot, screen or surface")
	f.StringVar(&x.Date, "date", "", "day it was measured, YYYY-MM-DD; today if left out")
	f.StringVar(&x.Sitting, "sitting", "", "names the boot that readings share; the day if left out")
	f.IntVar(&repeat, "repeat", 1, "number of the repeat, from 1")
	f.Float64SliceVar(&x.Laps, "lap", nil, "seconds of a lap of the stopwatch, in place of readings; may be repeated")
	f.StringArrayVar(&notes, "note", nil, "MEASURE=NOTE beside a reading; may be repeated")
	f.StringArrayVar(&conditions, "condition", nil, "KEY=VALUE beside the setup's; may be repeated")
	return noun("reading", "Figures entered by hand", add)
}

// areOne lists things with the verb that fits their number.
func areOne(things []string) string {
	if len(things) == 1 {
		return things[0] + " is"
	}
	return say.List(things) + " are"
}

func (a *app) tableCmd() *cobra.Command {
	dry := false
	take := func(name, short string, check bool) *cobra.Command {
		return verb(name+" FILE", short, "durvek table "+name+" demo/tables/desk-readings.csv", 1, func(cmd *cobra.Command,
			args []string) error {
			data, err := a.readFile(args[0])
			if err != nil {
				return err
			}
			refused := 0
			err = ask(a, cmd, api.ImportTable, api.File{CheckOnly: check || dry, RawBody: data}, func(t results.Table) {
				refused = len(t.Refused)
				var rows [][]any
				for _, r := range t.Refused {
					rows = append(rows, []any{r.Line, r.Reason})
				}
				if refused > 0 {
					a.print([]string{"→Line", "Refused because"}, rows)
				}
				a.say("%s: %s, %d known already, %s.", say.Things(t.Rows, "reading"), say.Things(t.Runs, "new run"),
					t.Known, say.Things(refused, "refusal"))
				for _, u := range t.Untold {
					a.say("%s of %s: beside no other before %s known; a column of that name tells.",
						say.Capital(say.Things(u.Runs, "run")), u.Test, areOne(u.Conditions))
				}
				if t.Written {
					a.say("Taken in.")
				} else {
					a.say("Nothing was written.")
				}
			})
			if err == nil && refused > 0 {
				err = fmt.Errorf("%s; mend these lines and try again", say.Things(refused, "refusal"))
			}
			return err
		})
	}
	imp := take("import", "Take in a table, or nothing of it if any row is refused", false)
	imp.Flags().BoolVar(&dry, "dry-run", false, "say what would happen and write nothing, as check does")
	return noun("table", "CSV tables of readings",
		take("check", "Show what a table holds and every refused row, and change nothing", true), imp)
}
