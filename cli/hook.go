package cli

import (
	"cmp"
	"strings"

	"github.com/spf13/cobra"

	"durvek/api"
	"durvek/core/say"
	"durvek/desk/hooks"
)

func (a *app) hookCmd() *cobra.Command {
	var add api.Body[hooks.Wish]
	var change api.HookChange
	var gone, tried, told api.Slugged
	show := func(h hooks.Hook) {
		a.say("%s is told of: %s.", h.URL, strings.Join(h.Kinds, ", "))
		if h.Off != "" {
			a.say("It is told no more: %s.", h.Off)
		}
	}
	return noun("hook", "Other programs that are told what happens, by signed webhooks",
		asking(a, "add URL", "Have a program told what happens; the secret that messages are signed with is shown this once",
			"durvek hook add https://desk.invalid/told --kinds doubt.raised,edition.published", api.AddHook, &add,
			[]any{&add.Body.URL}, func(h hooks.Hook) {
				show(h)
				a.say("Its secret, shown this once: %s", h.Secret)
			}),
		all(a, "list", "List the programs that are told", "durvek hook list", api.Hooks, func(hs []hooks.Hook) {
			var rows [][]any
			for _, h := range hs {
				last := "nothing yet"
				if h.Last != nil {
					last = h.Last.Kind + ": " + h.Last.Answer
				}
				rows = append(rows, []any{h.URL, strings.Join(h.Kinds, ", "), h.Waiting, cmp.Or(h.Off, last), h.ID})
			}
			a.print([]string{"Address", "Told of", "Waiting", "Last", "Id"}, rows)
		}),
		all(a, "kinds", "List what a program can be told of", "durvek hook kinds", api.HookKinds, func(ks []hooks.Kind) {
			var rows [][]any
			for _, k := range ks {
				rows = append(rows, []any{k.Kind, k.Says})
			}
			a.print([]string{"Kind", "Told when"}, rows)
		}),
		asking(a, "change HOOK", "Give a program, by its id or address, other kinds; or, with --off, have it told no more",
			`durvek hook change https://desk.invalid/told --off "away until Monday"`, api.ChangeHook, &change,
			[]any{&change.Slug}, show),
		asking(a, "drop HOOK", "Have a program told no more, and forget what it was to be told",
			"durvek hook drop https://desk.invalid/told", api.DropHook, &gone, []any{&gone.Slug},
			func(api.None) { a.say("%s is told no more.", gone.Slug) }),
		asking(a, "try HOOK", "Tell a program at once that it is tried, and print what came back",
			"durvek hook try https://desk.invalid/told", api.TryHook, &tried, []any{&tried.Slug},
			func(d hooks.Delivered) { a.say("%s", say.Capital(d.Answer)) }),
		asking(a, "messages HOOK", "List what a program was told of late and is to be told, the newest first",
			"durvek hook messages https://desk.invalid/told", api.HookMessages, &told, []any{&told.Slug},
			func(ds []hooks.Delivered) {
				var rows [][]any
				for _, d := range ds {
					state := "waiting"
					switch {
					case d.Lost:
						state = "lost"
					case d.Ended != nil:
						state = "told"
					}
					rows = append(rows, []any{d.Made.Local().Format("2006-01-02 15:04"), d.Kind, state, d.Tries, d.Answer,
						string(d.Data)})
				}
				a.print([]string{"When", "Kind", "State", "Tries", "Answer", "Data"}, rows)
			}))
}
