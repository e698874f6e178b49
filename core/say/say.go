// Package say holds the words in which Durvek speaks of figures: how more and less of a quantity are called, by how
// much
// two figures differ, and where one stands among others. Findings, charts, pages and commands use the same ones; the
// documentation prints the table.
package say

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"durvek/core/quantity"
)

// Quantity names what a measure is a figure of, as far as words go.
type Quantity string

// How tells in what a difference is said.
type How string

const (
	Percent How = "per cent"       // of the other's figure
	InUnit  How = "its unit"       // a difference of levels or temperatures has no per cent
	Points  How = "points"         // a difference of two shares
	Span    How = "time, per cent" // hours and minutes, then per cent
)

// Pair is how more and less of a quantity are called. In each phrase {} stands for the difference.
type Pair struct {
	Quantity Quantity `json:"quantity"`
	Of       string   `json:"of" doc:"What it is, in words"`
	More     string   `json:"more" doc:"Said of the higher figure, with {} for the difference"`
	Less     string   `json:"less"`
	Times    string   `json:"times,omitempty" doc:"Said of more than double, with {} for how often"`
	Most     string   `json:"most" doc:"The highest of all"`
	Least    string   `json:"least" doc:"The lowest of all"`
	How      How      `json:"how"`
}

// Pairs is the table. A measure names one by its words; where it names none, its unit tells.
var Pairs = []Pair{
	{"rate", "a rate", "{} faster", "{} slower", "{} times as fast", "fastest", "slowest", Percent},
	{"time", "time for a task", "takes {} more time", "takes {} less time", "takes {} times as long", "slowest",
		"quickest", Percent},
	{"latency", "latency, wake-up", "answers {} later", "answers {} sooner", "takes {} times as long to answer",
		"latest to answer", "soonest to answer", Percent},
	{"luminance", "luminance", "{} brighter", "{} dimmer", "{} times as bright", "brightest", "dimmest", Percent},
	{"black", "luminance of black", "{} brighter", "{} darker", "{} times as bright", "brightest", "darkest", Percent},
	{"colour temperature", "colour temperature of light", "{} bluer", "{} yellower", "", "bluest", "yellowest", InUnit},
	{"level", "sound level", "{} louder", "{} quieter", "", "loudest", "quietest", InUnit},
	{"temperature", "temperature", "{} warmer", "{} cooler", "", "warmest", "coolest", InUnit},
	{"weight", "weight", "{} heavier", "{} lighter", "{} times as heavy", "heaviest", "lightest", Percent},
	{"size", "size", "{} larger", "{} smaller", "{} times as large", "largest", "smallest", Percent},
	{"thickness", "thickness", "{} thicker", "{} thinner", "{} times as thick", "thickest", "thinnest", Percent},
	{"run time", "run time", "lasts {} longer", "lasts {} shorter", "lasts {} times as long", "longest", "shortest", Span},
	{"power", "power", "draws {} more", "draws {} less", "draws {} times as much", "most thirsty", "most frugal", Percent},
	{"energy", "energy used", "uses {} more energy", "uses {} less energy", "uses {} times as much energy",
		"most thirsty", "most frugal", Percent},
	{"coverage", "coverage", "covers {} more", "covers {} less", "", "widest", "narrowest", Points},
	{"hold", "share of a pace that is kept", "keeps {} more of its pace", "keeps {} less of its pace", "", "steadiest",
		"least steady", Points},
	{"share", "a share", "{} higher", "{} lower", "", "highest", "lowest", Points},
	{"dropped", "frames dropped, stutters", "drops {} more", "drops {} fewer", "", "worst at keeping up",
		"best at keeping up", Points},
	{"price", "price", "{} dearer", "{} cheaper", "{} times as dear", "dearest", "cheapest", Percent},
	{"capacity", "capacity", "{} larger", "{} smaller", "{} times as large", "largest", "smallest", Percent},
	{"count", "a count", "has {} more", "has {} fewer", "has {} times as many", "most", "fewest", Percent},
	{"error", "error", "errs by {} more", "errs by {} less", "errs {} times as far", "least exact", "most exact", Percent},
	{"distance", "distance", "reaches {} farther", "reaches {} less far", "reaches {} times as far", "farthest",
		"least far", Percent},
	{"contrast", "contrast, and whatever has no word of its own", "{} higher", "{} lower", "{} times as high", "highest",
		"lowest", Percent},
}

// Quantities lists the words that a measure may name.
func Quantities() (out []string) {
	for _, p := range Pairs {
		out = append(out, string(p.Quantity))
	}
	return out
}

