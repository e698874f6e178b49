package cpu

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"maps"
	"math"
	"math/cmplx"
	"math/rand/v2"
	"runtime"
	"slices"
	"strings"
	"testing"
	"time"

	"durvek/core/record"
	"durvek/workload"
)

func TestTheInputIsTheSameEverywhere(t *testing.T) {
	sum := sha256.Sum256(SurveyLog(1, hashPiece))
	if hex.EncodeToString(sum[:4]) != hashDigest {
		t.Errorf("the survey log's digest is %x, want %s…", sum[:4], hashDigest)
	}
	if bytes.Equal(SurveyLog(1, 1000), SurveyLog(2, 1000)) {
		t.Error("two seeds give one log")
	}
	first, _, _ := strings.Cut(string(SurveyLog(1, 200)), "\n")
	if strings.Count(first, ",") != 6 {
		t.Errorf("an odd line: %q", first)
	}
}

func TestKernelsRunForReal(t *testing.T) {
	if testing.Short() {
		t.Skip("it measures for real")
	}
	if len(Kernels) < 13 {
		t.Fatalf("the roster has %d kernels", len(Kernels))
	}
	for _, k := range Kernels {
		w, ok := workload.Find(k.Slug)
		if !ok {
			t.Fatalf("%s is not in the table", k.Slug)
		}
		var phases []string
		last := 0.0
		out, err := w.Execute(context.Background(), workload.Env{Seconds: 0.1, Report: func(s record.Sample) {
			if s.Share < last || s.Share > 1 {
				t.Errorf("%s: %s is at %.2f of the run after %.2f", k.Slug, s.Phase, s.Share, last)
			}
			last = s.Share
			phases = append(phases, s.Phase)
		}})
		if err != nil {
			t.Errorf("%s: %v", k.Slug, err)
			continue
		}
		if len(out.Readings) != len(w.Test.Measures) || len(phases) == 0 {
			t.Errorf("%s: %d readings of %d measures, %d phases", k.Slug, len(out.Readings), len(w.Test.Measures), len(phases))
		}
		for i, s := range out.Series { // samples are in the measure's unit, like the reading
			sum := 0.0
			for _, v := range s.Values {
				sum += v / float64(len(s.Values))
			}
			if sum > 10*out.Readings[i].Value || sum > 0 &&
				sum < out.Readings[i].Value/10 { // none may be done yet where others take the processor
				t.Errorf("%s: samples %v beside the reading %g", k.Slug, s.Values, out.Readings[i].Value)
			}
		}
		for _, r := range out.Readings {
			if m, ok := w.Test.Measure(r.Measure); !ok || r.Check(m) != "" {
				t.Errorf("%s: %+v", k.Slug, r)
			}
		}
	}
}

// The timed part takes no memory, so the garbage collector cannot touch a rate, and one call is well
// under a hundredth of the usual second.
func TestTheTimedPartTakesNoMemory(t *testing.T) {
	for _, k := range Kernels {
		for _, p := range k.Parts {
			start, err := p.Prepare()
			if err != nil {
				t.Errorf("%s %s: %v", k.Slug, p.Slug, err)
				continue
			}
			w, err := start(0)
			if err != nil {
				t.Fatal(err)
			}
			if n := testing.AllocsPerRun(20, func() { w.Do() }); n > 0.1 {
				t.Errorf("%s %s: %.1f allocations in one call", k.Slug, p.Slug, n)
			}
			if err := w.Check(); err != nil {
				t.Errorf("%s %s: %v", k.Slug, p.Slug, err)
			}
		}
	}
}

func TestAWrongAnswerFailsTheRun(t *testing.T) {
	calls := 0
	faulty := func(from int) func() solver { // computes rightly until the call numbered from
		return func() solver {
			return solver{do: func(int) float64 { calls++; return 1e9 }, answer: func() uint64 {
				if calls >= from {
					return 666
				}
				return 1
			}}
		}
	}
	right := newFingerprint()
	right.add(1)
	right.add(1)
	outcome := func(from int) error {
		calls = 0
		start, err := cases(2, uint64(right), faulty(from))()
		if err != nil {
			return err
		}
		w, _ := start(0)
		w.Do()
		return w.Check()
	}
	if err := outcome(10); err != nil {
		t.Error(err)
	}
	for _, from := range []int{1, 3} { // wrong from the start, and wrong while it is timed
		if err := outcome(from); !errors.Is(err, workload.ErrWrong) {
			t.Errorf("wrong from call %d on: %v", from, err)
		}
	}
}

