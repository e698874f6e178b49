package cli

import (
	"cmp"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"durvek/api"
	"durvek/core/chart"
	"durvek/core/claims"
	"durvek/core/compare"
	"durvek/core/fit"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/ranking"
	"durvek/core/schedule"
	"durvek/desk/figures"
)

func (a *app) headCmd() *cobra.Command {
	var q api.HeadAsked
	head := drawing(a, "show VARIANT VARIANT...", "Hold one to three variants against the first in all measures; with -o "+
		"draw the chart", "durvek head show sound-14-16-512 sound-16-32-1000 -o head.svg", api.Heads, api.HeadChart, &q,
		[]any{list{&q.Variants, 2}}, a.printHead)
	var of api.VariantAsked
	rivals := asking(a, "rivals VARIANT", "Find a variant's siblings, predecessors and successors",
		"durvek head rivals sound-16-32-1000", api.Rivals, &of, []any{&of.Variant}, func(r figures.Rivals) {
			for _, x := range []struct {
				what string
				list []string
			}{{"Siblings", r.Siblings}, {"Predecessors", r.Predecessors}, {"Successors", r.Successors}} {
				a.say("%s: %s", x.what, cmp.Or(strings.Join(x.list, ", "), "none"))
			}
		})
	var to api.AlikeAsked
	alike := asking(a, "alike VARIANT", "List the variants of its kind that are nearest to one over all measures",
		"durvek head alike fen-14-16-512", api.Alike, &to, []any{&to.Variant}, func(ls []compare.Likeness) {
			var rows [][]any
			for _, l := range ls {
				rows = append(rows, []any{l.Variant, l.Name, quantity.Fixed(l.Distance, 2), l.Shared, l.Sentence})
			}
			a.print([]string{"Variant", "Model", "→Distance, σ", "→Measures", "How alike"}, rows)
		})
	return noun("head", "Variants head to head", head, rivals, alike)
}

func (a *app) printHead(h compare.Head) {
	a.say("%s\n%s\n", h.Chart.Title, h.Note)
	header := []string{"Group", "Measure", "Better"}
	named := map[string]int{}
	for _, s := range h.Sides {
		named[s.Name]++
	}
	for i, s := range h.Sides {
		name := s.Name
		if named[name] > 1 { // siblings
			name += note(", ", s.Note)
		}
		header = append(header, "→"+name)
		if i > 0 {
			header = append(header, "→Difference", "")
		}
	}
	var rows [][]any
	for _, r := range h.Rows {
		row := []any{r.Group, r.Name + note(", ", r.Symbol), r.Better}
		for i, c := range r.Cells {
			text := cmp.Or(c.Why, "—")
			if c.Estimate != nil {
				text = strings.TrimSpace(c.Estimate.Bound + " " + quantity.Number(c.Estimate.Centre, 4))
			}
			row = append(row, text)
			if i == 0 {
				continue
			}
			if g := r.Gaps[i-1]; g == nil {
				row = append(row, "", "")
			} else {
				mark := g.Tie
				if g.Tie == "" {
					mark = map[bool]string{true: "better", false: "worse"}[g.Gain]
				}
				row = append(row, g.Text, mark)
			}
		}
		rows = append(rows, row)
	}
	a.print(header, rows)
	for _, x := range h.Exchanges {
		a.say("%s", x.Sentence)
		for _, l := range []struct {
			what string
			list []string
		}{{"Gains", x.Gains}, {"Gives up", x.GivesUp}} {
			if n := len(l.list); n > 8 {
				l.list = append(l.list[:8:8], fmt.Sprintf("%d more", n-8))
			}
			if len(l.list) > 0 {
				a.say("%s: %s", l.what, strings.Join(l.list, "; "))
			}
		}
		if x.Advice != "" {
			a.say("%s", x.Advice)
		}
	}
	for _, s := range h.Apart {
		a.say("Not compared: %s", s)
	}
}

// downTo is how low an index may be if it misses what it is weakest in, and at which place then; "" where it misses
// nothing.
func downTo(r ranking.IndexRow) string {
	if r.Weakest == 0 {
		return ""
	}
	text := quantity.Fixed(r.Weakest, 1)
	if r.Down > 0 {
		text += fmt.Sprintf(" (%d)", r.Down)
	}
	return text
}

