// Package memory holds the workloads of main memory: how fast it is read, and how fast a multiply-add
// over three arrays streams through it.
package memory

import (
	"context"
	"fmt"
	"runtime"

	"github.com/shirou/gopsutil/v4/mem"

	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/workload"
	"durvek/workload/pages"
)

// Arrays are so long that caches hold little of them: 128 MiB each, less where memory is small.
const (
	wholeArray = 128 << 20
	piece      = 1 << 20 / 8 // elements of one array that one call works through
)

func init() {
	workload.Register(workload.Workload{
		Test: method.Test{
			Slug: "memory-bandwidth", Version: 1, Name: "Memory bandwidth", Group: "memory", Subjects: []catalog.Kind{"laptop", "desktop", "mini-pc", "tablet", "phone"},
			About:     "All threads stream through arrays of 128 MiB each: reading one, and a = b + s·c over three (24 bytes counted per element). Limited by memory channels and their speed.",
			MustMatch: []string{"supply", "power.mode", "memory.profile", "runtime"}, Repeats: 5, Seconds: 3,
			Measures: []method.Measure{
				{Slug: "read", Name: "read", Unit: "GBy/s", Scale: quantity.Ratio, Better: quantity.Higher, Repeatability: 0.015},
				{Slug: "multiply-add", Name: "multiply-add", Unit: "GBy/s", Scale: quantity.Ratio, Better: quantity.Higher, Repeatability: 0.015},
			},
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

func run(ctx context.Context, env workload.Env) (record.Outcome, error) {
	var out record.Outcome
	size := uint64(wholeArray)
	if m, err := mem.VirtualMemory(); err == nil {
		for size > 8<<20 && 3*size > m.Available/4 {
			size /= 2
		}
	}
	threads := runtime.NumCPU()
	each := int(size) / 8 / threads / piece * piece
	each = max(each, piece)
	out.Negotiated = map[string]string{"memory.arrays": fmt.Sprintf("3 × %d MiB", each*8*threads>>20)}
	arrays := make([]Arrays, threads)
	done := make(chan int)
	for i := range arrays { // each thread touches its own first, as memory near it is handed out
		go func() { arrays[i] = NewArrays(each); done <- i }()
	}
	for range arrays {
		<-done
	}
	sums := make([]float64, threads)
	read, err := workload.Rate(ctx, env.Part(0, 2), "read", "GBy/s", threads, func(i int) func() float64 {
		at := 0
		return func() float64 {
			sums[i] = Sum(arrays[i].C[at : at+piece])
			if at += piece; at >= each {
				at = 0
			}
			return piece * 8 / 1e9
		}
	})
	if err != nil {
		return out, err
	}
	for _, s := range sums {
		if s != 2*piece {
			return out, fmt.Errorf("memory read: sum %g instead of %d: %w", s, 2*piece, workload.ErrWrong)
		}
	}
	ma, err := workload.Rate(ctx, env.Part(1, 2), "multiply-add", "GBy/s", threads, func(i int) func() float64 {
		at, x := 0, arrays[i]
		return func() float64 {
			MultiplyAdd(x.A[at:at+piece], x.B[at:at+piece], x.C[at:at+piece], 3)
			if at += piece; at >= each {
				at = 0
			}
			return piece * 24 / 1e9
		}
	})
	if err != nil {
		return out, err
	}
	for _, x := range arrays {
		for _, v := range x.A[:piece] {
			if v != 7 {
				return out, fmt.Errorf("memory multiply-add: %g instead of 7: %w", v, workload.ErrWrong)
			}
		}
	}
	for _, r := range []struct {
		measure string
		workload.Rating
	}{{"read", read}, {"multiply-add", ma}} {
		out.Readings = append(out.Readings, workload.Reading(r.measure, r.Rate))
		out.Series = append(out.Series, r.Series)
	}
	return out, nil
}
