package analyse

import (
	"errors"
	"fmt"
	"math"
	"strings"

	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
)

// Channels of the heartbeats of a load that runs a battery down, all over the run's seconds.
const (
	Done   = "done" // work done so far
	Due    = "due"  // work that was due so far; none where the load is not paced
	Charge = "battery.charge"
	Pace   = "pace" // share of the work due between two heartbeats that was done

	Luminance = "display.luminance" // as the reviewer set it; a condition, told beside the heartbeats
)

// PaceCondition is observed by a run-down beside what its setup says: run times at another pace are those of other
// work. What it was told and how it ended stand with what a machine settles on.
const (
	PaceCondition = "pace"
	FullEnergy    = "battery.energy"
	HowEnded      = "battery.end"
)

// How a run-down ended.
const (
	WentOff   = "went off"        // the device, by itself: its battery was empty
	AtLevel   = "at charge level" // where it was asked to end
	PluggedIn = "plugged in"
	Ended     = "ended" // by a person, or with the page
)

// Held stands for a pace that was held, Unpaced for a load without one.
const (
	Held    = "held"
	Unpaced = "not paced"
)

// heldFrom is the share of the work due, in per cent, from which a pace counts as held.
const heldFrom = 98

// RundownMeasures are what a run-down yields. The unit is that of the work; a load that is not paced has no pace.
func RundownMeasures(unit, work string, paced bool) []method.Measure {
	m := func(slug, name, unit, words string, better quantity.Direction) method.Measure {
		return method.Measure{Slug: slug, Name: name, Unit: unit, Scale: quantity.Ratio, Better: better, Words: words,
			Repeatability: 0.02}
	}
	out := []method.Measure{m("hours", "run time", "h", "run time", quantity.Higher),
		m("frugality", "run time per watt-hour", "min/(W.h)", "run time", quantity.Higher),
		m("draw", "mean draw", "W", "power", quantity.Lower), m("work", work, unit, "count", quantity.Higher)}
	if paced {
		out = append(out, method.Measure{Slug: "pace", Name: "pace held", Unit: "%", Scale: quantity.Share, Words: "hold",
			Better: quantity.Higher, Repeatability: 0.3})
	}
	return out
}

// ChargingMeasures are what a charge yields.
func ChargingMeasures() (out []method.Measure) {
	for _, l := range chargeLevels {
		out = append(out, method.Measure{Slug: fmt.Sprintf("to-%d", l), Name: fmt.Sprintf("time to %d %%", l), Unit: "min",
			Scale: quantity.Ratio, Words: "time", Better: quantity.Lower, Repeatability: 0.03})
	}
	return out
}

func init() {
	register("rundown", rundown)
	register("charging", charging)
}

// rundown makes the figures of a run-down of its heartbeats. The run lasts to the last one, so its end is known as
// closely as they follow each other. A run that ended before the battery did is continued along its straight part, as a
// log is (see discharge). A charge level that cannot be is not used, and said so: what was done is true all the same.
// What was held of the pace is taken down as an observed condition: run times at another pace are those of other work,
// and are not compared.
func rundown(t method.Test, r *record.Run) ([]record.Reading, map[string]string, error) {
	done, ok := channel(r.Series, Done)
	n := len(done.Times)
	if !ok || n < 2 || done.Times[n-1] <= 0 {
		return nil, nil, errors.New("a run-down needs two heartbeats at least; it ended before")
	}
	level, known := channel(r.Series, Charge)
	known = known && len(level.Values) > 1
	out := Made{Said: map[string]string{}}
	seconds, share := done.Times[n-1], 1.0
	end := r.Negotiated[HowEnded]
	if known {
		values := append([]float64(nil), level.Values...)
		if last := len(values) - 1; end == WentOff && values[last] > cutOff {
			values[last] = cutOff // it went off, however much it claimed to have left
		}
		s, part, err := lasted(level.Times, values, &out)
		switch {
		case err != nil:
			known = false
			out.Said["battery.nonsense"] = "its charge level is not used: " + strings.TrimPrefix(err.Error(),
				ErrRaw.Error()+": ")
		case part < 1: // else the last heartbeat is later than what was last heard of the battery
			seconds, share = s, part
		}
	}
	if !known && end != WentOff {
		seconds = math.NaN() // nobody knows how much was left
	}
	work := done.Values[n-1] - done.Values[0]
	figure := func(measure string, v float64, why string) {
		if math.IsNaN(v) || v <= 0 {
			out.Readings = append(out.Readings, lacking(measure, why))
		} else {
			out.Readings = append(out.Readings, found(measure, v))
		}
	}
	const short = "less than half of the discharge was seen"
	figure("hours", seconds/3600, short)
	energy := energyOf(t, r)
	const unknown = "the energy of the full battery is not known: the option capacity or the spec sheet's " +
		FullEnergy + " gives it"
	if why := short; energy > 0 || math.IsNaN(seconds) {
		figure("draw", energy/(seconds/3600), why)
		figure("frugality", seconds/60/energy, why)
	} else {
		figure("draw", math.NaN(), unknown)
		figure("frugality", math.NaN(), unknown)
	}
	if math.IsNaN(seconds) {
		figure("work", math.NaN(), short)
	} else {
		figure("work", work/share, "nothing was done")
	}
	observed := Unpaced
	if due, paced := channel(r.Series, Due); paced && len(due.Values) == n {
		wanted := due.Values[n-1] - due.Values[0]
		held := min(100*work/max(wanted, 1e-9), 100)
		out.Readings = append(out.Readings, found("pace", held))
		observed = Held
		if held < heldFrom {
			observed = rates(work, wanted, done.Times[n-1]-done.Times[0], t)
		}
		r.Series = append(r.Series, paceOf(done, due))
	}
	if r.Observed == nil {
		r.Observed = map[string]string{}
	}
	r.Observed[PaceCondition] = observed
	return out.Readings, out.Said, nil
}

