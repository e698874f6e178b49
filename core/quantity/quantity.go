// Package quantity knows the units, scales and directions that figures are given in. It parses what a
// person writes ("20 Gbit/s", "1.4 kg"), converts between units of one dimension, and prints values
// with their SI symbol. It holds no measurement of its own and never guesses a unit.
package quantity

import (
	"errors"
	"fmt"
	"math"
	"regexp"
	"sort"
	"strconv"
	"strings"
)

// Unit is one unit of measure: its UCUM code (used in data), its symbol (used on screens), its
// dimension, and its size in the dimension's base unit.
type Unit struct {
	Code      string  `json:"code"`
	Symbol    string  `json:"symbol"`
	Dimension string  `json:"dimension"`
	Factor    float64 `json:"factor"`
	also      []string
}

// Largest is the largest size of a value that is taken in, in any unit: with it no square, product or conversion
// overflows. Smallest is the smallest that is not zero, for values that are divided by or whose logarithm is taken.
const (
	Largest  = 1e18
	Smallest = 1e-18
)

// Sound tells whether a value is a number that can be worked with.
func Sound(v float64) bool { return math.Abs(v) <= Largest }

// ErrUnit marks an unknown or unfit unit.
var ErrUnit = errors.New("unit")

// units is the table of every unit that Durvek reads; codes follow UCUM (https://ucum.org), with
// curly-brace annotations for counted things as UCUM section 2.3 has it.
var units = []Unit{
	{"By", "B", "data", 1, nil},
	{"kBy", "kB", "data", 1e3, nil},
	{"MBy", "MB", "data", 1e6, nil},
	{"GBy", "GB", "data", 1e9, nil},
	{"TBy", "TB", "data", 1e12, nil},
	{"KiBy", "KiB", "data", 1 << 10, nil},
	{"MiBy", "MiB", "data", 1 << 20, nil},
	{"GiBy", "GiB", "data", 1 << 30, nil},
	{"TiBy", "TiB", "data", 1 << 40, nil},
	{"By/s", "B/s", "data rate", 1, nil},
	{"kBy/s", "kB/s", "data rate", 1e3, nil},
	{"MBy/s", "MB/s", "data rate", 1e6, nil},
	{"GBy/s", "GB/s", "data rate", 1e9, nil},
	{"KiBy/s", "KiB/s", "data rate", 1 << 10, nil},
	{"MiBy/s", "MiB/s", "data rate", 1 << 20, nil},
	{"GiBy/s", "GiB/s", "data rate", 1 << 30, nil},
	{"TBy/s", "TB/s", "data rate", 1e12, nil},
	{"kbit/s", "kbit/s", "data rate", 1e3 / 8, []string{"kb/s", "kbps"}},
	{"Mbit/s", "Mbit/s", "data rate", 1e6 / 8, []string{"Mb/s", "Mbps"}},
	{"Gbit/s", "Gbit/s", "data rate", 1e9 / 8, []string{"Gb/s", "Gbps"}},
	{"Tbit/s", "Tbit/s", "data rate", 1e12 / 8, []string{"Tb/s", "Tbps"}},
	{"ns", "ns", "time", 1e-9, nil},
	{"us", "µs", "time", 1e-6, []string{"μs"}},
	{"ms", "ms", "time", 1e-3, nil},
	{"s", "s", "time", 1, nil},
	{"min", "min", "time", 60, nil},
	{"h", "h", "time", 3600, nil},
	{"d", "d", "time", 86400, nil},
	{"/s", "/s", "rate", 1, []string{"1/s", "IOPS"}},
	{"10*3/s", "k/s", "rate", 1e3, []string{"kIOPS"}},
	{"/min", "/min", "rate", 1.0 / 60, []string{"1/min"}},
	{"/h", "/h", "rate", 1.0 / 3600, []string{"1/h"}},
	{"{sample}/us", "Msamples/s", "sample rate", 1, nil},
	{"{flop}/ns", "GFLOP/s", "arithmetic rate", 1, nil},
	{"{flop}/ps", "TFLOP/s", "arithmetic rate", 1e3, nil},
	{"{operation}/ns", "Goperations/s", "operation rate", 1, nil},
	{"{pixel}/us", "Mpixels/s", "pixel rate", 1, nil},
	{"{texel}/us", "Mtexels/s", "texel rate", 1, nil},
	{"{triangle}/us", "Mtriangles/s", "triangle rate", 1, nil},
	{"{cell}/us", "Mcells/s", "cell rate", 1, nil},
	{"{message}/s", "messages/s", "message rate", 1, nil},
	{"{prediction}/s", "predictions/s", "prediction rate", 1, nil},
	{"{node}/s", "nodes/s", "node rate", 1, nil},
	{"{ray}/s", "rays/s", "ray rate", 1, nil},
	{"{picture}/s", "pictures/s", "picture rate", 1, nil},
	{"{picture}/min", "pictures/min", "picture rate", 1.0 / 60, nil},
	{"{page}/min", "pages/min", "page rate", 1.0 / 60, nil},
	{"{document}/min", "documents/min", "document rate", 1.0 / 60, nil},
	{"{transaction}/s", "transactions/s", "transaction rate", 1, nil},
	{"{file}/s", "files/s", "file rate", 1, nil},
	{"{frame}/s", "frames/s", "frame rate", 1, []string{"fps"}},
	{"mW", "mW", "power", 1e-3, nil},
	{"W", "W", "power", 1, nil},
	{"W.h", "Wh", "energy", 3600, nil},
	{"kW.h", "kWh", "energy", 3.6e6, nil},
	{"J", "J", "energy", 1, nil},
	{"mA.h", "mAh", "charge", 3.6, nil},
	{"A.h", "Ah", "charge", 3600, nil},
	{"V", "V", "voltage", 1, nil},
	{"A", "A", "current", 1, nil},
	{"g", "g", "mass", 1e-3, nil},
	{"kg", "kg", "mass", 1, nil},
	{"[lb_av]", "lb", "mass", 0.45359237, nil},
	{"[oz_av]", "oz", "mass", 0.028349523125, nil},
	{"mm", "mm", "length", 1e-3, nil},
	{"cm", "cm", "length", 1e-2, nil},
	{"m", "m", "length", 1, nil},
	{"[in_i]", "in", "length", 0.0254, []string{"inch", "″"}},
	{"Hz", "Hz", "frequency", 1, nil},
	{"kHz", "kHz", "frequency", 1e3, nil},
	{"MHz", "MHz", "frequency", 1e6, nil},
	{"GHz", "GHz", "frequency", 1e9, nil},
	{"{transfer}/us", "MT/s", "transfer rate", 1, nil},
	{"cd/m2", "cd/m²", "luminance", 1, []string{"nit", "nits"}},
	{"lx", "lx", "illuminance", 1, nil},
	{"Cel", "°C", "temperature", 1, []string{"degC"}},
	{"[degF]", "°F", "temperature", 5. / 9, []string{"degF"}},
	{"K", "K", "temperature difference", 1, nil},
	{"{rotation}/min", "rpm", "rotation rate", 1, nil},
	{"deg", "°", "angle", 1, nil},
	{"dB[A]", "dB(A)", "sound level", 1, []string{"dBA"}},
	{"dB", "dB", "level difference", 1, nil},
	{"%", "%", "share", 0.01, nil},
	{"1", "", "number", 1, nil},
	{"{core}", "cores", "cores", 1, []string{"core"}},
	{"{job}", "jobs", "jobs", 1, []string{"job"}},
	{"{round}", "rounds", "rounds", 1, []string{"round"}},
	{"{thread}", "threads", "threads", 1, []string{"thread"}},
	{"{pixel}", "px", "pixels", 1, nil},
	{"{screen}", "screens", "screens", 1, []string{"screen"}},
	{"{frame}", "frames", "frames", 1, []string{"frame"}},
	{"{action}", "actions", "actions", 1, []string{"action"}},
	{"min/(W.h)", "min/Wh", "time per energy", 1, nil},
	{"{Mpixel}", "Mpx", "pixels", 1e6, nil},
}

