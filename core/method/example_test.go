package method_test

import (
	"fmt"

	"durvek/core/method"
)

func ExampleCross() {
	for _, s := range method.Cross([]method.PlanStep{{Test: "hashing", Repeats: 5}, {Test: "archive", Setup: "quiet"}},
		[]string{"as-delivered", "on-battery"}) {
		fmt.Println(s.Test, "under", s.Setup)
	}
	// Output:
	// hashing under as-delivered
	// archive under quiet
	// hashing under on-battery
}
