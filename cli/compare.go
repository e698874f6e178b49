package cli

import (
	"cmp"
	"fmt"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"durvek/api"
	"durvek/core/catalog"
	"durvek/core/chart"
	"durvek/core/compare"
	"durvek/core/ranking"
	"durvek/core/stats"
	"durvek/desk/figures"
)

func (a *app) fieldCmd() *cobra.Command {
	var f ranking.Field
	var kinds []string
	var band, day, released, screen string
	add := verb("add SLUG", "Add or change a field: variants that meet every rule given, and those picked by hand",
		"durvek field add light --name 'light laptops' --kinds laptop --price '600..1100 EUR' --released 2025-01..", 1,
		func(cmd *cobra.Command, args []string) error {
			f.Slug = args[0]
			for _, k := range kinds {
				f.Kinds = append(f.Kinds, catalog.Kind(k))
			}
			if band != "" {
				span, code, ok := strings.Cut(strings.TrimSpace(band), " ")
				low, high, ok2 := strings.Cut(span, "..")
				p := ranking.PriceBand{Currency: code, Day: day}
				var err error
				if p.From, err = number(low); err == nil {
					p.To, err = number(high)
				}
				if !ok || !ok2 || err != nil {
					return usageError{fmt.Errorf("--price takes a span and a currency such as '600..1100 EUR', got %q", band)}
				}
				f.Price = &p
			}
			f.ReleasedFrom, f.ReleasedTo, _ = strings.Cut(released, "..")
			if released != "" && !strings.Contains(released, "..") {
				f.ReleasedTo = f.ReleasedFrom
			}
			low, high, _ := strings.Cut(screen, "..")
			var err error
			if f.ScreenFrom, err = number(low); err == nil {
				f.ScreenTo, err = number(high)
			}
			if err != nil {
				return usageError{fmt.Errorf("--screen takes a span in inches such as 13..15, got %q", screen)}
			}
			return ask(a, cmd, api.AddField, api.With(f), func(x ranking.Field) {
				a.say("Field %s is known: %s.", x.Slug,
					x.Rule())
			})
		})
	g := add.Flags()
	g.StringVar(&f.Name, "name", "", "name in the plural, such as 'light laptops'")
	g.StringSliceVar(&kinds, "kinds", nil, "variants of these kinds")
	g.StringVar(&band, "price", "", "price band, such as '600..1100 EUR'; either end may be left out")
	g.StringVar(&day, "price-day", "", "day of the prices, YYYY-MM-DD; the newest if left out")
	g.StringVar(&released, "released", "", "months of release, such as 2025-01..2026-06; either end may be left out")
	g.StringVar(&f.Chip, "chip", "", "part of the processor's or graphics chip's name")
	g.StringVar(&screen, "screen", "", "screen diagonal in inches, such as 13..15; either end may be left out")
	g.StringVar(&f.FamilyOf, "family-of", "", "model whose siblings, predecessors and successors belong to it")
	g.StringSliceVar(&f.Variants, "variants", nil, "variants picked by hand")
	g.StringSliceVar(&f.Without, "without", nil, "variants left out by hand")
	g.BoolVar(&f.Modes, "modes", false, "other modes stand as rows of their own")
	list := all(a, "list", "List fields with what they hold", "durvek field list", api.Fields,
		func(fs []figures.FieldPage) {
			var rows [][]any
			for _, f := range fs {
				rows = append(rows, []any{f.Slug, f.Name, f.Rule + note("; ", f.Trouble), len(f.Holds)})
			}
			a.print([]string{"Slug", "Name", "Rule", "→Variants"}, rows)
		})
	gone := &api.Slugged{}
	drop := asking(a, "drop SLUG", "Remove a field that no review rests on", "durvek field drop light", api.DropField,
		gone,
		[]any{&gone.Slug}, func(api.None) { a.say("Field %s is gone.", gone.Slug) })
	return noun("field", "Sets of rivals", add, list, drop)
}

// number reads a number that may be left out.
func number(s string) (float64, error) {
	if s = strings.TrimSpace(s); s == "" {
		return 0, nil
	}
	return strconv.ParseFloat(s, 64)
}

