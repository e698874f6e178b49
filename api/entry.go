package api

import (
	"time"

	"durvek/desk/books"
)

// How somebody who is not signed in asks to be let in, and an owner answers.
var (
	AskEntry = post[Body[EntryNote], EntryAsked](access, "/api/entry/asks", "ask-entry",
		"Ask to be let in, signed in nowhere; the number says to an owner who it is that asks").For("").AtMost(small)
	EntryAnswer = post[Body[EntrySecret], EntryAnswered](access, "/api/entry/answers", "entry-answer",
		"What became of asking to be let in; the code of whom an owner let in is given once").For("").AtMost(small)
	Entries = get[None, []Entry](access, "/api/entries", "list-entries", "Who asks to be let in").For(books.Owner)
	Admit   = post[Admitting, Entry](access, "/api/entries/{slug}/admission", "admit",
		"Let in who asks, as somebody who works here or as somebody new").For(books.Owner)
	TurnAway = drop[Slugged](access, "/api/entries/{slug}", "turn-away", "Turn away who asks to be let in").
			For(books.Owner)
)

// EntryNote is who says to be asking.
type EntryNote struct {
	Name string `json:"name" minLength:"1" maxLength:"60" doc:"What an owner knows one by"`
}

// EntrySecret is what the answer is given for.
type EntrySecret struct {
	Secret string `json:"secret" maxLength:"100"`
}

// EntryAsked is what asking gives: the secret stays with who asked, the number is told to an owner.
type EntryAsked struct {
	Secret string `json:"secret"`
	Number string `json:"number" doc:"Stands on the owner's page, too: so that the right one is let in"`
}

// EntryAnswered is what became of it.
type EntryAnswered struct {
	State EntryState `json:"state" enum:"waiting,let in,turned away"`
	Code  string     `json:"code,omitempty" doc:"One-time code to sign in with"`
}

// EntryState is what became of asking to be let in.
type EntryState string

const (
	EntryWaits  EntryState = "waiting"
	EntryLetIn  EntryState = "let in"
	EntryTurned EntryState = "turned away"
)

// Entry is somebody who asks to be let in.
type Entry struct {
	ID     string    `json:"id"`
	Name   string    `json:"name" doc:"As they call themselves"`
	Number string    `json:"number" doc:"As it stands before them"`
	From   string    `json:"from" doc:"Address that they ask from"`
	At     time.Time `json:"at"`
}

// Admission is whom they are let in as.
type Admission struct {
	Person string     `json:"person,omitempty" doc:"Somebody who works here, or somebody new where a role is given; the name that they gave if left out"`
	Role   books.Role `json:"role,omitempty" enum:",reader,editor,owner" doc:"What somebody new may do: reader, editor or owner"`
}

// Admitting lets somebody in.
type Admitting struct {
	Slugged
	Body Admission
}
