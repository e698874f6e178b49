package results_test

import (
	"testing"

	"durvek/core/record"
	"durvek/trace"
)

// busy is a packed trace of a run whose processor had no rest.
func busy(t *testing.T) []byte {
	t.Helper()
	var x record.Trace
	for i := range 30 {
		x.Add(float64(i), map[string]float64{"load.all": 100, "load.processor": 100, "load": 100},
			map[string]string{"load.all": "%", "load.processor": "%", "load": "%"})
	}
	return trace.Pack(x)
}
