package demo

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"net/url"
	"os"
	"path"
	"reflect"
	"regexp"
	"slices"
	"sort"
	"strconv"
	"strings"
	"sync"
	"testing"

	"durvek/client"
	"durvek/internal/golden"
)

// example is what was asked of an operation and what it answered, as the API's description shows it.
type example struct {
	Path     string `json:"path"`
	Sent     any    `json:"sent,omitempty"`
	Answered any    `json:"answered,omitempty"`
}

// recorder stands in front of a service and keeps of each operation the first thing that went well.
type recorder struct {
	mu      sync.Mutex
	ops     []operation
	kept    map[string]example
	fields  map[string]any // of schema.field, the first value worth showing
	schemas map[string]schema
	seen    map[string]int
	proxy   *httputil.ReverseProxy
}

type operation struct {
	id, verb       string
	path           *regexp.Regexp
	takes, answers schema
}

// schema is what is asked here of a JSON Schema.
type schema struct {
	Ref   string            `json:"$ref"`
	Props map[string]schema `json:"properties"`
	Items *schema           `json:"items"`
	Rest  json.RawMessage   `json:"additionalProperties"`
}

// body is what a request or an answer holds.
type body struct {
	Content map[string]struct {
		Schema schema `json:"schema"`
	} `json:"content"`
}

func newRecorder(t *testing.T, service string) *recorder {
	data, err := os.ReadFile("../docs/openapi.json")
	if err != nil {
		t.Fatal(err)
	}
	var api struct {
		Paths map[string]map[string]struct {
			ID      string          `json:"operationId"`
			Takes   body            `json:"requestBody"`
			Answers map[string]body `json:"responses"`
		} `json:"paths"`
		Components struct {
			Schemas map[string]schema `json:"schemas"`
		} `json:"components"`
	}
	if err := json.Unmarshal(data, &api); err != nil {
		t.Fatal(err)
	}
	to, _ := url.Parse(service)
	r := &recorder{kept: map[string]example{}, fields: map[string]any{}, schemas: api.Components.Schemas,
		seen:  map[string]int{},
		proxy: httputil.NewSingleHostReverseProxy(to)}
	params := regexp.MustCompile(`\{[^}]*\}`)
	for at, verbs := range api.Paths {
		for verb, op := range verbs {
			answers, ok := op.Answers["201"]
			if !ok {
				answers = op.Answers["200"]
			}
			if op.ID != "" && op.ID != "events" { // a stream does not end, and has its example
				r.ops = append(r.ops, operation{op.ID, strings.ToUpper(verb),
					regexp.MustCompile("^" + params.ReplaceAllString(at, "[^/]+") + "$"),
					op.Takes.Content["application/json"].Schema,
					answers.Content["application/json"].Schema})
			}
		}
	}
	// A path without a part to fill goes before one with: what is longer as a pattern is the more general.
	sort.Slice(r.ops, func(i, j int) bool {
		a, b := strings.Count(r.ops[i].path.String(), "[^/]+"), strings.Count(r.ops[j].path.String(), "[^/]+")
		return a < b || a == b && r.ops[i].id < r.ops[j].id
	})
	return r
}

// of is the operation that a request asks for.
func (r *recorder) of(req *http.Request) (operation, bool) {
	for _, op := range r.ops {
		if op.verb == req.Method && op.path.MatchString(req.URL.Path) {
			return op, true
		}
	}
	return operation{}, false
}

func (r *recorder) ServeHTTP(w http.ResponseWriter, req *http.Request) {
	op, ok := r.of(req)
	if !ok {
		r.proxy.ServeHTTP(w, req)
		return
	}
	sent, err := io.ReadAll(req.Body)
	if err != nil {
		http.Error(w, err.Error(), http.StatusBadRequest)
		return
	}
	req.Body = io.NopCloser(bytes.NewReader(sent))
	req.Header.Set("Accept-Encoding", "identity")
	asked := req.URL.RequestURI()
	answer := httptest.NewRecorder()
	r.proxy.ServeHTTP(answer, req)
	if answer.Code < 300 {
		r.keep(op, asked, sent, answer.Body.Bytes(), req.Header.Get("Content-Type"), answer.Header().Get("Content-Type"))
	}
	maps.Copy(w.Header(), answer.Header())
	w.WriteHeader(answer.Code)
	w.Write(answer.Body.Bytes())
}

