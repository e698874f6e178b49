package analyse

import "testing"

// Other programs that took half of the processor come before anything that the trace shows.
func TestCrowded(t *testing.T) {
	for told, want := range map[string]bool{"": false, "49 %": false, "50 %": true, "90 %": true, "much": false,
		"90": false} {
		l, ok := Crowded(map[string]string{"load.background": told})
		if ok != want || ok && (l.Label != "other programs" || l.Why == "") {
			t.Errorf("%q: %+v, %v", told, l, ok)
		}
	}
}