var byName = func() map[string]Unit {
	m := map[string]Unit{}
	for _, u := range units {
		for _, n := range append([]string{u.Code, u.Symbol}, u.also...) {
			if _, taken := m[n]; taken && n != u.Code && n != u.Symbol {
				panic("quantity: unit name " + n + " stands twice")
			}
			m[n] = u
		}
	}
	return m
}()

// Units lists every known unit in the table's order.
func Units() []Unit { return append([]Unit(nil), units...) }

// LookUp finds a unit by UCUM code, symbol or a customary spelling. The error wraps ErrUnit and
// names the closest known units of the same beginning.
func LookUp(name string) (Unit, error) {
	if u, ok := byName[strings.TrimSpace(name)]; ok {
		return u, nil
	}
	if u, ok := quotient(strings.TrimSpace(name)); ok {
		return u, nil
	}
	var near []string
	for n := range byName {
		if n != "" && name != "" && strings.EqualFold(n, name) {
			near = append(near, n)
		}
	}
	sort.Strings(near)
	if len(near) > 0 {
		return Unit{}, fmt.Errorf("unknown %w %q; did you mean %s?", ErrUnit, name, strings.Join(near, " or "))
	}
	return Unit{}, fmt.Errorf("unknown %w %q; the vocabulary lists the known ones", ErrUnit, name)
}

