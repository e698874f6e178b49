package cli

import (
	"cmp"
	"fmt"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"durvek/api"
	"durvek/core/catalog"
	"durvek/core/quantity"
	"durvek/desk/figures"
)

func (a *app) valueCmd() *cobra.Command {
	var q api.ValueAsked
	value := drawing(a, "show", "Set performance against price: by a measure, or by an index; with -o draw the chart",
		"durvek value show --measure compression/pack-all --field laptops --subject fen-14-16-512", api.Value,
		api.ValueChart, &q, nil, func(v figures.Valued) {
			a.say("%s against price", v.What)
			var rows [][]any
			called := func(id string) string { return v.Names[id].Name + note(", ", v.Names[id].Note) }
			money := func(x float64) string {
				if x == 0 {
					return "—"
				}
				return quantity.Fixed(x, 0)
			}
			for _, x := range v.Values {
				n := v.Names[x.ID]
				front := ""
				if x.Frontier {
					front = "yes"
				} else if x.BeatenBy != "" {
					front = map[bool]string{true: "beaten by ", false: "perhaps beaten by "}[x.SureBeat] + called(x.BeatenBy)
				}
				place := fmt.Sprint(x.Place)
				if x.Unranked {
					place = "not ranked"
				}
				rows = append(rows, []any{place, n.Name, n.Note, quantity.Number(x.Worth, 4), v.Prices[x.ID].Text,
					quantity.Fixed(x.Per, 0), front, money(x.BestAt), strings.Join(v.Prices[x.ID].Notes, "; ")})
			}
			a.print([]string{"→Place", "Model", "Variant", "→" + cmp.Or(v.Symbol, "Index"), "→Price", "→Per price, best 100",
				"On the frontier", "→Best buy at, " + v.Currency, "Offer"}, rows)
			for _, s := range v.Sentence {
				a.say("%s", s)
			}
			for _, s := range v.Climb {
				a.say("Along the frontier from the %s to the %s: %s.", called(s.From), called(s.To), s.Says)
			}
			for _, x := range v.Per {
				a.say("%s: %s %s per %s (%s)", called(x.Variant), quantity.Number(x.Price, 3), v.Currency, x.Unit, x.Of)
			}
			for _, s := range v.Without {
				a.say("Left out: %s", s)
			}
		})
	return noun("value", "Performance and price", value)
}

func (a *app) rigCostCmd() *cobra.Command {
	var q api.CostAsked
	return asking(a, "cost SLUG", "Sum up what a rig costs to a working system", "durvek rig cost own-build", api.RigCost,
		&q, []any{&q.Slug}, func(x figures.Cost) {
			var rows [][]any
			for _, part := range x.Parts {
				rows = append(rows, []any{part.Role, part.Name, part.Price.Text, strings.Join(part.Price.Notes, "; ")})
			}
			a.print([]string{"Role", "Part", "→Price", "Offer"}, rows)
			a.say("Together: %s", x.Total)
			for _, m := range x.Missing {
				a.say("Without a price, and not in the sum: %s", m)
			}
		})
}

func (a *app) rateCmd() *cobra.Command {
	var r catalog.Rate
	add := verb("add FROM TO RATE", "Note what one unit of a currency was worth in another on a day",
		"durvek rate add GBP EUR 1.137 --date 2026-11-02", 3, func(cmd *cobra.Command, args []string) error {
			v, err := number(args[2])
			if err != nil {
				return usageError{fmt.Errorf("the rate is a number such as 1.137, got %q", args[2])}
			}
			r.From, r.To, r.Rate = args[0], args[1], v
			if r.Date == "" {
				r.Date = time.Now().Format(time.DateOnly)
			}
			return ask(a, cmd, api.AddRate, api.With(r), func(x catalog.Rate) {
				a.say("1 %s was worth %g %s on %s.", x.From, x.Rate,
					x.To, x.Date)
			})
		})
	add.Flags().StringVar(&r.Date, "date", "", "day, YYYY-MM-DD; today if left out")
	add.Flags().StringVar(&r.Source, "source", "", "where it was read")
	list := all(a, "list", "List exchange rates, the newest first", "durvek rate list", api.Rates, func(rs catalog.Rates) {
		var rows [][]any
		for _, r := range rs {
			rows = append(rows, []any{r.Date, "1 " + r.From, quantity.Plain(r.Rate, "1") + " " + r.To, r.Source})
		}
		a.print([]string{"Day", "One", "→Is worth", "Source"}, rows)
	})
	return noun("rate", "Exchange rates", add, list)
}