func (a *app) indexCmd() *cobra.Command {
	var q api.Weighed
	index := drawing(a, "show", "Make an index of a field by a use's weights or your own; with -o draw the chart",
		"durvek index show --field machines --use chart-room -o index.png", api.Index, api.IndexChart, &q, nil,
		func(x figures.Index) {
			a.say("%s\n%s\n", x.Chart.Title, x.Chart.Subtitle)
			var rows [][]any
			for _, r := range x.Rows {
				place := "not ranked"
				if r.Ranked {
					place = chart.PlaceText(r.Place.Best, r.Place.Worst)
				}
				moves := ""
				if len(r.Moves) > 0 {
					moves = r.Moves[0].Measure + " " + quantity.Signed(r.Moves[0].By, 1) + " %"
				}
				row := []any{place, x.Names[r.ID].Name, x.Names[r.ID].Note,
					strings.TrimSpace(r.Bound + " " + quantity.Fixed(r.Value, 1)), quantity.Fixed(r.Lo, 1) +
						" to " + quantity.Fixed(r.Hi, 1), downTo(r), quantity.Fixed(100*r.Completeness, 0) + " %", moves}
				for _, g := range x.ByGroup {
					v := ""
					if y, ok := g.Values[r.ID]; ok {
						v = quantity.Fixed(y, 0)
					}
					row = append(row, v)
				}
				rows = append(rows, row)
			}
			header := []string{"→Place", "Model", "Variant", "→Index", "95 %", "→At worst", "→Measured", "Moved most by"}
			for _, g := range x.ByGroup {
				header = append(header, "→"+g.Group)
			}
			a.print(header, rows)
			a.say("%s", x.Firmness)
			if slices.ContainsFunc(x.Rows, func(r ranking.IndexRow) bool { return r.Weakest > 0 }) {
				a.say("At worst: the index, and the place, if what is missing is what it is weakest in.")
			}
			if len(x.Measures) <= 12 {
				for _, m := range x.Measures {
					a.say("Weight %s: %s (%s)", quantity.Number(m.Weight, 3), m.Measure, m.Name)
				}
			}
			for _, g := range x.ByGroup {
				n := 0
				for _, m := range x.Measures {
					if m.Group == g.Group {
						n++
					}
				}
				a.say("%s: %.0f %% of the weight, over %d measures", g.Group, 100*g.Weight, n)
			}
			for _, s := range x.Refused {
				a.say("No index of the group %s", s)
			}
			if len(x.Left) > 0 {
				a.say("Nothing measured of: %s", strings.Join(x.Left, ", "))
			}
			for _, o := range x.Without {
				a.say("Does not count: %s in %s: %s", o.Variant, o.Measure, o.Why)
			}
		})
	return noun("index", "Weighted means over many measures", index)
}

func (a *app) useCmd() *cobra.Command {
	var use api.File
	add := asking(a, "import FILE", "Take in a kind of use: its needs, weights and curves (YAML or JSON)",
		"durvek use import demo/uses/01-wheelhouse.yaml", api.ImportUse, &use, []any{&use.RawBody}, func(u fit.Use) {
			a.say("Kind of use %s: %d needs, %d weights%s.", u.Slug, len(u.Needs), len(u.Weights),
				map[bool]string{true: "; nothing was written"}[use.CheckOnly])
		})
	list := all(a, "list", "List kinds of use", "durvek use list", api.Uses, func(us []fit.Use) {
		var rows [][]any
		for _, u := range us {
			var ws []string
			for _, w := range u.Weights {
				ws = append(ws, cmp.Or(w.Measure, w.Group)+"="+quantity.Number(w.Weight, 2))
			}
			rows = append(rows, []any{u.Slug, u.Name, len(u.Needs), strings.Join(ws, ", ")})
		}
		a.print([]string{"Slug", "Right for", "→Needs", "Weights"}, rows)
	})
	var q api.FitAsked
	fit := asking(a, "fit USE", "Tell how the variants of a field fit a kind of use",
		"durvek use fit foredeck --field foredeck", api.Fit, &q, []any{&q.Use}, func(x figures.UseFit) {
			a.say("Fit for %s, %s", x.Use.Name, x.Field)
			var rows [][]any
			for _, f := range x.Fits {
				var needs []string
				for _, n := range f.Needs {
					if n.Met != "met" {
						needs = append(needs, string(n.Met)+": "+n.Text+" — "+n.Why)
					}
				}
				rows = append(rows, []any{f.For, x.Names[f.Variant].Name, x.Names[f.Variant].Note, quantity.Fixed(f.Score, 0),
					quantity.Fixed(f.Lo, 0) + " to " + quantity.Fixed(f.Hi, 0), quantity.Fixed(100*f.Completeness, 0) + " %",
					strings.Join(needs, "; ")})
			}
			a.print([]string{"", "Model", "Variant", "→Fit of 100", "95 %", "→Measured", "Needs"}, rows)
		})
	return noun("use", "Kinds of use: what they need, what counts", add, list, fit, a.schema("use", "kinds of use"))
}

