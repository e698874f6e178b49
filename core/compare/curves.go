package compare

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"durvek/core/chart"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/core/stats"
)

// CurveSide is one variant's series of a test.
type CurveSide struct {
	Variant, Name, Note string
	Run                 string
	Series              record.Series
	Subject             bool
}

// mostPoints bounds the points of a line: a chart is no wider.
const mostPoints = 240

// Curves lays the series of several variants over each other: a rate over the time of a sustained load, or over
// threads, bytes written or a working set.
func Curves(test, field string, sides []CurveSide, foot string) chart.Lines {
	c := chart.Lines{Title: test, Lines: []chart.Line{}, Foot: foot + "."}
	if len(sides) == 0 {
		c.Title, c.Subtitle = "Nothing to draw yet of "+LowerFirst(test), "No run of it in "+field+" left a series."
		c.Text = c.Describe()
		return c
	}
	first := sides[0].Series
	axis := cmp.Or(first.Axis, "time")
	highest := 0.0
	for _, s := range sides {
		for _, v := range s.Series.Values {
			highest = math.Max(highest, v)
		}
	}
	scale := 1.0
	c.Y = upperFirst(first.Channel) + ", " + quantity.Symbol(first.Unit)
	if highest >= 1e6 {
		scale = 1e-6
		c.Y = upperFirst(first.Channel) + ", million " + quantity.Symbol(first.Unit)
	}
	c.X = upperFirst(axis)
	if along := quantity.Symbol(cmp.Or(first.Along, map[bool]string{true: "s"}[first.Axis == ""])); along != "" &&
		along != axis {
		c.X += ", " + along
	}
	c.Even, c.Dots = axis == "threads", axis == "threads"
	best := ""
	top := math.Inf(-1)
	for _, s := range sides {
		if s.Series.Unit != first.Unit || cmp.Or(s.Series.Axis, "time") != axis {
			continue
		}
		x, y := thin(s.Series.Times, s.Series.Values)
		for i := range y {
			y[i] *= scale
		}
		l := chart.Line{ID: s.Variant, Name: s.Name, Note: s.Note, X: x, Y: y, Summary: summary(s.Series), Subject: s.Subject}
		c.Lines = append(c.Lines, l)
		if last := tail(s.Series.Values); last > top {
			top, best = last, s.Name
		}
	}
	switch axis {
	case "time":
		c.Title = test + ": " + best + " is highest at the end"
		c.Subtitle = "One run each; under its name how much of its start each keeps."
	case "threads":
		c.Title = test + " over threads: " + best + " gets furthest"
		c.Subtitle = "Dotted: as the first would grow if every thread brought as much as one."
	default:
		c.Subtitle = "One run each, over " + axis + "."
	}
	slices.SortStableFunc(c.Lines, func(a, b chart.Line) int { return cmp.Compare(tail(b.Y), tail(a.Y)) })
	c.Text = c.Describe()
	return c
}

// tail is the mean of the last quarter.
func tail(v []float64) float64 {
	if len(v) == 0 {
		return 0
	}
	return stats.Average(v[len(v)-max(1, len(v)/4):])
}

// summary says what a series comes to.
func summary(s record.Series) string {
	if len(s.Values) == 0 {
		return "empty"
	}
	v, n := s.Values, len(s.Values)
	if s.Axis == "threads" {
		return fmt.Sprintf("× %s on %s", quantity.Number(v[n-1]/v[0], 2), quantity.Plain(math.Round(s.Times[n-1]), s.Along))
	}
	start := stats.Average(v[:max(1, n/20)])
	if s.Axis == "" && start > 0 {
		return fmt.Sprintf("keeps %.0f %%: %s %s", 100*tail(v)/start, quantity.Number(tail(v), 3), quantity.Symbol(s.Unit))
	}
	return fmt.Sprintf("%s to %s %s", quantity.Number(slices.Min(v), 3), quantity.Number(slices.Max(v), 3),
		quantity.Symbol(s.Unit))
}

// thin takes means over so many neighbours that a chart's width is enough; few points stay as they are.
func thin(x, y []float64) ([]float64, []float64) {
	n := min(len(x), len(y))
	step := (n + mostPoints - 1) / mostPoints
	if step <= 1 {
		return slices.Clone(x[:n]), slices.Clone(y[:n])
	}
	var ox, oy []float64
	for i := 0; i < n; i += step {
		to := min(i+step, n)
		ox, oy = append(ox, stats.Average(x[i:to])), append(oy, stats.Average(y[i:to]))
	}
	return ox, oy
}
