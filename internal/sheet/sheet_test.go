package sheet

import (
	"strings"
	"testing"
)

func TestWhatASpreadsheetWouldRunIsDefused(t *testing.T) {
	for was, want := range map[string]string{"": "", "Fen 14": "Fen 14", "=1+1": "'=1+1", "+49 30": "'+49 30",
		"-3.5": "-3.5",
		"+3":   "+3", "-1e-3": "-1e-3", "-": "'-", "-3 dB": "'-3 dB", "@sum": "'@sum", "\t=1": "'\t=1", "\r=1": "'\r=1",
		"'quoted": "'quoted", "a=1": "a=1", "-Inf": "-Inf"} {
		if got := Cell(was); got != want {
			t.Errorf("%q is written as %q", was, got)
		}
		if back := Text(Cell(was)); back != was {
			t.Errorf("%q comes back as %q", was, back)
		}
	}
	var b strings.Builder
	w := NewWriter(&b)
	if err := w.WriteAll([][]string{{"=HYPERLINK(\"x\")", "-2", "plain, too"}}); err != nil {
		t.Fatal(err)
	}
	if b.String() != "\"'=HYPERLINK(\"\"x\"\")\",-2,\"plain, too\"\n" {
		t.Errorf("%q", b.String())
	}
}
