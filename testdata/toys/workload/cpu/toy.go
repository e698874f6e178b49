package cpu

import "durvek/workload"

func init() {
	register(Kernel{
		Slug: "toy-counting", Name: "Counting", Unit: "{op}/ns", About: "Counts to a million.", StandsFor: "Nothing.",
		LimitedBy: "Addition.", Input: "None.", Checked: "The sum.",
		Parts: []Part{{Prepare: func() (func(int) (workload.Work, error), error) {
			return cases(1, toyDigest, func() solver {
				sum := uint64(0)
				return solver{
					do: func(int) float64 {
						sum = 0
						for i := range uint64(1e6) {
							sum += i
						}
						return 1e6 / 1e9
					},
					answer: func() uint64 { return sum },
				}
			})()
		}}},
	})
}

const toyDigest = 0xf605cf42ac267797
