package cli

import (
	"context"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"durvek/api"
	"durvek/client"
	"durvek/core/catalog"
	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/record"
	"durvek/core/verdict"
	"durvek/desk/figures"
)

// names lists, by the word that a command's usage has for it, what the desk knows by name.
var names = map[string]func(context.Context, *client.Client) ([]string, error){
	"MODEL": func(ctx context.Context, c *client.Client) ([]string, error) {
		return namesOf(ctx, c, api.Models, api.Listing{}, func(m catalog.Model) string {
			return m.Slug + "\t" + m.Maker +
				" " + m.Name
		})
	},
	"VARIANT": func(ctx context.Context, c *client.Client) ([]string, error) {
		return namesOf(ctx, c, api.Variants, api.OfModel{}, func(v catalog.Variant) string { return v.Slug + "\t" + v.Name })
	},
	"FIELD": func(ctx context.Context, c *client.Client) ([]string, error) {
		return namesOf(ctx, c, api.Fields, api.None{}, func(f figures.FieldPage) string { return f.Slug + "\t" + f.Name })
	},
	"MEASURE": func(ctx context.Context, c *client.Client) ([]string, error) {
		return namesOf(ctx, c, api.Measures, api.None{}, func(m compare.Measure) string { return m.ID + "\t" + m.Name })
	},
	"UNIT": func(ctx context.Context, c *client.Client) ([]string, error) {
		return namesOf(ctx, c, api.Units, api.UnitsIn{}, func(u catalog.Unit) string { return u.Slug + "\t" + u.Variant })
	},
	"TEST": func(ctx context.Context, c *client.Client) ([]string, error) {
		return namesOf(ctx, c, api.Tests, api.None{}, func(t method.Test) string { return t.Slug + "\t" + t.Name })
	},
	"SETUP": func(ctx context.Context, c *client.Client) ([]string, error) {
		return namesOf(ctx, c, api.Setups, api.Listing{}, func(s method.Setup) string { return s.Slug + "\t" + s.Name })
	},
	"REVIEW": func(ctx context.Context, c *client.Client) ([]string, error) {
		return namesOf(ctx, c, api.Reviews, api.Listing{}, func(r verdict.Review) string { return r.Slug + "\t" + r.Title })
	},
	"PLAN": func(ctx context.Context, c *client.Client) ([]string, error) {
		return namesOf(ctx, c, api.Bench, api.AtMost20{Limit: 50}, func(p record.BenchPlan) string {
			return p.Plan.ID + "\t" + p.Plan.Unit + ", " + p.Plan.Name
		})
	},
}

// namesOf asks a list and gives its names, each with what is shown beside it.
func namesOf[I, T any](ctx context.Context, c *client.Client, op api.Operation[I, []T], in I, name func(T) string) (
	[]string, error) {
	list, err := client.Ask(ctx, c, op, in)
	var out []string
	for _, x := range list {
		out = append(out, name(x))
	}
	return out, err
}

// complete has a shell offer names where a command's usage has a word for them, and behind flags that bear that word.
func (a *app) complete(c *cobra.Command) {
	for _, sub := range c.Commands() {
		a.complete(sub)
	}
	words := strings.Fields(c.Use)[1:]
	if len(words) > 0 && c.ValidArgsFunction == nil {
		c.ValidArgsFunction = func(cmd *cobra.Command, args []string, begin string) ([]string, cobra.ShellCompDirective) {
			if len(args) >= len(words) {
				return nil, cobra.ShellCompDirectiveDefault
			}
			word := strings.Trim(words[len(args)], "[].…")
			if names[word] == nil && word == "SLUG" && len(args) == 0 {
				word = strings.ToUpper(cmd.Parent().Name())
			}
			return a.offer(cmd.Context(), word, begin)
		}
	}
	for flag, word := range map[string]string{"unit": "UNIT", "variant": "VARIANT", "test": "TEST", "setup": "SETUP",
		"model": "MODEL", "field": "FIELD", "measure": "MEASURE", "plan": "PLAN", "subject": "VARIANT"} {
		if c.Flags().Lookup(flag) != nil {
			_ = c.RegisterFlagCompletionFunc(flag, func(cmd *cobra.Command, _ []string, begin string) ([]string,
				cobra.ShellCompDirective) { // a second one for the same flag is refused, and the first is as good
				return a.offer(cmd.Context(), word, begin)
			})
		}
	}
}

func (a *app) offer(ctx context.Context, word, begin string) ([]string, cobra.ShellCompDirective) {
	ask, known := names[word]
	if !known {
		return nil, cobra.ShellCompDirectiveDefault
	}
	c, err := a.client()
	if err != nil {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	ctx, stop := context.WithTimeout(ctx, 2*time.Second)
	defer stop()
	all, err := ask(ctx, c)
	var out []string
	for _, s := range all {
		if strings.HasPrefix(s, begin) {
			out = append(out, s)
		}
	}
	if err != nil {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	return out, cobra.ShellCompDirectiveNoFileComp
}
