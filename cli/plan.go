package cli

import (
	"bufio"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strings"

	"github.com/spf13/cobra"

	"durvek/api"
	"durvek/client"
	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/core/say"
	"durvek/desk/bench"
	"durvek/draw"
)

func (a *app) planCmd() *cobra.Command {
	p, cool := method.Plan{}, method.Cool{}
	var tests, options, setups []string
	var repeats int
	var file, library, ambient string
	add := verb("add UNIT", "Plan measurements of a unit", "durvek plan add fen-14-16-512-a --tests hashing,archive "+
		"--repeats 5", 1, func(cmd *cobra.Command, args []string) error {
		p.Unit = args[0]
		c, err := a.client()
		if err != nil {
			return err
		}
		if file != "" || library != "" {
			if len(tests) > 0 || len(options) > 0 {
				return usageError{errors.New("a plan from a file or the library brings its own tests and options")}
			}
			if cmd.Flags().Changed("setup") {
				setups = append([]string{p.Setup}, setups...)
			}
			var data []byte
			if file != "" {
				if data, err = a.readFile(file); err != nil {
					return err
				}
			}
			return ask(a, cmd, api.AddPlanFrom, api.PlanFrom{Library: library, Unit: p.Unit, Host: p.Host, Place: p.Place,
				Setups: setups, Repeats: repeats, RawBody: data}, func(x method.Plan) { a.planned(cmd, c, x) })
		}
		if cool != (method.Cool{}) {
			p.Cool = &cool
		}
		if ambient != "" {
			p.Ambient = &method.Band{}
			if _, err := fmt.Sscanf(strings.ReplaceAll(ambient, "–", "-"), "%g-%g", &p.Ambient.Low,
				&p.Ambient.High); err != nil {
				return usageError{fmt.Errorf("--ambient %q is not a band such as 18-26", ambient)}
			}
		}
		set, wrong := stepOptions(options)
		if len(wrong) > 0 {
			return usageError{errors.New(strings.Join(wrong, "; "))}
		}
		if len(tests) == 0 { // every usual workload that fits the unit's kind
			if tests, err = fitting(cmd.Context(), c, p.Unit); err != nil {
				return err
			}
		}
		for _, t := range tests {
			t = strings.TrimSpace(t)
			p.Steps = append(p.Steps, method.PlanStep{Test: t, Repeats: repeats, Options: set[t]})
			delete(set, t)
		}
		for t := range set {
			return usageError{fmt.Errorf("an option is given for %q, which is not among the tests", t)}
		}
		return ask(a, cmd, api.AddPlan, api.With(api.PlanRequest{Unit: p.Unit, Host: p.Host, Place: p.Place, Setup: p.Setup,
			Setups: setups, Name: p.Name, Steps: p.Steps, Terms: p.Terms}), func(x method.Plan) { a.planned(cmd, c, x) })
	})
	f := add.Flags()
	f.StringSliceVar(&tests, "tests", nil, "tests, in order; every usual one that fits if left out")
	f.StringArrayVar(&options, "option", nil, "TEST.OPTION=VALUE; may be repeated")
	f.IntVar(&repeats, "repeats", 0, "repeats of each test; 0 for as many as each usually has")
	f.StringVar(&p.Setup, "setup", method.AsDelivered, "setup")
	f.StringSliceVar(&setups, "setups", nil, "several setups, in order: every test is made under each")
	f.StringVar(&file, "file", "", "plan file; - for standard input")
	f.StringVar(&library, "library", "", "plan of the library; `durvek plan library` lists them")
	f.StringVar(&p.Order, "order", "", "grouped (all repeats of a test in a row) or interleaved (a repeat of each test "+
		"in turn)")
	f.Float64Var(&cool.Seconds, "cool", 0, "seconds of rest before each run")
	f.Float64Var(&cool.Below, "cool-below", 0, "rest until the processor is below so many °C")
	f.Float64Var(&cool.Most, "cool-most", 0, "rest at most so many seconds; 0 for 600")
	f.StringVar(&ambient, "ambient", "", "room temperature that runs are made at, in °C: 18-26")
	f.Float64Var(&p.Least, "least", 0, "seconds that a run lasts at least; a shorter one is marked")
	f.StringVar(&p.Failure, "after-failure", "", "go-on, retry, skip or stop")
	f.StringVar(&p.Departure, "on-departure", "", "mark or stop a run whose conditions are not those of its setup")
	f.Float64Var(&p.Sampling, "sampling", 0, "samples of the sensors per second, up to 10; 0 for 1")
	f.StringVar(&p.Host, "host", "", "unit or rig that a part is measured in")
	f.StringVar(&p.Place, "place", "", "port, slot, screen or surface")
	f.StringVar(&p.Name, "name", "", "name of the plan")
	few := api.AtMost20{Limit: 100}
	list := asking(a, "list", "List plans, those that run first", "durvek plan list", api.Bench, &few,
		[]any{own{&few.Limit}},
		func(bs []record.BenchPlan) {
			var rows [][]any
			for _, b := range bs {
				rows = append(rows, []any{b.Plan.ID, b.Title, b.Plan.Name, b.SetupName, b.Plan.State, fmt.Sprintf("%d of %d",
					b.Done, b.Jobs)})
			}
			a.print([]string{"Plan", "Unit", "Name", "Setup", "State", "→Runs"}, rows)
		})
	show := one(a, "show PLAN", "Show a plan with what came of each step", "durvek plan show 01995c3e-…", api.Plan,
		a.printPlan)
	in := &api.Slugged{}
	code := asking(a, "code PLAN", "Make a one-time code with which a machine joins", "durvek plan code 01995c3e-…",
		api.PlanCode, in, []any{&in.Slug}, a.codeText)
	watch := verb("watch PLAN", "Watch a plan until it is done", "durvek plan watch 01995c3e-…", 1,
		func(cmd *cobra.Command, args []string) error {
			return a.watch(cmd.Context(), args[0])
		})
	lib := asking(a, "library", "List the plans that ship with the program", "durvek plan library --kind laptop",
		api.PlanLibrary, &api.KindOf{}, nil, func(fs []bench.PlanFile) {
			var rows [][]any
			for _, f := range fs {
				rows = append(rows, []any{f.Slug, f.Name, kindsText(f.Subjects), f.Estimate.Runs, leftText(f.Estimate.Seconds),
					bytesText(f.Estimate.Writes), f.About})
			}
			a.print([]string{"Plan", "Name", "For", "→Runs", "→Takes about", "→Writes at most", ""}, rows)
		})
	of, done := api.Slugged{}, api.Confirming{}
	export := saving(a, "export PLAN", "Print a plan as a file, for other units", "durvek plan export 01995c3e-…", "",
		api.ExportPlan, &of, []any{&of.Slug})
	confirm := asking(a, "confirm PLAN", "Say that what a plan asked for is done", "durvek plan confirm 01995c3e-…",
		api.Confirm, &done, []any{&done.Slug, own{&done.Body.Ask}},
		func(x method.Plan) { a.say("Plan %s hears of it with its agent's next report.", x.Name) })
	direct := func(do, example, short string, then func(api.Directing) string) *cobra.Command {
		in := &api.Directing{Body: api.Directive{Do: do}}
		c := asking(a, do+" PLAN", short, "durvek plan "+do+" 01995c3e-…"+example, api.DirectPlan, in, []any{&in.Slug,
			own{&in.Body.Step}, own{&in.Body.Do}}, func(x method.Plan) { a.say("Plan %s %s.", x.Name, then(*in)) })
		if do == "skip" {
			c.Flags().IntVar(&in.Body.Step, "step", 0, "the step, counted from 1 as `durvek plan show` does")
			c.MarkFlagRequired("step")
		}
		return c
	}
	says := func(s string) func(api.Directing) string { return func(api.Directing) string { return s } }
	return under(noun("plan", "What is to be measured on a unit", add, list, show, code, watch, lib, a.suggestCmd(),
		a.scheduleCmd(), export, a.schema("plan", "plan files"), confirm,
		direct("pause", "", "Let a plan rest after the present run", says("rests after the present run")),
		direct("resume", "", "Let a plan go on", says("goes on")),
		direct("stop", "", "End a plan; what it has stays", says("ends")),
		direct("close", "", "Close the run-down of a device that stays off", says("has the run, to the last heartbeat")),
		direct("skip", " --step 4", "Leave out a step from now on", func(in api.Directing) string {
			return fmt.Sprintf("leaves out step %d", in.Body.Step)
		})),
		append(a.archiveCmds("plan", "01995c3e-…"), a.dropCmd("plan", "PLAN", "01995c3e-…"), a.changePlanCmd())...)
}

