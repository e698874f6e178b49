package cli

import (
	"github.com/spf13/cobra"

	"durvek/api"
)

// dropCmd removes something from the books on which nothing rests.
func (a *app) dropCmd(kind, id, example string) *cobra.Command {
	in := &api.Removal{Kind: kind}
	return asking(a, "drop "+id, "Remove a "+kind+" on which nothing rests", "durvek "+kind+" drop "+example,
		api.Remove, in,
		[]any{own{&in.Kind}, &in.ID}, func(api.None) { a.say("The %s %s is removed.", kind, in.ID) })
}

// clearCmd empties parts of something on the books.
func (a *app) clearCmd(kind, parts, example string) *cobra.Command {
	in := &api.Clearing{}
	c := verb("clear SLUG PART…", "Empty parts of a "+kind+": "+parts, "durvek "+kind+" clear "+example, -2,
		func(cmd *cobra.Command, args []string) error {
			in.Body = api.Emptied{Kind: kind, Slug: args[0], Parts: args[1:]}
			return ask(a, cmd, api.Clear, *in, func(api.None) { a.say("Cleared.") })
		})
	return c
}
