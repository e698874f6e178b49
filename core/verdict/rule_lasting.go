package verdict

import (
	"fmt"
	"maps"
	"slices"

	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/core/say"
)

func init() {
	register(Rule{Name: "lasting", Sentence: "Under lasting load, or as a drive fills, the pace falls.", Find: fallen})
}

// courses are the measures of a lasting load; they are told by rules of their own, not counted among an area's tests.
var courses = []string{"hold", "drop", "burst", "sustained", "before", "after", "cache", "below", "exceeded-95"}

func lasting(s Standing) bool { return slices.Contains(courses, s.Measure) }

// Falls below these shares of the first pace are worth a sentence, and a weakness.
const (
	notable = 95
	much    = 90
)

func fallen(f Facts) (out []Finding) {
	byTest := map[string]map[string]Standing{}
	for _, s := range f.Standings {
		if lasting(s) && s.Bound == "" && f.Caveats[s.Figure] == "" {
			if byTest[s.Test] == nil {
				byTest[s.Test] = map[string]Standing{}
			}
			byTest[s.Test][s.Measure] = s
		}
	}
	filled := false // a drive that falls as it fills falls under lasting load for the same cause
	for _, m := range byTest {
		filled = filled || m["before"].Value > 0 && m["after"].Value > 0
	}
	for _, test := range slices.Sorted(maps.Keys(byTest)) {
		m := byTest[test]
		if filled && m["hold"].Limiter == record.ByDrive {
			continue
		}
		x := Finding{ID: test, Kind: Note, Certainty: Sure}
		var share float64
		hold, holds := m["hold"]
		before, after, cache := m["before"], m["after"], m["cache"]
		switch {
		case holds && hold.Unit == "%" && hold.Value < notable:
			share = hold.Value
			x.Area, x.RestsOn = hold.Area, []string{hold.Figure}
			x.Text = fmt.Sprintf("%s: falls to %s", hold.Short, hold.Said)
			if drop, ok := m["drop"]; ok {
				x.Text += " after " + drop.Said
				x.RestsOn = append(x.RestsOn, drop.Figure)
			}
			x.Text += " and stays there"
			if l := hold.Limiter; l != "" && l != record.ByUnknown {
				x.Text += "; held back by " + heldBy(l)
			}
		case before.Value > 0 && after.Value > 0 && 100*after.Value < notable*before.Value:
			share = 100 * after.Value / before.Value
			x.Area, x.RestsOn = before.Area, []string{after.Figure, before.Figure}
			x.Text = fmt.Sprintf("%s: %s", before.Short, before.Said)
			if cache.Value > 0 {
				x.Text += fmt.Sprintf(" until %s are written", cache.Said)
				x.RestsOn = append(x.RestsOn, cache.Figure)
			}
			x.Text += ", then " + after.Said
			if place := say.Place(after.Place.Best, after.Place.Worst, after.Field); place != "" && after.Field > 2 {
				x.Text += ": " + place
			}
		default:
			continue
		}
		worse := holds && hold.Class != nil && hold.side(*hold.Class) < 0
		first := after.Place.Worst == 1 && after.Field > 2 // all others fall farther
		if (share < much || worse) && !first {
			x.Kind = Weakness
		}
		x.Text = say.Sentence(x.Text)
		x.Prominence = 3 * (1 - share/100) * f.weight(x.Area)
		out = append(out, x)
	}
	return out
}

func heldBy(l record.LimiterLabel) string {
	switch l {
	case record.ByPower:
		return "its power limit"
	case record.ByHeat:
		return "heat"
	case record.ByOthers:
		return "other programs"
	}
	return "the " + string(l)
}

// places in all that was ever measured are told from so many on.
const fewest = 12

func init() {
	register(Rule{Name: "history", Sentence: "The subject is surely among the extremes of all that the desk has measured.",
		Find: func(f Facts) (out []Finding) {
			for _, s := range f.Standings {
				h := s.History
				if h == nil || h.Of < fewest || h.Best != h.Worst || f.Caveats[s.Figure] != "" || s.Better == quantity.Target {
					continue
				}
				x := Finding{ID: s.Figure, Area: s.Area, RestsOn: []string{s.Figure}, Certainty: Sure}
				high := s.Better == quantity.Higher
				from := h.Best // from the better end
				switch {
				case h.Best <= 2:
					x.Kind = Strength
				case h.Best >= h.Of-1:
					x.Kind, high, from = Weakness, !high, h.Of+1-h.Best
				default:
					continue
				}
				word := s.Words.Least
				if high {
					word = s.Words.Most
				}
				if from == 2 {
					word = "second " + word
				}
				x.Text = say.Sentence(fmt.Sprintf("%s: the %s of %d that this desk has measured, %s", s.Name, word, h.Of, s.Said))
				x.Prominence = (1.2 - 0.4*float64(from-1)) * f.weight(s.Area)
				if s.Class != nil {
					x.Prominence += s.effect(*s.Class) * f.weight(s.Area)
				}
				out = append(out, x)
			}
			return out
		}})
}