func TestScalingAndCoresGiveCurves(t *testing.T) {
	for _, c := range []struct {
		slug, axis string
		points     int
	}{{"grid-solve-scaling", "threads", len(counts(runtime.NumCPU()))}, {"grid-solve-cores", "logical core",
		runtime.NumCPU()}} {
		w, _ := workload.Find(c.slug)
		out, err := w.Execute(context.Background(), workload.Env{Seconds: 0.05})
		if errors.Is(err, record.ErrNotRun) && runtime.GOOS != "linux" {
			continue
		}
		if err != nil {
			t.Fatal(err)
		}
		if s := out.Series[0]; s.Axis != c.axis || len(s.Values) != c.points || len(s.Times) != c.points {
			t.Errorf("%s: %+v", c.slug, s)
		}
		if len(out.Readings) != len(w.Test.Measures) {
			t.Errorf("%s: %+v", c.slug, out.Readings)
		}
	}
	if got := counts(12); len(got) != 6 || got[4] != 8 || got[5] != 12 {
		t.Errorf("thread counts up to 12: %v", got)
	}
}

func TestSustainedLoad(t *testing.T) {
	if testing.Short() {
		t.Skip("it measures for real")
	}
	w, _ := workload.Find("sealing-sustained")
	if _, err := w.Execute(context.Background(), workload.Env{Options: map[string]string{"duration": "1 s"}}); !errors.Is(
		err, record.ErrNotRun) {
		t.Errorf("a duration of 1 s: %v", err)
	}
	out, err := w.Execute(context.Background(), workload.Env{Options: map[string]string{"duration": "4 s"}})
	if err != nil {
		t.Fatal(err)
	}
	if n := len(out.Series[0].Values); n < 10 || out.Observed["option.duration"] != "4 s" || len(out.Readings) != 4 {
		t.Errorf("%d samples, %v, %+v", n, out.Observed, out.Readings)
	}
}

func TestAnInterruptGivesNoFigureButKeepsTheSamples(t *testing.T) {
	if testing.Short() {
		t.Skip("it measures for real")
	}
	ctx, stop := context.WithCancel(context.Background())
	w, _ := workload.Find("hashing")
	out, err := w.Execute(ctx, workload.Env{Seconds: 30, Report: func(s record.Sample) {
		if s.Value > 0 {
			stop()
		}
	}})
	if !errors.Is(err, context.Canceled) || len(out.Readings) > 0 || len(out.Series) != 1 ||
		len(out.Series[0].Values) == 0 {
		t.Errorf("%v, %+v", err, out)
	}
}

// Work over time per thread: a kernel that does one unit per millisecond has a rate near 1000 a second
// on each thread, whatever the length of the timed part; never more, and less only where others take the processor.
func TestTheHarnessMeasuresWorkOverTime(t *testing.T) {
	for _, threads := range []int{1, 2} {
		r, err := workload.Rate(context.Background(), workload.Env{Seconds: 0.2}, workload.Timing{Channel: "x", Unit: "/s",
			Threads: threads}, func(int) (workload.Work, error) {
			return workload.Work{Check: func() error { return nil }, Do: func() float64 {
				for end := time.Now().Add(time.Millisecond); time.Now().Before(end); {
				}
				return 1
			}}, nil
		})
		if runtime.GOOS == "linux" && (r.Share <= 0 || r.Share > 1) {
			t.Errorf("%d threads had a processor for %g of the time", threads, r.Share)
		}
		if err != nil || r.Rate > 1001*float64(threads) || r.Rate <= 0 {
			t.Errorf("%d threads: %.0f per second, %v", threads, r.Rate, err)
		}
	}
}

func TestARunSaysThatItWasHindered(t *testing.T) {
	for share, want := range map[float64]string{0: "", 1: "", 0.99: "", 0.8: "had a processor for 80 % of the time"} {
		if got := (workload.Rating{Share: share}).Hindrance(); !strings.HasPrefix(got, want) || want == "" && got != "" {
			t.Errorf("a share of %g: %q", share, got)
		}
	}
}

func TestTheCosineIsOne(t *testing.T) {
	for i := range 4000 {
		x := float64(i) / 997
		if d := math.Abs(cosine(x) - math.Cos(2*math.Pi*x)); d > 1e-12 {
			t.Fatalf("cosine of %g turns is off by %g", x, d)
		}
	}
}

