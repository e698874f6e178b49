package picture

import (
	"encoding/base64"
	"fmt"
	"strings"
)

// Fields are the picture's as it is looked at from afar: so many across and down.
const (
	FieldsAcross = 16
	FieldsDown   = 9
)

// Coarse gives the mean colours of the picture's fields as a screen shows them, three for each, from sums of so many
// paths a pixel: what two ways of painting it must agree on.
func Coarse(sums []float32, paths int) []uint8 {
	const w, h = Width / FieldsAcross, Height / FieldsDown
	var out []uint8
	for f := range FieldsAcross * FieldsDown {
		var mean [3]float32
		for y := f / FieldsAcross * h; y < (f/FieldsAcross+1)*h; y++ {
			for x := f % FieldsAcross * w; x < (f%FieldsAcross+1)*w; x++ {
				for c := range mean {
					mean[c] += sums[3*(y*Width+x)+c]
				}
			}
		}
		for c := range mean {
			out = append(out, Shown(mean[c]/(w*h), paths))
		}
	}
	return out
}

// KnownPaths is of how many paths a pixel Known was made.
const KnownPaths = 256

// Known is what Coarse gives of the whole picture.
func Known() []uint8 {
	b, err := base64.StdEncoding.DecodeString(known)
	if err != nil {
		panic(err)
	}
	return b
}

// Page is the scene and its known colours as the probe's page reads them: the one description that both paint.
func Page() string {
	s := Harbour()
	var out strings.Builder
	list := func(name string, numbers ...float32) {
		fmt.Fprintf(&out, "export const %s = [", name)
		for i, n := range numbers {
			if i > 0 {
				out.WriteString(", ")
			}
			fmt.Fprintf(&out, "%g", n)
		}
		out.WriteString("]\n")
	}
	out.WriteString("// The harbour as workload/picture makes it; its test writes this file.\n")
	fmt.Fprintf(&out, "export const [width, height, bounces] = [%d, %d, %d]\n", Width, Height, Bounces)
	list("eye", eye[:]...)
	list("sun", sun[:]...)
	list("sunlight", sunlight[:]...)
	var materials, balls, boxes []float32
	for _, m := range s.Materials {
		materials = append(materials, m.R, m.G, m.B, float32(m.Kind))
	}
	for _, b := range s.Spheres {
		balls = append(balls, b.X, b.Y, b.Z, b.Radius, float32(b.Material), 0, 0, 0)
	}
	for _, b := range s.Boxes {
		boxes = append(boxes, b.Low[0], b.Low[1], b.Low[2], float32(b.Material), b.High[0], b.High[1], b.High[2], 0)
	}
	list("materials", materials...)
	list("balls", balls...)
	list("boxes", boxes...)
	fmt.Fprintf(&out, "/** mean colours of 16 × 9 fields, as a screen shows them */\nexport const known = '%s'\n", known)
	return out.String()
}
