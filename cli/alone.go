package cli

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"os"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/spf13/cobra"

	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/core/say"
	"durvek/desk/results"
	"durvek/machine"
	"durvek/workload"
)

// benchCmd measures this machine alone, without a service.
func (a *app) benchCmd() *cobra.Command {
	var group string
	var all bool
	list := verb("list", "List the tests that this machine can run", "durvek bench list --group storage", 0,
		func(*cobra.Command, []string) error {
			var shown []method.Test
			for _, t := range workload.Tests() {
				if (group == "" || strings.EqualFold(t.Group, group)) && (all || t.Of == "" || group != "") {
					shown = append(shown, t)
				}
			}
			if len(shown) == 0 {
				return usageError{fmt.Errorf("there is no group %q; there are %s", group, strings.Join(groups(), ", "))}
			}
			if a.json {
				return a.printJSON(shown)
			}
			slices.SortStableFunc(shown, func(x, y method.Test) int {
				return slices.Index(groups(), x.Group) - slices.Index(groups(), y.Group)
			})
			var rows [][]any
			for _, t := range shown {
				writes := "—"
				if n := t.WritesWith(nil); n > 0 {
					writes = bytesText(n)
				}
				rows = append(rows, []any{t.Group, t.Slug, t.Name, leftText(t.Seconds), writes})
			}
			a.print([]string{"Group", "Test", "Name", "→One run", "→Writes at most"}, rows)
			if !all && group == "" {
				a.say("\nCPU tests and some others also come as NAME-scaling, NAME-cores and NAME-sustained; `durvek bench list " +
					"--all` shows them.")
			}
			return nil
		})
	list.Flags().StringVar(&group, "group", "", "only this group: "+strings.Join(groups(), ", "))
	list.Flags().BoolVar(&all, "all", false, "also scaling, core by core, and sustained")

	explain := verb("explain TEST", "Say what a test does, what it stands for and what limits it",
		"durvek bench explain route-search", 1, func(_ *cobra.Command, args []string) error {
			w, ok := workload.Find(args[0])
			if !ok {
				return usageError{noSuchTest(args[0])}
			}
			if a.json {
				return a.printJSON(w.Test)
			}
			a.explain(w.Test)
			return nil
		})

	var p alonePlan
	run := &cobra.Command{Use: "run TEST…", Short: "Run tests on this machine and print their figures",
		Example: "  durvek bench run hashing drive-random --repeats 5 --path /mnt/dock --output runs.json",
		Args: func(c *cobra.Command, args []string) error {
			if len(args) == 0 && !p.usual {
				return usageError{errors.New("say which tests to run, or --usual; `durvek bench list` lists them")}
			}
			return nil
		},
		RunE: func(cmd *cobra.Command, args []string) error {
			p.tests = args
			return a.runAlone(cmd.Context(), p)
		}}
	f := run.Flags()
	f.BoolVar(&p.usual, "usual", false, "run every usual test")
	f.IntVar(&p.repeats, "repeats", 0, "repeats of each test; 0 for as many as each usually has")
	f.StringVar(&p.path, "path", ".", "folder on the drive that is to be measured")
	f.Float64Var(&p.seconds, "seconds", 0, "length of each timed part; 0 for the usual one")
	f.StringArrayVar(&p.options, "option", nil, "TEST.OPTION=VALUE; may be repeated")
	f.StringVarP(&p.out, "output", "o", "", "also write the runs to this file, for `durvek run import`")
	f.StringVar(&p.among, "place", "",
		"folder of a site or an edition: say where this machine stands among what was published")
	return noun("bench", "Measure this machine alone, without a service", list, explain, run, a.placeCmd())
}

func noSuchTest(slug string) error {
	return fmt.Errorf("there is no test %q on this machine; `durvek bench list --all` lists them", slug)
}

// groups lists the groups of the built-in tests, in the order in which people work.
func groups() []string {
	order := []string{"CPU", "memory", "storage", "application", "response", "network"}
	for _, t := range workload.Tests() {
		if !slices.Contains(order, t.Group) {
			order = append(order, t.Group)
		}
	}
	return order
}

func bytesText(n int64) string {
	if n >= 1e9 {
		return quantity.Format(float64(n)/1e9, "GBy")
	}
	if n < 1e6 {
		return quantity.Number(float64(n)/1e3, 3) + " kB"
	}
	return quantity.Number(float64(n)/1e6, 3) + " MB"
}

func (a *app) printJSON(v any) error {
	b, err := json.MarshalIndent(v, "", "  ")
	if err == nil {
		a.say("%s", b)
	}
	return err
}

