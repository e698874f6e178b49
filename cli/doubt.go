package cli

import (
	"cmp"
	"fmt"
	"math"
	"net/http"
	"net/url"
	"strings"

	"github.com/spf13/cobra"

	"durvek/client"
	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/core/trust"
	"durvek/desk/figures"
	"durvek/desk/results"
)

// runsAsked narrows a list of runs.
type runsAsked struct{ unit, test, setup, plan, outcome, source, state, from, until, text string }

func (q *runsAsked) flags(c *cobra.Command) {
	f := c.Flags()
	f.StringVar(&q.unit, "unit", "", "only this unit's")
	f.StringVar(&q.test, "test", "", "only this test's")
	f.StringVar(&q.setup, "setup", "", "only this setup's")
	f.StringVar(&q.plan, "plan", "", "only this plan's")
	f.StringVar(&q.outcome, "outcome", "", "done, failed, not-run or parked")
	f.StringVar(&q.source, "source", "", "agent, file, typed or table")
	f.StringVar(&q.state, "state", "", "doubted, void or changed")
	f.StringVar(&q.from, "from", "", "from this day on, YYYY-MM-DD")
	f.StringVar(&q.until, "until", "", "up to this day, YYYY-MM-DD")
	f.StringVar(&q.text, "text", "", "part of unit, test, or anything observed, such as a firmware version")
}

func (q *runsAsked) query() url.Values {
	return client.Query("subject", q.unit, "test", q.test, "setup", q.setup, "plan", q.plan, "outcome", q.outcome,
		"source", q.source, "state", q.state, "from", q.from, "until", q.until, "text", q.text)
}

// again says how what a doubt is about is put on the bench once more.
func again(id, how string) string {
	if how == "" {
		return "durvek doubt show " + id
	}
	return "durvek doubt repeat " + id
}

// tuned says a tuning in words.
func tuned(t trust.Tuning) string {
	if t.Off {
		return "off"
	}
	return fmt.Sprintf("limit %g", t.Limit)
}

// standing writes a reading as it stands.
func standing(r record.Reading, m method.Measure) string {
	if r.State == record.Void {
		return "void"
	}
	return strings.TrimSpace(r.State.Bound() + " " + m.Say(r.Value, string(r.State)))
}