// changePlanCmd changes of a waiting plan what its flags say; what they leave out stays.
func (a *app) changePlanCmd() *cobra.Command {
	var tests []string
	var repeats int
	var setup, name, order string
	c := verb("change PLAN", "Change what a plan that has not begun is to measure; what no flag names stays",
		"durvek plan change 01995c3e-… --tests hashing,archive --repeats 5", 1,
		func(cmd *cobra.Command, args []string) error {
			c, err := a.client()
			if err != nil {
				return err
			}
			was, err := client.Ask(cmd.Context(), c, api.Plan, slugged(args[0]))
			if err != nil {
				return err
			}
			p := was.Plan
			if len(tests) > 0 || setup != "" {
				p.Steps = p.Instead(tests, setup)
			}
			for i := range p.Steps {
				if cmd.Flags().Changed("repeats") {
					p.Steps[i].Repeats = repeats
				}
			}
			p.Order = cmp.Or(order, p.Order)
			return ask(a, cmd, api.ChangePlan, api.PlanChange{Slugged: api.Slugged{Slug: p.ID},
				Body: api.PlanRequest{Host: p.Host, Place: p.Place, Setup: cmp.Or(setup, p.Setup),
					Name: cmp.Or(name, p.Name), Steps: p.Steps, Terms: p.Terms}},
				func(x method.Plan) { a.say("Plan %s: %s.", x.Name, say.Things(runsOf(x.Steps), "run")) })
		})
	f := c.Flags()
	f.StringSliceVar(&tests, "tests", nil, "tests, in order, in place of the plan's")
	f.IntVar(&repeats, "repeats", 0, "repeats of each test; 0 for as many as each usually has")
	f.StringVar(&setup, "setup", "", "setup that every test is made under")
	f.StringVar(&order, "order", "", "grouped or interleaved")
	f.StringVar(&name, "name", "", "name of the plan")
	return c
}

