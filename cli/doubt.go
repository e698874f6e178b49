package cli

import (
	"cmp"
	"fmt"
	"math"
	"strings"

	"github.com/spf13/cobra"

	"durvek/api"
	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/core/say"
	"durvek/core/trust"
	"durvek/desk/figures"
	"durvek/desk/results"
)

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
	q := api.DoubtsIn{State: trust.Open, Page: api.Page{Limit: 30}}
	list := asking(a, "list", "List doubts: open ones first, then the gravest",
		"durvek doubt list --state open --unit relay-15-16-512-a", api.Doubts, &q, []any{own{&q.Offset}, own{&q.After}},
		func(l api.DoubtList) {
			var rows [][]any
			for _, d := range l.Doubts {
				rows = append(rows, []any{d.ID, d.State, d.Severity, d.Subject, d.TestName + note(", ", d.Measure), d.Sentence})
			}
			a.print([]string{"Doubt", "State", "Weight", "Unit", "Test", "What"}, rows)
			a.say("%d of %d doubts.", len(l.Doubts), l.Total)
		})
	show := one(a, "show DOUBT", "Show a doubt with its evidence and its life", "durvek doubt show 01995c3e-…", api.Doubt,
		a.printDoubt)
	var causes []string
	for _, c := range trust.Causes {
		causes = append(causes, c.Key)
	}
	settle := func(do, short, example, must string) *cobra.Command {
		in := &api.Settling{Body: results.Settling{Do: do}}
		words := []any{&in.Slug, own{&in.Body.Do}}
		if do != "uphold" {
			words = append(words, own{&in.Body.Cause}, own{&in.Body.Runs})
		}
		c := asking(a, do+" DOUBT", short, example, api.SettleDoubt, in, words, func(d trust.Doubt) {
			switch d.State {
			case trust.Upheld:
				a.say("Upheld: %s left out%s.", say.Things(len(d.Runs), "run"), note(" of ", d.Measure))
			case trust.Dismissed:
				a.say("Dismissed: everything counts as before.")
			case trust.Shown:
				a.say("Shown with a caveat: it stays in charts and decides nothing.")
			default:
				a.say("Open again.")
			}
		})
		if must != "" {
			c.MarkFlagRequired(must)
		}
		return c
	}
	uphold := settle("uphold", "Uphold a doubt: its runs no longer count",
		"durvek doubt uphold 01995c3e-… --cause background --reason 'an update was running'", "")
	uphold.Flags().Lookup("cause").Usage = strings.Join(causes, ", ")
	dismiss := settle("dismiss", "Dismiss a doubt: everything counts as before",
		"durvek doubt dismiss 01995c3e-… --reason 'the maker says so, too'", "reason")
	caveat := settle("caveat", "Have the figures shown with a caveat: they stay in charts and decide nothing",
		"durvek doubt caveat 01995c3e-… --reason 'by a camera at 240 frames a second'", "")
	caveat.Flags().Lookup("reason").Usage = "what readers see; the doubt's own sentence if left out"
	raising := &api.Body[results.Raising]{}
	raise := asking(a, "raise RUN", "Raise a doubt by hand, about a run, all runs of its cell or of its setup",
		"durvek doubt raise 01995c3e-… --sentence 'the lid was closed' --cell", api.RaiseDoubt, raising,
		[]any{&raising.Body.Run}, func(d trust.Doubt) { a.say("Raised about %s: %s.", say.Things(len(d.Runs), "run"), d.ID) })
	raise.MarkFlagRequired("sentence")
	reopen := settle("reopen", "Open a settled doubt again", "durvek doubt reopen 01995c3e-… --reason 'it came up again'",
		"reason")
	var more api.Repeating
	repeat := asking(a, "repeat DOUBT", "Put what a doubt is about on the bench once more",
		"durvek doubt repeat 01995c3e-… --repeats 2", api.RepeatDoubted, &more, []any{&more.Slug}, func(p method.Plan) {
			a.say("Plan %s is on the bench: %s on %s. `durvek plan code %s` makes the code with which its machine joins.",
				p.ID, p.Name, p.Unit, p.ID)
		})
	var change api.Tuning
	tune := asking(a, "tune RULE", "Change a rule for one test or for all: another limit, or off; without either, as "+
		"it was",
		"durvek doubt tune outlier --test drive-appends --limit 100000 --reason 'single slow flushes are the test itself'",
		api.TuneRule, &change, []any{&change.Slug}, func(t trust.Tuning) {
			if !t.Off && t.Limit == 0 {
				a.say("The rule %s is as it was for %s.", t.Rule, cmp.Or(t.Test, "all tests"))
				return
			}
			a.say("The rule %s for %s: %s. `durvek doubt examine` asks it about runs that are there already.", t.Rule,
				cmp.Or(t.Test, "all tests"), tuned(t))
		})
	examine := asking(a, "examine", "Ask the rules about runs that are there already",
		"durvek doubt examine --unit fen-14-16-512-a", api.Examine, &api.RunsAsked{}, nil, func(x results.Reexamined) {
			a.say("%d runs were examined; %d doubts were raised or lifted, %d are open now.", x.Runs, x.Doubts, x.Open)
		})
	return noun("doubt", "Reasons to distrust a run, raised by rules and settled by people", list, show, raise, uphold,
		dismiss, caveat, reopen, repeat, a.rulesCmd(), tune, examine)
}

