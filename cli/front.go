package cli

import (
	"cmp"
	"fmt"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"durvek/api"
	"durvek/client"
	"durvek/core/catalog"
	"durvek/core/say"
	"durvek/desk"
	"durvek/desk/front"
)

// todayCmd prints what goes on and what waits for a person.
func (a *app) todayCmd() *cobra.Command {
	return all(a, "today", "What is measured now, what waits for you, what was decided lately", "durvek today", api.Today,
		func(t front.Today) {
			if t.Holds.Models == 0 {
				a.say("The desk is empty. Put something on it: durvek device add --kind laptop --maker MAKER --name NAME, or " +
					"durvek example load to see a ranking first.")
				return
			}
			var rows [][]any
			for _, b := range append(t.Measuring, t.Waiting...) {
				left, says := "", "waits for its machine"
				if p := b.Progress; p != nil {
					left, says = leftText(p.Left), p.Test
					if p.Ask != nil && p.Ask.Now {
						says = "needs you: " + p.Ask.Text
					}
				} else if b.Plan.State == "silent" {
					says = "its agent is silent"
				}
				rows = append(rows, []any{b.Title, b.Plan.Name, fmt.Sprintf("%d of %d", b.Done, b.Jobs), left, says})
			}
			if len(rows) > 0 {
				a.print([]string{"On the bench", "Plan", "→Runs", "→Left", "Now"}, rows)
			} else {
				a.say("Nothing is measured, and nothing waits.")
			}
			rows = nil
			for _, c := range t.Doubts {
				rows = append(rows, []any{c.Title, c.Name, say.Things(c.Runs, "run"), c.Sentence})
			}
			if len(rows) > 0 {
				a.say("\n%s are open, by cause:", say.Things(t.Open, "doubt"))
				a.print([]string{"Doubt", "Machine", "→About", "What the gravest says"}, rows)
			}
			rows = nil
			for _, c := range t.Decided {
				rows = append(rows, []any{c.At.Local().Format(time.DateOnly), c.Name, c.Claim, c.Outcome})
			}
			if len(rows) > 0 {
				a.say("\nClaims decided lately:")
				a.print([]string{"Day", "Machine", "Claim", "Outcome"}, rows)
			}
		})
}

// findCmd looks for anything by words.
func (a *app) findCmd() *cobra.Command {
	var in api.Finding
	return asking(a, "find WORDS", "Find anything by words of its name", "durvek find 'fen 14'", api.Find, &in,
		[]any{&in.Text}, func(list []front.Found) {
			var rows [][]any
			for _, x := range list {
				rows = append(rows, []any{x.Kind, x.Name, x.Note, x.ID})
			}
			if len(rows) == 0 {
				a.say("Nothing is called so. Fewer words, or fewer letters of them, find more.")
				return
			}
			a.print([]string{"What", "Name", "", "Id"}, rows)
		})
}

// firstSteps is how a unit of a kind is measured first; of other kinds figures are entered.
var firstSteps = map[catalog.Kind]string{"laptop": "plan add %s --library laptop-quick",
	"desktop": "plan add %s --tests hashing,compression", "mini-pc": "plan add %s --tests hashing,compression",
	"tablet": "plan add %s --library probe", "phone": "plan add %s --library probe",
	"drive":     "plan add %s --library drive --host UNIT --place PORT",
	"enclosure": "plan add %s --library drive --host UNIT --place PORT"}

