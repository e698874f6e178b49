package cli

import (
	"testing"

	"durvek/core/record"
)

func TestSpansAndBarsAtTheirEdges(t *testing.T) {
	for seconds, want := range map[float64]string{0: "0 s", 89.4: "89 s", 90: "2 min", 150: "2 min", 3600: "60 min",
		5399: "90 min", 5400: "1.5 h", 36000: "10.0 h"} {
		if got := leftText(seconds); got != want {
			t.Errorf("%g s: %q, want %q", seconds, got, want)
		}
	}
	for share, want := range map[float64]string{-1: "[    ]", 0: "[    ]", 0.12: "[    ]", 0.13: "[=   ]", 0.5: "[==  ]",
		0.87: "[=== ]", 0.88: "[====]", 1: "[====]", 7: "[====]"} {
		if got := bar(share, 4); got != want {
			t.Errorf("%g of a bar: %q, want %q", share, got, want)
		}
	}
}

func TestTheTimeLeftIsSaidWhereItIsKnown(t *testing.T) {
	for _, c := range []struct {
		p    record.Progress
		want string
	}{
		{record.Progress{Done: 0, Jobs: 40}, "39 more to go, their length is not known yet"},
		{record.Progress{Done: 0, Jobs: 40, Left: 1}, "about 1 s left"},
		{record.Progress{Done: 39, Jobs: 40}, "about 0 s left"}, {record.Progress{Done: 1, Jobs: 3, Left: 600},
			"about 10 min left"},
	} {
		if got := leftOf(c.p); got != c.want {
			t.Errorf("%+v: %q, want %q", c.p, got, c.want)
		}
	}
}

func TestBytesAreSaidInTheUnitThatFits(t *testing.T) {
	for n, want := range map[int64]string{0: "0 kB", 541_200: "541 kB", 999_000: "999 kB", 1_000_000: "1.00 MB",
		999_000_000: "999 MB", 1_000_000_000: "1.000 GB"} {
		if got := bytesText(n); got != want {
			t.Errorf("%d bytes are %q, not %q", n, got, want)
		}
	}
}
