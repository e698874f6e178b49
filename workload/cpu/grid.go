package cpu

import (
	"math"
	"math/rand/v2"

	"durvek/workload"
)

const (
	gridSize   = 160
	gridCases  = 4
	gridDigest = 0x8960ca41635f316b
	gridFlops  = 2.0/3*gridSize*gridSize*gridSize + 2*gridSize*gridSize
)

func init() {
	register(Kernel{
		Slug: "grid-solve", Name: "Grid solve", Unit: "{flop}/ns",
		About: "160 linear equations are solved by elimination with partial pivoting, in 64-bit floating point. " +
			"Counted are 2/3·n³ + 2·n² operations.",
		StandsFor: "Fitting, statistics, engineering models: dense arithmetic on matrices that fit the caches.",
		LimitedBy: "Multiply and add units and the first two caches. Go's compiler uses one lane of the vector units, so " +
			"the figure lies far below a processor's peak and says how fast plainly written arithmetic runs.",
		Input: "4 matrices from seed 11.", Checked: "Digest of the solutions, bit by bit; no operation is fused, so all " +
			"processors agree.",
		Parts: []Part{{Prepare: func() (func(int) (workload.Work, error), error) {
			rng := rand.New(rand.NewPCG(11, 11))
			const whole = gridSize * (gridSize + 1) // each row ends with its right-hand side
			given := make([]float64, gridCases*whole)
			for i := range given {
				given[i] = float64(rng.IntN(2001)-1000) / 1024
			}
			return cases(gridCases, gridDigest, func() solver {
				own, x := make([]float64, whole), make([]float64, gridSize)
				return solver{
					do: func(i int) float64 {
						copy(own, given[i*whole:(i+1)*whole])
						eliminate(own, x)
						return gridFlops / 1e9
					},
					answer: func() uint64 {
						f := newFingerprint()
						f.floats(x)
						return uint64(f)
					},
				}
			})()
		}}},
	})
}

// eliminate solves gridSize equations whose rows end with their right-hand sides, and destroys them.
func eliminate(a, x []float64) {
	const n, wide = gridSize, gridSize + 1
	row := func(i int) []float64 { return a[i*wide : (i+1)*wide] }
	for k := range n {
		p := k
		for i := k + 1; i < n; i++ {
			if math.Abs(a[i*wide+k]) > math.Abs(a[p*wide+k]) {
				p = i
			}
		}
		if p != k {
			for j := k; j < wide; j++ {
				a[k*wide+j], a[p*wide+j] = a[p*wide+j], a[k*wide+j]
			}
		}
		pivot := row(k)[k+1:]
		for i := k + 1; i < n; i++ {
			r := row(i)
			f := r[k] / a[k*wide+k]
			take(r[k+1:], pivot, f)
		}
	}
	for i := n - 1; i >= 0; i-- {
		r := row(i)
		s := r[n]
		for j := i + 1; j < n; j++ {
			s -= float64(r[j] * x[j])
		}
		x[i] = s / r[i]
	}
}

// take computes y -= f·x over slices of equal length.
func take(y, x []float64, f float64) {
	for len(y) >= 4 && len(x) >= 4 {
		u, v := (*[4]float64)(y), (*[4]float64)(x)
		u[0] -= float64(f * v[0])
		u[1] -= float64(f * v[1])
		u[2] -= float64(f * v[2])
		u[3] -= float64(f * v[3])
		y, x = y[4:], x[4:]
	}
	for i := range y {
		y[i] -= float64(f * x[i])
	}
}