// explain prints a test's definition in words.
func (a *app) explain(t method.Test) {
	a.say("%s (%s, version %d), %s", t.Name, t.Slug, t.Version, t.Group)
	for _, x := range []struct{ head, text string }{{"What it does", t.About}, {"Stands for", t.StandsFor},
		{"Limited by", t.LimitedBy}, {"Works on", t.Input}, {"Checked by", t.Checked},
		{"Compared", compared(t)}, {"Shown, not counted", t.Aside}} {
		if x.text != "" {
			a.say("\n%s", wrap(x.head+": "+x.text, a.width()))
		}
	}
	if t.Command != nil {
		a.say("\nRuns: %s (for %g s at most)", strings.Join(t.Command.Run, " "), t.Command.Limit)
		for _, f := range t.Command.Figures {
			a.say("  %s from %s", f.Measure, f.Place())
		}
	}
	if t.Seconds > 0 {
		a.say("\n%s Usual repeats: %d.", cost(t), max(t.Repeats, 1))
	}
	a.say("")
	var rows [][]any
	for _, m := range t.Measures {
		limit := ""
		if m.Ceiling != nil {
			limit = "ceiling " + quantity.Format(*m.Ceiling, m.Unit)
		}
		if m.Limit != nil {
			limit = "stopped at " + quantity.Format(*m.Limit, m.Unit)
		}
		if m.Formula != "" {
			limit = "worked out: " + m.Formula
		}
		rows = append(rows, []any{m.Slug, m.Name, cmp.Or(quantity.Symbol(m.Unit), "—"), m.Scale, m.Better.Phrase(), limit})
	}
	a.print([]string{"Measure", "Name", "Unit", "Scale", "Better", "Limit"}, rows)
	if len(t.Options) > 0 {
		a.say("")
		rows = nil
		for _, o := range t.Options {
			rows = append(rows, []any{o.Slug, cmp.Or(o.Default, "—"), o.Meaning})
		}
		a.print([]string{"Option", "Usual value", "Meaning"}, rows)
	}
}

// cost says how long one run takes and what it writes.
func cost(t method.Test) string {
	writes := "nothing"
	if n := t.WritesWith(nil); n > 0 {
		writes = "at most " + bytesText(n)
	}
	return fmt.Sprintf("One run takes about %s and writes %s.", leftText(t.Seconds), writes)
}

func compared(t method.Test) string {
	if len(t.MustMatch) == 0 {
		return ""
	}
	names := make([]string, len(t.MustMatch))
	for i, k := range t.MustMatch {
		c, _ := method.Condition(k)
		names[i] = strings.ToLower(c.Name[:1]) + c.Name[1:]
	}
	return "only where these are known and equal: " + strings.Join(names, ", ")
}

// wrap breaks a text into lines of so many columns, but no more than can be read well; 0 columns are any.
func wrap(text string, columns int) string {
	if columns == 0 {
		columns = 110
	}
	columns = min(max(columns, 40), 110)
	var b strings.Builder
	at := 0
	for i, word := range strings.Fields(text) {
		n := len([]rune(word))
		switch {
		case i == 0:
		case at+1+n > columns:
			b.WriteString("\n  ")
			at = 2
		default:
			b.WriteByte(' ')
			at++
		}
		b.WriteString(word)
		at += n
	}
	return b.String()
}

// alonePlan is what `durvek bench run` was asked for.
type alonePlan struct {
	tests, options []string
	usual          bool
	repeats        int
	path, out      string
	among          string // what was published, to be placed among
	seconds        float64
}

// steps turns the request into plan steps, with every fault at once.
func (p alonePlan) steps() ([]method.PlanStep, []method.Test, error) {
	if p.usual {
		for _, t := range workload.Tests() {
			if t.Usual && !slices.Contains(p.tests, t.Slug) {
				p.tests = append(p.tests, t.Slug)
			}
		}
	}
	options, wrong := stepOptions(p.options)
	var steps []method.PlanStep
	var tests []method.Test
	if p.repeats < 0 || p.repeats > 100 {
		wrong = append(wrong, fmt.Sprintf("%d repeats: there are 1 to 100", p.repeats))
	}
	for _, slug := range p.tests {
		w, ok := workload.Find(slug)
		if !ok {
			wrong = append(wrong, noSuchTest(slug).Error())
			continue
		}
		wrong = append(wrong, w.Test.CheckOptions(options[slug])...)
		repeats := p.repeats
		if repeats == 0 {
			repeats = max(w.Test.Repeats, 1)
		}
		steps, tests = append(steps, method.PlanStep{Test: slug, Repeats: repeats, Options: options[slug]}),
			append(tests, w.Test)
	}
	for slug := range options {
		if !slices.Contains(p.tests, slug) {
			wrong = append(wrong, fmt.Sprintf("an option is given for %q, which is not among the tests", slug))
		}
	}
	if len(wrong) > 0 {
		return nil, nil, usageError{errors.New(strings.Join(wrong, "; "))}
	}
	return steps, tests, nil
}

// named lists what options were given: who runs the command names the folders too.
func named(steps []method.PlanStep) (out []string) {
	for _, s := range steps {
		out = slices.AppendSeq(out, maps.Values(s.Options))
	}
	return out
}

// stepOptions reads TEST.OPTION=VALUE.
func stepOptions(list []string) (map[string]map[string]string, []string) {
	out := map[string]map[string]string{}
	var wrong []string
	for _, s := range list {
		name, value, ok := strings.Cut(s, "=")
		test, option, dotted := strings.Cut(name, ".")
		if !ok || !dotted || value == "" {
			wrong = append(wrong, fmt.Sprintf("%q: write an option as TEST.OPTION=VALUE", s))
			continue
		}
		if out[test] == nil {
			out[test] = map[string]string{}
		}
		out[test][option] = value
	}
	return out, wrong
}

