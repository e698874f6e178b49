package analyse

import "durvek/core/record"

// Thin gives at most points samples of a series for display. Every stretch keeps its first, lowest, highest
// and last sample in order, so that no peak is lost. A series that is short enough comes back as it is.
func Thin(s record.Series, points int) record.Series {
	n := len(s.Values)
	if n <= points || points < 4 {
		return s
	}
	out := s
	stretches := points / 4
	out.Times, out.Values = make([]float64, 0, points), make([]float64, 0, points)
	for k := range stretches {
		from, to := k*n/stretches, (k+1)*n/stretches
		low, high := from, from
		for i := from; i < to; i++ {
			if s.Values[i] < s.Values[low] {
				low = i
			}
			if s.Values[i] > s.Values[high] {
				high = i
			}
		}
		last := -1
		for _, i := range []int{from, min(low, high), max(low, high), to - 1} {
			if i > last {
				out.Times, out.Values = append(out.Times, s.Times[i]), append(out.Values, s.Values[i])
				last = i
			}
		}
	}
	return out
}

// Between is the part of a series between two moments; to 0 means the end.
func Between(s record.Series, from, to float64) record.Series {
	a, b := 0, len(s.Times)
	for a < b && s.Times[a] < from {
		a++
	}
	for b > a && to > 0 && s.Times[b-1] > to {
		b--
	}
	s.Times, s.Values = s.Times[a:b], s.Values[a:b]
	return s
}
