package service_test

import (
	"compress/gzip"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strings"
	"testing"

	"durvek/api"
	"durvek/client"
	"durvek/core/catalog"
	"durvek/core/verdict"
	"durvek/store"
)

// asking sends a request with headers and reads the answer.
func asking(t *testing.T, r *running, method, path, body string, headers ...string) (*http.Response, string) {
	t.Helper()
	req, err := http.NewRequest(method, r.c.Server+path, strings.NewReader(body))
	must(t, err)
	req.Header.Set("Authorization", "Bearer "+r.token)
	req.Header.Set("Content-Type", "application/json")
	for i := 0; i+1 < len(headers); i += 2 {
		req.Header.Set(headers[i], headers[i+1])
	}
	resp, err := (&http.Transport{DisableCompression: true}).RoundTrip(req)
	must(t, err)
	defer resp.Body.Close()
	b, err := io.ReadAll(resp.Body)
	must(t, err)
	return resp, string(b)
}

func TestWhatIsMadeHasAPlace(t *testing.T) {
	r := start(t)
	must(t, send(r, "/api/dossiers", []byte(dossier)))
	resp, said := asking(t, r, "POST", "/api/plans", `{"unit":"fen-14-16-a","steps":[{"test":"hashing","repeats":1}]}`)
	at := resp.Header.Get("Location")
	if resp.StatusCode != http.StatusCreated || !strings.HasPrefix(at, "/api/plans/") {
		t.Fatalf("%d at %q: %s", resp.StatusCode, at, said)
	}
	if resp, said := asking(t, r, "GET", at, ""); resp.StatusCode != 200 {
		t.Errorf("%s leads to %d %s", at, resp.StatusCode, said)
	}
}

func TestARequestWithAKeyIsDoneOnce(t *testing.T) {
	r := start(t)
	must(t, send(r, "/api/dossiers", []byte(dossier)))
	plan := `{"unit":"fen-14-16-a","steps":[{"test":"hashing","repeats":1}]}`
	first, said := asking(t, r, "POST", "/api/plans", plan, "Idempotency-Key", "k1")
	again, same := asking(t, r, "POST", "/api/plans", plan, "Idempotency-Key", "k1")
	if first.StatusCode != 201 || again.StatusCode != 201 || said != same ||
		again.Header.Get("Idempotency-Replayed") != "true" ||
		again.Header.Get("Location") != first.Header.Get("Location") || first.Header.Get("Idempotency-Replayed") != "" {
		t.Errorf("%d %s, then %d %s", first.StatusCode, said, again.StatusCode, same)
	}
	other, said := asking(t, r, "POST", "/api/plans", strings.Replace(plan, ":1", ":2", 1), "Idempotency-Key", "k1")
	if other.StatusCode != 422 || !strings.Contains(said, "used for another request") {
		t.Errorf("%d %s", other.StatusCode, said)
	}
	// A refusal is an answer too, and a key is its person's; without one everything is done anew.
	for range 2 {
		if bad, _ := asking(t, r, "POST", "/api/plans", `{"unit":"nobody","steps":[]}`, "Idempotency-Key",
			"k2"); bad.StatusCode != 422 {
			t.Errorf("%d", bad.StatusCode)
		}
	}
	asking(t, r, "POST", "/api/plans", plan)
	if long, _ := asking(t, r, "POST", "/api/plans", plan, "Idempotency-Key", strings.Repeat("k",
		201)); long.StatusCode != 422 {
		t.Errorf("a key of 201 characters: %d", long.StatusCode)
	}
	r.down()
	r.up() // it is kept over a restart
	token, err := r.desk.Books.LocalToken(t.Context())
	must(t, err)
	r.token = token
	if again, same = asking(t, r, "POST", "/api/plans", plan, "Idempotency-Key",
		"k1"); again.Header.Get("Idempotency-Replayed") != "true" {
		t.Errorf("%d %s", again.StatusCode, same)
	}
	r.c = client.New("http://"+r.addr, token)
	plans, err := client.Ask(t.Context(), r.c, api.Bench, api.AtMost20{Limit: 20})
	if err != nil || len(plans) != 2 {
		t.Errorf("%d plans were made, want 2: %v", len(plans), err)
	}
}

// What lets somebody in stands in no database, whatever the request bears; who is not known keeps nothing there.
func TestAKeyKeepsNoSecret(t *testing.T) {
	r := start(t)
	must(t, send(r, "/api/dossiers", []byte(dossier)))
	_, plan := asking(t, r, "POST", "/api/plans", `{"unit":"fen-14-16-a","steps":[{"test":"hashing","repeats":1}]}`)
	var made struct{ ID string }
	must(t, json.Unmarshal([]byte(plan), &made))
	code, err := r.desk.Books.SignInCode(t.Context(), "")
	must(t, err)
	for path, body := range map[string]string{"/api/tokens": `{"name":"export"}`, "/api/sign-in-links": `{}`,
		"/api/plans/" + made.ID + "/codes": "", "/api/sign-in": `{"code":"` + code + `"}`} {
		resp, said := asking(t, r, "POST", path, body, "Idempotency-Key", "k")
		if resp.StatusCode >= 300 {
			t.Fatalf("%s: %d %s", path, resp.StatusCode, said)
		}
		again, _ := asking(t, r, "POST", path, body, "Idempotency-Key", "k")
		if again.Header.Get("Idempotency-Replayed") != "" {
			t.Errorf("%s: a secret is told twice", path)
		}
	}
	if _, err := r.desk.Desk.Store.AnswerTo(t.Context(), "Owner", "k"); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("an answer with a secret is kept: %v", err)
	}
	if _, err := r.desk.Desk.Store.AnswerTo(t.Context(), "", "k"); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("an answer to nobody is kept: %v", err)
	}
}

