package trust_test

import (
	"fmt"

	"durvek/core/trust"
)

// What is not known is never equal.
func ExampleComparable() {
	a := trust.Basis{TestVersion: 2, Conditions: map[string]string{"supply": "mains", "power.mode": "default"}}
	b := trust.Basis{TestVersion: 2, Conditions: map[string]string{"supply": "battery"}}
	for _, d := range trust.Comparable(a, b, []string{"supply", "power.mode"}) {
		fmt.Println(trust.Sentence([]trust.Difference{d}))
	}
	// Output:
	// power mode unknown
	// supply battery, not mains
}
