package service

import (
	"bytes"
	"encoding/json"
	"math"
	"reflect"
	"testing"
	"time"

	"durvek/api"
	"durvek/core/record"
	"durvek/core/stats"
)

// A number that JSON cannot hold comes as null, and all beside it as it would without.
func TestAnAnswerHoldsNoNumberThatIsNone(t *testing.T) {
	at := time.Date(2026, 11, 28, 9, 0, 0, 0, time.UTC)
	low := 1.5
	whole := struct {
		record.Reading
		Run    record.Run         `json:"run"`
		At     time.Time          `json:"at"`
		None   *int               `json:"none"`
		Left   *int               `json:"left,omitempty"`
		Zero   time.Time          `json:"zero,omitzero"`
		Raw    []byte             `json:"raw"`
		List   []string           `json:"list"`
		By     map[string]float64 `json:"by"`
		Any    any                `json:"any"`
		Plain  int
		Secret string `json:"-"`
	}{Reading: record.Reading{Measure: "rate", State: record.OK, Value: 2, Low: &low}, At: at,
		Run: record.Run{ID: "r", Started: at, Course: record.Course{}, Readings: []record.Reading{{Measure: "a", Value: 1}}},
		Raw: []byte("raw"), By: map[string]float64{"x": 3}, Any: []any{1.5, "s", nil}, Plain: 4}
	var plain, copied bytes.Buffer
	if err := json.NewEncoder(&plain).Encode(whole); err != nil {
		t.Fatal(err)
	}
	if err := json.NewEncoder(&copied).Encode(finite(reflect.ValueOf(whole))); err != nil {
		t.Fatal(err)
	}
	var a, b any
	json.Unmarshal(plain.Bytes(), &a)
	json.Unmarshal(copied.Bytes(), &b)
	if !reflect.DeepEqual(a, b) {
		t.Errorf("%s\nis not\n%s", copied.String(), plain.String())
	}
	whole.Value, whole.By["x"], whole.Any = math.NaN(), math.Inf(1), stats.Value{X: math.Inf(-1)}
	var out bytes.Buffer
	if err := asJSON(&out, whole); err != nil {
		t.Fatal(err)
	}
	var got map[string]any
	if err := json.Unmarshal(out.Bytes(), &got); err != nil || got["value"] != nil || got["low"] != 1.5 ||
		got["by"].(map[string]any)["x"] != nil || got["Plain"] != 4.0 {
		t.Errorf("%v, %v", got, err)
	}
}

func TestWhatComesInIsBounded(t *testing.T) {
	bad := 1e19
	for want, in := range map[string]any{
		"":                         api.With(record.Run{Readings: []record.Reading{{Value: 1e18}, {Value: -1e18}}}),
		"body.readings[1].value":   api.With(record.Run{Readings: []record.Reading{{Value: 1}, {Value: 1.1e18}}}),
		"body.readings[0].low":     api.With(record.Run{Readings: []record.Reading{{Low: &bad}}}),
		"body.readings[0].high":    api.With(record.Run{Readings: []record.Reading{{High: &bad}}}),
		"body.series[0].values[1]": api.With(record.Run{Series: []record.Series{{Values: []float64{1, math.Inf(1)}}}}),
		"body.last.fan":            api.With(record.Progress{Last: map[string]float64{"fan": math.NaN()}}),
		"body.spec.cores":          api.With(map[string]any{"spec": map[string]any{"cores": -1e30}}),
		"body.minutes":             api.With(api.ScheduleAsked{Minutes: 1e40}),
	} {
		if at, v := wild(reflect.ValueOf(&in), ""); (at != "" || want != "") && at != "."+want {
			t.Errorf("%s: %q, %g", want, at, v)
		}
	}
}
