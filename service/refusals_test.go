package service_test

import (
	"net/http"
	"strings"
	"testing"
)

// What does not fit the API's description is named, with what would fit; beyond fifty faults only their number is told.
func TestWhatDoesNotFitIsSaidPlainly(t *testing.T) {
	r := start(t)
	for _, x := range []struct {
		path string
		in   map[string]any
		says string
	}{
		{"/api/devices", map[string]any{"kind": "laptop", "maker": "M"}, "name is missing"},
		{"/api/devices", map[string]any{"kind": "laptop", "maker": "", "name": "N"}, "maker: must not be empty"},
		{"/api/devices", map[string]any{"kind": "laptop", "maker": strings.Repeat("m", 81), "name": "N"},
			"maker: must have 80 characters or fewer"},
		{"/api/devices", map[string]any{"kind": "laptop", "maker": "M", "name": 3}, "name: must be text"},
		{"/api/devices", map[string]any{"kind": "laptop", "maker": "M", "name": "N", "origin": "found"},
			"origin: must be one of: bought, sent by maker, borrowed, own"},
		{"/api/devices", map[string]any{"kind": "laptop", "maker": "M", "name": "N", "colour": "red"},
			"colour: is not known here; mend its name or leave it out"},
		{"/api/rates", map[string]any{"from": "USD", "to": "EUR", "rate": "one", "date": "2026-03-02"},
			"rate: must be a number"},
		{"/api/rates", map[string]any{"from": "usd", "to": "EUR", "rate": 1, "date": "2026-03-02"},
			"from: must be three capital letters, such as EUR"},
		{"/api/fields", map[string]any{"slug": "f", "name": "f", "variants": "fen-14"}, "variants: must be a list"},
	} {
		refused(t, send(r, x.path, x.in), http.StatusUnprocessableEntity, "What was sent does not fit, so nothing was done.",
			"\n  "+x.says)
	}
	for n, says := range map[int]string{mostTold: "so nothing was done.", mostTold + 1: "done; 51 faults, of which the " +
		"first 50"} {
		wrong := map[string]any{"slug": "f", "name": "f", "variants": make([]int, n)}
		err := send(r, "/api/fields", wrong)
		refused(t, err, http.StatusUnprocessableEntity, says)
		if told := strings.Count(err.Error(), "must be text"); told != mostTold {
			t.Errorf("of %d faults %d are told", n, told)
		}
	}
}

const mostTold = 50