// Find finds a pair of words.
func Find(q Quantity) (Pair, bool) {
	i := slices.IndexFunc(Pairs, func(p Pair) bool { return p.Quantity == q })
	if i < 0 {
		return Pair{}, false
	}
	return Pairs[i], true
}

// Of chooses the words of a measure: those that it names, or by its unit (UCUM code), scale and direction.
func Of(named, unit string, scale quantity.Scale, better quantity.Direction) Pair {
	if p, ok := Find(Quantity(named)); ok {
		return p
	}
	p, _ := Find(guess(unit, scale, better))
	if scale == quantity.Interval && p.How != Points {
		p.How, p.Times = InUnit, "" // it has no ratio
	}
	return p
}

func guess(unit string, scale quantity.Scale, better quantity.Direction) Quantity {
	lower := better == quantity.Lower
	top, per, divided := strings.Cut(unit, "/")
	switch {
	case strings.Contains(per, "/"):
		return "contrast" // a rate by something else
	case scale == quantity.Share && lower:
		return "dropped"
	case scale == quantity.Share:
		return "share"
	case scale == quantity.Level || strings.HasPrefix(unit, "dB"):
		return "level"
	case divided && slices.Contains([]string{"s", "min", "h", "ms", "us", "ns"}, per) && !lower:
		return "rate"
	case strings.HasPrefix(unit, "cd"):
		return "luminance"
	case unit == "K" && better == quantity.Target:
		return "colour temperature" // of a difference to the room there is no target
	case unit == "Cel" || unit == "K":
		return "temperature"
	case slices.Contains([]string{"ms", "us", "ns"}, unit) && lower:
		return "latency"
	case slices.Contains([]string{"s", "min", "h"}, unit) && lower:
		return "time"
	case slices.Contains([]string{"s", "min", "h"}, unit):
		return "run time"
	case unit == "g" || unit == "kg":
		return "weight"
	case slices.Contains([]string{"mm", "cm", "cm3", "mm2", "L"}, unit):
		return "size"
	case unit == "W" || unit == "mW":
		return "power"
	case lower && (unit == "J" || strings.HasSuffix(unit, "W.h")):
		return "energy"
	case !divided && strings.HasSuffix(top, "By") || strings.HasSuffix(unit, "W.h") || strings.HasSuffix(unit, "A.h"):
		return "capacity"
	case strings.HasPrefix(unit, "{"):
		return "count"
	case unit == "m":
		return "distance"
	}
	return "contrast"
}

// Difference is how a figure stands to another: in per cent of it on ratio scales, else as a difference in the unit.
type Difference struct {
	Pair   Pair
	Unit   string  // UCUM code
	Value  float64 // 100 is the same in per cent, 0 as a difference
	Lo, Hi float64 // 95 % interval; both equal to Value where it has none
	Ratio  bool    // Value is in per cent
	Figure float64 // the figure itself, for spans of time; 0 where it does not matter
}

// Higher tells whether the figure is the higher one.
func (d Difference) Higher() bool {
	if d.Ratio {
		return d.Value > 100
	}
	return d.Value > 0
}

// size gives the difference without its sign, and its smaller and larger end.
func (d Difference) size() (v, lo, hi float64) {
	if d.Ratio {
		v, lo, hi = d.Value-100, d.Lo-100, d.Hi-100
	} else {
		v, lo, hi = d.Value, d.Lo, d.Hi
	}
	if v < 0 {
		v, lo, hi = -v, -hi, -lo
	}
	return v, lo, hi
}

// Phrase says the difference: "18 % faster", "takes 7 % less time", "4 dB(A) quieter".
func (d Difference) Phrase() string {
	if d.times() {
		return strings.Replace(d.Pair.Times, "{}", Times(d.Value/100), 1)
	}
	phrase := d.Pair.Less
	if d.Higher() {
		phrase = d.Pair.More
	}
	amount, beside, spans := strings.Cut(d.Amount(), " (")
	phrase = strings.Replace(phrase, "{}", amount, 1)
	if spans {
		phrase += " (" + beside
	}
	return phrase
}

// Than says the difference to something, with the ends of its interval where they read otherwise than the difference:
// "8 % slower than promised (5 to 10)", "2.4 times as fast as its sibling", "lasts 1 h shorter than before (8 %)".
// Without another it is the difference alone.
func (d Difference) Than(other string) string {
	phrase, beside, _ := strings.Cut(strings.TrimSuffix(d.Phrase(), ")"), " (")
	switch {
	case other == "":
	case d.times():
		phrase += " as " + other
	default:
		phrase += " than " + other
	}
	if a, b := d.ends(); a != b {
		beside = strings.TrimPrefix(beside+", "+a+" to "+b, ", ")
	}
	if beside != "" {
		phrase += " (" + beside + ")"
	}
	return phrase
}

