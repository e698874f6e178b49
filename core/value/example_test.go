package value_test

import (
	"fmt"

	"durvek/core/value"
)

// One that is dearer than another and no better is not worth its price.
func ExampleOf() {
	for _, v := range value.Of([]value.Priced{{ID: "fen", Price: 600, Worth: 100, Lo: 98, Hi: 102},
		{ID: "relay", Price: 900, Worth: 95, Lo: 93, Hi: 97}, {ID: "sound", Price: 1200, Worth: 180, Lo: 176, Hi: 184}}) {
		fmt.Printf("%s %.0f %t %q\n", v.ID, v.Per, v.Frontier, v.BeatenBy)
	}
	// Output:
	// fen 100 true ""
	// sound 90 true ""
	// relay 63 false "fen"
}
