package response

import (
	"context"
	"errors"
	"slices"
	"testing"
	"time"

	"durvek/core/record"
	"durvek/workload"
)

func TestResponseRunsForReal(t *testing.T) {
	if testing.Short() {
		t.Skip("it measures for real")
	}
	for _, slug := range []string{"wake-up", "foreground"} {
		w, _ := workload.Find(slug)
		last := 0.0
		out, err := w.Execute(context.Background(), workload.Env{Seconds: 0.1, Memory: 256 << 20,
			Report: func(s record.Sample) {
				if s.Share < last-1e-9 || s.Share > 1 {
					t.Errorf("%s: %s is at %.2f of the run after %.2f", slug, s.Phase, s.Share, last)
				}
				last = s.Share
			}})
		if err != nil {
			t.Fatal(err)
		}
		if len(out.Readings) != len(w.Test.Measures) {
			t.Errorf("%s: %+v", slug, out.Readings)
		}
		for _, r := range out.Readings {
			if m, ok := w.Test.Measure(r.Measure); !ok || r.Check(m) != "" {
				t.Errorf("%s: %+v", slug, r)
			}
		}
		ctx, stop := context.WithTimeout(context.Background(), 50*time.Millisecond)
		if _, err := w.Execute(ctx, workload.Env{Seconds: 20}); !errors.Is(err, context.DeadlineExceeded) {
			t.Errorf("%s, interrupted: %v", slug, err)
		}
		stop()
	}
}

func TestASleepIsNeverShort(t *testing.T) {
	for range 20 {
		from := time.Now()
		sleep(nap)
		if d := time.Since(from); d < nap*9/10 {
			t.Errorf("a sleep of %v took %v", nap, d)
		}
	}
}

func TestLevelsHoldTheThreads(t *testing.T) {
	for _, c := range []struct {
		threads int
		want    []int
	}{{1, []int{0, 1, 2, 4}}, {2, []int{0, 1, 2, 4, 8}}, {6, []int{0, 1, 2, 4, 6, 8, 12, 16, 24}}} {
		if got := levels(c.threads); !slices.Equal(got, c.want) {
			t.Errorf("%d threads: %v, want %v", c.threads, got, c.want)
		}
	}
}