// codeText says how a machine joins with a code.
func (a *app) codeText(x api.JoinCode) {
	a.say("%s, good until %s", x.Code, x.Expires.Local().Format("15:04"))
	a.say("On a machine with the agent:  durvek agent --code %s --server %s", x.Code,
		x.Link[:strings.Index(x.Link, "/probe/")])
	a.say("On a phone, a tablet or in any browser:  %s", x.Link)
	if x.Note != "" {
		a.say("%s", x.Note)
	}
	if qr, err := draw.NewCode(x.Link); err == nil && a.interactive {
		a.say("%s", qr.Text())
	}
}

// planned says how a machine joins for a plan, and what it takes.
func (a *app) planned(cmd *cobra.Command, c *client.Client, x method.Plan) {
	code, err := client.Ask(cmd.Context(), c, api.PlanCode, slugged(x.ID))
	if err != nil {
		a.say("Plan %s is on the bench. (%v)", x.ID, err)
		return
	}
	a.say("Plan %s is on the bench. On the machine, within an hour:\n  durvek agent --server %s --code %s", x.ID, c.Server,
		code.Code)
	if b, err := client.Ask(cmd.Context(), c, api.Plan, slugged(x.ID)); err == nil {
		a.say("%s", announced(b))
	}
}

// closing closes a bracket that is open only where there is something in it.
func closing(s string) string {
	if s == "" {
		return ""
	}
	return ")"
}

// zero writes a number for a query, and nothing for 0.
func zero(n int) string {
	if n == 0 {
		return ""
	}
	return client.Number(n)
}

func kindsText(kinds []catalog.Kind) string {
	if len(kinds) == 0 {
		return "every kind"
	}
	names := make([]string, len(kinds))
	for i, k := range kinds {
		names[i] = string(k)
	}
	return strings.Join(names, ", ")
}

