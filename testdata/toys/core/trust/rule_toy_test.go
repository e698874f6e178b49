package trust_test

import (
	"math/rand/v2"

	"durvek/core/trust"
	"durvek/internal/trials"
)

func init() {
	weather := func(w string) func(*rand.Rand, *trust.Case) {
		return func(_ *rand.Rand, c *trust.Case) { c.Run.Observed["toy.weather"] = w }
	}
	trials.Certains = append(trials.Certains, trials.Certain{Rule: "toy", Plant: weather("rain"), Near: weather("fog")})
}
