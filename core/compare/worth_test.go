package compare

import (
	"math"
	"strings"
	"testing"

	"durvek/core/quantity"
	"durvek/core/stats"
	"durvek/core/trust"
)

// A unit that was measured under several pairs of setups counts once, a reading of unknown spread not at all.
func TestUnitsCountOnce(t *testing.T) {
	at := func(unit, setup, mode, room string, x float64) Cell {
		return Cell{Variant: unit, Unit: unit, Setup: setup, Basis: trust.Basis{TestVersion: 2, Conditions: map[string]string{
			"power.mode": mode, "room": room}}, Key: setup, Estimate: stats.Estimate{Centre: x, Mean: math.Log(x), SE: 0.01,
			DF: 20, N: 3}}
	}
	cells := []Cell{at("a", "s1", "default", "warm", 100), at("a", "s2", "fast", "warm", 110), at("a", "s3", "default",
		"cold",
		100), at("a", "s4", "fast", "cold", 110), at("b", "s1", "default", "warm", 100), at("b", "s2", "fast", "warm", 121)}
	unknown := at("c", "s1", "default", "warm", 100)
	unknown.Estimate.Unknown = true
	cells = append(cells, unknown, at("c", "s2", "fast", "warm", 900))
	c := ControlledOf(plainMeasure("rate", quantity.Ratio, quantity.Higher, "/s"), cells, map[string]Subject{},
		map[string]bool{})
	var mode *Worth
	for i := range c.Worth {
		if c.Worth[i].Key == "power.mode" {
			mode = &c.Worth[i]
		}
	}
	if mode == nil || len(mode.Pairs) != 3 || !strings.Contains(mode.Sentence, "on 2 units") {
		t.Fatalf("%+v", c.Worth)
	}
	// Of two units, from the lower end of the one to the upper end of the other: about 10 to 21 %.
	if mode.Effect.Lo < 5 || mode.Effect.Lo > 9 || mode.Effect.Hi < 22 || mode.Effect.Hi > 27 {
		t.Errorf("%+v", mode.Effect)
	}
	room := 0
	for _, w := range c.Worth {
		if w.Key == "room" {
			room++
			if !strings.Contains(w.Sentence, "on 1 unit") || len(w.Pairs) != 2 {
				t.Errorf("%+v", w)
			}
		}
	}
	if room != 1 {
		t.Errorf("%d effects of the room", room)
	}
}
