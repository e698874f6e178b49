package claims_test

import (
	"fmt"

	"durvek/core/catalog"
	"durvek/core/claims"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/stats"
)

func ExampleCheck() {
	m := method.Measure{Slug: "read", Name: "read", Unit: "MBy/s", Scale: quantity.Ratio, Better: quantity.Higher}
	c := catalog.Claim{Measure: "drive-sequential/read", Value: 5, Unit: "GBy/s", Qualifier: "at least"}
	v, err := claims.Check(c, m, &claims.Evidence{Estimate: stats.Estimate{Centre: 4600, Lo: 4550, Hi: 4650, N: 5}}, nil)
	fmt.Println(v.Outcome, v.Amount, err)
	// Output: short 8.0 % <nil>
}