func (a *app) modeCmd() *cobra.Command {
	var q api.ModesAsked
	c := drawing(a, "show MEASURE", "Show what other modes of the same work gain in a measure, and what they cost in "+
		"dB, °C and W; "+
		"with -o "+
		"draw the chart", "durvek mode show compression/pack-all --field laptops", api.Modes, api.ModesChart, &q,
		[]any{&q.Measure}, func(m compare.Modes) {
			if m.Side != nil {
				a.sideBySide(*m.Side)
				return
			}
			if len(m.Gains) == 0 {
				a.say("No other mode of the same work was measured in %s.", m.Measure.InSentence())
				return
			}
			a.say("%s", m.Chart.Title)
			var rows [][]any
			for _, g := range m.Gains {
				var costs []string
				for _, c := range g.Costs {
					costs = append(costs, c.Name+" "+c.Effect.Text)
				}
				rows = append(rows, []any{g.Name, g.Note, g.Mode, g.Gain.Text, cmp.Or(strings.Join(costs, "; "), "not measured")})
			}
			a.print([]string{"Model", "Variant", "Mode", "→Gain", "Costs"}, rows)
		})
	return noun("mode", "Modes: gain and cost", c)
}

// sideBySide prints the modes of one device, a column each.
func (a *app) sideBySide(s chart.Side) {
	a.say("%s\n%s", s.Title, s.Subtitle)
	head := []string{"Figure", "Unit"}
	for _, state := range s.States {
		head = append(head, "→"+state)
	}
	var rows [][]any
	for _, p := range s.Panels {
		row := []any{p.Name, p.Symbol + note(", ", p.Better)}
		for _, b := range p.Bars {
			row = append(row, b.Label)
		}
		rows = append(rows, row)
	}
	a.print(head, rows)
	for _, n := range s.Notes {
		a.say("%s", n)
	}
}

func (a *app) curveCmd() *cobra.Command {
	var q api.CurvesAsked
	c := drawing(a, "show TEST", "Lay the newest series of a test over each other: sustained lines, scaling curves; "+
		"with -o "+
		"draw the chart", "durvek curve show hashing-sustained --field laptops -o sustained.svg", api.Curves,
		api.CurvesChart, &q, []any{&q.Test}, func(l chart.Lines) {
			a.say("%s\n%s", l.Title, l.Subtitle)
			var rows [][]any
			for _, x := range l.Lines {
				rows = append(rows, []any{x.Name, x.Note, len(x.X), x.Summary})
			}
			a.print([]string{"Model", "Variant", "→Points", l.Y}, rows)
			for _, n := range l.Notes {
				a.say("%s", n)
			}
		})
	return noun("curve", "Series of several variants", c)
}

func (a *app) tallyCmd() *cobra.Command {
	q := api.LedgerAsked{By: "maker"}
	return asking(a, "tally", "Tally what became of claims, by maker, model, variant, year or maker-year",
		"durvek claim tally --by maker", api.Ledger, &q, nil, func(l figures.Ledger) {
			header := []string{"Of", "→Claims", "→Held"}
			for _, o := range claims.Outcomes[1:] {
				header = append(header, "→"+strings.ToUpper(string(o[:1]))+string(o[1:]))
			}
			var rows [][]any
			for _, t := range l.Tallies {
				row := []any{t.Of + note(", ", t.Year), t.Claims}
				for _, o := range claims.Outcomes {
					row = append(row, t.Outcomes[o])
				}
				rows = append(rows, row)
			}
			a.print(header, rows)
			for _, t := range l.Tallies {
				a.say("%s", t.Sentence)
			}
			a.say("%s", l.Note)
		})
}

