package analyse

import (
	"bytes"
	"time"

	"durvek/core/method"
	"durvek/core/record"
)

func init() {
	register("toy", func(t method.Test, r *record.Run) ([]record.Reading, map[string]string, error) {
		return []record.Reading{{Measure: t.Measures[0].Slug, State: record.OK,
			Value: float64(len(r.Series[0].Values))}}, nil, nil
	})
	registerLog(LogReader{
		Name:  "toy",
		Knows: func(data []byte) bool { return bytes.HasPrefix(data, []byte("TOY ")) },
		Read: func(data []byte, _ time.Time) (record.Trace, error) {
			var t record.Trace
			for i, b := range bytes.TrimPrefix(data, []byte("TOY ")) {
				t.Add(float64(i), map[string]float64{"power.wall": float64(b)}, map[string]string{"power.wall": "W"})
			}
			return t, nil
		},
	})
}
