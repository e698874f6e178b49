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

// archiveCmds keep something and have it no longer offered, and the other way round.
func (a *app) archiveCmds(kind, example string) []*cobra.Command {
	in := &api.Body[api.Archiving]{Body: api.Archiving{Kind: kind}}
	archive := asking(a, "archive SLUG", "Keep a "+kind+" with all that rests on it, and no longer offer it",
		"durvek "+kind+" archive "+example, api.Archive, in, []any{own{&in.Body.Kind}, &in.Body.Slug}, func(api.None) {
			a.say("The %s %s is archived: it is kept, and lists and fields leave it out.", kind, in.Body.Slug)
		})
	archive.Flags().StringVar(&in.Body.Reason, "reason", "", "why")
	one := &api.ArchivedOne{Kind: kind}
	back := asking(a, "unarchive SLUG", "Offer an archived "+kind+" again", "durvek "+kind+" unarchive "+example,
		api.Unarchive, one, []any{own{&one.Kind}, &one.ID}, func(api.None) {
			a.say("The %s %s is offered again.", kind,
				one.ID)
		})
	return []*cobra.Command{archive, back}
}

// listing is a list that leaves out what is archived, unless it is asked for.
func listing[O any](a *app, use, short, example string, op api.Operation[api.Listing, O], show func(O)) *cobra.Command {
	return asking(a, use, short, example, op, &api.Listing{}, nil, show)
}

// under puts more verbs under a noun.
func under(noun *cobra.Command, more ...*cobra.Command) *cobra.Command {
	noun.AddCommand(more...)
	return noun
}
