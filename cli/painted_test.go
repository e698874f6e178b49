package cli

import (
	"bytes"
	"image"
	"image/color"
	"image/png"
	"strings"
	"testing"
)

func TestAPictureOnATerminal(t *testing.T) {
	im := image.NewRGBA(image.Rect(0, 0, 20, 10))
	for y := range 10 {
		for x := range 20 {
			im.Set(x, y, color.RGBA{uint8(10 * x), uint8(20 * y), 7, 255})
		}
	}
	var b bytes.Buffer
	if err := png.Encode(&b, im); err != nil {
		t.Fatal(err)
	}
	got := painted(b.Bytes(), 80)
	lines := strings.Split(strings.TrimSpace(got), "\n")
	if len(lines) != 5 || strings.Count(lines[0], "▀") != 20 ||
		!strings.HasPrefix(lines[0], "\x1b[38;2;0;0;7m\x1b[48;2;0;20;7m▀") || !strings.HasSuffix(lines[4], "\x1b[0m") {
		t.Errorf("%d lines, %q", len(lines), lines[0])
	}
	if narrow := strings.Split(strings.TrimSpace(painted(b.Bytes(), 10)), "\n"); len(narrow) != 2 ||
		strings.Count(narrow[0], "▀") != 10 {
		t.Errorf("%d lines of %d", len(narrow), strings.Count(narrow[0], "▀"))
	}
	if painted([]byte("no picture"), 80)+painted(b.Bytes(), 7)+painted(nil, 80) != "" {
		t.Error("what is no picture, or has no room, is drawn")
	}
}
