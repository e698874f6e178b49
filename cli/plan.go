package cli

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"durvek/client"
	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/desk/bench"
	"durvek/desk/books"
	"durvek/draw"
)

func (a *app) planCmd() *cobra.Command {
	var p method.Plan
	var tests, options, setups []string
	var repeats int
	var file, library, ambient string
	var cool method.Cool
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
			q := client.Query("library", library, "unit", p.Unit, "host", p.Host, "place", p.Place, "repeats", zero(repeats))
			if cmd.Flags().Changed("setup") {
				setups = append([]string{p.Setup}, setups...)
			}
			q["setups"] = setups
			if len(setups) > 0 {
				q.Set("setups", strings.Join(setups, ","))
			}
			var data []byte
			if file != "" {
				if data, err = a.readFile(file); err != nil {
					return err
				}
			}
			return post(a, cmd, "/api/plan-files", q, data, func(x method.Plan) { a.planned(cmd, c, x) })
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
		request := struct {
			Unit   string            `json:"unit"`
			Host   string            `json:"host,omitempty"`
			Place  string            `json:"place,omitempty"`
			Setup  string            `json:"setup,omitempty"`
			Setups []string          `json:"setups,omitempty"`
			Name   string            `json:"name,omitempty"`
			Steps  []method.PlanStep `json:"steps"`
			method.Terms
		}{p.Unit, p.Host, p.Place, p.Setup, setups, p.Name, p.Steps, p.Terms}
		return post(a, cmd, "/api/plans", nil, request, func(x method.Plan) { a.planned(cmd, c, x) })
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
	list := verb("list", "List plans, those that run first", "durvek plan list", 0, func(cmd *cobra.Command,
		_ []string) error {
		return get(a, cmd, "/api/bench", client.Query("limit", "100"), func(bs []record.BenchPlan) {
			var rows [][]any
			for _, b := range bs {
				rows = append(rows, []any{b.Plan.ID, b.Title, b.Plan.Name, b.SetupName, b.Plan.State, fmt.Sprintf("%d of %d",
					b.Done, b.Jobs)})
			}
			a.print([]string{"Plan", "Unit", "Name", "Setup", "State", "→Runs"}, rows)
		})
	})
	show := verb("show PLAN", "Show a plan with what came of each step", "durvek plan show 01995c3e-…", 1,
		func(cmd *cobra.Command, args []string) error {
			return get(a, cmd, "/api/plans/"+client.Slug(args[0]), nil, a.printPlan)
		})
	code := verb("code PLAN", "Make a one-time code with which a machine joins", "durvek plan code 01995c3e-…", 1,
		func(cmd *cobra.Command, args []string) error {
			return post(a, cmd, "/api/plans/"+client.Slug(args[0])+"/codes", nil, nil, func(x struct {
				Code, Link, Note string
				Expires          time.Time
			}) {
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
			})
		})
	watch := verb("watch PLAN", "Watch a plan until it is done", "durvek plan watch 01995c3e-…", 1,
		func(cmd *cobra.Command, args []string) error {
			return a.watch(cmd.Context(), args[0])
		})
	var kind string
	lib := verb("library", "List the plans that ship with the program", "durvek plan library --kind laptop", 0,
		func(cmd *cobra.Command, _ []string) error {
			return get(a, cmd, "/api/plan-library", client.Query("kind", kind), func(fs []bench.PlanFile) {
				var rows [][]any
				for _, f := range fs {
					rows = append(rows, []any{f.Slug, f.Name, kindsText(f.Subjects), f.Estimate.Runs, leftText(f.Estimate.Seconds),
						bytesText(f.Estimate.Writes), f.About})
				}
				a.print([]string{"Plan", "Name", "For", "→Runs", "→Takes about", "→Writes at most", ""}, rows)
			})
		})
	lib.Flags().StringVar(&kind, "kind", "", "only those for this kind of device")
	export := verb("export PLAN", "Print a plan as a file, for other units", "durvek plan export 01995c3e-…", 1,
		func(cmd *cobra.Command, args []string) error {
			return a.raw(cmd, "/api/plan-files/"+client.Slug(args[0]))
		})
	schema := verb("schema", "Print the JSON Schema of plan files", "durvek plan schema", 0, func(cmd *cobra.Command,
		_ []string) error {
		return a.raw(cmd, "/api/formats/plan")
	})
	confirm := verb("confirm PLAN", "Say that what a plan asked for is done", "durvek plan confirm 01995c3e-…", 1,
		func(cmd *cobra.Command, args []string) error {
			return post(a, cmd, "/api/plans/"+client.Slug(args[0])+"/confirmations", nil, map[string]any{},
				func(x method.Plan) { a.say("Plan %s hears of it with its agent's next report.", x.Name) })
		})
	direct := func(do, short, then string) *cobra.Command {
		return verb(do+" PLAN", short, "durvek plan "+do+" 01995c3e-…", 1, func(cmd *cobra.Command, args []string) error {
			return post(a, cmd, "/api/plans/"+client.Slug(args[0])+"/directives", nil, map[string]any{"do": do},
				func(x method.Plan) { a.say("Plan %s %s.", x.Name, then) })
		})
	}
	var step int
	skip := verb("skip PLAN", "Leave out a step from now on", "durvek plan skip 01995c3e-… --step 4", 1,
		func(cmd *cobra.Command, args []string) error {
			return post(a, cmd, "/api/plans/"+client.Slug(args[0])+"/directives", nil, map[string]any{"do": "skip",
				"step": step}, func(x method.Plan) { a.say("Plan %s leaves out step %d.", x.Name, step) })
		})
	skip.Flags().IntVar(&step, "step", 0, "the step, counted from 1 as `durvek plan show` does")
	skip.MarkFlagRequired("step")
	return noun("plan", "What is to be measured on a unit", add, list, show, code, watch, lib, a.suggestCmd(), export,
		schema, confirm,
		direct("pause", "Let a plan rest after the present run", "rests after the present run"), direct("resume",
			"Let a plan go on", "goes on"), direct("stop", "End a plan; what it has stays", "ends"), skip)
}

