package verdict

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/core/say"
)

func init() {
	register(Rule{Name: "incident", Sentence: "Crashes, hangs, disconnections and the like, with how often.",
		Find: happened})
	register(Rule{Name: "partner", Sentence: "What it did not work with.", Find: partners})
	register(Rule{Name: "check", Sentence: "What works and what does not, and marks by their written levels.",
		Find: checked})
	register(Rule{Name: "mode", Sentence: "What another mode gains and what it costs.",
		Find: func(f Facts) (out []Finding) {
			for _, m := range f.Modes {
				text := m.Name + ": " + m.Gain
				if m.Costs != "" {
					text += " for " + m.Costs
				}
				out = append(out, Finding{ID: m.Name + " " + m.Figure, Kind: Note, Certainty: Sure, Prominence: 0.6,
					RestsOn: []string{m.Figure}, Text: say.Sentence(text)})
			}
			return out
		}})
	register(Rule{Name: "need", Sentence: "A need of a kind of use that the review is written for is not met.",
		Find: func(f Facts) (out []Finding) {
			for _, n := range f.Needs {
				out = append(out, Finding{ID: n.Use + " " + n.Text, Kind: Weakness, Certainty: Sure, Prominence: 10,
					RestsOn: []string{"need " + n.Text}, Text: say.Sentence(fmt.Sprintf("Not for %s, which wants %s. %s", n.Use,
						n.Text, n.Why))})
			}
			return out
		}})
	register(Rule{Name: "worth", Sentence: "What it gives for its price, and the price at which that would change.",
		Find: priced})
	register(Rule{Name: "distrust", Sentence: "What readers must know before they trust a figure.", Find: distrusted})
}

var happens = map[record.IncidentKind]string{record.Crash: "Crashed", record.Hang: "Hung",
	record.Disconnection: "Lost its connection", record.Refusal: "Refused to work", record.Failure: "Failed"}

func happened(f Facts) (out []Finding) {
	for _, r := range f.Incidents {
		if r.Times == 0 || r.Kind == record.Interruption || r.Host != "" || r.Place != "" {
			continue
		}
		verb := happens[r.Kind]
		if verb == "" {
			verb = say.Sentence(strings.ReplaceAll(string(r.Kind), "-", " "))
			verb = verb[:len(verb)-1]
		}
		text := fmt.Sprintf("%s in %d of %d %s (%.0f %%; %.0f to %.0f %%)", verb, r.Times, r.Tries, r.Of,
			100*float64(r.Times)/float64(max(r.Tries, 1)), 100*r.Low, 100*r.High)
		switch {
		case r.HostsAll > 1 && r.Hosts == r.HostsAll:
			text += fmt.Sprintf(", on %s hosts", say.All(r.HostsAll))
		case r.HostsAll > 1:
			text += fmt.Sprintf(", on %s of %s hosts", say.Count(r.Hosts), say.Count(r.HostsAll))
		}
		out = append(out, Finding{ID: string(r.Kind) + " " + r.Unit, Kind: Weakness, Certainty: Sure, Prominence: 1.5 +
			6*r.Low,
			RestsOn: []string{"incident " + string(r.Kind) + " " + r.Unit}, Text: text + "."})
	}
	return out
}

func partners(f Facts) []Finding {
	if len(f.Fails) == 0 {
		return nil
	}
	text := fmt.Sprintf("Did not work with %s", say.List(f.Fails))
	if f.Works > 0 {
		text += fmt.Sprintf("; it worked with %s", map[bool]string{true: "one other", false: say.Count(f.Works) +
			" others"}[f.Works == 1])
	}
	return []Finding{{ID: "fails", Kind: Weakness, Certainty: Sure, RestsOn: []string{"partners"}, Text: text + ".",
		Prominence: 1 + 2*float64(len(f.Fails))/float64(len(f.Fails)+f.Works)}}
}