func TestAnswersArePackedAndNamed(t *testing.T) {
	r := start(t)
	for i := range 40 {
		_, err := client.Ask(t.Context(), r.c, api.AddModel, api.With(catalog.Model{Slug: fmt.Sprint("fen-", i),
			Maker: "Selvane",
			Name:  fmt.Sprint("Fen ", i), Kind: "laptop"}))
		must(t, err)
	}
	for _, path := range []string{"/api/models", "/api/ledger?by=maker"} {
		for range 2 { // anew, and as it was kept
			plain, body := asking(t, r, "GET", path, "")
			tag := plain.Header.Get("ETag")
			if plain.Header.Get("Content-Encoding") != "" || tag == "" {
				t.Errorf("%s: %v", path, plain.Header)
			}
			packed, small := asking(t, r, "GET", path, "", "Accept-Encoding", "br, gzip")
			if len(body) >= 1400 {
				z, err := gzip.NewReader(strings.NewReader(small))
				must(t, err)
				whole, err := io.ReadAll(z)
				if err != nil || string(whole) != body || packed.Header.Get("Content-Encoding") != "gzip" ||
					packed.Header.Get("Vary") != "Accept-Encoding" || packed.Header.Get("ETag") != tag || len(small) > len(body)/2 {
					t.Errorf("%s: %d bytes packed as %d, %v", path, len(body), len(small), packed.Header)
				}
			}
			if has, left := asking(t, r, "GET", path, "", "If-None-Match", `"x", `+tag); has.StatusCode != 304 || left != "" {
				t.Errorf("%s: who has it gets %d, %d bytes", path, has.StatusCode, len(left))
			}
		}
	}
}

func TestAReviewThatChangedMeanwhileIsNotWrittenOver(t *testing.T) {
	r := start(t)
	must(t, send(r, "/api/dossiers", []byte(dossier)))
	_, err := client.Ask(t.Context(), r.c, api.AddReview, api.With(api.ReviewRequest{Subject: "fen-14-16"}))
	must(t, err)
	read, body := asking(t, r, "GET", "/api/reviews/fen-14-16", "")
	var review verdict.Review
	must(t, json.Unmarshal([]byte(body), &review))
	review.Summary = "Quiet."
	b, err := json.Marshal(review)
	must(t, err)
	for i, want := range []int{200, http.StatusPreconditionFailed} {
		resp, said := asking(t, r, "PUT", "/api/reviews/fen-14-16", string(b), "If-Match", read.Header.Get("ETag"))
		if resp.StatusCode != want || want == 412 && !strings.Contains(said, "/problems/changed-meanwhile") {
			t.Errorf("change %d: %d %s", i+1, resp.StatusCode, said)
		}
	}
}

func TestEveryRefusalHasATypeWithAPage(t *testing.T) {
	r := start(t)
	for _, x := range []struct {
		method, path, body string
		status             int
		name               string
	}{{"GET", "/api/models/none", "", 404, "unknown"}, {"GET", "/api/models?color=red", "", 422, "invalid"},
		{"GET", "/api/nothing", "", 404, "unknown"}, {"POST", "/api/models", "{", 400, "malformed"},
		{"POST", "/api/agent/finish", "", 403, "not-allowed"}} {
		resp, said := asking(t, r, x.method, x.path, x.body)
		var p struct {
			Type   string
			Status int
		}
		must(t, json.Unmarshal([]byte(said), &p))
		if resp.StatusCode != x.status || p.Status != x.status || p.Type != "/problems/"+x.name {
			t.Errorf("%s %s: %d %s", x.method, x.path, resp.StatusCode, said)
			continue
		}
		if resp, page := asking(t, r, "GET", p.Type, ""); resp.StatusCode != 200 || !strings.Contains(page, x.name) {
			t.Errorf("%s leads to %d", p.Type, resp.StatusCode)
		}
	}
	if resp, _ := asking(t, r, "GET", "/problems/none", ""); resp.StatusCode != 404 {
		t.Errorf("a problem of nobody's: %d", resp.StatusCode)
	}
	if resp, page := asking(t, r, "GET", "/problems", ""); resp.StatusCode != 200 || strings.Count(page, "<dt") < 10 {
		t.Errorf("%d %s", resp.StatusCode, page)
	}
}
