package draw

import (
	"bytes"
	"testing"
)

func TestToy(t *testing.T) {
	b, err := SVG(dial{"Depth", "12 m"}, Options{})
	if err != nil || !bytes.Contains(b, []byte("Depth: 12 m")) {
		t.Errorf("%v\n%s", err, b)
	}
	if _, err := PNG(dial{"Depth", "12 m"}, Options{}); err != nil {
		t.Error(err)
	}
}
