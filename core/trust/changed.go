package trust

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/core/stats"
)

// Facts are what two runs are held against each other by.
type Facts struct {
	Run     record.Run
	Test    method.Test
	Setup   method.Setup
	Machine record.Machine
	Trace   record.Trace
	Pools   map[string]stats.Pool // repeatability by measure's slug
}

// Changed is what differs between two runs.
type Changed struct {
	A          string       `json:"a" doc:"Run"`
	B          string       `json:"b" doc:"Run"`
	Comparable bool         `json:"comparable"`
	Because    []Difference `json:"because" doc:"Why they cannot be compared"`
	Sentence   string       `json:"sentence"`
	Parts      []Part       `json:"parts"`
	Same       int          `json:"same" doc:"Conditions, links and facts that are known for both and the same"`
}

// Part is one sort of difference.
type Part struct {
	Name string        `json:"name"`
	Rows []ChangedFact `json:"rows"`
}

// ChangedFact is one thing that differs. Matters marks what bars comparison, or a figure that differs by more
// than runs of the test scatter.
type ChangedFact struct {
	Name    string `json:"name"`
	A       string `json:"a"`
	B       string `json:"b"`
	Says    string `json:"says,omitempty"`
	Matters bool   `json:"matters,omitempty"`
}

// Between tells everything that differs between two runs: figures with how sure their difference is, test, setup,
// conditions, links and parts, machine, course, and what the sensors said. Comparability is as Comparable has it.
func Between(a, b Facts) Changed {
	out := Changed{A: a.Run.ID, B: b.Run.ID, Because: []Difference{}, Parts: []Part{}}
	ea, eb := Effective(a.Setup.Conditions, a.Run.Observed), Effective(b.Setup.Conditions, b.Run.Observed)
	if a.Run.Test != b.Run.Test {
		out.Because = append(out.Because, Difference{"test", a.Test.Name, b.Test.Name})
	} else {
		out.Because = append(out.Because, Comparable(Basis{a.Run.TestVersion, ea}, Basis{b.Run.TestVersion, eb},
			a.Test.MustMatch)...)
	}
	out.Comparable = len(out.Because) == 0
	part := func(name string, rows []ChangedFact) {
		if len(rows) > 0 {
			out.Parts = append(out.Parts, Part{name, rows})
		}
	}
	differing := func(x, y map[string]string, name func(string) string, matters func(string) bool) []ChangedFact {
		var rows []ChangedFact
		keys := map[string]bool{}
		for _, m := range []map[string]string{x, y} {
			for k := range m {
				keys[k] = true
			}
		}
		for _, k := range slices.Sorted(maps.Keys(keys)) {
			if x[k] == y[k] {
				out.Same++
				continue
			}
			rows = append(rows, ChangedFact{Name: name(k), A: x[k], B: y[k], Matters: matters(k)})
		}
		return rows
	}
	never := func(string) bool { return false }
	figures, surely := between(a, b)
	part("Figures", figures)
	part("What was measured", differing(map[string]string{"unit": a.Run.Subject, "host": a.Run.Host, "place": a.Run.Place,
		"test": a.Run.Test, "test version": fmt.Sprint(a.Run.TestVersion), "setup": a.Setup.Name, "sitting": a.Run.Sitting,
		"outcome": string(a.Run.Outcome)},
		map[string]string{"unit": b.Run.Subject, "host": b.Run.Host, "place": b.Run.Place, "test": b.Run.Test,
			"test version": fmt.Sprint(b.Run.TestVersion), "setup": b.Setup.Name, "sitting": b.Run.Sitting,
			"outcome": string(b.Run.Outcome)},
		func(k string) string { return k }, func(k string) bool { return k == "test" || k == "test version" }))
	part("Conditions", differing(ea, eb, func(k string) string { return Difference{Condition: k}.name() },
		func(k string) bool { return slices.Contains(a.Test.MustMatch, k) }))
	part("Options", differing(a.Run.Options, b.Run.Options, func(k string) string { return k }, never))
	part("Links and parts", differing(a.Run.Negotiated, b.Run.Negotiated, func(k string) string {
		if x, ok := negotiated(k); ok {
			return strings.ToLower(x.Name[:1]) + x.Name[1:]
		}
		return k
	}, never))
	part("Machine", differing(machine(a.Machine), machine(b.Machine), func(k string) string { return k }, never))
	part("How it went", differing(went(a.Run), went(b.Run), func(k string) string { return k }, never))
	part("Sensors", sensed(a, b))
	out.Sentence = sentence(out, surely)
	return out
}

