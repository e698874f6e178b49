package cli

import (
	"cmp"

	"github.com/spf13/cobra"

	"durvek/api"
	"durvek/core/method"
	"durvek/core/record"
	"durvek/core/say"
	"durvek/desk/bench"
)

// remarkCmd and reportCmd note what is said of a variant without a figure.
func (a *app) remarkCmd() *cobra.Command {
	return a.said(record.Impression, "remark", "Note an impression without a figure; it never counts",
		"durvek remark add inlet-6-128 'Bright enough in the boat shed.' --area display",
		"Impressions of the desk's own, without figures")
}

func (a *app) reportCmd() *cobra.Command {
	return a.said(record.Report, "report", "Note what owners or others say, attributed and dated; it never counts",
		"durvek report add inlet-6-128 'The cover came loose after a season.' --who 'two crews' --dated 2026-10-02 "+
			"--source 'letter to the desk'",
		"What owners and others say, attributed and dated")
}

func (a *app) said(kind record.RemarkKind, name, short, example, about string) *cobra.Command {
	in := &api.Body[api.RemarkNote]{Body: api.RemarkNote{Kind: kind}}
	words := []any{&in.Body.Variant, &in.Body.Text, own{&in.Body.Kind}}
	if kind == record.Impression {
		words = append(words, own{&in.Body.Who}, own{&in.Body.Dated}, own{&in.Body.Source})
	}
	add := asking(a, "add VARIANT TEXT", short, example, api.AddRemark, in, words, func(x record.Remark) {
		a.say("Noted as %s. It can stand in a review, marked as not measured.", x.ID)
	})
	var q api.RemarksIn
	list := asking(a, "list", "List "+name+"s, the oldest first", "durvek "+name+" list --variant inlet-6-128",
		api.Remarks, &q, nil, func(rs []record.Remark) {
			var rows [][]any
			for _, r := range rs {
				if r.Kind != kind {
					continue
				}
				text := r.Text + note(" (", r.Who) + note(", ", r.Dated) + note("; ", r.Source)
				if r.Who != "" {
					text += ")"
				}
				if r.Withdrawn != nil {
					text += " — withdrawn: " + r.Reason
				}
				rows = append(rows, []any{r.Variant, cmp.Or(r.Area, r.Measure), text, r.ID})
			}
			a.print([]string{"Variant", "About", "Said", "ID"}, rows)
		})
	var w api.Withdrawing
	withdraw := asking(a, "withdraw ID", "Withdraw one; it is kept, with the reason",
		"durvek "+name+" withdraw 01995c3e-… --reason 'said of another model'", api.WithdrawRemark, &w, []any{&w.Slug},
		func(record.Remark) { a.say("Withdrawn.") })
	withdraw.Flags().StringVar(&w.Body.Reason, "reason", "", "why")
	withdraw.MarkFlagRequired("reason")
	return noun(name, about, add, list, withdraw)
}

// asideCmds have a test's figures shown and not counted, and counted again.
func (a *app) asideCmds() []*cobra.Command {
	var in api.Asiding
	aside := asking(a, "aside TEST", "Show a test's figures and count them nowhere",
		"durvek test aside archive --reason 'it agrees with nothing else here'", api.SetAside, &in, []any{&in.Slug},
		func(t method.Test) { a.say("%s is shown, not counted: %s.", t.Name, t.Aside) })
	aside.MarkFlagRequired("reason")
	var back api.Asiding
	count := asking(a, "count TEST", "Count a test's figures again", "durvek test count archive", api.SetAside, &back,
		[]any{&back.Slug, own{&back.Body.Reason}}, func(t method.Test) { a.say("%s counts again.", t.Name) })
	return []*cobra.Command{aside, count}
}

// incidentChanges are the commands that correct an incident.
func (a *app) incidentChanges() []*cobra.Command {
	show := one(a, "show ID", "Show an incident with what it was before", "durvek incident show 01995c3e-…",
		api.Incident, func(p api.IncidentPage) {
			a.say("%s of %s, %s%s: %s", p.Kind, p.Unit, say.Things(p.Times, "time"), note(" in ", zero(p.Tries)),
				cmp.Or(p.Text, "—"))
			if p.Withdrawn != nil {
				a.say("Withdrawn on %s.", p.Withdrawn.Format("2006-01-02"))
			}
			var rows [][]any
			for _, c := range p.Changes {
				rows = append(rows, []any{c.At.Format("2006-01-02 15:04"), c.By, c.Reason, c.Was.Kind, c.Was.Times, c.Was.Text})
			}
			if len(rows) > 0 {
				a.print([]string{"Changed (UTC)", "By", "Why", "It was", "→Times", "What"}, rows)
			}
		})
	changing := func(verbName, short, example, done string, with func(*cobra.Command,
		*bench.IncidentChange)) *cobra.Command {
		var in bench.IncidentChange
		c := verb(verbName+" ID", short, "durvek incident "+verbName+" 01995c3e-… "+example, 1,
			func(cmd *cobra.Command, args []string) error {
				with(cmd, &in)
				return ask(a, cmd, api.ChangeIncident, api.ChangingIncident{Slugged: slugged(args[0]), Body: in},
					func(x record.Incident) { a.say("%s: %s of %s. What it was is kept.", done, x.Kind, x.Unit) })
			})
		c.Flags().StringVar(&in.Reason, "reason", "", "why")
		c.MarkFlagRequired("reason")
		if verbName == "change" {
			c.Flags().StringVar((*string)(&in.Kind), "kind", "", "another kind")
			c.Flags().StringVar(&in.Text, "text", "", "what happened")
			c.Flags().StringVar(&in.Host, "host", "", "unit or rig that it was used with")
			c.Flags().StringVar(&in.Place, "place", "", "port, slot, screen or surface")
		}
		return c
	}
	var times, tries int
	change := changing("change", "Correct or relabel an incident; what it was is kept",
		"--kind interruption --reason 'the agent was ended by hand'", "Changed",
		func(cmd *cobra.Command, in *bench.IncidentChange) {
			if cmd.Flags().Changed("times") {
				in.Times = &times
			}
			if cmd.Flags().Changed("tries") {
				in.Tries = &tries
			}
		})
	change.Flags().IntVar(&times, "times", 0, "how often it happened")
	change.Flags().IntVar(&tries, "tries", 0, "out of how many tries")
	return []*cobra.Command{show, change,
		changing("withdraw", "Withdraw an incident: it stays in the list and counts no longer",
			"--reason 'the cable was ours'", "Withdrawn", func(_ *cobra.Command,
				in *bench.IncidentChange) {
				in.Withdraw = true
			}),
		changing("restore", "Have a withdrawn incident count again", "--reason 'the cable was fine'", "Restored",
			func(_ *cobra.Command, in *bench.IncidentChange) { in.Restore = true })}
}
