package cli

import (
	"bytes"
	"fmt"
	"image"
	_ "image/png"
	"strings"
)

// painted draws a picture on a terminal of so many columns: half a block of a line is a pixel, the upper half in the
// letter's colour, the lower one in the ground's. "" for what is no picture.
func painted(data []byte, columns int) string {
	im, _, err := image.Decode(bytes.NewReader(data))
	if err != nil || columns < 8 {
		return ""
	}
	size := im.Bounds().Size()
	w := min(columns, size.X)
	h := max(2, size.Y*w/size.X/2*2)
	at := func(x, y int) (r, g, b uint32) {
		r, g, b, _ = im.At(x*size.X/w, y*size.Y/h).RGBA()
		return r >> 8, g >> 8, b >> 8
	}
	var out strings.Builder
	for y := 0; y < h; y += 2 {
		for x := range w {
			r, g, b := at(x, y)
			u, v, z := at(x, y+1)
			fmt.Fprintf(&out, "\x1b[38;2;%d;%d;%dm\x1b[48;2;%d;%d;%dm▀", r, g, b, u, v, z)
		}
		out.WriteString("\x1b[0m\n")
	}
	return out.String()
}
