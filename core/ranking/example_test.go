package ranking_test

import (
	"fmt"
	"math"

	"durvek/core/quantity"
	"durvek/core/ranking"
	"durvek/core/stats"
)

// A difference that chance may have made is no place.
func ExampleRank() {
	entry := func(id string, centre float64) ranking.Entry {
		return ranking.Entry{ID: id, Estimate: stats.Estimate{Centre: centre, Mean: math.Log(centre), SE: 0.003, DF: 12,
			N: 5}}
	}
	r := ranking.Rank([]ranking.Entry{entry("fen", 400), entry("relay", 520), entry("sound", 402)},
		ranking.Options{Scale: quantity.Ratio, Better: quantity.Higher, Margin: ranking.DefaultMargin})
	for _, x := range r.Rows {
		fmt.Println(x.ID, x.Place.Best, x.Place.Worst, x.Next)
	}
	// Output:
	// relay 1 1 surely different
	// sound 2 3 practically equal
	// fen 2 3
}
