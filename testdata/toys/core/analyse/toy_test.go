package analyse

import (
	"testing"
	"time"

	"durvek/core/method"
	"durvek/core/record"
)

func TestToy(t *testing.T) {
	r := record.Run{Outcome: record.Done, Series: []record.Series{{Values: []float64{7, 7, 7}}}}
	if err := Figures(method.Test{Analysis: "toy", Measures: []method.Measure{{Slug: "n"}}}, &r); err != nil ||
		len(r.Readings) != 1 || r.Readings[0].Value != 3 {
		t.Errorf("%+v, %v", r.Readings, err)
	}
	if x, err := ReadLog([]byte("TOY !#"), time.Time{}); err != nil || len(x.Times) != 2 || x.Values[0][1] != '#' {
		t.Errorf("%+v, %v", x, err)
	}
}
