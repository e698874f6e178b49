package cpu

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
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
	for _, slug := range []string{"hashing", "compression"} {
		w, ok := workload.Find(slug)
		if !ok {
			t.Fatalf("%s is not in the table", slug)
		}
		var phases []string
		last := 0.0
		out, err := w.Run(context.Background(), workload.Env{Seconds: 0.05, Report: func(s record.Sample) {
			if s.Share < last || s.Share > 1 {
				t.Errorf("%s: %s is at %.2f of the run after %.2f", slug, s.Phase, s.Share, last)
			}
			last = s.Share
			phases = append(phases, s.Phase)
		}})
		if err != nil {
			t.Fatal(err)
		}
		if len(out.Readings) != len(w.Test.Measures) || len(phases) == 0 {
			t.Errorf("%s: %d readings of %d measures, %d phases", slug, len(out.Readings), len(w.Test.Measures), len(phases))
		}
		for i, s := range out.Series { // samples are in the measure's unit, like the reading
			if len(s.Values) == 0 || s.Values[len(s.Values)-1] > 20*out.Readings[i].Value || s.Values[len(s.Values)-1] < out.Readings[i].Value/20 {
				t.Errorf("%s: samples %v beside the reading %g", slug, s.Values, out.Readings[i].Value)
			}
		}
		for _, r := range out.Readings {
			if m, ok := w.Test.Measure(r.Measure); !ok || r.Check(m) != "" || r.Value > 1e6 {
				t.Errorf("%s: %+v", slug, r)
			}
		}
	}
}

func TestAnInterruptGivesNoFigure(t *testing.T) {
	ctx, stop := context.WithCancel(context.Background())
	w, _ := workload.Find("hashing")
	_, err := w.Run(ctx, workload.Env{Seconds: 30, Report: func(record.Sample) { stop() }})
	if !errors.Is(err, context.Canceled) {
		t.Errorf("%v", err)
	}
}

// Work over time per thread: a kernel that does one unit per millisecond has a rate near 1000 a second
// on each thread, whatever the length of the timed part.
func TestTheHarnessMeasuresWorkOverTime(t *testing.T) {
	for _, threads := range []int{1, 2} {
		r, err := workload.Rate(context.Background(), workload.Env{Seconds: 0.2}, "x", "/s", threads, func(int) func() float64 {
			return func() float64 {
				for end := time.Now().Add(time.Millisecond); time.Now().Before(end); {
				}
				return 1
			}
		})
		if err != nil || r.Rate > 1001*float64(threads) || r.Rate < 300*float64(threads) {
			t.Errorf("%d threads: %.0f per second, %v", threads, r.Rate, err)
		}
	}
}
