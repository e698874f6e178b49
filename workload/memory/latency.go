package memory

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"time"
	"unsafe"

	"durvek/core/analyse"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/workload"
	"durvek/workload/pages"
)

// Working sets of the latency curve, and the distance of two places that lie on different cache lines.
const (
	leastSet = 4 << 10
	mostSet  = 1 << 30
	line     = 64
	words    = line / 4
)

func init() {
	time := method.Measure{Unit: "ns", Scale: quantity.Ratio, Better: quantity.Lower}
	near, far := time, time
	near.Repeatability, far.Repeatability = 0.01, 0.03
	size := method.Measure{Unit: "KiBy", Scale: quantity.Ratio, Better: quantity.Higher, Repeatability: 0.2}
	workload.Register(workload.Workload{
		Test: method.Test{
			Slug: "memory-latency", Version: 1, Name: "Memory latency", Group: "memory", Subjects: workload.Devices,
			About: "Loads of which each needs the one before it, in random order over working sets from 4 KiB to 1 GiB, " +
				"one place per cache line of 64 bytes: the time of one load, as a curve. Its knees are the cache sizes as they " +
				"are seen.",
			StandsFor: "Following links: databases, compilers, games' worlds. Most programs wait for memory more than they " +
				"compute.",
			LimitedBy: "The caches and the way to memory; in large sets also the table of pages, which large pages keep " +
				"short where the system gives them.",
			Input:     "A random cycle through the lines of each set, from seed 14; sets end at a quarter of the free memory.",
			Checked:   "After as many loads as there are lines the walk is where it began.",
			MustMatch: []string{"supply", "power.mode", "memory.profile", "runtime"}, Repeats: 3, Seconds: 6, Usual: true,
			Measures: append(append(workload.Rows(near, "nearest", "first cache"), workload.Rows(far, "main", "main memory")...),
				workload.Rows(size, "knee-1", "first knee", "knee-2", "second knee", "knee-3", "third knee")...),
		},
		Run: runLatency,
	})
}

// walkTime is about how long one working set is walked.
const walkTime = 60 * time.Millisecond

func runLatency(ctx context.Context, env workload.Env) (record.Outcome, error) {
	var out record.Outcome
	largest := uint64(mostSet)
	if env.Memory > 0 {
		var note string
		var ok bool
		if largest, note, ok = workload.Fit(mostSet, 16<<20, env.Memory/4); !ok {
			return out, workload.NotRun("a working set of 16 MiB takes more than a quarter of the %d MiB of free memory",
				env.Memory>>20)
		}
		if note != "" {
			out.Negotiated = map[string]string{"scaled.down": "the largest working set is " + note}
		}
	}
	if out.Negotiated == nil {
		out.Negotiated = map[string]string{}
	}
	for k, v := range cachesTold("/sys/devices/system/cpu/cpu0/cache") {
		out.Negotiated[k] = v
	}
	curve := workload.Curve("latency", "ns", "working set", "By")
	memory, free, err := pages.Take(int(largest))
	if err != nil {
		return out, workload.NotRun("the system does not give %d MiB of memory: %w", largest>>20, err)
	}
	defer free()
	runtime.LockOSThread()
	defer runtime.UnlockOSThread()
	steps := int(math.Round(2 * math.Log2(float64(largest)/leastSet)))
	for i := range steps + 1 {
		lines := int(leastSet*math.Pow(2, float64(i)/2)) / line
		v, err := walk(ctx, numbers(memory[:lines*line]), lines)
		out.Series = []record.Series{curve}
		if err != nil {
			return out, err
		}
		curve.Times, curve.Values = append(curve.Times, float64(lines*line)), append(curve.Values, v)
		if env.Report != nil {
			env.Report(record.Sample{Phase: fmt.Sprintf("%d KiB", lines*line>>10), Share: float64(i+1) / float64(steps+1),
				Channel: "latency", Unit: "ns", Value: v})
		}
	}
	out.Series = []record.Series{curve}
	out.Readings = []record.Reading{workload.Reading("nearest", curve.Values[0]), workload.Reading("main",
		curve.Values[steps])}
	knees := analyse.Knees(curve.Times, curve.Values)
	for i := range 3 {
		slug := fmt.Sprintf("knee-%d", i+1)
		if i < len(knees) {
			out.Readings = append(out.Readings, workload.Reading(slug, knees[i].Size/1024))
		} else {
			out.Readings = append(out.Readings, record.Reading{Measure: slug, State: record.Missing,
				Reason: fmt.Sprintf("the curve has %d knees", len(knees))})
		}
	}
	return out, nil
}

