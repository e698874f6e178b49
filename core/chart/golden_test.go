package chart

import (
	"fmt"
	"testing"

	"durvek/internal/golden"
)

// The words, tables and axes of every kind of picture, as somebody read them.
func TestPicturesInWordsTablesAndAxes(t *testing.T) {
	words := map[string]any{}
	for name, p := range pictures() {
		text := ""
		switch p := p.(type) {
		case Ranked:
			text = p.Describe()
		case Forest:
			text = p.Describe()
		case Scatter:
			text = p.Describe()
		case Lines:
			text = p.Describe()
		}
		words[name] = map[string]any{"words": text, "table": p.Table()}
	}
	axes := map[string][]float64{}
	for _, log := range []bool{false, true} {
		f := Forest{Log: log}
		for _, c := range [][2]float64{{-5, 8}, {-30, 60}, {-55, 110}, {-80, 500}, {-95, 1200}} {
			axes[fmt.Sprint(log, " ", c)] = f.Ticks(c[0], c[1])
		}
	}
	golden.JSON(t, "pictures.json", map[string]any{"pictures": words, "axes": axes})
}