// Convert turns value from one unit into another of the same dimension. The error wraps ErrUnit.
func Convert(value float64, from, to string) (float64, error) {
	a, err := LookUp(from)
	if err != nil {
		return 0, err
	}
	b, err := LookUp(to)
	if err != nil {
		return 0, err
	}
	if a.Dimension != b.Dimension {
		return 0, fmt.Errorf("%w %s stands for %s and cannot be turned into %s, which stands for %s", ErrUnit, a.Symbol,
			a.Dimension, b.Symbol, b.Dimension)
	}
	if a.Code == b.Code {
		return value, nil
	}
	return (value*a.Factor + zeros[a.Code] - zeros[b.Code]) / b.Factor, nil
}

// zeros says where a unit's zero lies in its dimension's base unit, for those that do not share it.
var zeros = map[string]float64{"[degF]": -160. / 9}

// Quantity is a value with its unit.
type Quantity struct {
	Value float64 `json:"value"`
	Unit  string  `json:"unit"` // UCUM code
}

// spanForm is a length of time in parts: "2 min 14 s", "9 h 12 min", "7h40".
var (
	spanForm  = regexp.MustCompile(`^(\d+ ?(?:d|h|min|m|s) ?)+(\d+(?:\.\d+)? ?(?:h|min|m|s|ms)?)$`)
	spanParts = regexp.MustCompile(`(\d+(?:\.\d+)?) ?(d|h|min|ms|m|s)?`)
	clockForm = regexp.MustCompile(`^(\d+):([0-5]?\d)(?::([0-5]?\d(?:\.\d+)?))?$`)
)

// span reads a length of time that is written in parts, the largest first, as seconds. A last part without a unit
// counts in the next smaller one.
func span(s string) (seconds float64, ok bool) {
	if !spanForm.MatchString(s) {
		return 0, false
	}
	size := map[string]float64{"d": 86400, "h": 3600, "min": 60, "m": 60, "s": 1, "ms": 1e-3}
	next := map[float64]float64{86400: 3600, 3600: 60, 60: 1, 1: 1e-3}
	before := math.Inf(1)
	for _, p := range spanParts.FindAllStringSubmatch(s, -1) {
		v, err := strconv.ParseFloat(p[1], 64)
		unit := size[p[2]]
		if p[2] == "" {
			unit = next[before]
		}
		if err != nil || unit == 0 || unit >= before {
			return 0, false
		}
		seconds, before = seconds+v*unit, unit
	}
	return seconds, true
}

// Clock reads "2:14" and "1:02:03" as seconds: minutes and seconds, or hours and minutes where in is hours.
func Clock(s, in string) (Quantity, bool) {
	m := clockForm.FindStringSubmatch(strings.TrimSpace(s))
	if m == nil {
		return Quantity{}, false
	}
	part := func(i int) float64 { v, _ := strconv.ParseFloat(m[i], 64); return v }
	switch {
	case m[3] != "":
		return Quantity{3600*part(1) + 60*part(2) + part(3), "s"}, true
	case in == "h":
		return Quantity{3600*part(1) + 60*part(2), "s"}, true
	}
	return Quantity{60*part(1) + part(2), "s"}, true
}

// Parse reads "16 GiB", "1.4kg", "85 %", "2 min 14 s" or a bare number. Thousands may be set apart by a narrow or
// plain space or an underscore; a decimal comma is refused, because "1,400" would be ambiguous.
func Parse(s string) (Quantity, error) {
	t := strings.TrimSpace(s)
	if v, ok := span(t); ok {
		return Quantity{v, "s"}, nil
	}
	end := 0
	for end < len(t) && strings.IndexByte("0123456789.+-_eE", t[end]) >= 0 {
		if (t[end] == 'e' || t[end] == 'E') && (end+1 >= len(t) || strings.IndexByte("0123456789+-", t[end+1]) < 0) {
			break
		}
		end++
	}
	// "12 400 MB/s": digits in groups of three after a space belong to the number.
	for end+4 <= len(t) && t[end] == ' ' && digits(t[end+1:end+4]) && (end+4 == len(t) || t[end+4] == ' ' ||
		t[end+4] == '.') {
		end += 4
	}
	number := strings.NewReplacer("_", "", " ", "").Replace(t[:end])
	rest := strings.TrimSpace(t[end:])
	if strings.HasPrefix(rest, ",") {
		return Quantity{}, fmt.Errorf("%q: write the number with a decimal point and no comma", s)
	}
	v, err := strconv.ParseFloat(number, 64)
	if errors.Is(err, strconv.ErrRange) || err == nil && !Sound(v) {
		return Quantity{}, fmt.Errorf("%q is a number beyond all measure; at most %g is worked with", s, float64(Largest))
	}
	if err != nil {
		return Quantity{}, fmt.Errorf("%q does not start with a number", s)
	}
	if rest == "" {
		return Quantity{v, "1"}, nil
	}
	u, err := LookUp(rest)
	if err != nil {
		return Quantity{}, fmt.Errorf("%q: %w", s, err)
	}
	return Quantity{v, u.Code}, nil
}

