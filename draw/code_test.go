package draw_test

import (
	"encoding/xml"
	"strings"
	"testing"

	"durvek/draw"
)

func TestACodeHasItsFindersAndQuietZone(t *testing.T) {
	const link = "http://192.168.1.20:8460/probe/#K7QF-2M3X"
	c, err := draw.NewCode(link)
	if err != nil {
		t.Fatal(err)
	}
	n := len(c)
	if n < 25+8 || (n-8-17)%4 != 0 {
		t.Fatalf("a code of %d modules is of no version", n-8)
	}
	finder := []string{"1111111", "1000001", "1011101", "1011101", "1011101", "1000001", "1111111"} // ISO/IEC 18004, 6.3.3
	for _, at := range [][2]int{{4, 4}, {n - 11, 4}, {4, n - 11}} {
		for y, row := range finder {
			for x, want := range row {
				if c[at[1]+y][at[0]+x] != (want == '1') {
					t.Fatalf("the finder at %v is broken in row %d", at, y)
				}
			}
		}
	}
	for i := range n {
		for k := range 4 {
			if c[k][i] || c[n-1-k][i] || c[i][k] || c[i][n-1-k] {
				t.Fatal("the quiet zone is not quiet")
			}
		}
	}
	svg := string(c.SVG(link + "<&>"))
	if err := xml.Unmarshal([]byte(svg), new(struct{ XMLName xml.Name })); err != nil || !strings.Contains(svg,
		"&lt;&amp;&gt;</title>") {
		t.Errorf("%v: %.120s", err, svg)
	}
	lines := strings.Split(strings.TrimRight(c.Text(), "\n"), "\n")
	if len(lines) != (n+1)/2 || len([]rune(lines[0])) != n || strings.Trim(lines[0], "█") != "" {
		t.Errorf("%d lines for %d rows:\n%s", len(lines), n, c.Text())
	}
	if _, err := draw.NewCode(strings.Repeat("x", 8000)); err == nil {
		t.Error("8,000 characters fit into a code")
	}
}
