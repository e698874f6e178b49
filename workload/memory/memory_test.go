package memory

import (
	"context"
	"testing"

	"durvek/workload"
)

func TestTheKernelsComputeRight(t *testing.T) {
	x := NewArrays(4096)
	for i := range x.B {
		x.B[i], x.C[i] = float64(i), float64(2*i)
	}
	MultiplyAdd(x.A, x.B, x.C, 3)
	for i, v := range x.A {
		if v != float64(7*i) {
			t.Fatalf("a[%d] = %g, want %d", i, v, 7*i)
		}
	}
	if s := Sum(x.B); s != 4095*4096/2 {
		t.Errorf("sum %g", s)
	}
}

func TestMemoryRunsForReal(t *testing.T) {
	w, _ := workload.Find("memory-bandwidth")
	out, err := w.Run(context.Background(), workload.Env{Seconds: 0.05})
	if err != nil {
		t.Fatal(err)
	}
	for _, r := range out.Readings {
		if r.Value < 0.1 || r.Value > 5000 {
			t.Errorf("%s: %g GB/s", r.Measure, r.Value)
		}
	}
	if out.Negotiated["memory.arrays"] == "" || len(out.Readings) != 2 {
		t.Errorf("%+v", out)
	}
}
