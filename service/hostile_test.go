package service_test

import (
	"database/sql"
	"durvek/api"
	"durvek/client"
	"durvek/core/record"
	"durvek/desk"
	"durvek/desk/results"
	"durvek/service"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"path/filepath"
	"strings"
	"testing"
	"time"
)

func TestBodiesHaveLimitsByRouteAndFaultsAreFew(t *testing.T) {
	r := start(t)
	send := func(path, body string) (int, string) {
		t.Helper()
		req, err := http.NewRequest(http.MethodPost, r.c.Server+path, strings.NewReader(body))
		must(t, err)
		req.Header.Set("Authorization", "Bearer "+r.token)
		req.Header.Set("Content-Type", "application/json")
		resp, err := http.DefaultClient.Do(req)
		must(t, err)
		defer resp.Body.Close()
		b, err := io.ReadAll(resp.Body)
		must(t, err)
		return resp.StatusCode, string(b)
	}
	big := `{"code":"` + strings.Repeat("x", 70<<10) + `"}`
	if status, _ := send("/api/agent/join", big); status != http.StatusRequestEntityTooLarge {
		t.Errorf("a join of 70 kB: %d", status)
	}
	many := `{"unit":"x","steps":[` + strings.Repeat(`{"x":[1,2,3]},`, 5000) + `{}]}`
	status, says := send("/api/plans", many)
	var p struct {
		Detail string
		Errors []any
	}
	must(t, json.Unmarshal([]byte(says), &p))
	if status != http.StatusUnprocessableEntity || len(p.Errors) != 50 || !strings.Contains(p.Detail,
		"the first 50 are told") ||
		len(says) > 20<<10 {
		t.Errorf("%d, %d faults, %d bytes: %s", status, len(p.Errors), len(says), p.Detail)
	}
	if status, says = send("/api/plans", `{"unit":"x","steps":[{"x":[1,2,3]}]}`); strings.Contains(says, "[1,2,3]") ||
		strings.Contains(says, "are told") {
		t.Errorf("a fault sends back what it came in: %d %s", status, says)
	}
}

// What is left of a body that nobody read is never taken for a request, with a length or in chunks.
func TestTheRestOfABodyIsNoRequest(t *testing.T) {
	at, d := guarded(t, service.Options{})
	token, err := d.Books.LocalToken(t.Context())
	must(t, err)
	inner := "GET /api/me HTTP/1.1\r\nHost: localhost\r\nAuthorization: Bearer " + token + "\r\n\r\n"
	for name, head := range map[string]string{
		"length": fmt.Sprintf("Content-Length: %d\r\n\r\n%s", len(inner), inner),
		"chunks": fmt.Sprintf("Transfer-Encoding: chunked\r\n\r\n%x\r\n%s\r\n0\r\n\r\n", len(inner), inner)} {
		c := half(t, at, "POST /api/dossiers HTTP/1.1\r\nHost: localhost\r\n"+head)
		c.SetReadDeadline(time.Now().Add(3 * time.Second))
		b, _ := io.ReadAll(c)
		if n := strings.Count(string(b), "HTTP/1.1 "); n != 1 || !strings.Contains(string(b), "401 ") {
			t.Errorf("%s: %d answers: %s", name, n, b)
		}
	}
}

func TestNumbersBeyondAllMeasureNeitherComeInNorSpoilAPage(t *testing.T) {
	r := start(t)
	ctx := t.Context()
	refused(t, send(r, "/api/dossiers", []byte(strings.Replace(dossier, "value: 12.5", "value: 1e308", 1))), 422,
		"1e308 is a number beyond all measure")
	must(t, send(r, "/api/dossiers", []byte(dossier)))
	typed := results.Typed{Test: "hashing", Subject: "fen-14-16-a", Readings: map[string]string{"all": "1e300 GB/s"}}
	_, err := client.Ask(ctx, r.c, api.TypeReadings, api.With(typed))
	refused(t, err, 422, "a number beyond all measure")
	j := joined(r, "hashing")
	run := record.Run{ID: desk.NewID(), Plan: j.Plan.ID, Sitting: j.Sitting, Test: "hashing",
		TestVersion: j.Tests[0].Version,
		Started:     time.Now(), Ended: time.Now(), Outcome: record.Done, Source: record.FromAgent,
		Readings: []record.Reading{{Measure: "all", State: record.OK, Value: 1e308}}}
	_, err = client.Ask(ctx, client.New(r.c.Server, j.Token), api.SendRun, api.With(run))
	refused(t, err, 422, "a number beyond all measure")
	// What stood there from before spoils one figure, not the page.
	db, err := sql.Open("sqlite", filepath.Join(r.dir, "durvek.db"))
	must(t, err)
	defer db.Close()
	_, err = db.Exec(`update claim set value = 1e308`)
	must(t, err)
	typed.Readings["all"] = "1e-17 GB/s"
	_, err = client.Ask(ctx, r.c, api.TypeReadings, api.With(typed))
	must(t, err)
	for _, path := range []string{"/api/models/fen-14", "/api/ledger", "/api/runs", "/api/claims?variant=fen-14-16",
		"/api/ranking?measure=hashing/all", "/api/index"} {
		var out any
		if err := r.c.Do(ctx, http.MethodGet, path, nil, nil, &out); err != nil && strings.Contains(err.Error(), "500") {
			t.Errorf("%s: %v", path, err)
		}
	}
}
