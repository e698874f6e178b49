package service_test

import (
	"errors"
	"net/http"
	"os"
	"strings"
	"testing"
	"time"

	"durvek/desk"
	"durvek/desk/house"
	"durvek/service"
)

func TestAServiceTellsHowItIs(t *testing.T) {
	r := start(t)
	for _, path := range []string{"/api/models", "/api/models/none", "/api/models/other"} {
		var out any
		r.c.Do(t.Context(), http.MethodGet, path, nil, nil, &out)
	}
	r.desk.Figures.Wait()
	ready, resp := read(t, http.DefaultClient, r.c.Server+"/readyz")
	if resp.StatusCode != 200 || !strings.Contains(ready, `"matrix":"ok"`) {
		t.Errorf("%d %s", resp.StatusCode, ready)
	}
	text, resp := read(t, http.DefaultClient, r.c.Server+"/metrics")
	if resp.StatusCode != 200 {
		t.Fatal(resp.Status)
	}
	for _, want := range []string{`durvek_requests_total{route="/api/models",status="200",verb="GET"} 1`,
		`durvek_requests_total{route="/api/models/:slug",status="404",verb="GET"} 2`, "durvek_agents 0",
		`durvek_request_seconds_count{route="/api/models/:slug"} 2`, "go_goroutines", "durvek_matrix_revision",
		"durvek_listeners"} {
		if !strings.Contains(text, want) {
			t.Errorf("metrics lack %s", want)
		}
	}
	if strings.Contains(text, "none") {
		t.Error("an address, which has no end of values, counts as a route")
	}
}

func TestAServiceThatCannotWorkIsNotReady(t *testing.T) {
	dir := t.TempDir()
	d, err := house.Open(t.Context(), house.Options{Options: desk.Options{Dir: dir}})
	must(t, err)
	d.Figures.Wait()
	at, _ := guardedWith(t, d, service.Options{})
	must(t, d.Desk.Store.Close())
	says, resp := read(t, http.DefaultClient, "http://"+at+"/readyz")
	if resp.StatusCode != http.StatusServiceUnavailable || !strings.Contains(says, "does not answer") {
		t.Errorf("%d %s", resp.StatusCode, says)
	}
	if alive, resp := read(t, http.DefaultClient, "http://"+at+"/healthz"); resp.StatusCode != 200 {
		t.Errorf("%d %s", resp.StatusCode, alive)
	}
	must(t, os.RemoveAll(dir))
	for end := time.Now().Add(10 * time.Second); ; { // it looks once a second
		says, _ = read(t, http.DefaultClient, "http://"+at+"/readyz")
		if strings.Contains(says, "nothing can be written") {
			break
		}
		if time.Now().After(end) {
			t.Fatal(says)
		}
	}
}

func TestBackupsAreCounted(t *testing.T) {
	d, err := house.Open(t.Context(), house.Options{Options: desk.Options{Dir: t.TempDir()}})
	must(t, err)
	at, s := guardedWith(t, d, service.Options{})
	for _, err := range []error{nil, nil, errors.New("no room")} {
		s.BackedUp(err)
	}
	text, _ := read(t, http.DefaultClient, "http://"+at+"/metrics")
	for _, want := range []string{`durvek_backups_total{outcome="made"} 2`, `durvek_backups_total{outcome="failed"} 1`} {
		if !strings.Contains(text, want) {
			t.Errorf("metrics lack %s", want)
		}
	}
}