// checked tells what does not work, what a grade says, and in one line what works.
func checked(f Facts) (out []Finding) {
	works, rests := []string{}, []string{}
	for _, s := range f.Standings {
		x := Finding{ID: s.Figure, Area: s.Area, RestsOn: []string{s.Figure}, Certainty: Sure, Kind: Note}
		switch {
		case f.Caveats[s.Figure] != "":
			continue
		case s.Scale == quantity.Pass && s.Value >= 1:
			works, rests = append(works, s.Name), append(rests, s.Figure)
			continue
		case s.Scale == quantity.Pass:
			x.Kind, x.Prominence = Weakness, 1+2*(1-s.Value)
			x.Text = fmt.Sprintf("%s: works in %s", s.Name, s.Said)
			if s.Value <= 0 {
				x.Text = fmt.Sprintf("%s: does not work (%s)", s.Name, s.Said)
			}
		case s.Scale == quantity.Grade:
			x.Prominence = 0.5
			if s.Better == quantity.Lower {
				s.Level = s.Levels - 1 - s.Level
			}
			switch {
			case s.Level == s.Levels-1 && s.Place.Best == 1:
				x.Kind, x.Prominence = Strength, 0.9
			case 3*s.Level < s.Levels-1:
				x.Kind, x.Prominence = Weakness, 1.1
			}
			x.Text = fmt.Sprintf("%s: %s", s.Name, s.Said)
		default:
			continue
		}
		x.Text = say.Sentence(x.Text)
		x.Prominence *= f.weight(s.Area)
		out = append(out, x)
	}
	if len(works) > 0 {
		out = append(out, Finding{ID: "works", Kind: Note, Certainty: Sure, Prominence: 0.3, RestsOn: rests,
			Text: "Checked, and works: " + strings.Join(works, "; ") + "."})
	}
	return out
}

func priced(f Facts) []Finding {
	w := f.Worth
	if w == nil {
		return nil
	}
	x := Finding{ID: "price", Area: "price", Certainty: Likely, RestsOn: []string{"price"}, Kind: Note, Prominence: 0.7}
	switch {
	case w.Best && w.BestAt != "":
		x.Kind, x.Prominence = Strength, 1.2
		x.Text = fmt.Sprintf("The best buy of its class at %s, and up to %s.", w.Price, w.BestAt)
	case w.Frontier:
		x.Text = fmt.Sprintf("At %s nothing in its class is as cheap and as good", w.Price)
		if w.BestAt != "" {
			x.Text += fmt.Sprintf("; at %s it would be the best buy", w.BestAt)
		}
		x.Text += "."
	case w.BeatenBy != "":
		if w.Surely {
			x.Kind, x.Certainty = Weakness, Sure
		}
		x.Text = fmt.Sprintf("At %s the %s gives as much or more", w.Price, w.BeatenBy)
		if w.BestAt != "" {
			x.Text += fmt.Sprintf("; the best buy of its class it would be at %s", w.BestAt)
		}
		x.Text += "."
	default:
		return nil
	}
	x.Prominence *= f.weight("price")
	return []Finding{x}
}

// distrusted names every caveat once, with what it is about.
func distrusted(f Facts) (out []Finding) {
	about := map[string][]Standing{}
	for _, s := range f.Standings {
		if c := f.Caveats[s.Figure]; c != "" {
			about[c] = append(about[c], s)
		}
	}
	for _, c := range slices.Sorted(maps.Keys(about)) {
		var names, rests []string
		for _, s := range about[c] {
			names, rests = append(names, s.Name), append(rests, s.Figure)
		}
		if n := len(names); n > 3 {
			names = append(names[:2:2], fmt.Sprintf("%d more", n-2))
		}
		out = append(out, Finding{ID: rests[0], Area: about[c][0].Area, Kind: Note, Certainty: Sure, Prominence: 0.45,
			RestsOn: rests, Text: say.Sentence(say.List(names)+", with a caveat") + " " + say.Sentence(c)})
	}
	return out
}
