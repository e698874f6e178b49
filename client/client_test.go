package client

import (
	"context"
	"errors"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"durvek/agent"
	"durvek/core/record"
)

// answering is a client of a server that always answers the same.
func answering(t *testing.T, status int, body string) *Client {
	t.Helper()
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Header.Get("Authorization") != "Bearer secret" && r.URL.Path != "/api/agent/join" {
			t.Errorf("%s came with %q", r.URL, r.Header.Get("Authorization"))
		}
		w.WriteHeader(status)
		w.Write([]byte(body))
	}))
	t.Cleanup(s.Close)
	return New(s.URL+"/", "secret")
}

func TestAProblemIsReadableWithAllItsFaults(t *testing.T) {
	c := answering(t, 422, `{"status": 422, "title": "Unprocessable", "detail": "Two faults.", "errors": [{"location": "line 3, column 5", "message": "no such kind", "value": "model.kind"}, {"location": "body.name", "message": "required"}]}`)
	_, err := Get[any](context.Background(), c, "/api/x", nil)
	var p *Problem
	if !errors.As(err, &p) || p.Status != 422 {
		t.Fatal(err)
	}
	want := "Two faults.\n  line 3, column 5 (model.kind): no such kind\n  name: required"
	if p.Error() != want {
		t.Errorf("%q, want %q", p.Error(), want)
	}
	_, err = Get[any](context.Background(), answering(t, 502, "<html>bad gateway"), "/api/x", nil)
	if !errors.As(err, &p) || p.Status != 502 || !strings.Contains(p.Error(), "bad gateway") {
		t.Errorf("an answer that is no problem document: %v", err)
	}
}

func TestWhatNoTryWillChangeIsRefused(t *testing.T) {
	for status, refused := range map[int]bool{200: false, 401: true, 404: true, 409: true, 422: true, 408: false,
		429: false, 500: false, 503: false} {
		err := answering(t, status, `{"fresh": true}`).SendRun(context.Background(), "secret", record.Run{})
		if errors.Is(err, agent.ErrRefused) != refused {
			t.Errorf("status %d: %v", status, err)
		}
		if (err == nil) != (status == 200) {
			t.Errorf("status %d: %v", status, err)
		}
	}
}

func TestAServiceThatIsNotThere(t *testing.T) {
	c := New("http://127.0.0.1:1", "x")
	err := c.SendRun(context.Background(), "x", record.Run{})
	if !errors.Is(err, ErrUnreachable) || errors.Is(err, agent.ErrRefused) || !strings.Contains(err.Error(),
		"http://127.0.0.1:1") {
		t.Error(err)
	}
	if _, err := Get[any](context.Background(), New("::", ""), "/", nil); err == nil {
		t.Error("an address that is none was taken")
	}
}

func TestBytesAndQueriesPass(t *testing.T) {
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		b := make([]byte, 5)
		r.Body.Read(b)
		w.Write([]byte(r.Header.Get("Content-Type") + "|" + string(b) + "|" + r.URL.RawQuery + "|" + r.URL.EscapedPath()))
	}))
	defer s.Close()
	var out []byte
	err := New(s.URL, "").Do(context.Background(), http.MethodPost, "/api/"+Slug("a/b c"), Query("x", "1 &", "none", "",
		"n", Number(3)), []byte("bytes"), &out)
	if err != nil || string(out) != "application/octet-stream|bytes|n=3&x=1+%26|/api/a%2Fb%20c" {
		t.Errorf("%s, %v", out, err)
	}
	var v struct{}
	if err := New(s.URL, "").Do(context.Background(), http.MethodGet, "/x", nil, nil, &v); err == nil ||
		!strings.Contains(err.Error(), "could not be read") {
		t.Errorf("an answer that is not JSON: %v", err)
	}
}
