package draw

import (
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"

	"durvek/core/chart"
	"durvek/internal/golden"
)

var (
	elements = regexp.MustCompile(`<([a-z]+)[ >]`)
	places   = regexp.MustCompile(` (?:x|y|x1|x2|y1|y2|cx|cy|r|width|height|d|points|font-size)="([^"]*)"`)
	figures  = regexp.MustCompile(`-?[0-9]+(?:\.[0-9]+)?`)
)

// laidOut says of a picture how many elements of each kind it has, and the sum of all their coordinates and sizes: a
// part that moves, grows or goes changes it.
func laidOut(svg string) string {
	kinds, sum := map[string]int{}, 0.0
	for _, e := range elements.FindAllStringSubmatch(svg, -1) {
		kinds[e[1]]++
	}
	for _, p := range places.FindAllStringSubmatch(svg, -1) {
		for _, n := range figures.FindAllString(p[1], -1) {
			v, _ := strconv.ParseFloat(n, 64)
			sum += v
		}
	}
	var said []string
	for _, k := range slices.Sorted(maps.Keys(kinds)) {
		said = append(said, fmt.Sprint(kinds[k], " ", k))
	}
	return fmt.Sprintf("%s; %.0f in all", strings.Join(said, ", "), sum)
}

// Every picture in every format stays where it was until somebody has looked at it.
func TestEveryPictureInEveryFormat(t *testing.T) {
	long := sketch()
	for i := range 60 {
		r := long.Rows[i%len(long.Rows)]
		r.ID, r.Name = fmt.Sprint("more-", i), fmt.Sprint("Variant ", i)
		long.Rows = append(long.Rows, r)
	}
	dots := sketch()
	dots.Dots = true
	all := map[string]chart.Picture{"bars": sketch(), "long bars": long, "dots": dots, "forest": forestSketch(),
		"scatter": scatterSketch(), "lines": linesSketch(), "side": sideSketch(), "card": chart.Card{Title: "Selvane Fen 14",
			Lead: "Quick exports, short watches, and a screen that keeps what it promises.", Tag: "recommended",
			Keys: []chart.CardKey{{Name: "Battery life", Value: "11 h 13 min", Place: "fourth of 12"},
				{Name: "Weight", Value: "1.286 kg"}, {Name: "Screen luminance", Value: "495 cd/m²"}},
			For: []string{"Light", "Bright"}, Not: []string{"Loud under load"}, Foot: "Marram Desk."}}
	maps.Copy(all, rawSketches())
	out := map[string]string{}
	for name, c := range all {
		for format := range Formats {
			for dark, look := range map[bool]string{false: "light", true: "dark"} {
				if dark && format != "column" {
					continue
				}
				svg, err := SVG(c, Options{Format: format, Dark: dark})
				if err != nil {
					t.Fatal(err)
				}
				out[fmt.Sprintf("%s, %s, %s", name, format, look)] = laidOut(string(svg))
			}
		}
	}
	golden.JSON(t, "layouts.json", out)
}
