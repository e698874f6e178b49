package trust

import (
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/core/stats"
	"fmt"
	"math"
)

// course pictures a series over a run, thinned to what a small picture shows.
func course(unit string, times, values []float64) *Picture {
	p := &Picture{Kind: "course", Unit: unit, X: []float64{}, Y: []float64{}}
	var at, v []float64
	for i := range values {
		if !math.IsNaN(values[i]) {
			at, v = append(at, times[i]), append(v, values[i])
		}
	}
	p.X, p.Y = append(p.X, stats.Blocks(at, 60)...), append(p.Y, stats.Blocks(v, 60)...)
	return p
}

// moved tells whether any two levels differ by what matters.
func moved(c stats.Course) bool { return largest(c) >= c.Matter*0.999 }

// largest is the largest change within a course, as a share of where it began.
func largest(c stats.Course) float64 {
	switch c.Shape {
	case stats.Gradual:
		return math.Abs(c.Change)
	case stats.Recurrent:
		deepest := 0.0
		for _, d := range c.Dips {
			deepest = math.Max(deepest, 1-d.Mean/c.Levels[0].Mean)
		}
		return deepest
	}
	out := 0.0
	for _, g := range c.Levels {
		out = math.Max(out, math.Abs(g.Mean/c.Levels[0].Mean-1))
	}
	return out
}

// saysCourse says in words how a rate went that did not stay level.
func saysCourse(c stats.Course, times []float64) string {
	at := func(i int) string {
		v := times[min(i, len(times)-1)]
		if v >= 10 {
			v = math.Round(v)
		}
		return quantity.Given(v, "s")
	}
	word := "fell"
	if c.Change > 0 {
		word = "rose"
	}
	share := func(v float64) string { return fmt.Sprintf("%.0f %%", 100*math.Abs(v)) }
	switch {
	case c.Shape == stats.Recurrent:
		return fmt.Sprintf("broke in %d times while the run went on, by up to %s", len(c.Dips), share(largest(c)))
	case c.Shape == stats.Gradual:
		return fmt.Sprintf("%s gradually by %s, half of it by %s", word, share(c.Change), at(c.Half))
	case len(c.Levels) == 2 && c.Change > 0 && 2*c.Levels[0].To < c.Levels[1].To:
		return fmt.Sprintf("warmed up: from %s on it was %s higher", at(c.Levels[1].From), share(c.Change))
	case len(c.Levels) == 2:
		return fmt.Sprintf("%s by %s at %s", word, share(c.Change), at(c.Levels[1].From))
	}
	return fmt.Sprintf("changed its level %d times, by up to %s", len(c.Levels)-1, share(largest(c)))
}

// Went is how a series of a run went, for its picture: the sentence, the levels and the dips.
type Went struct {
	Channel  string `json:"channel"`
	Sentence string `json:"sentence"`
	Levels   []Held `json:"levels" doc:"Levels that it held; none where it moved gradually"`
	Dips     []Held `json:"dips,omitempty" doc:"Short stretches that belong to no level"`
}

// CourseOf tells how a series of rates over time went, in which five per cent matter; false for one that has no course.
func CourseOf(name string, s record.Series) (w Went, ok bool) {
	c, ok := stats.CourseOf(s.Values, stats.CourseOptions{Matter: 0.05, Dip: 0.05})
	if s.Axis != "" || !ok {
		return w, false
	}
	w = Went{Channel: s.Channel, Levels: heldOf(s, c), Sentence: "The " + name + " held one level."}
	if c.Shape == stats.Recurrent || c.Shape != stats.Flat && moved(c) {
		w.Sentence = "The " + name + " " + saysCourse(c, s.Times) + "."
	}
	for _, d := range c.Dips {
		w.Dips = append(w.Dips, Held{s.Times[d.From], s.Times[d.To-1], d.Mean})
	}
	return w, true
}

// heldOf lists the levels of a course where it has some.
func heldOf(s record.Series, c stats.Course) []Held {
	out := []Held{}
	for _, g := range c.Levels {
		if c.Shape != stats.Gradual {
			out = append(out, Held{s.Times[g.From], s.Times[g.To-1], g.Mean})
		}
	}
	return out
}

// coursePicture is a series with its levels.
func coursePicture(s record.Series, c stats.Course) *Picture {
	p := course(s.Unit, s.Times, s.Values)
	p.Levels = heldOf(s, c)
	return p
}
