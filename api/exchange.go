package api

import (
	"durvek/desk/books"
	"durvek/exchange"
)

// What other desks published, as rivals of what is measured here.
var (
	Exchanged = get[None, []books.Rivals](catalogue, "/api/exchange", "list-exchanged",
		"What other desks published and is here to be compared with")
	TakeEdition = post[Arriving, books.Rivals](catalogue, "/api/exchange", "take-edition",
		"Take in the data of an edition that another desk published, as rivals that nobody changes here").
		AtMost(exchange.Most * 5 / 4)
	DropExchanged = drop[ExchangedOf](catalogue, "/api/exchange/{origin}", "drop-exchanged",
		"Remove what another desk published: one review, or all of it")
)

// Arriving is what comes in, or is looked at.
type Arriving struct {
	CheckOnly bool `query:"check_only" flag:"dry-run" doc:"Say what it holds and how it stands to this desk's tests, and write nothing"`
	Body      books.Arrival
}

// ExchangedOf names what is removed.
type ExchangedOf struct {
	Origin string `path:"origin" doc:"Identifier of the desk, as the list has it"`
	Review string `query:"review" doc:"The review; all of the desk's if empty"`
}