func (a *app) measureCmd() *cobra.Command {
	of := &api.MeasureOf{}
	return noun("measure", "Figures that tests yield",
		all(a, "list", "List measures with how many variants have a figure", "durvek measure list", api.Measures,
			func(ms []compare.Measure) {
				var rows [][]any
				for _, m := range ms {
					rows = append(rows, []any{m.ID, m.Name, cmp.Or(m.Symbol, "—"), m.Better.Phrase(), m.Variants})
				}
				a.print([]string{"Measure", "Name", "Unit", "Better", "→Variants"}, rows)
			}),
		asking(a, "show MEASURE", "Show a measure's repeatability and every cell", "durvek measure show hashing/all",
			api.Measure, of, []any{parts{&of.Slug, &of.Measure}}, func(p figures.MeasurePage) {
				a.say("%s, %s, %s", p.Measure.Name, cmp.Or(p.Measure.Symbol, "no unit"), p.Measure.Better.Phrase())
				a.say("%s", p.Good)
				for _, t := range p.Tunings {
					a.say("The rule %q is changed for %s: %s (%s)", t.Rule, cmp.Or(t.Test, "all tests"), tuned(t), t.Reason)
				}
				var rows [][]any
				var all []stats.Estimate
				for _, c := range p.Cells {
					all = append(all, c.Estimate)
				}
				m := p.Measure.Def()
				w := m.Writing(all...)
				for _, c := range p.Cells {
					v, spread := m.Written(w, c.Estimate)
					rows = append(rows, []any{c.Unit, c.Setup, strings.TrimPrefix(note(", ", c.Host)+note(", ", c.Place), ", "),
						v, spread, c.Estimate.N, c.Estimate.Sittings})
				}
				a.print([]string{"Unit", "Setup", "In", "→" + cmp.Or(w.Symbol, "Value"), "→95 %", "→Repeats", "→Sittings"},
					rows)
			}), a.worthCmd(), a.whyCmd())
}

func (a *app) rankCmd() *cobra.Command {
	var q api.Asked
	var noClaims, noRaised bool
	ranked := drawing(a, "show MEASURE", "Rank a field by a measure, a number of the spec sheets (spec/body.weight) or "+
		"the "+
		"price (price/EUR); with -o draw the chart", "durvek rank show hashing/all --field laptops --subject "+
		"fen-14-16-512 -o chart.png", api.Rank, api.RankedChart, &q, []any{&q.Measure, own{&q.Claims}, own{&q.Raised}},
		a.printRanking)
	ranked.PreRun = func(*cobra.Command, []string) { q.Claims, q.Raised = !noClaims, !noRaised }
	f := ranked.Flags()
	f.BoolVar(&noClaims, "no-claims", false, "leave makers' claims out")
	f.BoolVar(&noRaised, "no-raised", false, "leave other modes out")
	var in api.PlaceAsked
	place := asking(a, "place MEASURE VARIANT", "Where a variant stands among its kind and among everything ever measured",
		"durvek rank place fan-noise/full-load tern-mini-32-1000", api.Place, &in, []any{&in.Measure, &in.Variant},
		func(p figures.Place) {
			a.say("%s", p.Sentence)
			rows := [][]any{{"Its kind", chart.PlaceText(p.Class.Best, p.Class.Worst), p.Class.Of},
				{"All history", chart.PlaceText(p.History.Best, p.History.Worst), p.History.Of}}
			a.print([]string{"Among", "→Place", "→Of"}, rows)
		})
	return noun("rank", "Fields in order", ranked, place)
}

func (a *app) printRanking(c compare.Comparison) {
	a.say("%s\n%s\n", c.Chart.Title, c.Chart.Subtitle)
	groups := map[int]string{}
	for k, g := range c.Groups {
		for i := g.From; i <= g.To; i++ {
			groups[i] = strings.TrimPrefix(groups[i]+", ", ", ") + fmt.Sprintf("%c %s", 'a'+k%26, g.Kind)
		}
	}
	var rows [][]any
	widest := 0.0
	for _, r := range c.Chart.Rows {
		widest = max(widest, r.Value)
	}
	for i, r := range c.Chart.Rows {
		n := 0
		if i < len(c.Rows) { // behind them stand figures that are carried over
			n = c.Rows[i].Estimate.N
		}
		name := r.Name
		if r.Subject {
			name = "» " + name
		}
		claim := strings.TrimPrefix(r.Claimed, "claimed ")
		rows = append(rows, []any{r.Place, name + mark(r.Mark), r.Note, r.Label, r.Spread, claim, n, groups[i]})
		for _, m := range r.Raised {
			rows = append(rows, []any{"", "", "  " + m.Label, "", "", "", "", ""})
		}
	}
	unit := cmp.Or(c.Chart.Unit, "Value")
	if c.Chart.Spans {
		unit = "Time"
	}
	a.print([]string{"→Place", "Model", "Variant", "→" + unit, "95 %", "→Claimed", "→Repeats",
		"Tie"}, rows)
	for i, n := range c.Chart.Notes {
		a.say("%d: %s", i+1, n)
	}
	for _, n := range c.Chart.NotRanked {
		a.say("Not ranked: %s", n)
	}
	a.say("%s", c.Chart.Foot)
}

// mark is the number of a row's note.
func mark(n int) string {
	if n == 0 {
		return ""
	}
	return fmt.Sprintf(" [%d]", n)
}
