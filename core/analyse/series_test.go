package analyse

import (
	"reflect"
	"testing"

	"durvek/core/record"
)

func TestCurvesOfAPictureAreSeriesOfARun(t *testing.T) {
	curve := []Curve{{Name: "rate", X: []float64{0, 1, 1, 0.5, 2}, Y: []float64{5, 6, 7, 8, 9}}}
	for name, c := range map[string]struct {
		p    Picture
		want []record.Series
	}{
		"over what was written": {Picture{Kind: Curves, X: "GB", Y: "MB/s", Curves: curve}, []record.Series{{Channel: "rate",
			Unit: "MBy/s", Axis: "bytes written", Along: "GBy", Times: []float64{0, 1, 2}, Values: []float64{5, 6, 9}}}},
		"hours are seconds": {Picture{Kind: Curves, X: "h", Y: "%", Curves: curve[:1]}, []record.Series{{Channel: "rate",
			Unit: "%", Times: []float64{0, 3600, 7200}, Values: []float64{5, 6, 9}}}},
		"a unit that nobody knows": {Picture{Kind: Curves, X: "s", Y: "signal", Curves: curve},
			[]record.Series{{Channel: "rate",
				Unit: "1", Times: []float64{0, 1, 2}, Values: []float64{5, 6, 9}}}},
		"an axis that says nothing of others": {Picture{Kind: Curves, X: "ms", Y: "%", Curves: curve}, nil},
		"curves of one name": {Picture{Kind: Curves, X: "m", Y: "Mbit/s", Curves: []Curve{{X: []float64{1}, Y: []float64{2}},
			{X: []float64{1}, Y: []float64{3}}}}, []record.Series{{Channel: "value", Unit: "Mbit/s", Axis: "distance",
			Along: "m", Times: []float64{1}, Values: []float64{2}}, {Channel: "value 2", Unit: "Mbit/s", Axis: "distance",
			Along: "m", Times: []float64{1}, Values: []float64{3}}}},
		"no curves": {Picture{Kind: Field, X: "s", Y: "%"}, nil},
		"nothing":   {Picture{}, nil},
	} {
		if got := c.p.Series(); !reflect.DeepEqual(got, c.want) {
			t.Errorf("%s: %+v", name, got)
		}
	}
	long := Picture{Kind: Curves, X: "s", Y: "W", Curves: []Curve{{}}}
	for i := range 5000 {
		long.Curves[0].X, long.Curves[0].Y = append(long.Curves[0].X, float64(i)), append(long.Curves[0].Y, 1)
	}
	if got := long.Series(); len(got[0].Times) > mostSeries || len(got[0].Times) < mostSeries/2 {
		t.Errorf("of 5000 points %d are kept", len(got[0].Times))
	}
}
