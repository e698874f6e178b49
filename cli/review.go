package cli

import (
	"archive/zip"
	"bytes"
	"cmp"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"durvek/api"
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
			a.say("Signed by %s, resting on %d figure(s). Publish with `durvek edition publish %s`.", r.Signed.By,
				len(r.Signed.Figures), r.Slug)
		})
	sign.Flags().StringVar(&name.Body.By, "by", "", "your name")
	return under(noun("review", "Verdicts and what they rest on", add, list, show, a.reviewSet(), a.reviewChart(), refresh,
		sign, a.dropCmd("review", "REVIEW", "tern")),
		a.archiveCmds("review", "tern")...)
}

// reviewSet changes parts of a review.
func (a *app) reviewSet() *cobra.Command {
	var s struct {
		title, summary, advice, recommendation, field string
		measures, hide, show, strengths, weaknesses   []string
	}
	set := verb("set REVIEW", "Change a review", "durvek review set tern --recommendation recommended --summary "+
		"'Quiet and quick.' --hide against-class:weight/weight", 1, func(cmd *cobra.Command, args []string) error {
		r, err := answer(a, cmd, api.Review, slugged(args[0]))
		if err != nil {
			return err
		}
		for _, x := range []struct {
			flag string
			to   *string
			from string
		}{{"title", &r.Title, s.title}, {"summary", &r.Summary, s.summary}, {"advice", &r.Advice, s.advice},
			{"recommendation", (*string)(&r.Recommendation), s.recommendation}, {"field", &r.Field, s.field}} {
			if cmd.Flags().Changed(x.flag) {
				*x.to = x.from
			}
		}
		if len(s.measures) > 0 {
			r.Charts = verdict.ChartsOf(s.measures)
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

func (a *app) printReview(r verdict.Review) {
	a.say("%s (%s), about %s in the field %s", r.Title, r.Slug, r.Subject, r.Field)
	if r.Recommendation != "" {
		a.say("Recommendation: %s", r.Recommendation)
	}
	for _, t := range []string{r.Summary, r.Advice} {
		if t != "" {
			a.say("%s", t)
		}
	}
	var rows [][]any
	for _, f := range r.Findings {
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
	a.print([]string{"Finding", "", "Certainty", "", "Identifier"}, rows)
	a.say("Charts: %s", chartKeys(r))
	for _, m := range r.Stale {
		a.say("Stale since it was signed: %s%s", m.Figure, note(". Said of it: ", strings.Join(m.Sentences, " ")))
	}
	for _, e := range r.Editions {
		a.say("Edition %d, %s%s", e.Number, e.Published, note(": ", e.Note))
	}
}

func (a *app) editionCmd() *cobra.Command {
	var out, remark string
	fetch := func(cmd *cobra.Command, review string, number int) error {
		dir := cmp.Or(out, fmt.Sprintf("%s-edition-%d", review, number))
		if _, err := os.Stat(dir); err == nil {
			return fmt.Errorf("%s is there already; name another folder with -o", dir)
		}
		b, err := answer(a, cmd, api.EditionArchive, api.EditionOf{Slugged: slugged(review), Number: number})
		if err != nil {
			return err
		}
		if err := unzip(b, dir); err != nil {
			return err
		}
		a.say("Edition %d of %s is in %s; open %s.", number, review, dir, filepath.Join(dir, "index.html"))
		return nil
	}
	pub := verb("publish REVIEW", "Publish the next edition of a signed review, and write its folder",
		"durvek edition publish fen-14 -o site/fen-14", 1, func(cmd *cobra.Command, args []string) error {
			if out != "" {
				if _, err := os.Stat(out); err == nil {
					return fmt.Errorf("%s is there already; name another folder with -o", out)
				}
			}
			number := 0
			err := ask(a, cmd, api.Publish, api.Publishing{Slugged: slugged(args[0]), Body: api.EditionNote{Note: remark}},
				func(e verdict.Edition) { number = e.Number })
			if err != nil || a.json {
				return err
			}
			return fetch(cmd, args[0], number)
		})
	pub.Flags().StringVarP(&out, "output", "o", "", "folder to write; REVIEW-edition-N if left out")
	pub.Flags().StringVar(&remark, "note", "", "what changed since the edition before")
	var number int
	write := verb("write REVIEW", "Write the folder of an edition that was published before",
		"durvek edition write fen-14 --number 1 -o fen-14-first", 1, func(cmd *cobra.Command, args []string) error {
			return fetch(cmd, args[0], number)
		})
	write.Flags().StringVarP(&out, "output", "o", "", "folder to write; REVIEW-edition-N if left out")
	write.Flags().IntVar(&number, "number", 1, "number of the edition")
	list := one(a, "list REVIEW", "List a review's editions", "durvek edition list fen-14", api.Review,
		func(r verdict.Review) {
			var rows [][]any
			for _, e := range r.Editions {
				rows = append(rows, []any{e.Number, e.Published, e.Title, e.Note, e.Digest[:12]})
			}
			a.print([]string{"→Edition", "Published", "Title", "Note", "Digest"}, rows)
		})
	return noun("edition", "Published, immutable states of a review", pub, write, list)
}

func unzip(data []byte, dir string) error {
	r, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return err
	}
	for _, f := range r.File {
		if !filepath.IsLocal(f.Name) {
			return fmt.Errorf("the archive holds a strange name: %q", f.Name)
		}
		if f.FileInfo().IsDir() {
			continue // folders are made for what lies in them
		}
		path := filepath.Join(dir, filepath.FromSlash(f.Name))
		if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
			return err
		}
		src, err := f.Open()
		if err != nil {
			return err
		}
		b, err := io.ReadAll(src)
		src.Close()
		if err == nil {
			err = os.WriteFile(path, b, 0o644)
		}
		if err != nil {
			return err
		}
	}
	return nil
}
