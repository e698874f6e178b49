package desk

import "sync"

// Event is one thing that happened, for live views. Data is ready to be sent as JSON.
type Event struct {
	Name string `json:"name"`
	Data any    `json:"data"`
}

// Hub hands events to everyone who listens. A listener that does not keep up loses the oldest ones:
// each event only says what to look at again.
type Hub struct {
	mu        sync.Mutex
	listeners map[chan Event]bool
	closed    bool
}

func newHub() *Hub { return &Hub{listeners: map[chan Event]bool{}} }

// Listen gives a channel of events and a function that ends it. The channel is closed by either end.
func (h *Hub) Listen() (<-chan Event, func()) {
	ch := make(chan Event, 64)
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.closed {
		close(ch)
		return ch, func() {}
	}
	h.listeners[ch] = true
	return ch, func() {
		h.mu.Lock()
		defer h.mu.Unlock()
		if h.listeners[ch] {
			delete(h.listeners, ch)
			close(ch)
		}
	}
}

// Send hands an event to all listeners without waiting.
func (h *Hub) Send(e Event) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for ch := range h.listeners {
		select {
		case ch <- e:
		default:
			select {
			case <-ch:
			default:
			}
			select {
			case ch <- e:
			default:
			}
		}
	}
}

// Listeners is how many listen.
func (h *Hub) Listeners() int {
	h.mu.Lock()
	defer h.mu.Unlock()
	return len(h.listeners)
}

// Close ends all listeners.
func (h *Hub) Close() {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.closed = true
	for ch := range h.listeners {
		delete(h.listeners, ch)
		close(ch)
	}
}