func (a *app) doubtCmd() *cobra.Command {
	var state, rule, unit, test, severity string
	var limit int
	list := verb("list", "List doubts: open ones first, then the gravest",
		"durvek doubt list --state open --unit relay-15-16-512-a", 0, func(cmd *cobra.Command, _ []string) error {
			return get(a, cmd, "/api/doubts", client.Query("state", state, "rule", rule, "subject", unit, "test", test,
				"severity", severity, "limit", client.Number(limit)), func(l struct {
				Doubts []trust.Doubt
				Total  int
			}) {
				var rows [][]any
				for _, d := range l.Doubts {
					rows = append(rows, []any{d.ID, d.State, d.Severity, d.Subject, d.TestName + note(", ", d.Measure), d.Sentence})
				}
				a.print([]string{"Doubt", "State", "Weight", "Unit", "Test", "What"}, rows)
				a.say("%d of %d doubts.", len(l.Doubts), l.Total)
			})
		})
	f := list.Flags()
	f.StringVar(&state, "state", "open", "open, upheld or dismissed; \"\" for all")
	f.StringVar(&rule, "rule", "", "only this rule's")
	f.StringVar(&unit, "unit", "", "only about this unit")
	f.StringVar(&test, "test", "", "only about this test")
	f.StringVar(&severity, "severity", "", "note, caution or serious")
	f.IntVar(&limit, "limit", 30, "how many")
	show := verb("show DOUBT", "Show a doubt with its evidence and its life", "durvek doubt show 01995c3e-…", 1,
		func(cmd *cobra.Command, args []string) error {
			return get(a, cmd, "/api/doubts/"+client.Slug(args[0]), nil, a.printDoubt)
		})
	settle := func(do string, body func() results.Settling) func(*cobra.Command, []string) error {
		return func(cmd *cobra.Command, args []string) error {
			s := body()
			s.Do = do
			return post(a, cmd, "/api/doubts/"+client.Slug(args[0])+"/settlements", nil, s, func(d trust.Doubt) {
				switch d.State {
				case trust.Upheld:
					a.say("Upheld: %d run(s) no longer count%s.", len(d.Runs), note(" in ", d.Measure))
				case trust.Dismissed:
					a.say("Dismissed: everything counts as before.")
				default:
					a.say("Open again.")
				}
			})
		}
	}
	var s results.Settling
	settling := func() results.Settling { return s }
	var causes []string
	for _, c := range trust.Causes {
		causes = append(causes, c.Key)
	}
	uphold := verb("uphold DOUBT", "Uphold a doubt: its runs no longer count",
		"durvek doubt uphold 01995c3e-… --cause background --reason 'an update was running'", 1, settle("uphold", settling))
	uphold.Flags().StringVar(&s.Cause, "cause", "", strings.Join(causes, ", "))
	uphold.Flags().StringVar(&s.Reason, "reason", "", "what stays beside it")
	uphold.Flags().StringSliceVar(&s.Runs, "runs", nil, "only these of its runs")
	uphold.MarkFlagRequired("cause")
	dismiss := verb("dismiss DOUBT", "Dismiss a doubt: everything counts as before",
		"durvek doubt dismiss 01995c3e-… --reason 'the maker says so, too'", 1, settle("dismiss", settling))
	dismiss.Flags().StringVar(&s.Reason, "reason", "", "why")
	dismiss.MarkFlagRequired("reason")
	reopen := verb("reopen DOUBT", "Open a settled doubt again", "durvek doubt reopen 01995c3e-… --reason 'it came up "+
		"again'", 1, settle("reopen", settling))
	reopen.Flags().StringVar(&s.Reason, "reason", "", "why")
	reopen.MarkFlagRequired("reason")
	var repeats int
	repeat := verb("repeat DOUBT", "Put what a doubt is about on the bench once more",
		"durvek doubt repeat 01995c3e-… --repeats 2", 1, func(cmd *cobra.Command, args []string) error {
			return post(a, cmd, "/api/doubts/"+client.Slug(args[0])+"/repeats", client.Query("repeats", client.Number(repeats)),
				nil, func(p method.Plan) {
					a.say("Plan %s is on the bench: %s on %s. `durvek plan code %s` makes the code with which its machine joins.",
						p.ID, p.Name, p.Unit, p.ID)
				})
		})
	repeat.Flags().IntVar(&repeats, "repeats", 1, "how often")
	rules := verb("rules", "List the rules that raise doubts, how they are tuned and what they have raised",
		"durvek doubt rules", 0, func(cmd *cobra.Command, _ []string) error {
			return get(a, cmd, "/api/rules", nil, func(l struct {
				Rules  []results.RuleState
				Causes []trust.Cause
			}) {
				var rows [][]any
				for _, r := range l.Rules {
					limit := "—"
					if r.Limit > 0 {
						limit = fmt.Sprintf("%g %s", r.Limit, r.LimitUnit)
					}
					var changed []string
					for _, t := range r.Tunings {
						changed = append(changed, fmt.Sprintf("%s: %s (%s)", cmp.Or(t.Test, "all tests"), tuned(t), t.Reason))
					}
					rows = append(rows, []any{r.Name, r.Severity, limit, r.Counts["open"], r.Counts["upheld"], r.Counts["dismissed"],
						r.Sentence + note(" Changed for ", strings.Join(changed, "; "))})
				}
				a.print([]string{"Rule", "Weight", "Limit", "→Open", "→Upheld", "→Dismissed", "What it looks at"}, rows)
				a.say("")
				rows = nil
				for _, c := range l.Causes {
					leaves := "stays in it"
					if c.Physical {
						leaves = "leaves it"
					}
					rows = append(rows, []any{c.Key, c.Name, leaves})
				}
				a.print([]string{"Cause", "Why a doubt is upheld", "The test's repeatability"}, rows)
			})
		})
	var t trust.Tuning
	tune := verb("tune RULE", "Change a rule for one test or for all: another limit, or off; without either, as it was",
		"durvek doubt tune outlier --test drive-appends --limit 8 --reason 'single slow flushes are the test itself'", 1,
		func(cmd *cobra.Command, args []string) error {
			in := map[string]any{"test": t.Test, "off": t.Off, "limit": t.Limit, "reason": t.Reason}
			return ask(a, cmd, http.MethodPut, "/api/rules/"+client.Slug(args[0])+"/tuning", nil, in, func(t trust.Tuning) {
				if !t.Off && t.Limit == 0 {
					a.say("The rule %s is as it was for %s.", t.Rule, cmp.Or(t.Test, "all tests"))
					return
				}
				a.say("The rule %s for %s: %s. `durvek doubt examine` asks it about runs that are there already.", t.Rule,
					cmp.Or(t.Test, "all tests"), tuned(t))
			})
		})
	f = tune.Flags()
	f.StringVar(&t.Test, "test", "", "test; all if left out")
	f.BoolVar(&t.Off, "off", false, "switch it off")
	f.Float64Var(&t.Limit, "limit", 0, "its limit")
	f.StringVar(&t.Reason, "reason", "", "why; it stands beside the rule")
	var q runsAsked
	examine := verb("examine", "Ask the rules about runs that are there already",
		"durvek doubt examine --unit fen-14-16-512-a", 0, func(cmd *cobra.Command, _ []string) error {
			return post(a, cmd, "/api/examinations", q.query(), nil, func(x results.Reexamined) {
				a.say("%d runs were examined; %d doubts were raised or lifted, %d are open now.", x.Runs, x.Doubts, x.Open)
			})
		})
	q.flags(examine)
	return noun("doubt", "Reasons to distrust a run, raised by rules and settled by people", list, show, uphold, dismiss,
		reopen, repeat, rules, tune, examine)
}

