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

func ExamplePlusMinus() {
	fmt.Println(quantity.PlusMinus(412.37, 3.21))
	// Output: 412 3
}