// fitting lists the usual tests meant for a unit's kind.
func fitting(ctx context.Context, c *client.Client, unit string) ([]string, error) {
	u, err := client.Ask(ctx, c, api.Unit, slugged(unit))
	if err != nil {
		return nil, err
	}
	v, err := client.Ask(ctx, c, api.Variant, slugged(u.Variant))
	if err != nil {
		return nil, err
	}
	m, err := client.Ask(ctx, c, api.Model, slugged(v.Model))
	if err != nil {
		return nil, err
	}
	ts, err := client.Ask(ctx, c, api.Tests, api.None{})
	var out []string
	for _, t := range ts {
		if t.Usual && t.Fits(m.Model.Kind) {
			out = append(out, t.Slug)
		}
	}
	return out, err
}

// announced says beforehand how long a plan takes and what it writes.
func announced(b record.BenchPlan) string {
	text := fmt.Sprintf("It takes about %s", leftText(b.Seconds))
	if b.Seconds < 1 && b.Jobs > 0 {
		text = "How long it takes is not known yet"
	}
	if b.Writes > 0 {
		text += " and writes at most " + bytesText(b.Writes)
	}
	if b.Endurance > 0 && b.Writes > 0 {
		text += fmt.Sprintf(", %s %% of what its drive is rated for", quantity.Number(b.Endurance, 2))
	}
	return text + "."
}

func (a *app) printPlan(b record.BenchPlan) {
	a.say("%s: %s, %s, %s. %d of %d runs. %s", b.Title, b.Plan.Name, b.SetupName, b.Plan.State, b.Done, b.Jobs,
		announced(b))
	var rows [][]any
	for i, s := range b.Steps {
		var figures []string
		for _, f := range s.Figures {
			if f.Text != "" {
				figures = append(figures, strings.TrimSpace(f.Name+" "+f.Text+" "+f.Spread)+note(" (expected ",
					f.Expect+closing(f.Expect)))
			}
		}
		what := strings.Join(figures, "; ") + s.Note
		for _, m := range s.Marks {
			if !strings.Contains(what, m.Text) {
				what += " [" + m.Text + "]"
			}
		}
		if s.Prompt != "" {
			rows = append(rows, []any{"", s.Prompt, "", "", "needs a hand", ""})
		}
		rows = append(rows, []any{i + 1, s.Name, s.Setup, fmt.Sprintf("%d of %d", s.Done, s.Repeats), s.State, what})
	}
	a.print([]string{"→Step", "Test", "Setup", "→Repeats", "State", "Figures so far, 95 %"}, rows)
	if b.Progress != nil && b.Progress.Ask != nil && b.Progress.Ask.Now {
		a.say("Needs you: %s. Then: durvek plan confirm %s", b.Progress.Ask.Text, b.Plan.ID)
	}
	for _, x := range b.Doubts {
		a.say("In doubt, %s: %s %s: %s", x.TestName, x.Sentence, x.Proposal, again(x.ID, x.Again))
	}
	for _, x := range b.Incidents {
		a.say("%s, %s: %s", x.At.Format("2006-01-02 15:04:05"), x.Kind, x.Text)
	}
}

// watch follows the service's events and shows a plan's progress.
func (a *app) watch(ctx context.Context, id string) error {
	c, err := a.client()
	if err != nil {
		return err
	}
	b, err := client.Ask(ctx, c, api.Plan, slugged(id))
	if err != nil {
		return err
	}
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, c.Server+"/api/events", nil)
	if err != nil {
		return err
	}
	req.Header.Set("Authorization", "Bearer "+c.Token)
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		return fmt.Errorf("%s: %w", c.Server, client.ErrUnreachable)
	}
	defer resp.Body.Close()
	show := a.progress()
	lines := bufio.NewScanner(resp.Body)
	event := ""
	for !b.Plan.State.Over() {
		if !lines.Scan() {
			return fmt.Errorf("%s: %w: the stream ended", c.Server, client.ErrUnreachable)
		}
		if name, ok := strings.CutPrefix(lines.Text(), "event: "); ok {
			event = name
		}
		data, ok := strings.CutPrefix(lines.Text(), "data: ")
		if !ok {
			continue
		}
		switch event {
		case "progress":
			var p record.Progress
			if json.Unmarshal([]byte(data), &p) == nil && p.Plan == id {
				show.update(p)
			}
		case "bench":
			if b, err = client.Ask(ctx, c, api.Plan, slugged(id)); err != nil {
				return err
			}
		}
	}
	show.end()
	if b, err = client.Ask(ctx, c, api.Plan, slugged(id)); err == nil {
		a.printPlan(b)
	}
	return err
}
