package client

import (
	"context"
	"errors"
	"net/http"
	"net/http/httptest"
	"testing"
)

// Whatever a service answers, the client says what it was or that it cannot be read.
func FuzzAnswer(f *testing.F) {
	f.Add(422, []byte(`{"status":422,"detail":"no","errors":[{"message":"m","location":"line 1, column 2","value":"x"}]}`))
	f.Add(200, []byte(`{"a":`))
	f.Add(500, []byte("<html>"))
	f.Fuzz(func(t *testing.T, status int, body []byte) {
		if status < 200 || status > 599 {
			return
		}
		s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
			w.WriteHeader(status)
			w.Write(body)
		}))
		defer s.Close()
		var out map[string]any
		err := New(s.URL, "").AtMost(1<<20).Do(context.Background(), http.MethodPost, "/x", nil, map[string]int{"a": 1}, &out)
		var p *Problem
		if status >= 300 && !errors.As(err, &p) && !errors.Is(err, ErrUnreachable) {
			t.Fatalf("%d: %v", status, err)
		}
		if err != nil && err.Error() == "" {
			t.Fatalf("%d is refused without a word", status)
		}
	})
}
