// Package memory holds the workloads of main memory: how fast it is read, and how fast a multiply-add
// over three arrays streams through it.
package memory

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"math"
	"runtime"
	"sync"
	"unsafe"

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
	{"read", "read", 8, nil, nil}, // what reading leaves is kept by run
	{"write", "write", 8, func(x Arrays, at int) { Fill(x.A[at:at+piece], 5) }, holds(5)},
	{"copy", "copy", 16, func(x Arrays, at int) { Copy(x.A[at:at+piece], x.C[at:at+piece]) }, holds(2)},
	{"multiply-add", "multiply-add", 24, func(x Arrays, at int) {
		MultiplyAdd(x.A[at:at+piece], x.B[at:at+piece],
			x.C[at:at+piece], 3)
	}, holds(7)},
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
			About: "All threads, and one alone, stream through arrays of 128 MiB: reading one, writing one, copying one " +
				"to another (16 bytes counted per element), and a = b + s·c over three (24 bytes).",
			StandsFor: "Work on large grids, pictures and tables; graphics that share the memory; several programs at once.",
			LimitedBy: "With all threads the memory channels and their speed; with one thread how many loads a core keeps " +
				"under way. What a processor fetches before it writes is not counted.",
			Input: "Arrays of 64-bit numbers, 1 and 2 throughout; half or less where a quarter of the free memory does not " +
				"hold them.", Checked: "Values after each part; reading must reach the end, and notice a changed byte.",
			MustMatch: []string{"supply", "power.mode", "memory.profile", "runtime", method.OptionCondition("array")},
			Repeats:   5, Seconds: 11, Usual: true,
			Options: []method.Option{{Slug: "array", Meaning: "size of each of three arrays", Default: "128 MiB", Unit: "MiBy",
				Least: 8, Most: 65536, Match: true}},
			Measures: measures,
		},
		Run: run,
	})
}

// Arrays is one thread's three arrays of equal length.
type Arrays struct{ A, B, C []float64 }

// NewArrays takes and touches three arrays of n elements, b = 1 and c = 2 throughout; free gives their
// memory back.
func NewArrays(n int) (x Arrays, free func(), err error) {
	// They start at different places within a page: a load whose address ends like an earlier store's
	// would wait for it.
	const shift = 136
	each := (8*(n+2*shift) + pages.Large - 1) / pages.Large * pages.Large
	memory, free, err := pages.Take(3 * each)
	if err != nil {
		return x, nil, err
	}
	array := func(i int) []float64 {
		first := memory[i*each+8*i*shift:]
		return unsafe.Slice((*float64)(unsafe.Pointer(unsafe.SliceData(first))), n)
	}
	x = Arrays{array(0), array(1), array(2)}
	for i := range n {
		x.A[i], x.B[i], x.C[i] = 0, 1, 2
	}
	return x, free, nil
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

// Scan reads an array from end to end and returns how many bytes it read until it met one that has all
// bits set; numbers that are small and whole have none. It looks for that byte by the library's search,
// which loads as widely as the processor can: narrow loads leave too few lines of memory under way.
func Scan(a []float64) int {
	raw := unsafe.Slice((*byte)(unsafe.Pointer(unsafe.SliceData(a))), 8*len(a))
	if at := bytes.IndexByte(raw, 0xFF); at >= 0 {
		return at
	}
	return len(raw)
}

// Copy copies an array onto another of equal length, 64 KiB at a time: of a megabyte and more, the
// library's copy goes past the caches and is slower on ordinary processors.
func Copy(to, from []float64) {
	const stretch = 64 << 10 / 8
	for at := 0; at < len(to); at += stretch {
		end := min(at+stretch, len(to))
		copy(to[at:end], from[at:end])
	}
}

// Fill writes one value through an array, sixteen elements at a time: an array is stored in pieces as
// wide as the compiler has them.
func Fill(a []float64, v float64) {
	var many [16]float64
	for i := range many {
		many[i] = v
	}
	for len(a) >= len(many) {
		*(*[16]float64)(a) = many
		a = a[len(many):]
	}
	copy(a, many[:])
}

// takeAll takes arrays for so many threads; each thread touches its own first, as memory near it is
// handed out.
func takeAll(threads, each int) ([]Arrays, func(), error) {
	arrays, frees, errs := make([]Arrays, threads), make([]func(), threads), make([]error, threads)
	var wg sync.WaitGroup
	for i := range arrays {
		wg.Go(func() { arrays[i], frees[i], errs[i] = NewArrays(each) })
	}
	wg.Wait()
	free := func() {
		for _, f := range frees {
			if f != nil {
				f()
			}
		}
	}
	if err := errors.Join(errs...); err != nil {
		free()
		return nil, func() {}, workload.NotRun("the system does not give the memory: %w", err)
	}
	return arrays, free, nil
}

func run(ctx context.Context, env workload.Env) (out record.Outcome, err error) {
	wanted := uint64(env.Number("array") * workload.MiB)
	size, note := wanted, ""
	if env.Memory > 0 {
		var ok bool
		if size, note, ok = workload.Fit(wanted, leastArray, env.Memory/12); !ok {
			return out, workload.NotRun("three arrays of %d MiB take more than a quarter of the %d MiB of free memory",
				leastArray>>20, env.Memory>>20)
		}
	}
	all := runtime.NumCPU()
	each := max(int(size)/8/all/piece*piece, piece)
	out.Observed = map[string]string{method.OptionCondition("array"): fmt.Sprintf("%d MiB", size>>20)}
	if note != "" {
		out.Negotiated = map[string]string{"scaled.down": "arrays of " + note}
	}
	var arrays []Arrays
	release := func() {}
	defer func() { release() }()
	for i, threads := range []int{all, 1} {
		if i == 0 || all > 1 { // one thread has the whole size to itself
			release()
			if i == 1 {
				each = int(size) / 8 / piece * piece
			}
			if arrays, release, err = takeAll(threads, each); err != nil {
				return out, err
			}
		}
		for j, f := range flows {
			slug := f.slug
			if i == 1 {
				slug += "-single"
			}
			read := make([]int, threads)
			r, err := workload.Rate(ctx, env.Part(i*len(flows)+j, 2*len(flows)), workload.Timing{Channel: slug, Unit: "GBy/s",
				Threads: threads}, func(n int) (workload.Work, error) {
				at := 0
				do, check := f.do, f.check
				if do == nil {
					do = func(x Arrays, at int) { read[n] = Scan(x.C[at : at+piece]) }
					check = func(x Arrays) error {
						// It must have read to the end, and must notice a byte that is set.
						whole := read[n]
						x.C[piece-1] = math.Inf(-1)
						noticed := Scan(x.C[:piece])
						x.C[piece-1] = 2
						if whole != 8*piece || noticed < 8*(piece-1) || noticed >= 8*piece {
							return fmt.Errorf("%d and %d of %d bytes read: %w", whole, noticed, 8*piece, workload.ErrWrong)
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
