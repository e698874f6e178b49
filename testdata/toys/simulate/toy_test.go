package simulate_test

import (
	"slices"
	"testing"

	"durvek/workload"
)

func TestToy(t *testing.T) {
	slugs := []string{}
	for _, x := range workload.Tests() {
		slugs = append(slugs, x.Slug)
	}
	for _, want := range []string{"toy-counting", "toy-counting-scaling", "toy-counting-sustained", "toy-nap",
		"toy-echo"} {
		if !slices.Contains(slugs, want) {
			t.Errorf("no %s among the tests", want)
		}
	}
	TestEveryWorkloadHasASimulatedFigureThatFollowsFromSeedAndSpec(t)
}
