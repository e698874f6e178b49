package record

import (
	"math"
	"testing"
)

func TestATraceTakesMomentsInTheOrderOfTheVocabulary(t *testing.T) {
	var x Trace
	x.Add(1, map[string]float64{"rate.all": 412.5, "power.package": 30, "temperature.package": 50},
		map[string]string{"rate.all": "MiBy/s"})
	x.Add(2, map[string]float64{"power.package": 31, "load.graphics-2": 80}, nil)
	x.Add(1.5, map[string]float64{"power.package": 99}, nil) // too late
	names := ""
	for _, c := range x.Channels {
		names += c.Name + " " + c.Unit + "; "
	}
	if names != "temperature.package Cel; power.package W; rate.all MiBy/s; load.graphics-2 %; " || len(x.Times) != 2 {
		t.Errorf("%s at %v", names, x.Times)
	}
	if c := x.Column("load.graphics-2"); !math.IsNaN(c[0]) || c[1] != 80 {
		t.Errorf("the late channel is %v", c)
	}
	if c := x.Column("temperature.package"); c[0] != 50 || !math.IsNaN(c[1]) {
		t.Errorf("the silent channel is %v", c)
	}
	if s := x.Series(); len(s) != 4 || len(s[0].Values) != 1 || len(s[1].Values) != 2 || s[3].Times[0] != 2 {
		t.Errorf("%+v", s)
	}
	if x.Channels[2].Decimals != 2 { // five digits of 412.5
		t.Errorf("the rate keeps %d decimals", x.Channels[2].Decimals)
	}
	for name, known := range map[string]bool{"clock.mean": true, "power.graphics-3": true, "rate.read": false,
		"nothing": false} {
		if c, ok := ChannelOf(name); ok != known || c.Name != name {
			t.Errorf("%s: %+v, %v", name, c, ok)
		}
	}
}
