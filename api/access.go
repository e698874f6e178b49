package api

import (
	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/desk/books"
)

const access = "access"

// Who may ask, and the words that files may use.
var (
	SignIn = post[Body[Code], Token](access, "/api/sign-in", "sign-in",
		"Spend a one-time sign-in code for a token")
	MakeSignInLink = post[None, Code](access, "/api/sign-in-links", "make-sign-in-link",
		"Make the code of a one-time sign-in link")
	SignOut    = post[None, None](access, "/api/sign-out", "sign-out", "End the token or session that asks")
	WhoAmI     = get[None, Me](access, "/api/me", "me", "Who is signed in")
	Tokens     = get[None, []books.Named](access, "/api/tokens", "list-tokens", "List tokens")
	AddToken   = post[Body[Me], Token](access, "/api/tokens", "add-token", "Make a token for a program")
	DropToken  = drop[Slugged](access, "/api/tokens/{slug}", "drop-token", "End a token")
	Vocabulary = get[None, Words](access, "/api/vocabulary", "vocabulary", "Spec keys, conditions, units and kinds")
	Format     = file[Slugged](access, "/api/formats/{slug}", "format-schema", "JSON Schema of a file format: dossier, "+
		"test, plan, sheet, use or runs", "application/schema+json")
)

// Code is a one-time code.
type Code struct {
	Code string `json:"code"`
	Name string `json:"name,omitempty" doc:"What the token is for"`
}

// Token is a secret; it is shown once.
type Token struct {
	Token string `json:"token"`
}

// Me is who asks.
type Me struct {
	Name string `json:"name"`
	Desk string `json:"desk"`
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
