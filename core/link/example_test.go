package link_test

import (
	"fmt"

	"durvek/core/link"
)

func ExampleParse() {
	l, _ := link.Parse("PCIe 16 GT/s x4")
	rate, source, _ := l.Payload()
	fmt.Printf("%.0f MB/s at most, by %s\n", rate, source)
	// Output: 7877 MB/s at most, by 128b/130b (PCI Express Base Specification, 8 to 32 GT/s)
}