// Beside is the phrase with what it is told beside: "18 % faster than its sibling", "2.4 times as fast as its sibling".
func (d Difference) Beside(other string) string {
	if d.times() {
		return d.Phrase() + " as " + other
	}
	return d.Phrase() + " than " + other
}

// times tells whether the difference is told as how often one is the other.
func (d Difference) times() bool { return d.Ratio && d.Value >= 200 && d.Pair.Times != "" }

// ends writes both ends of the interval of a difference, with its decimals.
func (d Difference) ends() (a, b string) {
	if d.times() {
		return Times(d.Lo / 100), Times(d.Hi / 100)
	}
	v, lo, hi := d.size()
	n := d.decimals()
	if step := coarse(v, lo, hi); step > 0 {
		lo, hi = math.Round(lo/step)*step, math.Round(hi/step)*step
	}
	return quantity.Fixed(lo, n), quantity.Fixed(hi, n)
}

// decimals of a difference: of levels and temperatures a tenth, as long as the interval is not wider than one.
func (d Difference) decimals() int {
	v, lo, hi := d.size()
	if !d.Ratio && d.Pair.How != Points && d.Unit != "%" && (hi-lo)/2 < 1 {
		return 1
	}
	return decimals(v, lo, hi)
}

// Is gives a phrase without a verb one: "is 18 % faster", but "takes 7 % less time".
func Is(phrase string) string {
	if phrase != "" && phrase[0] >= '0' && phrase[0] <= '9' {
		return "is " + phrase
	}
	return phrase
}

// In says the difference with what it is in: "18 % faster in hashing", but "4 % lighter" of the weight.
func (d Difference) In(name string) string {
	if name == string(d.Pair.Quantity) {
		return d.Phrase()
	}
	return d.Phrase() + " in " + name
}

// Times says how often one is the other: "2.4", "11".
func Times(v float64) string {
	if v >= 10 {
		return quantity.Fixed(v, 0)
	}
	return quantity.Fixed(v, 1)
}

// Amount says by how much they differ, without a direction: "18 %", "6 points", "1 h 10 min (14 %)".
func (d Difference) Amount() string {
	v, lo, hi := d.size()
	switch {
	case !d.Ratio && (d.Pair.How == Points || d.Unit == "%"):
		return plain(v, lo, hi) + " points"
	case !d.Ratio:
		unit := quantity.Symbol(d.Unit)
		if d.Unit == "K" && d.Pair.Quantity == "temperature" {
			unit = "°C"
		}
		return strings.TrimSpace(written(v, lo, hi, d.decimals()) + " " + unit)
	case d.times():
		return Times(d.Value/100) + " times"
	case d.Pair.How == Span && d.Figure > 0 && d.Value > 0:
		base := d.Figure * 100 / d.Value
		apart := math.Abs(d.Figure - base)
		if minutes, err := quantity.Convert(apart, d.Unit, "min"); err == nil && minutes >= 1 {
			return quantity.Format(rounded(apart, (hi-lo)/200*base, d.Unit), d.Unit) + " (" + PerCent(v, lo, hi) + ")"
		}
	}
	return PerCent(v, lo, hi)
}

// rounded is a span of time to the minute, where it is longer than one; to ten minutes or an hour where its interval is
// at least so wide on each side.
func rounded(v, half float64, unit string) float64 {
	minutes, err := quantity.Convert(v, unit, "min")
	if err != nil || minutes < 1 {
		return v
	}
	step := 1.0
	for _, wide := range []float64{10, 60} {
		if h, err := quantity.Convert(half, unit, "min"); err == nil && h >= wide && minutes >= wide {
			step = wide
		}
	}
	if back, err := quantity.Convert(math.Round(minutes/step)*step, "min", unit); err == nil {
		return back
	}
	return v
}

// PerCent writes per cent as far as their interval lets them be told: whole ones from 3 on, never a digit beyond the
// first of the interval's half-width.
func PerCent(v, lo, hi float64) string { return plain(v, lo, hi) + " %" }

// coarse is the step to which a difference with a wide interval is told: the first digit of its half-width; 0 where
// whole numbers are not too fine.
func coarse(v, lo, hi float64) float64 {
	half := (hi - lo) / 2
	step := math.Pow(10, math.Floor(math.Log10(half)))
	if half < 10 || math.Abs(v) < step || math.IsInf(step, 0) {
		return 0
	}
	return step
}