func (a *app) printDoubt(p results.DoubtPage) {
	d := p.Doubt
	a.say("%s (%s, %s)\n%s on %s, setup %s, %s\n\n%s", d.Title, d.Severity, d.State, d.TestName+note(", ", d.Measure),
		d.Subject, d.Setup, d.Started.Format("2006-01-02 15:04"), d.Sentence)
	if pic := d.Picture; pic != nil {
		a.say("")
		a.strip(*pic)
	}
	a.say("")
	var rows [][]any
	for _, e := range d.Evidence {
		rows = append(rows, []any{e.Name, e.Value})
	}
	a.print([]string{"Evidence", ""}, rows)
	a.say("")
	rows = nil
	for _, x := range p.Acts {
		why := x.Reason
		if c, ok := trust.CauseOf(x.Cause); ok {
			why = strings.TrimSuffix(c.Name+": "+why, ": ")
		}
		rows = append(rows, []any{x.At.Format("2006-01-02 15:04:05"), x.By, x.Act, cmp.Or(why, x.Sentence)})
	}
	a.print([]string{"When (UTC)", "Who", "What", "Why"}, rows)
	if d.State == trust.Open {
		a.say("\n%s: %s\nSettle it: durvek doubt uphold %s --cause …, or durvek doubt dismiss %s --reason …", d.Proposal,
			again(d.ID, d.Again), d.ID, d.ID)
	}
	a.say("Rule %s: %s", p.Rule.Name, p.Rule.Sentence)
}

// strip draws a small picture as lines of text, a line per point.
func (a *app) strip(p trust.Picture) {
	const room = 48
	lo, hi := p.Y[0], p.Y[0]
	for _, y := range p.Y {
		lo, hi = math.Min(lo, y), math.Max(hi, y)
	}
	if b := p.Band; b != nil {
		lo, hi = math.Min(lo, b[0]), math.Max(hi, b[1])
	}
	at := func(v float64) int { return int(math.Round((v - lo) / math.Max(hi-lo, 1e-300) * room)) }
	every := (len(p.Y) + 29) / 30
	for i := 0; i < len(p.Y); i += every {
		line := []rune(strings.Repeat(" ", room+1))
		if b := p.Band; b != nil {
			for k := max(at(b[0]), 0); k <= min(at(b[1]), room); k++ {
				line[k] = '·'
			}
		}
		dot := '●'
		for _, m := range p.Marked {
			if m == i {
				dot = '◆'
			}
		}
		line[min(max(at(p.Y[i]), 0), room)] = dot
		a.say("  %s %s", string(line), quantity.Format(p.Y[i], p.Unit))
	}
}

