package trust

import (
	"fmt"
	"math"
	"slices"
	"time"

	"durvek/core/method"
	"durvek/core/stats"
)

// Moment is what one sitting said of a measure.
type Moment struct {
	Sitting    string            `json:"sitting"`
	At         time.Time         `json:"at"`
	Runs       []string          `json:"runs"`
	N          int               `json:"n"`
	Centre     float64           `json:"centre"`
	Lo         float64           `json:"lo"`
	Hi         float64           `json:"hi"`
	Conditions map[string]string `json:"conditions" doc:"As observed in its first run, with the links and parts"`
	Values     []float64         `json:"values"`
}

// Shift is a lasting change of level.
type Shift struct {
	At      int          `json:"at" doc:"The moment from which the new level holds, from 0"`
	From    float64      `json:"from" doc:"Level before"`
	To      float64      `json:"to" doc:"Level since"`
	Text    string       `json:"text"`
	Changed []Difference `json:"changed" doc:"What was observed otherwise on its two sides"`
}

// History is how a measure of one unit went over time.
type History struct {
	Moments  []Moment `json:"moments"`
	Levels   []Level  `json:"levels"`
	Shifts   []Shift  `json:"shifts"`
	Sentence string   `json:"sentence"`
}

// Level is a stretch of moments between two shifts.
type Level struct {
	From   int     `json:"from"`
	To     int     `json:"to" doc:"Its last moment"`
	Centre float64 `json:"centre"`
}

// shiftPenalty is what a change of level must gain, in squared standard errors (stats.Shifts).
const shiftPenalty = 12

// volatile are conditions that differ from run to run without meaning anything by themselves.
var volatile = []string{"battery.charge", "load.background", "throttled", "clock.highest", "ambient"}

// Volatile tells whether a condition differs from run to run by its nature.
func Volatile(key string) bool { return slices.Contains(volatile, key) }

// HistoryOf finds the lasting changes of a measure over a unit's sittings, in order of time, and what was observed
// otherwise since. What sittings differ by without a change is the pool's between-sitting component, or, from five
// sittings on, what the differences of neighbours say (a median, which single shifts do not move), whichever is
// smaller.
func HistoryOf(m method.Measure, moments []Moment, pool stats.Pool) History {
	h := History{Moments: moments, Levels: []Level{}, Shifts: []Shift{}}
	n := len(moments)
	if n == 0 {
		h.Sentence = "Nothing was measured yet."
		return h
	}
	log := m.Scale.Logarithmic()
	means, noise := make([]float64, n), make([]float64, n)
	sr, df := pool.Held(stats.Cell{Median: moments[0].Values[0]})
	for i := range moments {
		x := &moments[i]
		sum := 0.0
		for _, v := range x.Values {
			if log {
				v = math.Log(v)
			}
			sum += v
		}
		x.N = len(x.Values)
		means[i] = sum / float64(x.N)
		noise[i] = math.Max(sr*sr/float64(x.N), 1e-12)
		half := 0.0
		if df > 0 {
			half = stats.Quick(0.975, df) * sr / math.Sqrt(float64(x.N))
		}
		x.Centre, x.Lo, x.Hi = natural(m, means[i]), natural(m, means[i]-half), natural(m, means[i]+half)
	}
	between := pool.Between * pool.Between
	if n >= 5 {
		var squared []float64
		for i := 1; i < n; i++ {
			squared = append(squared, (means[i]-means[i-1])*(means[i]-means[i-1]))
		}
		// 0.4549 is the median of χ² with one degree of freedom
		between = math.Max(0, stats.Quantile(squared, 0.5)/(2*0.4549)-stats.Average(noise))
		if pool.Sittings > 0 {
			between = math.Min(between, pool.Between*pool.Between)
		}
	}
	for i := range noise {
		noise[i] += between
	}
	begins := stats.Shifts(means, noise, shiftPenalty)
	for i, from := range begins {
		to := n
		if i+1 < len(begins) {
			to = begins[i+1]
		}
		var w, wx float64
		for k := from; k < to; k++ {
			w, wx = w+1/noise[k], wx+means[k]/noise[k]
		}
		h.Levels = append(h.Levels, Level{from, to - 1, natural(m, wx/w)})
		if i == 0 {
			continue
		}
		before, now := h.Levels[i-1].Centre, h.Levels[i].Centre
		d := now - before
		if log {
			d = math.Log(now / before)
		}
		s := Shift{At: from, From: before, To: now, Changed: observedOtherwise(moments[from-1].Conditions,
			moments[from].Conditions)}
		s.Text = fmt.Sprintf("Since %s: %s", moments[from].At.Format("2006-01-02"), apart(m, d).Phrase())
		if len(s.Changed) > 0 {
			s.Text += ", with " + Sentence(s.Changed)
		} else {
			s.Text += ", with nothing else that was observed otherwise"
		}
		h.Shifts = append(h.Shifts, s)
	}
	switch {
	case n == 1:
		h.Sentence = "Measured in one sitting so far."
	case len(h.Shifts) == 0:
		h.Sentence = fmt.Sprintf("No lasting change over %d sittings from %s to %s.", n, moments[0].At.Format("2006-01-02"),
			moments[n-1].At.Format("2006-01-02"))
	case len(h.Shifts) == 1:
		h.Sentence = h.Shifts[0].Text + "."
	default:
		h.Sentence = fmt.Sprintf("%d lasting changes over %d sittings.", len(h.Shifts), n)
	}
	return h
}

// observedOtherwise lists the conditions that differ, without those that differ by their nature.
func observedOtherwise(a, b map[string]string) []Difference {
	out := []Difference{}
	for _, k := range sortedKeys(b) {
		if a[k] != "" && b[k] != "" && a[k] != b[k] && !Volatile(k) {
			out = append(out, Difference{k, a[k], b[k]})
		}
	}
	return out
}
