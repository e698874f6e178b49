package service_test

import (
	"encoding/json"
	"net/http"
	"net/http/httptest"
	"slices"
	"sync"
	"testing"
	"time"

	"durvek/api"
	"durvek/client"
	"durvek/desk/hooks"
)

// What happens at the desk is told by itself, each thing once, to who is told of its kind.
func TestProgramsAreToldWhatHappens(t *testing.T) {
	r := start(t)
	var mu sync.Mutex
	var told []string
	data := map[string]map[string]any{}
	listener := httptest.NewServer(http.HandlerFunc(func(_ http.ResponseWriter, req *http.Request) {
		var m struct {
			Type string
			Data map[string]any
		}
		if err := json.NewDecoder(req.Body).Decode(&m); err != nil {
			t.Error(err)
		}
		mu.Lock()
		defer mu.Unlock()
		told, data[m.Type] = append(told, m.Type), m.Data
	}))
	defer listener.Close()
	var all []string
	for _, k := range hooks.Kinds {
		all = append(all, k.Kind)
	}
	h, err := client.Ask(t.Context(), r.c, api.AddHook, api.With(hooks.Wish{URL: listener.URL, Kinds: all}))
	must(t, err)
	must(t, send(r, "/api/dossiers", []byte(dossier)))
	must(t, send(r, "/api/readings", map[string]any{"subject": "fen-14-16-a", "test": "weight",
		"readings": map[string]string{"weight": "1.31 kg"}}))
	must(t, send(r, "/api/incidents", map[string]any{"unit": "fen-14-16-a", "kind": "hang", "times": 1,
		"text": "Hung at its sign-in"}))
	must(t, send(r, "/api/plans", map[string]any{"unit": "fen-14-16-a", "steps": []map[string]any{{"test": "hashing",
		"repeats": 1}}}))
	plan := get[[]struct{ Plan struct{ ID string } }](r, "/api/bench")[0].Plan.ID
	must(t, send(r, "/api/plans/"+plan+"/directives", map[string]any{"do": "stop"}))
	for end := time.Now().Add(2 * time.Minute); ; time.Sleep(10 * time.Millisecond) {
		mu.Lock()
		done := len(told) >= 3
		mu.Unlock()
		if done || time.Now().After(end) {
			break
		}
	}
	mu.Lock()
	defer mu.Unlock()
	if slices.Sort(told); !slices.Equal(told, []string{"incident.noted", "plan.changed", "run.kept"}) {
		t.Fatalf("told %v", told)
	}
	if d := data["run.kept"]; d["unit"] != "fen-14-16-a" || d["test"] != "weight" || d["outcome"] != "done" {
		t.Errorf("a run is told as %v", d)
	}
	if d := data["plan.changed"]; d["plan"] != plan || d["was"] != "waiting" || d["state"] != "stopped" {
		t.Errorf("a plan is told as %v", d)
	}
	if d := data["incident.noted"]; d["text"] != "Hung at its sign-in" || d["kind"] != "hang" {
		t.Errorf("an incident is told as %v", d)
	}
	mu.Unlock()
	var list []hooks.Hook
	for end := time.Now().Add(2 * time.Minute); time.Now().Before(end); time.Sleep(10 * time.Millisecond) {
		list, err = client.Ask(t.Context(), r.c, api.Hooks, api.None{})
		if err != nil || list[0].Waiting == 0 { // what it took is written down a moment later
			break
		}
	}
	mu.Lock()
	if err != nil || len(list) != 1 || list[0].ID != h.ID || list[0].Waiting != 0 {
		t.Errorf("%+v, %v", list, err)
	}
}
