package quantity

import "strings"

// Scale says what may be done with a figure: how two are compared, how several are averaged, and
// whether a bar from zero means anything.
type Scale string

const (
	Ratio    Scale = "ratio"    // rates, times, amounts: compare by ratio, average by geometric mean
	Interval Scale = "interval" // temperatures: compare by difference, average by arithmetic mean
	Level    Scale = "level"    // decibels: compare by difference, average repeats arithmetically
	Share    Scale = "share"    // percentages: compare by difference in points
	Grade    Scale = "grade"    // marks of a rubric: order only, median
	Pass     Scale = "pass"     // pass or fail: share of passes
)

// Scales lists all scales.
var Scales = []Scale{Ratio, Interval, Level, Share, Grade, Pass}

// ScaleOf is the scale of figures in a unit (UCUM code or symbol) about which nothing else is said.
func ScaleOf(unit string) Scale {
	u, err := LookUp(unit)
	switch {
	case err != nil:
	case strings.HasPrefix(u.Code, "dB"):
		return Level
	case u.Dimension == "temperature":
		return Interval
	case u.Code == "%":
		return Share
	}
	return Ratio
}

// Logarithmic tells whether estimates are made on logarithms.
func (s Scale) Logarithmic() bool { return s == Ratio }

// Bars tells whether a bar from zero is an honest picture of a figure on this scale.
func (s Scale) Bars() bool { return s == Ratio || s == Share }

// Direction says which way is better.
type Direction string

const (
	Higher Direction = "higher"
	Lower  Direction = "lower"
	Target Direction = "target" // nearest to the measure's target value
)

// Directions lists all directions.
var Directions = []Direction{Higher, Lower, Target}

// Phrase says the direction for people.
func (d Direction) Phrase() string {
	switch d {
	case Lower:
		return "lower is better"
	case Target:
		return "nearest to target is better"
	}
	return "higher is better"
}
