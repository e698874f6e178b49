package trust

import (
	"math"

	"durvek/core/stats"
)

// leastShared is the share of the subject's other figures that a kin must have, too.
const leastShared = 0.5

// KinOf fits ln y(v,m) = variant(v) + measure(m) + residual to the kin of a subject, in one group of measures, and
// tells what that lets expect of the subject's figure number target, without looking at that figure. own holds the
// subject's figures and each row of kin another variant's, as logarithms, in the same order of measures; what is
// missing is NaN. A variant's effect comes from its figures other than the one in question, so the kin's residuals
// scatter as the subject's would. Their variance is pooled with those of the group's other measures (stats.Moderated).
// It returns a zero Kin where fewer than three variants have the figure.
func KinOf(own []float64, kin [][]float64, target int) Kin {
	var shared []int // measures that the subject has beside the target
	for m, y := range own {
		if m != target && !math.IsNaN(y) {
			shared = append(shared, m)
		}
	}
	if len(shared) == 0 { // without other figures, all that is known is how the kin lie
		var ys []float64
		for _, row := range kin {
			if !math.IsNaN(row[target]) {
				ys = append(ys, row[target])
			}
		}
		k := float64(len(ys))
		if k < 3 {
			return Kin{}
		}
		sd := math.Sqrt(squares(ys) / (k - 1))
		out := Kin{N: len(ys), Expected: stats.Average(ys), SD: sd, DF: k - 1, SE: sd / math.Sqrt(k), Values: ys}
		for _, y := range ys {
			out.Largest = math.Max(out.Largest, math.Abs(y-out.Expected))
		}
		return out
	}
	columns := append([]int{target}, shared...)
	effect := effects(kin, columns)
	var variances, dfs []float64
	out, largest := Kin{}, 0.0
	for i, t := range columns {
		var rs, ys []float64
		for _, row := range kin {
			a, n := variantEffect(row, columns, effect, t)
			if math.IsNaN(row[t]) || float64(n) < leastShared*float64(len(shared)) || n == 0 {
				continue
			}
			rs, ys = append(rs, row[t]-a), append(ys, row[t])
		}
		k := float64(len(rs))
		for _, r := range rs {
			largest = math.Max(largest, math.Abs(r-stats.Average(rs)))
		}
		if i == 0 {
			if k < 3 {
				return Kin{}
			}
			a, _ := variantEffect(own, columns, effect, target)
			out = Kin{N: len(rs), Expected: stats.Average(rs) + a, Values: ys}
		}
		if k >= 3 {
			variances, dfs = append(variances, squares(rs)/(k-1)), append(dfs, k-1)
		}
	}
	s2, df := stats.Moderated(variances, dfs)
	out.SD, out.DF = math.Sqrt(s2[0]), df[0]
	out.SE, out.Largest = out.SD/math.Sqrt(float64(out.N)), largest
	return out
}

// effects fits the measures' effects by alternating means until they stand, in ten rounds at most, each halving what is
// left or better.
func effects(kin [][]float64, columns []int) []float64 {
	most := 0
	for _, m := range columns {
		most = max(most, m+1)
	}
	b, sum, n := make([]float64, most), make([]float64, most), make([]float64, most)
	for range 10 {
		clear(sum)
		clear(n)
		for _, row := range kin {
			a, k := variantEffect(row, columns, b, -1)
			if k == 0 {
				continue
			}
			for _, m := range columns {
				if !math.IsNaN(row[m]) {
					sum[m] += row[m] - a
					n[m]++
				}
			}
		}
		moved := 0.0
		for _, m := range columns {
			if n[m] > 0 {
				moved = max(moved, math.Abs(sum[m]/n[m]-b[m]))
				b[m] = sum[m] / n[m]
			}
		}
		if moved < 1e-9 {
			break
		}
	}
	return b
}

// variantEffect is the mean of a variant's figures less their measures' effects, without one measure; n is how
// many there are.
func variantEffect(row []float64, columns []int, effect []float64, without int) (a float64, n int) {
	for _, m := range columns {
		if m != without && !math.IsNaN(row[m]) {
			a += row[m] - effect[m]
			n++
		}
	}
	if n > 0 {
		a /= float64(n)
	}
	return a, n
}