// keep keeps of an operation the first answer that says something, and of every field the first value.
func (r *recorder) keep(op operation, asked string, sent, answered []byte, sentAs, as string) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.seen[op.id]++; r.seen[op.id] > mostSeen || op.id == "send-progress" &&
		!bytes.Contains(sent, []byte(`"needs-you"`)) {
		return // enough of it; and how far a machine is when it reports is another each time
	}
	var v any
	if json.Unmarshal(sent, &v) == nil {
		r.learn("", op.takes, v)
	}
	if v = nil; json.Unmarshal(answered, &v) == nil {
		r.learn("", op.answers, v)
	}
	if was, known := r.kept[op.id]; known && (!empty(was.Answered) || empty(v)) {
		return
	}
	r.kept[op.id] = example{asked, shown(sent, sentAs), shown(answered, as)}
}

// learn keeps the values of fields.
func (r *recorder) learn(name string, s schema, v any) {
	for s.Ref != "" {
		name = path.Base(s.Ref)
		s = r.schemas[name]
	}
	switch v := v.(type) {
	case map[string]any:
		for _, key := range slices.Sorted(maps.Keys(v)) {
			p, named := s.Props[key]
			if !named && json.Unmarshal(s.Rest, &p) != nil {
				continue
			}
			if at := name + "." + key; named && name != "" && simple(v[key]) && r.fields[at] == nil {
				r.fields[at] = brief(v[key], 3, 0)
			}
			r.learn("", p, v[key])
		}
	case []any:
		for _, x := range v {
			if s.Items != nil {
				r.learn("", *s.Items, x)
			}
		}
	}
}

// simple tells whether a value is a figure, a word or a list of such.
func simple(v any) bool {
	switch v := v.(type) {
	case string:
		return v != ""
	case float64, bool:
		return true
	case []any:
		return len(v) > 0 && simple(v[0]) && reflect.TypeOf(v[0]).Kind() != reflect.Slice
	}
	return false
}

// empty tells whether an answer says nothing.
func empty(v any) bool {
	list, ok := v.([]any)
	return v == nil || ok && len(list) == 0
}

// shown is of a body what an example says: JSON cut to its first entries, a text's beginning, of bytes nothing.
func shown(body []byte, kind string) any {
	var v any
	switch {
	case len(body) == 0:
		return nil
	case json.Unmarshal(body, &v) == nil:
		for most := 3; most > 0; most-- {
			cut := brief(v, most, 0)
			if b, _ := json.Marshal(cut); len(b) < mostShown || most == 1 {
				return cut
			}
		}
	case strings.Contains(kind, "text/") || strings.Contains(kind, "yaml") || strings.HasPrefix(kind,
		"application/octet-stream") && isText(body):
		return beginning(string(body), 1200)
	}
	return nil
}

// mostShown is how many bytes of JSON an example should have, mostSeen how many answers of an operation are looked at.
const (
	mostShown = 3000
	mostSeen  = 100
)

func isText(b []byte) bool {
	return !bytes.ContainsRune(b, 0) && strings.ToValidUTF8(string(b), "") == string(b)
}

func beginning(s string, most int) string {
	if r := []rune(s); len(r) > most {
		return string(r[:most]) + " …"
	}
	return s
}

// brief leaves of every list its first entries, fewer the deeper it lies, and of long texts the beginning.
func brief(v any, most, depth int) any {
	switch v := v.(type) {
	case map[string]any:
		out, kept := map[string]any{}, 0
		keys := make([]string, 0, len(v))
		for k := range v {
			keys = append(keys, k)
		}
		sort.Strings(keys)
		for _, k := range keys {
			switch v[k].(type) { // a picture, a schema or a table by names has more parts than an example needs
			case map[string]any, []any:
				if kept++; kept > 8*most {
					continue
				}
			}
			out[k] = brief(v[k], most, depth+1)
		}
		return out
	case []any:
		n := max(1, most-depth/3)
		out := []any{}
		for _, e := range v[:min(n, len(v))] {
			out = append(out, brief(e, most, depth+1))
		}
		return out
	case string:
		if !strings.Contains(v, " ") {
			return beginning(v, 60)
		}
		return beginning(v, 240)
	}
	return v
}

