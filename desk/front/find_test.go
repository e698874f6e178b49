package front

import "testing"

func TestHowWellATypedWordFits(t *testing.T) {
	for _, c := range []struct {
		typed, word string
		want        float64
	}{
		{"skiff", "skiff", 1},
		{"sk", "skiff", 0.9},
		{"iff", "skiff", 0.7},
		{"ff", "skiff", 0},                 // too short to stand in the middle
		{"skifff", "skiff", 0.6},           // a letter too many
		{"skaff", "skiff", 0.6},            // one wrong of five
		{"skaf", "skiff", 0.5},             // one wrong of four, at the beginning
		{"ska", "skiff", 0},                // one wrong of three
		{"skoof", "skiff", 0},              // two wrong of five
		{"skfif", "skiff", 0.5},            // two that changed their places
		{"fne", "fen", 0.5},                // so in a short word
		{"fne", "fenland", 0.4},            // and at the beginning of one
		{"iksff", "skiff", 0},              // three that did
		{"compresoin", "compression", 0.5}, // two wrong of ten
		{"kompresoin", "compression", 0},
		{"größe", "größe", 1},
	} {
		if got := alike(c.typed, c.word); got < c.want-1e-9 || got > c.want+1e-9 {
			t.Errorf("%q for %q: %g, want %g", c.typed, c.word, got, c.want)
		}
	}
}

func TestAllWordsMustFitAndEarlierNamesCountMore(t *testing.T) {
	if fits([]string{"fen", "ardnoe"}, "Selvane Fen 14", "laptop") != 0 {
		t.Error("one word alone fits")
	}
	name, note := fits([]string{"laptop"}, "laptop", ""), fits([]string{"laptop"}, "Fen", "laptop")
	front, behind := fits([]string{"fen"}, "Fen 14"), fits([]string{"fen"}, "Selvane Fen 14")
	if name <= note || note <= 0 || front <= behind || behind <= 0 {
		t.Errorf("name %g, note %g, first word %g, second %g", name, note, front, behind)
	}
	both, one := fits([]string{"selvane", "fen"}, "Selvane Fen 14"), fits([]string{"selvane", "fe"}, "Selvane Fen 14")
	if both <= one {
		t.Errorf("whole words %g, a part of one %g", both, one)
	}
}
