package quantity_test

import (
	"fmt"

	"durvek/core/quantity"
)

func ExampleParse() {
	q, _ := quantity.Parse("5.0 GB/s")
	v, _ := q.In("MiBy/s")
	fmt.Println(quantity.Format(v, "MiBy/s"))
	// Output: 4768 MiB/s
}

func ExampleWriting_Interval() {
	fmt.Println(quantity.WritingFor("MBy/s", [3]float64{412.37, 409.16, 415.58}).Interval(412.37, 409.16, 415.58))
	// Output: 412 ± 3
}