// hold holds what was kept against what stood in the description before.
func (r *recorder) hold(t *testing.T) {
	b, err := json.Marshal(map[string]any{"operations": r.kept, "fields": r.fields})
	if err != nil {
		t.Fatal(err)
	}
	var plain any
	text := string(b)
	for _, c := range chance {
		text = c.of.ReplaceAllString(text, c.as)
	}
	if err := json.Unmarshal([]byte(text), &plain); err != nil {
		t.Fatal(err)
	}
	for _, op := range r.ops {
		if _, ok := r.kept[op.id]; !ok {
			t.Errorf("nobody asked %s (%s %s)", op.id, op.verb, op.path)
		}
	}
	golden.JSON(t, "../../api/examples.json", plain)
}

// chance is what is another each time, and what stands for it.
var chance = []struct {
	of *regexp.Regexp
	as string
}{
	{runtime, "go1.26 linux/amd64"}, {uuids, "0190a8f0-1c2d-7000-8000-00805f9b34fb"},
	{regexp.MustCompile(`\b[0-9a-f]{60}( |\b)`), "0000000000000000000000000000000000000000000000000000000000000000"},
	{regexp.MustCompile(`whsec_[^"]*`), "whsec_"},
	{regexp.MustCompile(`[A-Za-z0-9_-]{43}\b`), "a-secret-that-is-shown-once"},
	{regexp.MustCompile(`"[0-9a-f]{32}"`), `"5a17196b8e3c4d2f9a6b0c1d2e3f4a5b"`},
	{regexp.MustCompile(`("[a-zA-Z]*\.?number": ?)"[0-9]{4}"`), `$1"4072"`},
	{regexp.MustCompile(`"[0-9a-f]{12}"`), `"0a1b2c3d4e5f"`}, {regexp.MustCompile(`\b[A-Z2-7]{4}-[A-Z2-7]{4}\b`),
		"ABCD-2345"},
	{regexp.MustCompile(`127\.0\.0\.1:[0-9]+`), "127.0.0.1:8080"}, {regexp.MustCompile(`M4 4h7v1H4z[^"]*`),
		"M4 4h7v1H4z…"},
	{regexp.MustCompile(`"20[0-9-]{8}T[0-9:]{8}(\.[0-9]+)?Z"`), `"2026-11-23T08:00:00Z"`},
}

// ask asks for the rest.
func (r *recorder) ask(t *testing.T, c *client.Client) {
	told := map[string]string{}
	fill := func(s string) string {
		for name, value := range told {
			s = strings.ReplaceAll(s, "{"+name+"}", value)
		}
		return s
	}
	for _, a := range rest {
		var sent any
		if a.body != "" {
			sent = []byte(fill(a.body))
			if json.Valid(sent.([]byte)) && !strings.HasPrefix(a.path, "/api/runs?") {
				sent = json.RawMessage(sent.([]byte))
			}
		}
		asks := *c
		if a.token != "" {
			asks.Token = fill(a.token)
		}
		var answer []byte
		if err := asks.Do(t.Context(), a.verb, fill(a.path), nil, sent, &answer); err != nil {
			t.Errorf("%s %s: %v", a.verb, fill(a.path), err)
			continue
		}
		var v any
		if err := json.Unmarshal(answer, &v); err != nil && a.keep != "" {
			t.Fatalf("%s: %v", a.path, err)
		}
		for _, k := range strings.Fields(a.keep) {
			name, at, _ := strings.Cut(k, "=")
			told[name] = fmt.Sprint(part(v, strings.Split(at, ".")))
		}
	}
}

// part is what stands in JSON behind names and places.
func part(v any, at []string) any {
	if len(at) == 0 {
		return v
	}
	switch v := v.(type) {
	case map[string]any:
		return part(v[at[0]], at[1:])
	case []any:
		if i, err := strconv.Atoi(at[0]); err == nil && i < len(v) {
			return part(v[i], at[1:])
		}
	}
	return nil
}
