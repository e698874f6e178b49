package api

import (
	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/desk"
	"durvek/desk/books"
)

const access = "access"

// Who may ask, and the words that files may use.
var (
	SignIn = post[Body[Code], Token](access, "/api/sign-in", "sign-in",
		"Spend a one-time sign-in code for a token").For("").AtMost(small)
	MakeSignInLink = post[Body[Whose], Code](access, "/api/sign-in-links", "make-sign-in-link",
		"Make the code of a one-time sign-in link: for oneself, or as an owner for anybody").For(books.Reader)
	SignOut = post[None, None](access, "/api/sign-out", "sign-out", "End the token or session that asks").
		For(books.Reader)
	WhoAmI   = get[None, Me](access, "/api/me", "me", "Who is signed in")
	Self     = get[None, desk.Self](access, "/api/desk", "show-desk", "What the desk says of itself")
	Describe = put[Body[desk.Self], desk.Self](access, "/api/desk", "describe-desk",
		"Say what the desk is called, under which licence it publishes, and who answers for it").For(books.Owner)
	People    = get[None, []books.Person](access, "/api/people", "list-people", "Who works at the desk")
	AddPerson = post[Body[PersonNote], books.Person](access, "/api/people", "add-person",
		"Take somebody into the desk").
		Making(func(p books.Person) string { return at("/api/people", p.Name) }).For(books.Owner)
	ChangePerson = patch[ChangingPerson, books.Person](access, "/api/people/{slug}", "change-person",
		"Give somebody another name or role; tokens and sign-ins follow").For(books.Owner)
	DropPerson = drop[Slugged](access, "/api/people/{slug}", "drop-person",
		"End somebody's tokens and sign-ins; what they did keeps their name").For(books.Owner)
	Journal = get[JournalIn, JournalPage](access, "/api/journal", "journal", "Who did what, the newest first")
	Tokens  = get[None, []books.Named](access, "/api/tokens", "list-tokens",
		"Tokens and sessions that hold: one's own, or as an owner everybody's")
	AddToken = post[Body[books.NewToken], Token](access, "/api/tokens", "add-token",
		"Make a token for a program").For(books.Reader)
	DropToken = drop[Slugged](access, "/api/tokens/{slug}", "drop-token", "End a token, by its id or name").
			For(books.Reader)
	Vocabulary = get[None, Words](access, "/api/vocabulary", "vocabulary", "Spec keys, conditions, units and kinds")
	Format     = file[Slugged](access, "/api/formats/{slug}", "format-schema", "JSON Schema of a file format: dossier, "+
		"test, plan, sheet, use or runs", "application/schema+json")
)

// small is enough for what somebody sends who is not known yet.
const small = 64 << 10

// Code is a one-time code.
type Code struct {
	Code string `json:"code"`
	Name string `json:"name,omitempty" doc:"What the token is for"`
}

// Token is a secret; it is shown once.
type Token struct {
	Token string `json:"token"`
}

// JournalIn is a page of the journal.
type JournalIn struct {
	Text string `query:"text" doc:"Part of who, of what was done, or of what it was done to"`
	Page
}

// JournalPage is a page of the journal, and how many lines there are.
type JournalPage struct {
	Lines []record.Noted `json:"lines"`
	Total int            `json:"total"`
}

// Whose is the person that a sign-in link is for.
type Whose struct {
	Person string `json:"person,omitempty" doc:"Who signs in with it; who asks if left out"`
}

// PersonNote is somebody who is to work at the desk.
type PersonNote struct {
	Name string     `json:"name,omitempty" doc:"What they are called; their changes are signed with it"`
	Role books.Role `json:"role,omitempty" enum:",reader,editor,owner" doc:"reader: looks; editor: does the whole job; owner: also says who may"`
}

// ChangingPerson is another name or role for somebody.
type ChangingPerson struct {
	Slugged
	Body PersonNote
}

// Me is who asks.
type Me struct {
	Name string     `json:"name"`
	Desk string     `json:"desk"`
	Role books.Role `json:"role" enum:",reader,editor,owner"`
}

// Words are those that files may use.
type Words struct {
	Specs      []catalog.SpecKey     `json:"specs"`
	Conditions []method.ConditionKey `json:"conditions"`
	Negotiated []method.ConditionKey `json:"negotiated"`
	Channels   []record.Channel      `json:"channels"`
	Units      []quantity.Unit       `json:"units"`
	Kinds      []catalog.Kind        `json:"kinds"`
}
