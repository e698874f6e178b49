package cli

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"durvek/api"
	"durvek/core/say"
	"durvek/core/verdict"
)

func (a *app) reviewCmd() *cobra.Command {
	var in api.Body[api.ReviewRequest]
	add := asking(a, "add VARIANT", "Start a review with findings from the figures",
		"durvek review add tern-mini-32-1000 --slug tern --field chart-room", api.AddReview, &in,
		[]any{&in.Body.Subject}, a.printReview)
	list := listing(a, "list", "List reviews", "durvek review list", api.Reviews, func(rs []verdict.Review) {
		var rows [][]any
		for _, r := range rs {
			state := "draft"
			if r.Signed != nil {
				state = "signed by " + r.Signed.By
			}
			if r.State == verdict.Preliminary || r.State == verdict.Withdrawn {
				state += ", " + string(r.State)
			}
			if len(r.Stale) > 0 {
				state += ", stale"
			}
			rows = append(rows, []any{r.Slug, r.Title, r.Subject, cmp.Or(r.Recommendation, "—"), state, len(r.Editions)})
		}
		a.print([]string{"Slug", "Title", "Variant", "Recommendation", "State", "→Editions"}, rows)
	})
	show := one(a, "show REVIEW", "Show a review with its findings", "durvek review show fen-14", api.Review,
		a.printReview)
	refresh := one(a, "refresh REVIEW", "Draw the findings anew and keep your own words",
		"durvek review refresh tern", api.RefreshFindings, a.printReview)
	var name api.Signing
	sign := asking(a, "sign REVIEW", "Sign the verdict as it stands", "durvek review sign tern --by 'Ines Marram'",
		api.SignReview, &name, []any{&name.Slug}, func(r verdict.Review) {
			a.say("Signed by %s, resting on %s. Publish with `durvek edition publish %s`.", r.Signed.By,
				say.Things(len(r.Signed.Figures), "figure"), r.Slug)
		})
	sign.Flags().StringVar(&name.Body.By, "by", "", "your name")
	return under(noun("review", "Verdicts and what they rest on", add, list, show, a.reviewSet(), a.reviewChart(),
		a.reviewFor(), a.reviewInstead(), a.reviewUpgrade(), a.reviewSection(), refresh, a.reviewPreview(), a.reviewCards(),
		sign, a.dropCmd("review", "REVIEW", "tern")),
		a.archiveCmds("review", "tern")...)
}

// reviewSet changes parts of a review.
func (a *app) reviewSet() *cobra.Command {
	var s struct {
		title, summary, advice, recommendation, field string
		state, stateNote, take, turns                 string
		uses, notTested                               []string
		measures, hide, show, strengths, weaknesses   []string
	}
	set := verb("set REVIEW", "Change a review", "durvek review set tern --recommendation recommended --summary "+
		"'Quiet and quick.' --hide area:body", 1, func(cmd *cobra.Command, args []string) error {
		r, err := answer(a, cmd, api.Review, slugged(args[0]))
		if err != nil {
			return err
		}
		for _, x := range []struct {
			flag string
			to   *string
			from string
		}{{"title", &r.Title, s.title}, {"summary", &r.Summary, s.summary}, {"advice", &r.Advice, s.advice},
			{"recommendation", (*string)(&r.Recommendation), s.recommendation}, {"field", &r.Field, s.field}, {"state",
				(*string)(&r.State), s.state}, {"state-note", &r.StateNote, s.stateNote},
			{"take", &r.Take, s.take}, {"turns", &r.Turns, s.turns}} {
			if cmd.Flags().Changed(x.flag) {
				*x.to = x.from
			}
		}
		if len(s.measures) > 0 {
			r.Charts = verdict.ChartsOf(s.measures)
		}
		if cmd.Flags().Changed("uses") {
			r.Uses = s.uses
		}
		if cmd.Flags().Changed("not-tested") {
			r.NotTested = s.notTested
		}
		for _, x := range []struct {
			ids    []string
			hidden bool
		}{{s.hide, true}, {s.show, false}} {
			for _, id := range x.ids {
				found := false
				for i := range r.Findings {
					if r.Findings[i].ID == id {
						r.Findings[i].Hidden, found = x.hidden, true
					}
				}
				if !found {
					return fmt.Errorf("review %s has no finding %q; `durvek review show` lists them", r.Slug, id)
				}
			}
		}
		for _, t := range s.strengths {
			r.Findings = append(r.Findings, verdict.Finding{Kind: verdict.Strength, Text: t, Rule: verdict.Reviewer,
				Certainty: verdict.Sure, RestsOn: []string{}})
		}
		for _, t := range s.weaknesses {
			r.Findings = append(r.Findings, verdict.Finding{Kind: verdict.Weakness, Text: t, Rule: verdict.Reviewer,
				Certainty: verdict.Sure, RestsOn: []string{}})
		}
		return ask(a, cmd, api.SaveReview, api.Saving{Slugged: slugged(args[0]), Body: r}, a.printReview)
	})
	f := set.Flags()
	f.StringVar(&s.title, "title", "", "title")
	f.StringVar(&s.summary, "summary", "", "summary (Markdown)")
	f.StringVar(&s.advice, "advice", "", "for whom it is right, what to buy instead (Markdown)")
	f.StringVar(&s.recommendation, "recommendation", "", verdict.Listed())
	f.StringVar(&s.field, "field", "", "field it is compared in")
	f.StringVar(&s.state, "state", "", "preliminary, complete or withdrawn")
	f.StringVar(&s.stateNote, "state-note", "", "of a preliminary review what is still to come, of a withdrawn one why")
	f.StringVar(&s.take, "take", "", "which configuration to buy, and why")
	f.StringVar(&s.turns, "turns", "", "the price at which the judgement would change")
	f.StringSliceVar(&s.uses, "uses", nil, "kinds of use that it is written for: what they ask for weighs more")
	f.StringArrayVar(&s.notTested, "not-tested", nil, "what was not tested, and why; may be repeated")
	f.StringSliceVar(&s.measures, "measures", nil, "measures to chart, in order")
	f.StringArrayVar(&s.hide, "hide", nil, "finding to leave out; may be repeated")
	f.StringArrayVar(&s.show, "show", nil, "finding to show again; may be repeated")
	f.StringArrayVar(&s.strengths, "strength", nil, "a strength of your own; may be repeated")
	f.StringArrayVar(&s.weaknesses, "weakness", nil, "a weakness of your own; may be repeated")
	return set
}