func (a *app) correctCmds() []*cobra.Command {
	var c results.Correction
	send := func(cmd *cobra.Command, run string, c results.Correction) error {
		return post(a, cmd, "/api/runs/"+client.Slug(run)+"/corrections", nil, c, func(p results.RunPage) {
			for _, x := range p.Changes {
				if x.Act == p.Changes[0].Act {
					a.say("%s: %s, before %s.", x.Measure, standing(x.Now, measureOf(p, x.Measure)),
						standing(x.Old, measureOf(p, x.Measure)))
				}
			}
		})
	}
	void := verb("void RUN", "Take a run, or one measure of it, out of everything that counts",
		"durvek run void 01995c3e-… --cause handling --reason 'the wrong cable'", 1, func(cmd *cobra.Command,
			args []string) error {
			c.Do = "void"
			return send(cmd, args[0], c)
		})
	void.Flags().StringVar(&c.Measure, "measure", "", "only this measure")
	void.Flags().StringVar(&c.Cause, "cause", "", "a cause as `durvek doubt rules` lists them")
	restore := verb("restore RUN", "Let a run, or one measure of it, count again",
		"durvek run restore 01995c3e-… --reason 'the cable was right after all'", 1, func(cmd *cobra.Command,
			args []string) error {
			c.Do = "restore"
			return send(cmd, args[0], c)
		})
	restore.Flags().StringVar(&c.Measure, "measure", "", "only this measure")
	correct := verb("correct RUN MEASURE=VALUE", "Correct a reading; the old value is kept",
		"durvek run correct 01995c3e-… weight=1.34 --reason 'read upside down'", 2, func(cmd *cobra.Command,
			args []string) error {
			var ok bool
			if c.Measure, c.Value, ok = strings.Cut(args[1], "="); !ok {
				return usageError{fmt.Errorf("write the correction as MEASURE=VALUE, got %q", args[1])}
			}
			c.Do = "correct"
			return send(cmd, args[0], c)
		})
	merge := verb("merge RUN INTO", "Say that a run is a duplicate of another, which stays",
		"durvek run merge 01995c40-… 01995c3e-… --reason 'the table was taken in twice'", 2, func(cmd *cobra.Command,
			args []string) error {
			c.Do, c.Into = "merge", args[1]
			return send(cmd, args[0], c)
		})
	for _, x := range []*cobra.Command{void, restore, correct, merge} {
		x.Flags().StringVar(&c.Reason, "reason", "", "why; it stays beside the reading")
		x.MarkFlagRequired("reason")
	}
	var unit string
	twins := verb("duplicates", "List runs that look like the same measurement taken in twice",
		"durvek run duplicates --unit fen-14-16-512-a", 0, func(cmd *cobra.Command, _ []string) error {
			return get(a, cmd, "/api/run-twins", client.Query("unit", unit), func(ts []results.Twin) {
				var rows [][]any
				for _, t := range ts {
					rows = append(rows, []any{t.Drop.ID, t.Keep.ID, t.Keep.Subject, t.Keep.Test, t.Keep.Started.Format("2006-01-02"),
						t.Drop.Started.Format("2006-01-02")})
				}
				a.print([]string{"Run", "Same figures as", "Unit", "Test", "First", "Again"}, rows)
				a.say("%d pair(s); `durvek run merge RUN INTO --reason …` takes the second out.", len(ts))
			})
		})
	twins.Flags().StringVar(&unit, "unit", "", "only this unit's")
	changed := verb("changed RUN RUN", "Say what changed between two runs, and whether they may be compared",
		"durvek run changed 01995c3e-… 01995c40-…", 2, func(cmd *cobra.Command, args []string) error {
			return get(a, cmd, "/api/run-changes", client.Query("a", args[0], "b", args[1]), func(c trust.Changed) {
				a.say("%s", c.Sentence)
				for _, p := range c.Parts {
					var rows [][]any
					for _, r := range p.Rows {
						star := ""
						if r.Matters {
							star = " *"
						}
						rows = append(rows, []any{r.Name + star, cmp.Or(r.A, "unknown"), cmp.Or(r.B, "unknown"), r.Says})
					}
					a.say("")
					a.print([]string{p.Name, "First", "Second", ""}, rows)
				}
				a.say("\n%d other things are known for both and the same. * bars comparison, or differs by more than two runs "+
					"scatter.", c.Same)
			})
		})
	recount := verb("recount", "Make every estimate anew from its readings and say which did not agree",
		"durvek run recount", 0, func(cmd *cobra.Command, _ []string) error {
			return post(a, cmd, "/api/recounts", nil, nil, func(r results.Recounted) {
				a.say("%d cells were made anew, %d of them did not agree with what was kept.", r.Cells, len(r.Differ))
				for _, c := range r.Differ {
					a.say("  %s", c)
				}
			})
		})
	return []*cobra.Command{changed, void, restore, correct, merge, twins, recount}
}