// between compares the figures that both runs have.
func between(a, b Facts) (rows []ChangedFact, surely int) {
	for _, x := range a.Run.Readings {
		m, ok := a.Test.Measure(x.Measure)
		i := slices.IndexFunc(b.Run.Readings, func(y record.Reading) bool { return y.Measure == x.Measure })
		if !ok || i < 0 || a.Run.Test != b.Run.Test {
			continue
		}
		y := b.Run.Readings[i]
		row := ChangedFact{Name: m.Name, A: m.Say(x.Value, string(x.State)), B: m.Say(y.Value, string(y.State))}
		p := a.Pools[m.Slug]
		switch {
		case x.State.Bound() != y.State.Bound() || x.State == record.Missing || y.State == record.Missing:
			row.Says = fmt.Sprintf("%s, then %s", x.State, y.State)
		case m.Scale == quantity.Pass || m.Scale == quantity.Grade:
		default:
			d := y.Value - x.Value
			if m.Scale.Logarithmic() {
				d = math.Log(y.Value / x.Value)
			}
			row.Says = apart(m, d).Phrase()
			if d == 0 {
				row.Says = "the same"
			}
			if p.DF > 0 {
				sd, df := p.Held(stats.Cell{Median: x.Value})
				half := stats.Quick(0.975, df) * math.Sqrt2 * sd
				if several([]Repeat{{Sitting: a.Run.Sitting}, {Sitting: b.Run.Sitting}}) {
					half = math.Hypot(half, 1.96*math.Sqrt2*p.Between)
				}
				row.Matters = math.Abs(d) > half
				if row.Matters {
					surely++
					row.Says += ", more than two runs scatter"
				} else if d != 0 {
					row.Says += ", no more than two runs scatter"
				}
			}
		}
		if x.State == record.Void || y.State == record.Void {
			row.Says += "; void now"
		}
		rows = append(rows, row)
	}
	return rows, surely
}

func machine(m record.Machine) map[string]string {
	out := map[string]string{"system": m.System, "kernel": m.Kernel, "processor": m.Processor}
	if m.Cores > 0 {
		out["cores"] = fmt.Sprint(m.Cores)
	}
	if m.Threads > 0 {
		out["threads"] = fmt.Sprint(m.Threads)
	}
	if m.Memory > 0 {
		out["memory"] = fmt.Sprintf("%.1f GiB", float64(m.Memory)/(1<<30))
	}
	for k, v := range m.Facts {
		out[k] = v
	}
	return out
}

func went(r record.Run) map[string]string {
	out := map[string]string{"length": fmt.Sprintf("%.1f s", r.Ended.Sub(r.Started).Seconds()),
		"held back by": string(r.Course.Limiter.Label)}
	if r.Failure != "" {
		out["failure"] = r.Failure
	}
	for i, m := range r.Marks {
		out[fmt.Sprintf("mark %d", i+1)] = m.Text
	}
	for _, c := range r.Course.Changes {
		out["changed meanwhile: "+c.Condition] = c.From + " → " + c.To
	}
	if r.Course.Attempt > 0 {
		out["attempts before"] = fmt.Sprint(r.Course.Attempt)
	}
	return out
}

// sensed compares what sensors said on average over each run: what differs by 5 % or more, temperatures by 3 K.
func sensed(a, b Facts) []ChangedFact {
	var rows []ChangedFact
	for i, c := range a.Trace.Channels {
		x, y := average(a.Trace.Values[i]), average(b.Trace.Column(c.Name))
		if math.IsNaN(x) || math.IsNaN(y) || strings.HasPrefix(c.Name, "rate.") {
			continue
		}
		far := math.Abs(y-x) > 0.05*math.Max(math.Abs(x), math.Abs(y))
		if c.Unit == "Cel" {
			far = math.Abs(y-x) >= 3
		}
		if far {
			name := c.Name
			if known, ok := record.ChannelOf(c.Name); ok {
				name = strings.ToLower(known.Meaning[:1]) + known.Meaning[1:]
			}
			rows = append(rows, ChangedFact{Name: name, A: quantity.Format(x, c.Unit), B: quantity.Format(y, c.Unit),
				Says: "mean over the run"})
		}
	}
	return rows
}

func average(xs []float64) float64 {
	s, n := 0.0, 0.0
	for _, x := range xs {
		if !math.IsNaN(x) {
			s, n = s+x, n+1
		}
	}
	return s / n // NaN for none
}

func sentence(c Changed, surely int) string {
	say := "The two runs may be compared"
	if !c.Comparable {
		say = "The two runs cannot be compared: " + Sentence(c.Because)
	}
	figures, rest := 0, 0
	for _, p := range c.Parts {
		if p.Name == "Figures" {
			figures = len(p.Rows)
			continue
		}
		for _, r := range p.Rows {
			if r.Name != "sitting" && r.Name != "length" {
				rest++
			}
		}
	}
	switch {
	case figures == 0:
	case surely == 0:
		say += "; no figure differs by more than two runs scatter"
	default:
		say += fmt.Sprintf("; %d of %d figures differ by more than two runs scatter", surely, figures)
	}
	if rest == 0 {
		return say + ". Nothing else differs that is known."
	}
	if rest == 1 {
		return say + ". Beside the figures, one thing differs."
	}
	return fmt.Sprintf("%s. Beside the figures, %d things differ.", say, rest)
}
