package record

import (
	"math"
	"strings"
)

// Trace is what a machine's sensors said while a run went on, all channels on one clock. Times are
// seconds from the run's start, rising; Values holds a column per channel, as long as Times, with NaN
// where a channel said nothing.
type Trace struct {
	Channels []Channel
	Times    []float64
	Values   [][]float64
}

// Channel is one quantity of a trace.
type Channel struct {
	Name     string `json:"name"`
	Unit     string `json:"unit" doc:"UCUM code"`
	Decimals int    `json:"decimals" doc:"Decimal places that are kept"`
	Meaning  string `json:"meaning,omitempty"`
}

// ChannelVocabulary lists the channels that machines tell, most telling first. A chip beside the first has
// "-2", "-3" after its channels' names; the workload's own rate is "rate." with the measure's name.
var ChannelVocabulary = []Channel{
	{"temperature.package", "Cel", 1, "Processor, hottest point"},
	{"temperature.drive", "Cel", 0, "Measured drive"},
	{"temperature.graphics", "Cel", 1, "Graphics chip"},
	{"temperature.ambient", "Cel", 1, "Room"},
	{"temperature.board", "Cel", 1, "Board or case"},
	{"temperature.case", "Cel", 1, "Case from outside, by an instrument"},
	{"power.package", "W", 2, "Processor with what sits on it"},
	{"power.battery", "W", 2, "Drawn from the battery"},
	{"power.wall", "W", 2, "Drawn from the wall, by an instrument"},
	{"voltage.wall", "V", 1, "Voltage of the wall, by an instrument"},
	{"power.graphics", "W", 2, "Graphics chip"},
	{"clock.mean", "MHz", 0, "Mean over logical processors"},
	{"clock.highest", "MHz", 0, "Fastest logical processor"},
	{"clock.graphics", "MHz", 0, "Graphics chip"},
	{"load.processor", "%", 1, "Share of all logical processors that is busy"},
	{"load.busiest", "%", 1, "Busiest logical processor"},
	{"load.graphics", "%", 1, "Graphics chip"},
	{"load.drive", "%", 1, "Share of the time that the measured drive is busy"},
	{"memory.used", "MiBy", 0, "Memory in use"},
	{"memory.graphics", "MiBy", 0, "Memory of the graphics chip in use"},
	{"throughput.read", "MBy/s", 1, "Read from the measured drive"},
	{"throughput.write", "MBy/s", 1, "Written to the measured drive"},
	{"fan.speed", "/min", 0, "Fastest fan"},
	{"battery.charge", "%", 1, "Charge left"},
	{"noise", "dB[A]", 1, "Sound level"},
	{"luminance", "cd/m2", 1, "Screen, by an instrument"},
}

// ChannelOf finds a channel of the vocabulary, also one of a further chip.
func ChannelOf(name string) (Channel, bool) {
	base := name
	if i := strings.LastIndexByte(name, '-'); i > 0 {
		base = name[:i]
	}
	for _, c := range ChannelVocabulary {
		if c.Name == name || c.Name == base {
			c.Name = name
			return c, true
		}
	}
	return Channel{Name: name, Unit: "1", Decimals: 3}, false
}

// Column finds a channel's values; nil if there is none.
func (t *Trace) Column(name string) []float64 {
	for i, c := range t.Channels {
		if c.Name == name {
			return t.Values[i]
		}
	}
	return nil
}

// Add takes in one moment. Channels that were not there before say nothing until then. A moment that
// does not lie after the last one is left out.
func (t *Trace) Add(at float64, values map[string]float64, units map[string]string) {
	if n := len(t.Times); n > 0 && at <= t.Times[n-1] || len(values) == 0 {
		return
	}
	t.Times = append(t.Times, at)
	for i := range t.Values {
		t.Values[i] = append(t.Values[i], math.NaN())
	}
	n := len(t.Times) - 1
	for _, name := range channelOrder(values) {
		i := -1
		for k, c := range t.Channels {
			if c.Name == name {
				i = k
			}
		}
		if i < 0 {
			c, known := ChannelOf(name)
			if u := units[name]; !known && u != "" {
				c.Unit, c.Decimals = u, decimals(values[name])
			}
			i = len(t.Channels)
			column := make([]float64, n+1)
			for k := range column {
				column[k] = math.NaN()
			}
			t.Channels, t.Values = append(t.Channels, c), append(t.Values, column)
		}
		t.Values[i][n] = values[name]
	}
}

// decimals keeps about five digits of a value.
func decimals(v float64) int {
	if v == 0 || math.IsNaN(v) || math.IsInf(v, 0) {
		return 3
	}
	return min(max(4-int(math.Floor(math.Log10(math.Abs(v)))), 0), 9)
}

func channelOrder(values map[string]float64) []string {
	var out []string
	for _, c := range ChannelVocabulary {
		if _, ok := values[c.Name]; ok {
			out = append(out, c.Name)
		}
	}
	var rest []string
	for k := range values {
		known := false
		for _, c := range ChannelVocabulary {
			known = known || c.Name == k
		}
		if !known {
			rest = append(rest, k)
		}
	}
	for i := range rest { // few and short: by insertion
		for j := i; j > 0 && rest[j] < rest[j-1]; j-- {
			rest[j], rest[j-1] = rest[j-1], rest[j]
		}
	}
	return append(out, rest...)
}

// Slice is the part of a trace between two samples.
func (t *Trace) Slice(from, to int) Trace {
	out := Trace{Channels: t.Channels, Times: t.Times[from:to]}
	for _, v := range t.Values {
		out.Values = append(out.Values, v[from:to])
	}
	return out
}

// Join puts a later trace behind this one; what overlaps is left out.
func (t *Trace) Join(later Trace) {
	units := map[string]string{}
	for _, c := range later.Channels {
		units[c.Name] = c.Unit
	}
	for i, at := range later.Times {
		values := map[string]float64{}
		for k, c := range later.Channels {
			if v := later.Values[k][i]; !math.IsNaN(v) {
				values[c.Name] = v
			}
		}
		t.Add(at, values, units)
	}
}

// Series gives each channel as a series of its own, without the moments at which it said nothing.
func (t *Trace) Series() []Series {
	out := make([]Series, 0, len(t.Channels))
	for k, c := range t.Channels {
		s := Series{Channel: c.Name, Unit: c.Unit, Times: []float64{}, Values: []float64{}}
		for i, v := range t.Values[k] {
			if !math.IsNaN(v) {
				s.Times, s.Values = append(s.Times, t.Times[i]), append(s.Values, v)
			}
		}
		out = append(out, s)
	}
	return out
}

// Append puts a trace behind this one as it is: with the same channels in the same order column by
// column, otherwise moment by moment.
func (t *Trace) Append(later Trace) {
	same := len(t.Channels) == len(later.Channels)
	for i := 0; same && i < len(t.Channels); i++ {
		same = t.Channels[i].Name == later.Channels[i].Name
	}
	if n := len(t.Times); !same || n > 0 && len(later.Times) > 0 && later.Times[0] <= t.Times[n-1] {
		t.Join(later)
		return
	}
	t.Times = append(t.Times, later.Times...)
	for i := range t.Values {
		t.Values[i] = append(t.Values[i], later.Values[i]...)
	}
}
