package analyse

import (
	"testing"
	"time"

	"durvek/internal/mutants"
)

func FuzzReadLog(f *testing.F) {
	for _, s := range []string{"seconds,power.wall [W]\n1,2\n2,3\n",
		"time;noise [dB(A)]\n2026-11-23T10:00:00Z;31\n2026-11-23T10:00:01Z;\n", "seconds,a,b\n1,\n", "seconds\n",
		"seconds,a\n\"x\n", "seconds,a\n1,\"2\"3\n", "\ufeffseconds,x\n-1,1e300\n0,NaN\n"} {
		mutants.Add(f, []byte(s))
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		x, err := ReadLog(data, time.Date(2026, 11, 23, 10, 0, 0, 0, time.UTC))
		if err != nil {
			return
		}
		for i, at := range x.Times {
			if i > 0 && at <= x.Times[i-1] {
				t.Fatal("times do not rise")
			}
		}
		if len(x.Times) < 2 || len(x.Values) != len(x.Channels) {
			t.Fatalf("%d moments, %d channels, %d columns", len(x.Times), len(x.Channels), len(x.Values))
		}
	})
}