func (a *app) rulesCmd() *cobra.Command {
	return all(a, "rules", "List the rules that raise doubts, how they are tuned and what they have raised",
		"durvek doubt rules", api.Rules, func(l api.RuleList) {
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
}

func (a *app) printDoubt(p results.DoubtPage) {
	d := p.Doubt
	a.say("%s (%s, %s)\n%s on %s, setup %s, %s\n\n%s", d.Title, d.Severity, d.State.Words(), d.TestName+note(", ",
		d.Measure),
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
	if len(rows) > 0 {
		a.print([]string{"Evidence", ""}, rows)
	}
	a.say("")
	rows = nil
	for _, x := range p.Acts {
		why := cmp.Or(x.Reason, x.Sentence)
		if c, ok := trust.CauseOf(x.Cause); ok {
			why = strings.TrimSuffix(c.Name+": "+why, ": ")
		}
		rows = append(rows, []any{x.At.Format("2006-01-02 15:04:05"), x.By, x.Act, why})
	}
	a.print([]string{"When (UTC)", "Who", "What", "Why"}, rows)
	if d.State == trust.Open {
		a.say("\n%s: %s\nSettle it: durvek doubt uphold %s --cause …, or dismiss --reason …, or caveat", d.Proposal,
			again(d.ID, d.Again), d.ID)
	}
	if p.Rule.Sentence != "" {
		a.say("Rule %s: %s", p.Rule.Name, p.Rule.Sentence)
	}
	for _, x := range p.Photos {
		a.say("Photo %s: %s", x.ID, cmp.Or(x.Caption, x.Name))
	}
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
		return ask(a, cmd, api.CorrectRun, api.Correcting{Slugged: slugged(run), Body: c}, func(p results.RunPage) {
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
	var of api.OfUnit
	twins := asking(a, "duplicates", "List runs that look like the same measurement taken in twice",
		"durvek run duplicates --unit fen-14-16-512-a", api.Twins, &of, nil, func(ts []results.Twin) {
			var rows [][]any
			for _, t := range ts {
				rows = append(rows, []any{t.Drop.ID, t.Keep.ID, t.Keep.Subject, t.Keep.Test, t.Keep.Started.Format("2006-01-02"),
					t.Drop.Started.Format("2006-01-02")})
			}
			a.print([]string{"Run", "Same figures as", "Unit", "Test", "First", "Again"}, rows)
			a.say("%s; `durvek run merge RUN INTO --reason …` takes the second out.", say.Things(len(ts), "pair"))
		})
	var two api.TwoRuns
	changed := asking(a, "changed RUN RUN", "Say what changed between two runs, and whether they may be compared",
		"durvek run changed 01995c3e-… 01995c40-…", api.CompareRuns, &two, []any{&two.A, &two.B}, func(c trust.Changed) {
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
	recount := all(a, "recount", "Make every estimate anew from its readings and say which did not agree",
		"durvek run recount", api.Recount, func(r results.Recounted) {
			a.say("%d cells were made anew, %d of them did not agree with what was kept.", r.Cells, len(r.Differ))
			for _, c := range append(r.Moved, r.Differ...) {
				a.say("  %s", c)
			}
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
	var q api.HistoryOf
	return asking(a, "history UNIT MEASURE", "Show how a measure of a unit went over its sittings, with lasting changes",
		"durvek unit history fen-14-16-512-a drive-sequential/read", api.History, &q, []any{&q.Unit, &q.Measure},
		func(h figures.UnitHistory) {
			for k, l := range h.Lines {
				if k > 0 {
					a.say("")
				}
				a.say("%s (%s), %s%s: %s", h.Title, h.Unit, compare.LowerFirst(h.Measure.Name), note(", ", l.Differs), l.Sentence)
				a.printHistory(h.Measure, l)
			}
		})
}

func (a *app) printHistory(of compare.Measure, h figures.HistoryLine) {
	var rows [][]any
	var all [][3]float64
	for _, m := range h.Moments {
		all = append(all, [3]float64{m.Centre, m.Lo, m.Hi})
	}
	w := quantity.WritingFor(of.Unit, all...)
	for i, m := range h.Moments {
		v, half := w.Interval(m.Centre, m.Lo, m.Hi)
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
		a.print([]string{"Sitting (UTC)", "→" + cmp.Or(w.Symbol, "Value"), "→95 %", "→Repeats", "Change"}, rows)
	}
}

func (a *app) worthCmd() *cobra.Command {
	var q api.WorthAsked
	return asking(a, "worth MEASURE", "Say what single conditions and parts are worth, by pairs that differ in nothing "+
		"else",
		"durvek measure worth hashing/all", api.Worth, &q, []any{&q.Measure}, func(c compare.Controlled) {
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
}

func (a *app) whyCmd() *cobra.Command {
	var q api.WhyAsked
	return asking(a, "why MEASURE VARIANT VARIANT", "Say why one variant's figure is not another's, as far as the data "+
		"carry",
		"durvek measure why hashing/all fen-14-16-512 fen-14-32-1000", api.Why, &q, []any{&q.Measure, &q.A, &q.B},
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
}