// decimals are those of per cent or points with an interval.
func decimals(v, lo, hi float64) int {
	if math.Abs(v) >= 3 || (hi-lo)/2 >= 1 {
		return 0
	}
	return 1
}

func plain(v, lo, hi float64) string { return written(v, lo, hi, decimals(v, lo, hi)) }

// written writes a difference with so many decimals, and with fewer digits where its interval is wide.
func written(v, lo, hi float64, decimals int) string {
	if step := coarse(v, lo, hi); step > 0 {
		v = math.Round(v/step) * step
	}
	text := quantity.Fixed(v, decimals)
	if text = strings.TrimSuffix(text, ".0"); text == "0" && v > 0 {
		return quantity.Number(v, 1)
	}
	return text
}

// Spread says several differences as one: "36 to 44 %", "18 %" where they are all one number.
func Spread(of []Difference) string {
	var lo, hi, times float64
	for i, d := range of {
		v, _, _ := d.size()
		times = math.Max(times, d.Value)
		if i == 0 || v < lo {
			lo = v
		}
		hi = math.Max(hi, v)
	}
	if times >= 200 {
		return "up to " + Times(times/100) + " times"
	}
	a, b := plain(lo, lo, lo), plain(hi, hi, hi)
	if lo >= 3 || hi >= 10 {
		a, b = quantity.Fixed(lo, 0), quantity.Fixed(hi, 0)
	}
	if a == b {
		return a + " %"
	}
	return a + " to " + b + " %"
}

var ones = []string{"none", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten", "eleven",
	"twelve"}

// Count writes a small number as a word.
func Count(n int) string {
	if n >= 0 && n < len(ones) {
		return ones[n]
	}
	return fmt.Sprint(n)
}

// Things writes a number with its noun: "1 run", "2 runs", "0 runs".
func Things(n int, noun string) string {
	if n != 1 {
		noun += "s"
	}
	return fmt.Sprint(n, " ", noun)
}

// All says "both" of two, "all nine" of more.
func All(n int) string {
	switch n {
	case 1:
		return "the one"
	case 2:
		return "both"
	}
	return "all " + Count(n)
}

// Ordinal gives first, second, … for small places and 13th, 21st beyond.
func Ordinal(n int) string {
	words := []string{"", "first", "second", "third", "fourth", "fifth", "sixth", "seventh", "eighth", "ninth", "tenth",
		"eleventh", "twelfth"}
	if n > 0 && n < len(words) {
		return words[n]
	}
	suffix := "th"
	if t := n % 100; t < 11 || t > 13 {
		switch n % 10 {
		case 1:
			suffix = "st"
		case 2:
			suffix = "nd"
		case 3:
			suffix = "rd"
		}
	}
	return fmt.Sprint(n) + suffix
}

// Place says where one stands among so many: "third of 12", "third to sixth of 12", "second to last of 31"; of a range
// wider than a third of the field only that it is in the middle, where both ends are surely beaten; else nothing.
func Place(best, worst, of int) string {
	switch {
	case best < 1 || of < 2:
		return ""
	case best == worst && best == of:
		return fmt.Sprintf("last of %d", of)
	case best == worst && best == of-1 && of > 4:
		return fmt.Sprintf("second to last of %d", of)
	case best == worst:
		return fmt.Sprintf("%s of %d", Ordinal(best), of)
	case 3*(worst-best+1) <= of || worst-best == 1 && of > 3:
		return fmt.Sprintf("%s to %s of %d", Ordinal(best), Ordinal(worst), of)
	case best > 1 && worst < of:
		return fmt.Sprintf("in the middle of %d", of)
	}
	return ""
}

// Sentence gives a text a capital letter and a full stop.
func Sentence(s string) string {
	s = strings.TrimSpace(s)
	if s == "" {
		return s
	}
	s = Capital(s)
	if !strings.ContainsAny(s[len(s)-1:], ".!?") {
		s += "."
	}
	return s
}

// Capital gives a text a capital letter.
func Capital(s string) string {
	if s != "" && s[0] >= 'a' && s[0] <= 'z' {
		return string(s[0]-'a'+'A') + s[1:]
	}
	return s
}

// List joins words: "a", "a and b", "a, b and c".
func List[W ~string](words []W) string {
	var out string
	for i, w := range words {
		switch {
		case i > 0 && i == len(words)-1:
			out += " and "
		case i > 0:
			out += ", "
		}
		out += string(w)
	}
	return out
}
