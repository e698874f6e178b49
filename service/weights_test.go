package service

import (
	"math"
	"strings"
	"testing"

	"durvek/api"
	"durvek/desk"
	"durvek/internal/mutants"
)

func TestWeightsAsTheyAreWritten(t *testing.T) {
	q, err := weighing(api.Weighed{Weights: " hashing/all=2, storage =1.5 ,memory=0", Use: "survey", Against: "fen-14"})
	if err != nil || len(q.Weights) != 3 || q.Use != "survey" || q.Reference != "fen-14" {
		t.Fatalf("%+v, %v", q, err)
	}
	if w := q.Weights; w[0].Measure != "hashing/all" || w[0].Weight != 2 || w[1].Group != "storage" ||
		w[1].Weight != 1.5 || w[2].Weight != 0 {
		t.Errorf("%+v", w)
	}
	for _, bad := range []string{"CPU", "CPU=", "CPU=two", "=1", "CPU=NaN", "CPU=Inf"} {
		_, err := weighing(api.Weighed{Weights: bad})
		if e, ok := err.(*desk.Error); !ok || e.Kind != desk.Invalid || !strings.Contains(e.Message, bad) {
			t.Errorf("%q: %v", bad, err)
		}
	}
}

// Whatever is written, there is an answer or a sentence; what is taken is a finite number for something with a name.
func FuzzWeights(f *testing.F) {
	for _, s := range []string{"CPU=1", "hashing/all=2,storage=1", ",,", "a=b=c", "=", "x=1e309", "ä/ö=-0"} {
		mutants.Add(f, s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		q, err := weighing(api.Weighed{Weights: s})
		if err != nil {
			return
		}
		for _, w := range q.Weights {
			if (w.Measure == "") == (w.Group == "") || math.IsNaN(w.Weight) || math.IsInf(w.Weight, 0) {
				t.Errorf("%q is taken as %+v", s, w)
			}
		}
	})
}
