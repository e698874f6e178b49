package api_test

import (
	"fmt"

	"durvek/api"
)

func ExampleOperation_Request() {
	r := api.Place.Request(api.PlaceAsked{Measure: "hashing/all", Variant: "fen-14-16-512"})
	fmt.Println(r.Verb, r.Path, r.Query.Encode())
	s := api.ShiftLog.Request(api.LogShift{LogOf: api.LogOf{Slugged: api.Slugged{Slug: "run/1"}, Log: "meter"},
		Body: api.Shift{Shift: 12.4}})
	fmt.Println(s.Verb, s.Path, s.Body)
	// Output:
	// GET /api/places measure=hashing%2Fall&variant=fen-14-16-512
	// PUT /api/runs/run%2F1/logs/meter {12.4}
}
