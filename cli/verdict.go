package cli

import (
	"fmt"
	"os"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"durvek/api"
	"durvek/core/verdict"
)

// edit changes a review and shows it.
func (a *app) edit(cmd *cobra.Command, slug string, change func(*verdict.Review) error) error {
	r, err := answer(a, cmd, api.Review, slugged(slug))
	if err != nil {
		return err
	}
	if err := change(&r); err != nil {
		return err
	}
	return ask(a, cmd, api.SaveReview, api.Saving{Slugged: slugged(slug), Body: r}, a.printReview)
}

// replaced puts x in place of the one that is alike, or behind all; it takes that one out where x is not wanted.
func replaced[T any](list []T, x T, drop bool, alike func(T) bool) ([]T, error) {
	i := slices.IndexFunc(list, alike)
	switch {
	case drop && i < 0:
		return nil, fmt.Errorf("there is none to take out")
	case drop:
		return slices.Delete(list, i, i+1), nil
	case i < 0:
		return append(list, x), nil
	}
	list[i] = x
	return list, nil
}

func (a *app) reviewFor() *cobra.Command {
	var is, why string
	var drop bool
	c := verb("for REVIEW WHOM", "Say whether it is for a kind of use or buyer",
		"durvek review for fen-14 'crews on long watches' --is 'not for' --because 'It lasts eleven hours.'", 2,
		func(cmd *cobra.Command, args []string) error {
			return a.edit(cmd, args[0], func(r *verdict.Review) (err error) {
				x := verdict.Fitting{For: args[1], Is: verdict.FitWord(strings.ReplaceAll(is, "-", " ")), Sentence: why}
				if i := slices.IndexFunc(r.Fits, func(f verdict.Fitting) bool { return f.For == x.For }); i >= 0 {
					x.Use = r.Fits[i].Use
				}
				r.Fits, err = replaced(r.Fits, x, drop, func(f verdict.Fitting) bool { return f.For == x.For })
				return err
			})
		})
	c.Flags().StringVar(&is, "is", "for", "for, for some, or not for")
	c.Flags().StringVar(&why, "because", "", "your sentence")
	c.Flags().BoolVar(&drop, "drop", false, "take that line out")
	return c
}

func (a *app) reviewInstead() *cobra.Command {
	var why, variant string
	var drop bool
	c := verb("instead REVIEW NAME", "Name what to buy instead",
		"durvek review instead fen-14 'Wexcombe Pilot 13' --because 'It lasts two watches.' --variant pilot-13-16-512", 2,
		func(cmd *cobra.Command, args []string) error {
			return a.edit(cmd, args[0], func(r *verdict.Review) (err error) {
				x := verdict.Alternative{Variant: variant, Name: args[1], Reason: why}
				r.Alternatives, err = replaced(r.Alternatives, x, drop,
					func(o verdict.Alternative) bool { return o.Name == x.Name })
				return err
			})
		})
	c.Flags().StringVar(&why, "because", "", "the reason")
	c.Flags().StringVar(&variant, "variant", "", "variant of the catalogue, where it has it")
	c.Flags().BoolVar(&drop, "drop", false, "take that one out")
	return c
}

func (a *app) reviewUpgrade() *cobra.Command {
	var advice, why string
	var drop bool
	c := verb("upgrade REVIEW MODEL", "Say whether it is worth it to who has an older model",
		"durvek review upgrade fen-14 'Selvane Fen 12' --advice 'worth it' --because 'Three times as quick.'", 2,
		func(cmd *cobra.Command, args []string) error {
			return a.edit(cmd, args[0], func(r *verdict.Review) (err error) {
				x := verdict.Upgrade{Name: args[1], Advice: verdict.UpgradeWord(strings.ReplaceAll(advice, "-", " ")),
					Sentence: why}
				same := func(u verdict.Upgrade) bool { return u.Name == args[1] || u.Model == args[1] }
				if i := slices.IndexFunc(r.Upgrades, same); i >= 0 {
					x.Model, x.Name = r.Upgrades[i].Model, r.Upgrades[i].Name
				}
				r.Upgrades, err = replaced(r.Upgrades, x, drop, same)
				return err
			})
		})
	c.Flags().StringVar(&advice, "advice", "wait", "worth it, wait, or skip")
	c.Flags().StringVar(&why, "because", "", "your sentence")
	c.Flags().BoolVar(&drop, "drop", false, "take that line out")
	return c
}

func (a *app) reviewSection() *cobra.Command {
	var text, file string
	var drop bool
	c := verb("section REVIEW AREA", "Write what stands in the section of an area; sections stand in the order in which "+
		"they were written", "durvek review section fen-14 battery --text 'A watch of {{chart-pan-battery/hours}}.'", 2,
		func(cmd *cobra.Command, args []string) error {
			if file != "" {
				data, err := a.readFile(file)
				if err != nil {
					return err
				}
				text = string(data)
			}
			return a.edit(cmd, args[0], func(r *verdict.Review) (err error) {
				r.Sections, err = replaced(r.Sections, verdict.Section{Area: args[1], Text: text}, drop,
					func(s verdict.Section) bool { return s.Area == args[1] })
				return err
			})
		})
	c.Flags().StringVar(&text, "text", "", "text (Markdown); {{test/measure}} stands for the subject's figure")
	c.Flags().StringVar(&file, "file", "", "file that holds the text")
	c.Flags().BoolVar(&drop, "drop", false, "take the section out")
	return c
}

func (a *app) reviewPreview() *cobra.Command {
	var out string
	c := verb("preview REVIEW", "Write the page that it would become; nothing is published",
		"durvek review preview fen-14 -o fen-14.html", 1, func(cmd *cobra.Command, args []string) error {
			page, err := answer(a, cmd, api.PreviewReview, slugged(args[0]))
			if err != nil {
				return err
			}
			if err := os.WriteFile(out, page, 0o644); err != nil {
				return err
			}
			a.say("Written to %s.", out)
			return nil
		})
	c.Flags().StringVarP(&out, "output", "o", "preview.html", "file to write")
	return c
}

func (a *app) reviewCards() *cobra.Command {
	var in api.CardsOf
	var out string
	c := verb("cards REVIEW", "Write the verdict and every chart as cards for a video, with a sheet of cues",
		"durvek review cards fen-14 -o fen-14-cards --formats card,tall --grounds dark", 1,
		func(cmd *cobra.Command, args []string) error {
			in.Slugged = slugged(args[0])
			if _, err := os.Stat(out); err == nil {
				return fmt.Errorf("%s is there already; name another folder with -o", out)
			}
			b, err := answer(a, cmd, api.ReviewCards, in)
			if err != nil {
				return err
			}
			if err := unzip(b, out); err != nil {
				return err
			}
			a.say("The cards are in %s; cues.csv and cues.srt say which sentence goes with which.", out)
			return nil
		})
	c.Flags().StringVarP(&out, "output", "o", "cards", "folder to write")
	c.Flags().StringSliceVar(&in.Formats, "formats", nil, "card (1920 × 1080), tall (1080 × 1920), link (1200 × 630); "+
		"card if left out")
	c.Flags().StringSliceVar(&in.Grounds, "grounds", nil, "light, dark, clear; light and dark if left out")
	return c
}
