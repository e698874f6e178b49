// Package memory holds the workloads of main memory: how fast it is read, and how fast a multiply-add
// over three arrays streams through it.
package memory

import (
	"context"
	"fmt"
	"runtime"
	"sync"

	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/workload"
	"durvek/workload/pages"
)

// Arrays are so long that caches hold little of them: 128 MiB each, less where memory is small.
const (
	wholeArray = 128 << 20
	leastArray = 8 << 20
	piece      = 1 << 20 / 8 // elements of one array that one call works through
)

// flows are the ways in which memory is streamed through: the bytes that one element counts, and the work.
var flows = []struct {
	slug, name string
	bytes      float64
	do         func(x Arrays, at int)
	check      func(x Arrays) error
}{
	{"read", "read", 8, nil, nil}, // reading leaves a sum; see run
	{"write", "write", 8, func(x Arrays, at int) { Fill(x.A[at:at+piece], 5) }, holds(5)},
	{"copy", "copy", 16, func(x Arrays, at int) { copy(x.A[at:at+piece], x.C[at:at+piece]) }, holds(2)},
	{"multiply-add", "multiply-add", 24, func(x Arrays, at int) { MultiplyAdd(x.A[at:at+piece], x.B[at:at+piece], x.C[at:at+piece], 3) }, holds(7)},
}

// holds checks that the first piece of the first array holds one value throughout.
func holds(want float64) func(Arrays) error {
	return func(x Arrays) error {
		for _, v := range x.A[:piece] {
			if v != want {
				return fmt.Errorf("%g instead of %g: %w", v, want, workload.ErrWrong)
			}
		}
		return nil
	}
}

func init() {
	rate := method.Measure{Unit: "GBy/s", Scale: quantity.Ratio, Better: quantity.Higher, Repeatability: 0.015}
	var measures []method.Measure
	for _, f := range flows {
		measures = append(measures, workload.Rows(rate, f.slug, f.name, f.slug+"-single", f.name+", single thread")...)
	}
	workload.Register(workload.Workload{
		Test: method.Test{
			Slug: "memory-bandwidth", Version: 1, Name: "Memory bandwidth", Group: "memory", Subjects: workload.Devices,
			About:     "All threads, and one alone, stream through arrays of 128 MiB: reading one, writing one, copying one to another (16 bytes counted per element), and a = b + s·c over three (24 bytes).",
			StandsFor: "Work on large grids, pictures and tables; graphics that share the memory; several programs at once.",
			LimitedBy: "With all threads the memory channels and their speed; with one thread how many loads a core keeps under way. What a processor fetches before it writes is not counted.",
			Input:     "Arrays of 64-bit numbers, 1 and 2 throughout; half or less where a quarter of the free memory does not hold them.", Checked: "Exact sums and values after each part.",
			MustMatch: []string{"supply", "power.mode", "memory.profile", "runtime", method.OptionCondition("array")}, Repeats: 5, Seconds: 11, Usual: true,
			Options:  []method.Option{{Slug: "array", Meaning: "size of each of three arrays", Default: "128 MiB", Unit: "MiBy", Least: 8, Most: 65536, Match: true}},
			Measures: measures,
		},
		Run: run,
	})
}

// Arrays is one thread's three arrays of equal length.
type Arrays struct{ A, B, C []float64 }

// NewArrays makes and touches three arrays of n elements, b = 1 and c = 2 throughout.
func NewArrays(n int) Arrays {
	// They start at different places within a page: a load whose address ends like an earlier store's
	// would wait for it.
	const shift = 136
	x := Arrays{make([]float64, n), make([]float64, n+shift)[shift:], make([]float64, n+2*shift)[2*shift:]}
	pages.Prefer(x.A)
	pages.Prefer(x.B)
	pages.Prefer(x.C)
	for i := range n {
		x.A[i], x.B[i], x.C[i] = 0, 1, 2
	}
	return x
}

