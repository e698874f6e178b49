package api

import (
	"durvek/desk/books"
	"durvek/desk/hooks"
)

const told = "hooks"

// Other programs that are told what happens.
var (
	Hooks = get[None, []hooks.Hook](told, "/api/hooks", "list-hooks",
		"Programs that are told what happens").For(books.Owner)
	HookKinds = get[None, []hooks.Kind](told, "/api/hook-kinds", "list-hook-kinds", "What a program can be told of")
	AddHook   = post[Body[hooks.Wish], hooks.Hook](told, "/api/hooks", "add-hook",
		"Have a program told what happens; its secret is shown this once").For(books.Owner).
		Making(func(h hooks.Hook) string { return at("/api/hooks", h.ID) })
	ChangeHook = put[HookChange, hooks.Hook](told, "/api/hooks/{slug}", "change-hook",
		"Give a program another address or other kinds, or have it told no more for a while").For(books.Owner)
	DropHook = drop[Slugged](told, "/api/hooks/{slug}", "drop-hook",
		"Have a program told no more, and forget what it was to be told").For(books.Owner)
	TryHook = post[Slugged, hooks.Delivered](told, "/api/hooks/{slug}/trials", "try-hook",
		"Tell a program at once that it is tried, and say what came back").For(books.Owner)
	HookMessages = get[Slugged, []hooks.Delivered](told, "/api/hooks/{slug}/messages", "list-hook-messages",
		"What a program was told of late and is to be told, the newest first").For(books.Owner)
)

// HookChange is what a program is to be told instead.
type HookChange struct {
	Slugged
	Body hooks.Wish
}
