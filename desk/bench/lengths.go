package bench

import (
	"sync"

	"durvek/core/stats"
)

// lengths remembers how long runs took, by test and unit, the latest few of each.
type lengths struct {
	mu   sync.Mutex
	took map[string]map[string][]float64
}

// mostLengths is how many runs of a test on a unit are remembered.
const mostLengths = 9

func (l *lengths) add(test, unit string, seconds float64) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.took == nil {
		l.took = map[string]map[string][]float64{}
	}
	if l.took[test] == nil {
		l.took[test] = map[string][]float64{}
	}
	xs := append(l.took[test][unit], seconds)
	l.took[test][unit] = xs[max(0, len(xs)-mostLengths):]
}

// of gives the middle of what one run of each test took on a unit, or on any where it never ran.
func (l *lengths) of(unit string, tests []string) map[string]float64 {
	l.mu.Lock()
	defer l.mu.Unlock()
	out := map[string]float64{}
	for _, t := range tests {
		xs := l.took[t][unit]
		if len(xs) == 0 {
			for _, other := range l.took[t] {
				xs = append(xs, other...)
			}
		}
		if s := stats.Quantile(xs, 0.5); len(xs) > 0 && s > 0 {
			out[t] = s
		}
	}
	return out
}
