package cli

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"durvek/core/method"
	"durvek/core/record"
	"durvek/core/stats"
	"durvek/desk/results"
)

// figures prints each measure's figure with its interval, and what could not be measured.
func (a *app) figures(tests []method.Test, runs []record.Run) {
	var rows [][]any
	notes, slowed := map[string]bool{}, map[string]int{}
	var lines []string
	note := func(format string, args ...any) {
		if s := fmt.Sprintf(format, args...); !notes[s] {
			notes[s] = true
			lines = append(lines, s)
		}
	}
	for _, t := range tests {
		values := map[string][]stats.Value{}
		why := map[string]string{}
		for _, r := range runs {
			if r.Test != t.Slug {
				continue
			}
			switch r.Outcome {
			case record.Failed:
				note("%s failed: %s", t.Name, r.Failure)
			case record.NotRun:
				note("%s was not run: %s", t.Name, r.Failure)
			}
			for _, k := range []string{"scaled.down", "ended.early", "limiter", "criterion", "load.shape", "link.ceiling"} {
				if v := r.Negotiated[k]; v != "" {
					note("%s, %s: %s", t.Name, strings.ReplaceAll(k, ".", " "), v)
				}
			}
			if hindered(r) {
				slowed[t.Name]++
			}
			for _, x := range r.Readings {
				if x.State == record.Missing {
					why[x.Measure] = x.Reason
					continue
				}
				values[x.Measure] = append(values[x.Measure], stats.Value{X: x.Value, Sitting: "here", Bound: x.State.Bound()})
			}
		}
		for _, m := range t.Measures {
			vs := values[m.Slug]
			if len(vs) == 0 {
				if why[m.Slug] != "" {
					rows = append(rows, []any{t.Name, m.Name, "—", "", 0, m.Better.Phrase() + "; " + why[m.Slug]})
				}
				continue
			}
			cell := stats.NewCell(vs, m.Scale.Logarithmic())
			e := stats.NewPool([]stats.Cell{cell}, m.Resolution, m.Repeatability).Estimate(cell, m.Scale.Logarithmic())
			w := m.Writing(e)
			text, spread := m.Written(w, e)
			rows = append(rows, []any{t.Name, m.Name, w.With(text), spread, len(vs), m.Better.Phrase()})
		}
	}
	if len(rows) > 0 {
		a.say("")
		a.print([]string{"Test", "Measure", "→Figure", "→95 %", "→Runs", "Better"}, rows)
		a.say("\nIntervals hold within this boot of this machine. They rest on the spread of these runs and on what is " +
			"typical of each test.")
	}
	for _, l := range lines {
		a.say("%s", l)
	}
	if len(slowed) > 0 {
		var names []string
		for _, n := range slices.Sorted(maps.Keys(slowed)) {
			names = append(names, fmt.Sprintf("%s (%d)", n, slowed[n]))
		}
		a.say("\nIn runs of these tests, other programs or the host of a virtual machine took the processor away for more "+
			"than 2 %% of the time: %s.", strings.Join(names, ", "))
	}
}

// hindered tells whether a run had to wait for a processor.
func hindered(r record.Run) bool {
	for k := range r.Negotiated {
		if strings.HasPrefix(k, "hindered") {
			return true
		}
	}
	return false
}

func runsOf(steps []method.PlanStep) int {
	n := 0
	for _, s := range steps {
		n += s.Repeats
	}
	return n
}

// aloneRun is a run as the file holds it: without what only a desk can say.
type aloneRun struct {
	ID          string            `json:"id"`
	Test        string            `json:"test"`
	TestVersion int               `json:"test_version"`
	Repeat      int               `json:"repeat"`
	Started     time.Time         `json:"started"`
	Ended       time.Time         `json:"ended"`
	Outcome     record.Ending     `json:"outcome"`
	Failure     string            `json:"failure,omitempty"`
	Options     map[string]string `json:"options,omitempty"`
	Observed    map[string]string `json:"observed,omitempty"`
	Negotiated  map[string]string `json:"negotiated,omitempty"`
	Readings    []record.Reading  `json:"readings"`
	Series      []record.Series   `json:"series,omitempty"`
}

func runFileOut(f results.RunFile) any {
	runs := make([]aloneRun, len(f.Runs))
	for i, r := range f.Runs {
		runs[i] = aloneRun{r.ID, r.Test, r.TestVersion, r.Repeat, r.Started, r.Ended, r.Outcome, r.Failure, r.Options,
			r.Observed, r.Negotiated, r.Readings, r.Series}
	}
	return struct {
		Format  string         `json:"format"`
		Machine record.Machine `json:"machine"`
		Runs    []aloneRun     `json:"runs"`
	}{f.Format, f.Machine, runs}
}