func measureOf(p results.RunPage, slug string) method.Measure {
	for _, m := range p.Measures {
		if m.Slug == slug {
			return m
		}
	}
	return method.Measure{}
}

func (a *app) historyCmd() *cobra.Command {
	var q figures.HistoryAsked
	c := verb("history UNIT MEASURE", "Show how a measure of a unit went over its sittings, with lasting changes",
		"durvek unit history fen-14-16-512-a drive-sequential/read", 2, func(cmd *cobra.Command, args []string) error {
			return get(a, cmd, "/api/histories", client.Query("unit", args[0], "measure", args[1], "setup", q.Setup, "host",
				q.Host, "place", q.Place), func(h figures.UnitHistory) {
				a.say("%s (%s), %s: %s", h.Title, h.Unit, compare.LowerFirst(h.Measure.Name), h.Sentence)
				var rows [][]any
				for i, m := range h.Moments {
					v, half := quantity.PlusMinus(m.Centre, (m.Hi-m.Lo)/2)
					says := ""
					for _, s := range h.Shifts {
						if s.At == i {
							says = s.Text
						}
					}
					rows = append(rows, []any{m.At.Format("2006-01-02 15:04"), v, half, m.N, says})
				}
				if len(rows) > 0 {
					a.say("")
					a.print([]string{"Sitting (UTC)", "→" + cmp.Or(h.Measure.Symbol, "Value"), "→±", "→Repeats", "Change"}, rows)
				}
			})
		})
	c.Flags().StringVar(&q.Setup, "setup", "", "setup; as delivered if left out")
	c.Flags().StringVar(&q.Host, "host", "", "unit or rig that it was measured in")
	c.Flags().StringVar(&q.Place, "place", "", "port, slot, screen or surface")
	return c
}

func (a *app) worthCmd() *cobra.Command {
	var kind string
	c := verb("worth MEASURE", "Say what single conditions and parts are worth, by pairs that differ in nothing else",
		"durvek measure worth hashing/all", 1, func(cmd *cobra.Command, args []string) error {
			return get(a, cmd, "/api/worth", client.Query("measure", args[0], "kind", kind), func(c compare.Controlled) {
				a.say("%s, %s", c.Measure.Name, c.Measure.Better.Phrase())
				var rows [][]any
				for _, w := range c.Worth {
					rows = append(rows, []any{w.Name, w.From + " → " + w.To, w.Effect.Text, len(w.Pairs), ""})
					for _, p := range w.Pairs {
						if len(w.Pairs) > 1 {
							rows = append(rows, []any{"", "", p.Effect.Text, "", p.A})
						}
					}
				}
				if len(rows) == 0 {
					a.say("No two cells differ in exactly one thing yet.")
				} else {
					a.print([]string{"What", "Change", "→Worth, 95 %", "→Units", "Unit"}, rows)
				}
				for _, x := range c.Confounded {
					a.say("Not attributed: %s, %s and %s, %s: they differ in %s.", x.Name, x.A, x.B, x.Effect.Text,
						strings.Join(x.Differs, "; "))
				}
			})
		})
	c.Flags().StringVar(&kind, "kind", "", "only this kind of device")
	return c
}

func (a *app) whyCmd() *cobra.Command {
	var setup string
	c := verb("why MEASURE VARIANT VARIANT", "Say why one variant's figure is not another's, as far as the data carry",
		"durvek measure why hashing/all fen-14-16-512 fen-14-32-1000", 3, func(cmd *cobra.Command, args []string) error {
			return get(a, cmd, "/api/why", client.Query("measure", args[0], "a", args[1], "b", args[2], "setup", setup),
				func(w compare.Why) {
					if w.Effect != nil {
						a.say("From %s to %s: %s", w.A, w.B, w.Effect.Text)
					}
					a.say("%s", w.Answer)
					a.say("Held back by: %s; %s", cmp.Or(w.LimiterA, "unknown"), cmp.Or(w.LimiterB, "unknown"))
					for _, d := range w.Differs {
						a.say("  differs: %s", d)
					}
				})
		})
	c.Flags().StringVar(&setup, "setup", "", "setup; as delivered if left out")
	return c
}
