package pages

import "testing"

func TestAnyBufferIsTakenAndStaysWhatItIs(t *testing.T) {
	Prefer([]byte(nil))
	Prefer(make([]byte, 10))
	big := make([]float64, 3*Large/8+5)
	Prefer(big)
	for i := range big {
		if big[i] != 0 {
			t.Fatal("a fresh buffer is not empty")
		}
		big[i] = float64(i)
	}
	Prefer(big)
	for i, v := range big {
		if v != float64(i) {
			t.Fatalf("element %d became %g", i, v)
		}
	}
}
