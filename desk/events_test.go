package desk

import "testing"

func TestListenersThatSleepLoseTheOldestNotTheService(t *testing.T) {
	h := newHub()
	slow, end := h.Listen()
	for i := range 500 {
		h.Send(Event{"n", i})
	}
	first := (<-slow).Data.(int)
	if first < 400 {
		t.Errorf("the first kept event is %d, want one of the newest", first)
	}
	end()
	end() // twice is no harm
	for range slow {
	}
	other, _ := h.Listen()
	h.Close()
	if _, open := <-other; open {
		t.Error("a closed hub still sends")
	}
	if late, _ := h.Listen(); late == nil {
		t.Error("no channel from a closed hub")
	} else if _, open := <-late; open {
		t.Error("a closed hub takes listeners")
	}
}
