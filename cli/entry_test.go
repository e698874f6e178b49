package cli_test

import (
	"encoding/json"
	"net/http"
	"path/filepath"
	"strings"
	"testing"
)

// Who asks to be let in is listed, let in by the number that stands before them, or turned away.
func TestAnOwnerLetsInWhoAsks(t *testing.T) {
	home := t.TempDir()
	data := filepath.Join(home, "desk")
	server, _ := serveAs(t, data, "Kelp Bench")
	asks := func(name string) string {
		t.Helper()
		r, err := http.Post(server+"/api/entry/asks", "application/json", strings.NewReader(`{"name":"`+name+`"}`))
		must(err)
		defer r.Body.Close()
		var said struct{ Number string }
		must(json.NewDecoder(r.Body).Decode(&said))
		return said.Number
	}
	do := func(args ...string) result {
		t.Helper()
		return call(t, home, append([]string{"--data", data, "person"}, args...)...)
	}
	first, second := asks("Wilma"), asks("Nobody")
	do("waiting").want(t, 0, first+"	Wilma	127.0.0.1", second+"	Nobody")
	do("admit", first).want(t, 1, "Wilma")
	do("admit", first, "--role", "captain").want(t, 2, "it is one of")
	do("admit", first, "--role", "reader").want(t, 0, "Wilma is let in.")
	do("list").want(t, 0, "Wilma	reader")
	do("admit", first).want(t, 1, "nobody waits to be let in")
	do("turn-away", second).want(t, 0, "Whoever asked is turned away.")

	// By the command line on another computer, which waits.
	elsewhere := t.TempDir()
	call(t, elsewhere, "sign-in", "ask", "desk", "--name", "Odo").want(t, 2, "is no address of a service")
	call(t, elsewhere, "sign-in", "ask", server).want(t, 2, "name")
	waits := make(chan result)
	go func() { waits <- call(t, elsewhere, "sign-in", "ask", server, "--name", "Odo") }()
	number := ""
	for number == "" {
		if lines := strings.Split(do("waiting").out, "\n"); len(lines) > 1 && strings.Contains(lines[1], "Odo") {
			number, _, _ = strings.Cut(lines[1], "\t")
		}
	}
	do("admit", number, "--person", "Wilma").want(t, 0, "Odo is let in.")
	(<-waits).want(t, 0, "this number: "+number, "Signed in to "+server)
	call(t, elsewhere, "measure", "list").want(t, 0, "hashing/all")
	if out := do("waiting").out; strings.Contains(out, "Wilma") || strings.Contains(out, "Nobody") {
		t.Error(out)
	}
}
