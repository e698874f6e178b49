package record

import "time"

// Noted is a line of the journal: who did what, to what, when.
type Noted struct {
	ID      int64     `json:"id"`
	At      time.Time `json:"at"`
	By      string    `json:"by"`
	Act     string    `json:"act"`
	Subject string    `json:"subject"`
	Detail  string    `json:"detail,omitempty"`
}