// The kernels do what they say: each is held against a plain way of doing the same.
func TestKernelsAgainstPlainWays(t *testing.T) {
	// The transform against its definition, at a few frequencies.
	rng := rand.New(rand.NewPCG(1, 1))
	re, im := make([]float64, pingLength), make([]float64, pingLength)
	for i := range re {
		re[i], im[i] = rng.NormFloat64(), rng.NormFloat64()
	}
	a, b := slices.Clone(re), slices.Clone(im)
	newWave().transform(a, b)
	for _, k := range []int{0, 1, 77, pingLength / 2, pingLength - 3} {
		var sum complex128
		for n := range re {
			sum += complex(re[n], im[n]) * cmplx.Rect(1, -2*math.Pi*float64(k*n%pingLength)/pingLength)
		}
		if d := cmplx.Abs(sum - complex(a[k], b[k])); d > 1e-8 {
			t.Errorf("frequency %d is off by %g", k, d)
		}
	}
	// The solution fulfils the equations.
	const wide = gridSize + 1
	m := make([]float64, gridSize*wide)
	for i := range m {
		m[i] = rng.NormFloat64()
	}
	own, x := slices.Clone(m), make([]float64, gridSize)
	eliminate(own, x)
	for i := range gridSize {
		s := -m[i*wide+gridSize]
		for j := range gridSize {
			s += m[i*wide+j] * x[j]
		}
		if math.Abs(s) > 1e-8 {
			t.Errorf("equation %d is missed by %g", i, s)
		}
	}
	// Words are counted as a map counts them.
	log := SurveyLog(4, indexPiece)
	counted := map[string]int{}
	for _, w := range strings.FieldsFunc(string(log), func(r rune) bool { return !letter[byte(r)] }) {
		counted[w]++
	}
	want, list := newFingerprint(), slices.SortedFunc(maps.Keys(counted), func(a, b string) int {
		if counted[a] != counted[b] {
			return counted[b] - counted[a]
		}
		return strings.Compare(a, b)
	})
	for _, w := range list {
		want.add(uint64(counted[w]))
		for i := range len(w) {
			want.add(uint64(w[i]))
		}
	}
	index := newIndex(log)
	index.do(0)
	if got := index.answer(); got != uint64(want) {
		t.Errorf("the words are counted otherwise than by a map: %x, %x", got, want)
	}
	// Messages are read as the standard library reads them.
	text := messages(rng, 20)
	p, one := parser{text: text}, message{}
	for _, line := range strings.Split(strings.TrimSpace(string(text)), "\n") {
		var v struct {
			Vessel, Remark string
			Number, Time   int64
			Position       [2]float64
			Depth          float64
			Fix            bool
			Echo           []int64
		}
		if err := json.Unmarshal([]byte(line), &v); err != nil {
			t.Fatal(err)
		}
		p.message(&one, nil)
		if p.bad || string(one.vessel) != v.Vessel || string(one.remark) != v.Remark || one.number != v.Number ||
			one.time != v.Time || one.fix != v.Fix ||
			math.Abs(float64(one.position[0])/1e6-v.Position[0]) > 1e-9 ||
			math.Abs(float64(one.position[1])/1e6-v.Position[1]) > 1e-9 ||
			math.Abs(float64(one.depth)/1e6-v.Depth) > 1e-9 || !slices.Equal(one.echo[:one.echoes], v.Echo) {
			t.Errorf("%s\nwas read as %+v", line, one)
		}
	}
	// The route costs what Bellman's way finds within the square around its ends.
	g := newSea()
	s := newSearch(g)
	s.do(0)
	cost := map[int32]uint32{g.ends[0][0]: 0}
	for queue := []int32{g.ends[0][0]}; len(queue) > 0; queue = queue[1:] {
		for k := 8 * int(queue[0]); k < 8*int(queue[0])+8; k++ {
			c := cost[queue[0]] + uint32(g.cost[k])
			if old, known := cost[g.to[k]]; g.to[k] >= 0 && uint64(c) <= s.answer() && (!known || c < old) {
				cost[g.to[k]] = c
				queue = append(queue, g.to[k])
			}
		}
	}
	if got := uint64(cost[g.ends[0][1]]); got != s.answer() {
		t.Errorf("the route costs %d, not %d", got, s.answer())
	}
	// On a plain nothing hides anything but the curve of the earth, and a wall hides what lies behind it.
	plain := make([]float32, landSide*landSide)
	seen := make([]uint16, 8*sightReach)
	look(plain, 500, 500, seen)
	if seen[0] != sightReach {
		t.Errorf("on a plain %d of %d places are seen", seen[0], sightReach)
	}
	for y := range landSide {
		plain[y*landSide+510], plain[y*landSide+511] = 1000, 1000
	}
	look(plain, 500, 500, seen)
	if r := 3 * sightReach; seen[r] > 12 || seen[0] != sightReach {
		t.Errorf("behind a wall %d places are seen, beside it %d", seen[r], seen[0])
	}
}

func TestTheEncodedClipLooksLikeTheClip(t *testing.T) {
	frames := newClip()
	e := newEncoder()
	var before []uint8
	for i, f := range frames {
		e.frame(f, before)
		sum := 0.0
		for k := range f {
			d := float64(f[k]) - float64(e.shown[k])
			sum += d * d
		}
		if psnr := 10 * math.Log10(255*255*float64(len(f))/sum); psnr < 30 || len(e.out) > len(f)/2 {
			t.Errorf("frame %d: %.1f dB from %d bytes for %d", i, psnr, len(e.out), len(f))
		}
		before = append([]uint8(nil), e.shown...)
	}
}