// announce says what is to come.
func (a *app) announce(p alonePlan, steps []method.PlanStep, tests []method.Test) (seconds float64) {
	var writes int64
	for i, s := range steps {
		writes += tests[i].WritesWith(s.Options) * int64(s.Repeats)
		seconds += tests[i].SecondsWith(s.Options) * float64(s.Repeats)
	}
	if a.json {
		return seconds
	}
	announced := fmt.Sprintf("%s of %s, about %s", say.Things(runsOf(steps), "run"), say.Things(len(steps), "test"),
		leftText(seconds))
	if writes > 0 {
		announced += fmt.Sprintf("; writes at most %s to %s", bytesText(writes), p.path)
	}
	a.say("%s.", announced)
	return seconds
}

// keepRuns writes and prints what was measured, and where it stands among what was published.
func (a *app) keepRuns(p alonePlan, file results.RunFile, tests []method.Test, among []published) error {
	if p.out != "" {
		b, err := json.MarshalIndent(runFileOut(file), "", " ")
		if err == nil {
			err = os.WriteFile(p.out, append(b, '\n'), 0o644)
		}
		if err != nil {
			return err
		}
	}
	if a.json {
		return a.printJSON(runFileOut(file))
	}
	a.figures(tests, file.Runs)
	if p.out != "" {
		a.say("\nThe runs are in %s; on a desk: durvek run import %s --unit UNIT", p.out, p.out)
	}
	if among != nil {
		return a.printPlaces(place(file.Runs, among))
	}
	return nil
}

// runAlone runs tests here, one after the other, and prints their figures. An interrupt keeps what was
// measured until then.
func (a *app) runAlone(ctx context.Context, p alonePlan) error {
	steps, tests, err := p.steps()
	if err != nil {
		return err
	}
	var among []published
	if p.among != "" { // before hours of measuring, not after
		if among, err = readPublished(p.among); err != nil {
			return err
		}
	}
	seconds := a.announce(p, steps, tests)
	allowed, err := machine.AllowedFile()
	if err != nil {
		allowed = ""
	}
	local := machine.Local{Dir: p.path, Folders: named(steps), Seconds: p.seconds, Allowed: allowed}
	file := results.RunFile{Format: results.RunsFormat, Runs: []record.Run{}}
	if file.Machine, err = local.Describe(ctx); err != nil {
		return err
	}
	order := record.Order{}
	if c, err := a.client(); err == nil { // for the network; a missing service is its test's own affair
		order.Service, order.Token = c.Server, c.Token
	}
	show := a.progress()
	if a.json {
		show = nil
	}
	done, total := 0, runsOf(steps)
	begin := time.Now()
	stopped := error(nil)
steps:
	for i, s := range steps {
		for repeat := range s.Repeats {
			order.Test, order.Options = tests[i], s.Options
			observed, started := local.Observe(ctx), local.Now()
			out, err := local.Run(ctx, order, func(x record.Sample) {
				if show == nil {
					return
				}
				share := (float64(done) + x.Share) / float64(total)
				left := seconds * (1 - share)
				if share > 0.05 {
					left = time.Since(begin).Seconds() * (1 - share) / share
				}
				show.update(record.Progress{Done: done, Jobs: total, Step: i, Repeat: repeat, Test: tests[i].Name, Phase: x.Phase,
					Share: x.Share, Left: left, Value: x.Value, Unit: x.Unit, Picture: x.Picture})
			})
			if ctx.Err() != nil {
				stopped = fmt.Errorf("stopped during %s; nothing of it is left on the drive, and the %d runs before it are kept",
					tests[i].Name, done)
				break steps
			}
			done++
			for k, v := range out.Observed {
				observed[k] = v
			}
			r := record.Run{ID: uuid.Must(uuid.NewV7()).String(), Test: tests[i].Slug, TestVersion: tests[i].Version,
				Repeat: repeat, Started: started, Ended: local.Now(),
				Options: s.Options, Observed: observed, Negotiated: out.Negotiated, Readings: out.Readings, Series: out.Series}
			r.Close(err)
			for k, x := range r.Readings {
				m, _ := tests[i].Measure(x.Measure)
				r.Readings[k] = x.Settle(m)
			}
			file.Runs = append(file.Runs, r)
			if r.Outcome == record.NotRun { // it would not be run the next time either
				done += s.Repeats - repeat - 1
				break
			}
		}
	}
	if show != nil {
		show.end()
	}
	if err := a.keepRuns(p, file, tests, among); err != nil {
		return errors.Join(err, stopped)
	}
	if stopped != nil {
		return stopped
	}
	failed := 0
	for _, r := range file.Runs {
		if r.Outcome == record.Failed {
			failed++
		}
	}
	if failed > 0 {
		return fmt.Errorf("%d of %d runs failed", failed, len(file.Runs))
	}
	return nil
}