// reviewChart adds a chart to a review, or takes one out.
func (a *app) reviewChart() *cobra.Command {
	var shown verdict.Chart
	var drop bool
	chart := verb("chart REVIEW MEASURE", "Show a ranked chart in a review, narrowed to what it speaks of",
		"durvek review chart fen-14 drive-sequential/read --where 'place=left port'", 2,
		func(cmd *cobra.Command, args []string) error {
			r, err := answer(a, cmd, api.Review, slugged(args[0]))
			if err != nil {
				return err
			}
			shown.Measure = args[1]
			at := slices.IndexFunc(r.Charts, func(c verdict.Chart) bool { return c.Key() == shown.Key() })
			switch {
			case drop && at < 0:
				return fmt.Errorf("review %s has no chart %q; it has: %s", r.Slug, shown.Key(), chartKeys(r))
			case drop:
				r.Charts = slices.Delete(r.Charts, at, at+1)
			case at >= 0:
				return fmt.Errorf("review %s has that chart already", r.Slug)
			default:
				r.Charts = append(r.Charts, shown)
			}
			return ask(a, cmd, api.SaveReview, api.Saving{Slugged: slugged(args[0]), Body: r}, func(r verdict.Review) {
				a.say("Charts: %s", chartKeys(r))
			})
		})
	chart.Flags().StringVar(&shown.Setup, "setup", "", "setup that it is made under; as delivered if left out")
	chart.Flags().StringArrayVar(&shown.Where, "where", nil, "only figures at a place, in a host or under a condition, "+
		"such as 'place=left port'; may be repeated")
	chart.Flags().BoolVar(&drop, "drop", false, "take that chart out of the review")
	return chart
}

func chartKeys(r verdict.Review) string {
	var out []string
	for _, c := range r.Charts {
		out = append(out, c.Key())
	}
	return cmp.Or(strings.Join(out, "; "), "none")
}

// printReview shows a review; findings that are hidden are counted, unless all are wanted.
func (a *app) printReview(r verdict.Review) {
	a.say("%s (%s), about %s in the field %s%s", r.Title, r.Slug, r.Subject, r.Field,
		note(", written for ", strings.Join(r.Uses, ", ")))
	if r.State != "" {
		a.say("%s%s", say.Capital(string(r.State)), note(": ", r.StateNote))
	}
	if r.Recommendation != "" {
		a.say("Recommendation: %s", r.Recommendation)
	}
	for _, t := range []string{r.Summary, r.Advice} {
		if t != "" {
			a.say("%s", t)
		}
	}
	for _, f := range r.Fits {
		a.say("%s %s%s", say.Capital(string(f.Is)), f.For, note(". ", f.Sentence))
	}
	for _, t := range []string{r.Take, r.Turns} {
		if t != "" {
			a.say("%s", t)
		}
	}
	for _, x := range r.Alternatives {
		a.say("Instead: %s. %s", cmp.Or(x.Name, x.Variant), x.Reason)
	}
	for _, u := range r.Upgrades {
		a.say("From the %s: %s. %s", cmp.Or(u.Name, u.Model), u.Advice, u.Sentence)
	}
	var rows [][]any
	hidden := 0
	for _, f := range r.Findings {
		if f.Hidden && !a.wide {
			hidden++
			continue
		}
		state := ""
		switch {
		case f.Hidden:
			state = "hidden"
		case f.Edited:
			state = "edited"
		}
		kind := string(f.Kind)
		if f.Unmeasured() {
			kind = f.Rule + ", not measured"
		}
		rows = append(rows, []any{kind, f.Text, f.Certainty, state, f.ID})
	}
	if len(rows) > 0 {
		a.print([]string{"Finding", "", "Certainty", "", "Identifier"}, rows)
	}
	if hidden > 0 {
		a.say("%d more findings are hidden; `durvek review show %s --wide` lists them all.", hidden, r.Slug)
	}
	for _, s := range r.Sections {
		a.say("On %s: %s", s.Area, s.Text)
	}
	for _, t := range r.NotTested {
		a.say("Not tested: %s", t)
	}
	a.say("Charts: %s", chartKeys(r))
	for _, m := range r.Stale {
		a.say("Stale since it was signed: %s%s", m.Figure, note(". Said of it: ", strings.Join(m.Sentences, " ")))
	}
	for _, e := range r.Editions {
		a.say("Edition %d, %s%s", e.Number, e.Published, note(": ", e.Note))
	}
}