func (a *app) scheduleCmd() *cobra.Command {
	q := api.ScheduleAsked{Minutes: 180, Opening: 9, Repeats: 1, Claims: 3}
	add := false
	show := func(s schedule.Schedule) {
		a.say("%s", s.Sentence)
		var rows [][]any
		for _, b := range s.Bundles {
			var tests []string
			for _, i := range b.Items {
				tests = append(tests, fmt.Sprintf("%s × %d", i.Test, i.Repeats))
			}
			if more := len(tests) - 3; more > 1 {
				tests = append(tests[:3], fmt.Sprintf("%d more", more))
			}
			rows = append(rows, []any{b.Unit, b.Setup, quantity.Number(b.Minutes, 0), quantity.Fixed(b.Pairs, 0),
				quantity.Fixed(b.Claims, 1), strings.Join(tests, ", ")})
		}
		if len(rows) > 0 {
			a.print([]string{"Unit", "Setup", "→Minutes", "→Pairs", "→Claims", "Tests"}, rows)
		}
		for _, b := range s.Bundles {
			a.say("%s", b.Why)
		}
		if s.Thrice != "" {
			a.say("%s", s.Thrice)
		}
	}
	c := asking(a, "schedule", "Choose what to put on the bench in the minutes at hand; --add puts it there",
		"durvek plan schedule --minutes 180 --field laptops", api.Schedule, &q, nil, show)
	c.Flags().BoolVar(&add, "add", false, "put all of it on the bench, a plan for each machine")
	look := c.RunE
	c.RunE = func(cmd *cobra.Command, args []string) error {
		if !add {
			return look(cmd, args)
		}
		s, err := answer(a, cmd, api.Schedule, q)
		if err != nil {
			return err
		}
		for _, b := range s.Bundles {
			name, steps, hand := b.Plan()
			if len(steps) > 0 {
				if err := ask(a, cmd, api.AddPlan, api.With(api.PlanRequest{Unit: b.Unit, Setup: b.Setup, Name: name,
					Steps: steps}),
					func(p method.Plan) {
						a.say("Plan %s is on the bench: %d tests on %s.", p.ID, len(steps), b.Unit)
					}); err != nil {
					return err
				}
			}
			if len(hand) > 0 {
				a.say("By hand on %s: %s.", b.Unit, strings.Join(hand, ", "))
			}
		}
		a.say("%s", s.Sentence)
		return nil
	}
	return c
}

func (a *app) suggestCmd() *cobra.Command {
	q := api.SuggestAsked{Most: 10}
	var add int
	c := asking(a, "suggest", "List what to test next, by what it settles per hour of bench time; --add puts one on "+
		"the bench",
		"durvek plan suggest --field laptops --most 8", api.Suggest, &q, nil, func(list []ranking.Suggestion) {
			var rows [][]any
			for i, s := range list {
				rows = append(rows, []any{i + 1, s.Name, s.Test, s.Repeats, quantity.Number(s.Minutes, 2),
					quantity.Fixed(s.Places, 1), s.Claims, s.Why})
			}
			a.print([]string{"→", "Variant", "Test", "→Repeats", "→Minutes", "→Places", "→Claims", "Why"}, rows)
		})
	c.Flags().IntVar(&add, "add", 0, "put the suggestion of this number on the bench")
	look := c.RunE
	c.RunE = func(cmd *cobra.Command, args []string) error {
		q.Most = min(max(q.Most, add), 200)
		if add == 0 {
			return look(cmd, args)
		}
		list, err := answer(a, cmd, api.Suggest, q)
		if err != nil {
			return err
		}
		if len(list) == 0 {
			return errors.New("nothing is worth testing next, so there is nothing to add")
		}
		if add < 0 || add > len(list) {
			return usageError{fmt.Errorf("--add takes a number of the list, 1 to %d, got %d", len(list), add)}
		}
		s := list[add-1]
		if s.Unit == "" {
			return fmt.Errorf("no unit of %s is on the desk; add one with `durvek unit add` first", s.Variant)
		}
		return ask(a, cmd, api.AddPlan, api.With(api.PlanRequest{Unit: s.Unit, Setup: s.Setup, Name: "Suggested: " + s.Test,
			Steps: []method.PlanStep{{Test: s.Test, Repeats: s.Repeats}}}), func(p method.Plan) {
			a.say("Plan %s is on the bench: %s, %d repeats on %s.", p.ID, s.Test, s.Repeats, s.Unit)
		})
	}
	return c
}