// planned says how a machine joins for a plan, and what it takes.
func (a *app) planned(cmd *cobra.Command, c *client.Client, x method.Plan) {
	code, err := client.Post[struct{ Code string }](cmd.Context(), c, "/api/plans/"+x.ID+"/codes", nil, nil)
	if err != nil {
		a.say("Plan %s is on the bench. (%v)", x.ID, err)
		return
	}
	a.say("Plan %s is on the bench. On the machine, within an hour:\n  durvek agent --server %s --code %s", x.ID, c.Server,
		code.Code)
	if b, err := client.Get[record.BenchPlan](cmd.Context(), c, "/api/plans/"+x.ID, nil); err == nil {
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
	u, err := client.Get[catalog.Unit](ctx, c, "/api/units/"+client.Slug(unit), nil)
	if err != nil {
		return nil, err
	}
	v, err := client.Get[catalog.DossierVariant](ctx, c, "/api/variants/"+client.Slug(u.Variant), nil)
	if err != nil {
		return nil, err
	}
	m, err := client.Get[books.ModelPage](ctx, c, "/api/models/"+client.Slug(v.Model), nil)
	if err != nil {
		return nil, err
	}
	ts, err := client.Get[[]method.Test](ctx, c, "/api/tests", nil)
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
	path := "/api/plans/" + client.Slug(id)
	b, err := client.Get[record.BenchPlan](ctx, c, path, nil)
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
			if b, err = client.Get[record.BenchPlan](ctx, c, path, nil); err != nil {
				return err
			}
		}
	}
	show.end()
	if b, err = client.Get[record.BenchPlan](ctx, c, path, nil); err == nil {
		a.printPlan(b)
	}
	return err
}