// energyOf is the energy of the full battery in Wh, 0 where nobody told it: an option of the run, else what the desk
// took from the spec sheet.
func energyOf(t method.Test, r *record.Run) float64 {
	if e := t.Number("capacity", r.Options); e > 0 {
		return e
	}
	q, err := quantity.Parse(r.Negotiated[FullEnergy])
	if err != nil {
		return 0
	}
	e, err := q.In("W.h")
	if err != nil {
		return 0
	}
	return e
}

// rates says what was done beside what was due: "17 of 24 frames/s".
func rates(done, due, seconds float64, t method.Test) string {
	per, in := 60.0, "min"
	if due/seconds > 2 {
		per, in = 1, "s"
	}
	unit := "steps"
	if m, ok := t.Measure("work"); ok {
		unit = quantity.Symbol(m.Unit)
	}
	return fmt.Sprintf("%s of %s %s/%s", quantity.Number(done/seconds*per, 2), quantity.Number(due/seconds*per, 2),
		strings.TrimSpace(unit), in)
}

// paceOf is the pace over time, in per cent of what was due from one heartbeat to the next.
func paceOf(done, due record.Series) record.Series {
	out := record.Series{Channel: Pace, Unit: "%"}
	for i := 1; i < len(done.Times); i++ {
		if wanted := due.Values[i] - due.Values[i-1]; wanted > 0 {
			out.Times = append(out.Times, done.Times[i])
			out.Values = append(out.Values, min(100*(done.Values[i]-done.Values[i-1])/wanted, 100))
		}
	}
	return out
}

var chargeLevels = []int{50, 80, 100}

// emptyFrom is the charge, in per cent, up to which a charge counts as begun from empty.
const emptyFrom = 10

// charging makes the times to a level of a charge's heartbeats, straight between two of them. One that began higher up
// tells none.
func charging(_ method.Test, r *record.Run) ([]record.Reading, map[string]string, error) {
	level, ok := channel(r.Series, Charge)
	if !ok || len(level.Times) < 2 {
		return nil, nil, errors.New("the charge level was not told; this browser cannot measure charging")
	}
	if err := whole(level.Values, "charge level"); err != nil {
		return nil, nil, err
	}
	var out []record.Reading
	first, n := level.Values[0], len(level.Values)
	highest := 0.0
	for _, l := range level.Values {
		highest = max(highest, l)
	}
	for _, l := range chargeLevels {
		slug, want := fmt.Sprintf("to-%d", l), float64(l)
		switch i := reached(level, want); {
		case first > emptyFrom:
			out = append(out, lacking(slug, fmt.Sprintf("charging began at %.0f %%; %d %% at most tell the whole time", first,
				emptyFrom)))
		case i == 0 || i == n:
			out = append(out, lacking(slug, fmt.Sprintf("charging was watched up to %.3g %%", highest)))
		default:
			a, b := level.Values[i-1], level.Values[i]
			at := level.Times[i-1] + (want-a)/(b-a)*(level.Times[i]-level.Times[i-1])
			out = append(out, found(slug, (at-level.Times[0])/60))
		}
	}
	return out, nil, nil
}

// reached is the place of the first value at or above one; as many as there are where none is.
func reached(s record.Series, v float64) int {
	for i, x := range s.Values {
		if x >= v {
			return i
		}
	}
	return len(s.Values)
}
