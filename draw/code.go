package draw

import (
	"fmt"
	"image/color"
	"strings"

	"github.com/boombuler/barcode/qr"
)

// Code is a text as a QR code (ISO/IEC 18004, error correction M): its modules row by row, true where dark,
// with the quiet zone of four around them.
type Code [][]bool

const quiet = 4

// NewCode encodes a text; it fails for one that is too long for any code.
func NewCode(text string) (Code, error) {
	b, err := qr.Encode(text, qr.M, qr.Auto)
	if err != nil {
		return nil, fmt.Errorf("make a QR code of %d characters: %w", len(text), err)
	}
	n := b.Bounds().Dx()
	out := make(Code, n+2*quiet)
	for y := range out {
		out[y] = make([]bool, n+2*quiet)
	}
	for y := range n {
		for x := range n {
			out[y+quiet][x+quiet] = color.GrayModel.Convert(b.At(x, y)).(color.Gray).Y < 128
		}
	}
	return out, nil
}

// SVG draws the code with one unit a module, dark on light in every theme, since cameras expect that.
func (c Code) SVG(title string) []byte {
	var b strings.Builder
	fmt.Fprintf(&b, `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 %d %d" role="img" shape-rendering="crispEdges"><title>%s</title><rect width="100%%" height="100%%" fill="#fff"/><path fill="#12232E" d="`, len(c), len(c), escape(title))
	for y, row := range c {
		for x := 0; x < len(row); x++ {
			if !row[x] {
				continue
			}
			from := x
			for x+1 < len(row) && row[x+1] {
				x++
			}
			fmt.Fprintf(&b, "M%d %dh%dv1H%dz", from, y, x-from+1, from)
		}
	}
	b.WriteString(`"/></svg>`)
	return []byte(b.String())
}

// Text draws the code for a terminal, two rows a line; light is drawn, since terminals are mostly dark.
func (c Code) Text() string {
	var b strings.Builder
	for y := 0; y < len(c); y += 2 {
		for x := range c[y] {
			above, below := c[y][x], y+1 >= len(c) || c[y+1][x]
			b.WriteString(map[[2]bool]string{{false, false}: "█", {false, true}: "▀", {true, false}: "▄",
				{true, true}: " "}[[2]bool{above, below}])
		}
		b.WriteByte('\n')
	}
	return b.String()
}