// MultiplyAdd computes a = b + s·c. The three slices are of equal length, a multiple of 16.
func MultiplyAdd(a, b, c []float64, s float64) {
	for len(a) >= 16 && len(b) >= 16 && len(c) >= 16 {
		x, y, z := (*[16]float64)(a), (*[16]float64)(b), (*[16]float64)(c)
		x[0] = y[0] + s*z[0]
		x[1] = y[1] + s*z[1]
		x[2] = y[2] + s*z[2]
		x[3] = y[3] + s*z[3]
		x[4] = y[4] + s*z[4]
		x[5] = y[5] + s*z[5]
		x[6] = y[6] + s*z[6]
		x[7] = y[7] + s*z[7]
		x[8] = y[8] + s*z[8]
		x[9] = y[9] + s*z[9]
		x[10] = y[10] + s*z[10]
		x[11] = y[11] + s*z[11]
		x[12] = y[12] + s*z[12]
		x[13] = y[13] + s*z[13]
		x[14] = y[14] + s*z[14]
		x[15] = y[15] + s*z[15]
		a, b, c = a[16:], b[16:], c[16:]
	}
}

// Sum adds up an array whose length is a multiple of 8. It reads four quarters side by side, because
// one stream alone does not fill the memory's queues on every processor.
func Sum(a []float64) float64 {
	q := len(a) / 4
	w, x, y, z := a[:q], a[q:2*q], a[2*q:3*q], a[3*q:]
	var s0, s1, s2, s3, s4, s5, s6, s7 float64
	for len(w) >= 2 && len(x) >= 2 && len(y) >= 2 && len(z) >= 2 {
		s0 += w[0]
		s1 += w[1]
		s2 += x[0]
		s3 += x[1]
		s4 += y[0]
		s5 += y[1]
		s6 += z[0]
		s7 += z[1]
		w, x, y, z = w[2:], x[2:], y[2:], z[2:]
	}
	return s0 + s1 + s2 + s3 + s4 + s5 + s6 + s7
}

// Fill writes one value through an array.
func Fill(a []float64, v float64) {
	for len(a) >= 8 {
		x := (*[8]float64)(a)
		x[0], x[1], x[2], x[3], x[4], x[5], x[6], x[7] = v, v, v, v, v, v, v, v
		a = a[8:]
	}
}

func run(ctx context.Context, env workload.Env) (record.Outcome, error) {
	var out record.Outcome
	wanted := uint64(env.Number("array") * workload.MiB)
	size, note := wanted, ""
	if env.Memory > 0 {
		var ok bool
		if size, note, ok = workload.Fit(wanted, leastArray, env.Memory/12); !ok {
			return out, workload.NotRun("three arrays of %d MiB take more than a quarter of the %d MiB of free memory", leastArray>>20, env.Memory>>20)
		}
	}
	all := runtime.NumCPU()
	each := max(int(size)/8/all/piece*piece, piece)
	out.Observed = map[string]string{method.OptionCondition("array"): fmt.Sprintf("%d MiB", size>>20)}
	if note != "" {
		out.Negotiated = map[string]string{"scaled.down": "arrays of " + note}
	}
	var arrays []Arrays
	for i, threads := range []int{all, 1} {
		if i == 1 && all > 1 { // one thread has the whole size to itself
			arrays, each = nil, int(size)/8/piece*piece
			runtime.GC()
		}
		if arrays == nil {
			arrays = make([]Arrays, threads)
			var wg sync.WaitGroup
			for i := range arrays { // each thread touches its own first, as memory near it is handed out
				wg.Go(func() { arrays[i] = NewArrays(each) })
			}
			wg.Wait()
		}
		for j, f := range flows {
			slug := f.slug
			if i == 1 {
				slug += "-single"
			}
			sums := make([]float64, threads)
			r, err := workload.Rate(ctx, env.Part(i*len(flows)+j, 2*len(flows)), workload.Timing{Channel: slug, Unit: "GBy/s", Threads: threads}, func(n int) (workload.Work, error) {
				at := 0
				do, check := f.do, f.check
				if do == nil {
					do = func(x Arrays, at int) { sums[n] = Sum(x.C[at : at+piece]) }
					check = func(Arrays) error {
						if sums[n] != 2*piece {
							return fmt.Errorf("sum %g instead of %d: %w", sums[n], 2*piece, workload.ErrWrong)
						}
						return nil
					}
				}
				return workload.Work{Do: func() float64 {
					do(arrays[n], at)
					if at += piece; at >= each {
						at = 0
					}
					return piece * f.bytes / 1e9
				}, Check: func() error { return check(arrays[n]) }}, nil
			})
			out.Series = append(out.Series, r.Series)
			if err != nil {
				return out, err
			}
			out.Readings = append(out.Readings, workload.Reading(slug, r.Rate))
		}
	}
	return out, nil
}
