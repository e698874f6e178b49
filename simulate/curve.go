package simulate

import (
	"fmt"
	"hash/fnv"
	"math"
	"math/rand/v2"
	"strings"

	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/core/record"
	"durvek/workload"
)

// curve is the series of a test that is known by one: how a rate goes over threads, working sets or time.
func (m *Machine) curve(t method.Test, values map[string]float64, rng *rand.Rand) (s record.Series, ok bool) {
	value := func(measure string) float64 { return values[method.ID(t.Slug, measure)] }
	point := func(x, y float64) {
		s.Times, s.Values = append(s.Times, x), append(s.Values, y*math.Exp(0.008*rng.NormFloat64()))
	}
	switch {
	case strings.HasSuffix(t.Slug, "-scaling"):
		threads, _ := catalog.SpecNumber(m.Spec, "cpu.threads")
		single, _, _ := m.kernel(t.Of)
		s = record.Series{Channel: "rate", Unit: perKernel(t), Axis: "threads", Along: "{thread}"}
		for n := 1.0; n < threads; n *= 2 {
			point(n, single*math.Min(n, math.Pow(n, math.Log(value("speed-up"))/math.Log(threads))))
		}
		point(threads, single*value("speed-up"))
	case strings.HasSuffix(t.Slug, "-sustained"):
		s = record.Series{Channel: "rate", Unit: t.Measures[0].Unit}
		for x := 1.0; x <= 600; x++ {
			y := value("burst")
			if x > value("drop") {
				y = value("sustained")
			}
			point(x, y)
		}
	case t.Slug == "memory-latency":
		s = record.Series{Channel: "latency", Unit: "ns", Axis: "working set", Along: "By"}
		levels := []float64{value("nearest"), 3.2 * value("nearest"), 12 * value("nearest"), value("main")}
		for x := 4096.0; x <= 1<<30; x *= math.Sqrt2 {
			y := levels[0]
			for i := range 3 {
				if knee := 1024 * value(fmt.Sprintf("knee-%d", i+1)); x > knee {
					y += (levels[i+1] - levels[i]) * math.Min(1, math.Log2(x/knee))
				}
			}
			point(x, y)
		}
	case t.Slug == "drive-fill":
		s = record.Series{Channel: "rate", Unit: "MBy/s", Axis: "bytes written", Along: "GBy"}
		for x := 0.5; x <= 100; x += 0.5 {
			y := value("before")
			if x > value("cache") {
				y = value("after")
			}
			point(x, y)
		}
	default:
		return s, false
	}
	return s, true
}

// perKernel is the unit of the kernel that a test measures in another way.
func perKernel(t method.Test) string {
	if w, ok := workload.Find(t.Of); ok {
		return w.Test.Measures[0].Unit
	}
	return "1"
}

// throughput is what a drive test moves, as the drive's own counters would tell it; nil for other tests.
func throughput(t method.Test, x method.Measure, rate float64) map[string]float64 {
	if t.Group != "storage" {
		return nil
	}
	out := map[string]float64{"throughput.read": 0, "throughput.write": 0}
	if x.Unit != "MBy/s" {
		return out
	}
	for _, writing := range []string{"write", "fill", "append", "steady"} {
		if strings.Contains(t.Slug, writing) || strings.Contains(x.Slug, writing) {
			out["throughput.write"] = rate
			return out
		}
	}
	out["throughput.read"] = rate
	return out
}

// order keeps figures that are drawn one by one from standing in an order that cannot be: nothing lies above the worst.
func order(rs []record.Reading) {
	for _, pair := range [][2]string{{"latency-99", "worst"}, {"999", "worst"}, {"median", "latency-99"},
		{"median", "latency-90"}, {"median", "slowest"}, {"median", "slow"}} {
		for i := range rs {
			for k := range rs {
				if low, ok := strings.CutSuffix(rs[i].Measure, pair[0]); ok && rs[k].Measure == low+pair[1] {
					rs[k].Value = max(rs[k].Value, rs[i].Value)
				}
			}
		}
	}
}

func hash(s string, n int) uint64 {
	h := fnv.New64a()
	fmt.Fprint(h, s, n)
	return h.Sum64()
}