// deviceCmd puts samples on the books.
func (a *app) deviceCmd() *cobra.Command {
	var x catalog.Device
	var kind string
	var spec []string
	add := verb("add", "Put a sample on the books, with its model and variant where they are not there yet",
		"durvek device add --kind laptop --maker Selvane --name 'Fen 16' --spec 'memory.size=16 GiB' --origin borrowed", 0,
		func(cmd *cobra.Command, _ []string) error {
			x.Kind = catalog.Kind(kind)
			var err error
			if x.Spec, err = sheetOf(spec); err != nil {
				return err
			}
			return ask(a, cmd, api.AddDevice, api.With(x), func(s catalog.Sample) {
				a.say("%s, %s is on the books as unit %s.", s.Model.FullName(), s.Variant.Name, s.Unit.Slug)
				a.say("Measure it:  durvek %s", fmt.Sprintf(cmp.Or(firstSteps[s.Model.Kind],
					"reading add %s TEST MEASURE=VALUE"), s.Unit.Slug))
			})
		})
	f := add.Flags()
	f.StringVar(&kind, "kind", "", "kind of product; `durvek kind list` lists them")
	f.StringVar(&x.Maker, "maker", "", "maker")
	f.StringVar(&x.Name, "name", "", "name of the model")
	f.StringVar(&x.Configuration, "configuration", "",
		"what sets it apart from its siblings; made of the spec sheet if left out")
	f.StringArrayVar(&spec, "spec", nil, "KEY=VALUE of the spec sheet; may be repeated")
	f.StringVar(&x.Released, "released", "", "month of release, YYYY-MM")
	f.StringVar(&x.Succeeds, "succeeds", "", "model that it succeeds")
	f.StringVar(&x.Origin, "origin", "", "bought, sent by maker, borrowed or own")
	f.StringVar(&x.Serial, "serial", "", "serial number")
	f.StringVar(&x.Received, "received", "", "day it was received, YYYY-MM-DD")
	f.StringVar(&x.Notes, "notes", "", "notes")
	must(add, "kind", "maker", "name")
	code := verb("code KIND", "Make a one-time code for a machine that is on no book: it tells of itself",
		"durvek device code laptop", 1, func(cmd *cobra.Command, args []string) error {
			return ask(a, cmd, api.ArrivalCode, api.With(api.Arrival{Kind: catalog.Kind(args[0])}), a.codeText)
		})
	return noun("device", "Samples that come to the desk", add, code)
}

// exampleCmd loads made-up rivals and takes them away.
func (a *app) exampleCmd() *cobra.Command {
	show := func(x desk.Examples) {
		switch {
		case len(x.Units) == 0:
			a.say("No example is on the books.")
		case x.Runs > 0:
			a.say("%s with %s: made up, marked so, and never published. Take them away with `durvek example drop`.",
				say.Things(len(x.Units), "example"), say.Things(x.Runs, "run"))
		default:
			a.say("%s: %s", say.Things(len(x.Units), "example"), strings.Join(x.Units, ", "))
		}
	}
	var kinds []string
	load := verb("load", "Put made-up rivals on the books, to have something to be ranked against",
		"durvek example load --kind phone", 0, func(cmd *cobra.Command, _ []string) error {
			var of api.ExamplesOf
			for _, k := range kinds {
				of.Kinds = append(of.Kinds, catalog.Kind(k))
			}
			return ask(a, cmd, api.LoadExamples, api.With(of), show)
		})
	load.Flags().StringArrayVar(&kinds, "kind", nil, "kind of product; may be repeated; those on the books if left out")
	return noun("example", "Made-up rivals that are never published", load,
		all(a, "list", "List the examples on the books", "durvek example list", api.Examples, show),
		asking(a, "drop", "Take the examples off the books, with all that was measured on them", "durvek example drop",
			api.DropExamples, &api.Dropping{}, nil, func(api.None) { a.say("The examples are gone.") }))
}

// deskCmd shows and sets what the desk says of itself.
func (a *app) deskCmd() *cobra.Command {
	show := func(s desk.Self) {
		a.print([]string{"Name", "Licence of published data", "Who answers for it"}, [][]any{{s.Name, s.Licence, s.Imprint}})
	}
	var to desk.Self
	describe := verb("describe", "Say what the desk is called, under which licence it publishes, and who answers for it",
		"durvek desk describe --name 'Marram Desk' --licence CC-BY-4.0", 0, func(cmd *cobra.Command, _ []string) error {
			c, err := a.client()
			if err != nil {
				return err
			}
			now, err := client.Ask(cmd.Context(), c, api.Self, api.None{})
			if err != nil {
				return err
			}
			for flag, x := range map[string][2]*string{"name": {&to.Name, &now.Name}, "licence": {&to.Licence, &now.Licence},
				"imprint": {&to.Imprint, &now.Imprint}} {
				if cmd.Flags().Changed(flag) {
					*x[1] = *x[0]
				}
			}
			return ask(a, cmd, api.Describe, api.With(now), show)
		})
	f := describe.Flags()
	f.StringVar(&to.Name, "name", "", "what the desk is called")
	f.StringVar(&to.Licence, "licence", "", "licence of published data, such as CC-BY-4.0; empty for none")
	f.StringVar(&to.Imprint, "imprint", "", "who answers for what is published, a line or two")
	return noun("desk", "What the desk says of itself",
		all(a, "show", "Show what the desk says of itself", "durvek desk show", api.Self, show), describe)
}