// Chain is a working set whose lines are linked into one random cycle (Sattolo, Information Processing
// Letters 22, 1986), and a place on it.
type Chain struct {
	set []uint32
	at  uint32
}

// NewChain links a set of so many lines of its own; free gives its memory back.
func NewChain(lines int) (c *Chain, free func(), err error) {
	memory, free, err := pages.Take(lines * line)
	if err != nil {
		return nil, nil, err
	}
	return link(numbers(memory), lines), free, nil
}

// numbers sees memory as numbers of 32 bits; pages are aligned for them.
func numbers(b []byte) []uint32 {
	return unsafe.Slice((*uint32)(unsafe.Pointer(unsafe.SliceData(b))), len(b)/4)
}

func link(set []uint32, lines int) *Chain {
	rng := rand.New(rand.NewPCG(14, uint64(lines)))
	for i := range lines {
		set[i*words] = uint32(i)
	}
	for i := lines - 1; i > 0; i-- {
		j := rng.IntN(i)
		set[i*words], set[j*words] = set[j*words], set[i*words]
	}
	for i := range lines { // from numbers of lines to places
		set[i*words] *= words
	}
	return &Chain{set: set}
}

// Follow takes n loads of which each needs the one before it.
func (c *Chain) Follow(n int) { c.at = follow(c.set, c.at, n) }

// walk follows the chain of a set and returns the time of one load in nanoseconds: the least of three
// walks, for a walk is only ever held up.
func walk(ctx context.Context, set []uint32, lines int) (float64, error) {
	c := link(set, lines)
	if c.Follow(lines); c.at != 0 {
		return 0, fmt.Errorf("a walk of %d lines ended elsewhere: %w", lines, workload.ErrWrong)
	}
	best := math.Inf(1)
	for range 3 {
		n, begin := 0, time.Now()
		var spent time.Duration
		for spent < walkTime/3 {
			const stretch = 16384
			c.Follow(stretch)
			n += stretch
			spent = time.Since(begin)
		}
		best = min(best, float64(spent.Nanoseconds())/float64(n))
		if err := ctx.Err(); err != nil {
			return 0, fmt.Errorf("stopped: %w", err)
		}
	}
	return best, nil
}

// follow takes n dependent loads.
func follow(set []uint32, at uint32, n int) uint32 {
	for ; n >= 8; n -= 8 {
		at = set[set[set[set[set[set[set[set[at]]]]]]]]
	}
	for ; n > 0; n-- {
		at = set[at]
	}
	return at
}

// cachesTold is what Linux says of the first core's caches.
func cachesTold(dir string) map[string]string {
	out := map[string]string{}
	found, _ := filepath.Glob(filepath.Join(dir, "index*"))
	for _, f := range found {
		level, kind, size := firstWord(f, "level"), firstWord(f, "type"), firstWord(f, "size")
		if level != "" && size != "" && kind != "Instruction" {
			out["cache.level"+level] = size[:len(size)-1] + " " + size[len(size)-1:] + "iB"
		}
	}
	return out
}

func firstWord(dir, name string) string {
	b, err := os.ReadFile(filepath.Join(dir, name))
	if err != nil {
		return ""
	}
	return strings.TrimSpace(string(b))
}