func digits(s string) bool {
	return strings.Trim(s, "0123456789") == ""
}

// In returns the quantity's value in another unit of its dimension.
func (q Quantity) In(unit string) (float64, error) { return Convert(q.Value, q.Unit, unit) }

// Symbol returns the symbol of a UCUM code, or the code itself if it is unknown.
func Symbol(code string) string {
	if u, ok := byName[code]; ok {
		return u.Symbol
	}
	if u, ok := quotient(code); ok {
		return u.Symbol
	}
	return code
}

// Format prints a value with its unit's symbol, to four significant digits, thousands set apart; times of two minutes
// and more in hours, minutes and seconds.
func Format(v float64, unit string) string {
	if w := WritingFor(unit, [3]float64{v, v, v}); w.Spans() {
		return w.Value(v)
	}
	s := Number(v, 4)
	if sym := Symbol(unit); sym != "" {
		return s + " " + sym
	}
	return s
}

// Number prints v with the given count of significant digits, but never drops digits before the
// decimal point; groups of three are set apart by a comma from 10,000 on.
func Number(v float64, significant int) string {
	if math.IsNaN(v) || math.IsInf(v, 0) {
		return "—"
	}
	if v == 0 {
		return "0"
	}
	// The size counts after rounding: 0.99999 with four digits is 1.000.
	_, size, _ := strings.Cut(strconv.FormatFloat(v, 'e', significant-1, 64), "e")
	power, _ := strconv.Atoi(size) // it is what was written
	decimals := significant - 1 - power
	return Fixed(v, min(max(decimals, 0), 9))
}

// Plain prints a value as it was given, without padding zeros, and its unit's symbol.
func Plain(v float64, unit string) string {
	text := strconv.FormatFloat(v, 'f', -1, 64)
	_, frac, _ := strings.Cut(text, ".")
	text = Fixed(v, len(frac))
	if sym := Symbol(unit); sym != "" {
		return text + " " + sym
	}
	return text
}

// Given prints a value as somebody gave it, 900 as 900, or to four digits where conversion left it more than that.
func Given(v float64, unit string) string {
	digits, _, _ := strings.Cut(strconv.FormatFloat(math.Abs(v), 'e', -1, 64), "e")
	if len(strings.Replace(digits, ".", "", 1)) > 5 {
		return Format(v, unit)
	}
	return Plain(v, unit)
}

// Fixed prints v with exactly the given number of decimals, and grouped thousands from 10,000 on.
func Fixed(v float64, decimals int) string {
	s := strconv.FormatFloat(v, 'f', decimals, 64)
	whole, frac, _ := strings.Cut(s, ".")
	sign := ""
	if strings.HasPrefix(whole, "-") {
		sign, whole = "−", whole[1:]
		if strings.Trim(s, "-0.") == "" { // it rounds to nothing
			sign = ""
		}
	}
	if len(whole) > 4 {
		for i := len(whole) - 3; i > 0; i -= 3 {
			whole = whole[:i] + "," + whole[i:]
		}
	}
	if frac != "" {
		return sign + whole + "." + frac
	}
	return sign + whole
}

// Signed prints a difference with so many decimals and its sign, a true minus.
func Signed(v float64, decimals int) string {
	s := Fixed(v, decimals)
	if v < 0 {
		return s
	}
	return "+" + s
}

// Code is the UCUM code of a unit that is given by code, symbol or name; the name itself, and ErrUnit, where none is
// known.
func Code(name string) (string, error) {
	u, err := LookUp(name)
	if err != nil {
		return name, fmt.Errorf("unit: %w", err)
	}
	return u.Code, nil
}
