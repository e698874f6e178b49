package app

import (
	"context"

	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/workload"
)

func init() {
	register(method.Test{Slug: "toy-nap", Name: "Nap", Seconds: 1, Version: 1, Repeats: 3, About: "It rests.",
		StandsFor: "Nothing.", LimitedBy: "Nothing.", Input: "None.", Checked: "Nothing.",
		Measures: []method.Measure{{Slug: "time", Name: "time", Unit: "s", Scale: quantity.Ratio, Better: quantity.Lower}},
	}, func(context.Context, workload.Env) (record.Outcome, error) {
		return record.Outcome{Readings: []record.Reading{workload.Reading("time", 1)}}, nil
	})
}
