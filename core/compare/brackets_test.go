package compare

import "testing"

func TestUnitsKeepTheirBracketsWithinBrackets(t *testing.T) {
	for phrase, want := range map[string]string{"7.3 dB(A) quieter": "7.3 dB(A) quieter", "3 % faster": "3 % faster",
		"lasts 2 h shorter (18 %)": "lasts 2 h shorter, 18 %"} {
		if got := unbracketed(phrase); got != want {
			t.Errorf("%q within brackets is %q, want %q", phrase, got, want)
		}
	}
}
