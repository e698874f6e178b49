package memory

import (
	"context"
	"errors"
	"math"
	"os"
	"path/filepath"
	"reflect"
	"slices"
	"strings"
	"testing"

	"durvek/core/record"
	"durvek/workload"
)

func TestTheKernelsComputeRight(t *testing.T) {
	x, free, err := NewArrays(4096)
	if err != nil {
		t.Fatal(err)
	}
	defer free()
	for i := range x.B {
		x.B[i], x.C[i] = float64(i), float64(2*i)
	}
	MultiplyAdd(x.A, x.B, x.C, 3)
	for i, v := range x.A {
		if v != float64(7*i) {
			t.Fatalf("a[%d] = %g, want %d", i, v, 7*i)
		}
	}
	Copy(x.A, x.C)
	if !slices.Equal(x.A, x.C) {
		t.Error("the copy differs")
	}
	Fill(x.A[1:], 4)
	if x.A[0] != 0 || slices.ContainsFunc(x.A[1:], func(v float64) bool { return v != 4 }) {
		t.Error("the fill missed an element")
	}
	if n := Scan(x.B); n != 8*len(x.B) {
		t.Errorf("%d bytes read", n)
	}
	x.B[100] = math.Inf(-1) // its highest byte has all bits set
	if n := Scan(x.B); n != 8*100+7 {
		t.Errorf("a changed byte was met after %d", n)
	}
}

func TestMemoryRunsForReal(t *testing.T) {
	if testing.Short() {
		t.Skip("it measures for real")
	}
	for _, slug := range []string{"memory-bandwidth", "memory-latency"} {
		w, _ := workload.Find(slug)
		out, err := w.Execute(context.Background(), workload.Env{Seconds: 0.05, Memory: 1 << 30})
		if err != nil {
			t.Fatal(err)
		}
		if len(out.Readings) != len(w.Test.Measures) || out.Negotiated["scaled.down"] == "" {
			t.Errorf("%s: %+v", slug, out)
		}
		for _, r := range out.Readings {
			m, _ := w.Test.Measure(r.Measure)
			if why := r.Check(m); why != "" || r.State == record.OK && m.Unit == "GBy/s" && r.Value > 5000 {
				t.Errorf("%s %s: %g %s", slug, r.Measure, r.Value, why)
			}
		}
		switch slug {
		case "memory-bandwidth":
			if out.Observed["option.array"] != "64 MiB" { // a twelfth of 1 GiB holds 64 MiB
				t.Errorf("scaled to %s", out.Observed["option.array"])
			}
		case "memory-latency":
			c := out.Series[0]
			last := len(c.Times) - 1
			if c.Along != "By" || c.Times[0] != 4096 || c.Times[last] != 256<<20 || c.Values[last] < 3*c.Values[0] {
				t.Errorf("a curve from %g to %g bytes, %g to %g ns", c.Times[0], c.Times[last], c.Values[0], c.Values[last])
			}
		}
		if _, err := w.Execute(context.Background(), workload.Env{Memory: 8 << 20}); !errors.Is(err, record.ErrNotRun) ||
			!strings.Contains(err.Error(), "free memory") {
			t.Errorf("%s in 8 MiB: %v", slug, err)
		}
	}
}

func TestAWalkIsOneCycleThroughAllLines(t *testing.T) {
	const lines = 1000
	set := make([]uint32, lines*words)
	if _, err := walk(context.Background(), set, lines); err != nil {
		t.Fatal(err)
	}
	seen := map[uint32]bool{}
	at := uint32(0)
	for range lines {
		if seen[at] || at%words != 0 {
			t.Fatalf("place %d comes twice or lies inside a line", at)
		}
		seen[at] = true
		at = follow(set, at, 1)
	}
	if at != 0 {
		t.Errorf("the cycle ends at %d", at)
	}
}

func TestTheCachesAreReadAsTheSystemTellsThem(t *testing.T) {
	root := t.TempDir()
	for name, content := range map[string]string{
		"index0/level": "1", "index0/type": "Data", "index0/size": "48K", "index1/level": "1", "index1/type": "Instruction",
		"index1/size": "32K",
		// its size is not told
		"index2/level": "2", "index2/type": "Unified", "index2/size": "2048K", "index3/level": "3", "index3/type": "Unified",
	} {
		os.MkdirAll(filepath.Join(root, filepath.Dir(name)), 0o755)
		os.WriteFile(filepath.Join(root, name), []byte(content+"\n"), 0o644)
	}
	got := cachesTold(root)
	if want := map[string]string{"cache.level1": "48 KiB", "cache.level2": "2048 KiB"}; !reflect.DeepEqual(got, want) {
		t.Errorf("%v, want %v", got, want)
	}
	if got := cachesTold(filepath.Join(root, "none")); len(got) != 0 {
		t.Errorf("a system that tells nothing gave %v", got)
	}
}
