package agent

import (
	"testing"

	"durvek/core/record"
)

// A request that is looked at again keeps its name, so that a person's answer is not for another one; another setup or text is another request.
func TestARequestKeepsItsName(t *testing.T) {
	w := &worker{joined: record.Joined{Sitting: "s"}}
	first := w.request("battery", "Unplug it")
	if again := w.request("battery", "Unplug it"); *again != *first || first.ID != "s-1" || !first.Now {
		t.Errorf("%+v, then %+v", first, again)
	}
	if other := w.request("battery", "Unplug it, please"); other.ID != "s-2" {
		t.Errorf("another text: %+v", other)
	}
	if other := w.request("fast-mode", "Unplug it, please"); other.ID != "s-3" {
		t.Errorf("another setup: %+v", other)
	}
	first.Text = "changed"
	if w.asked.Text == "changed" {
		t.Error("who was asked can change what is asked")
	}
}
