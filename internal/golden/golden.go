// Package golden holds what a test writes against what it wrote before, when somebody looked at it.
package golden

import (
	"bytes"
	"encoding/json"
	"flag"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
)

var update = flag.Bool("golden", false, "write what tests hold against anew, to be looked at")

// Writing tells whether what tests hold against is written anew.
func Writing() bool { return *update }

// JSON holds a value, as JSON with a line for each part and nine digits of each figure, against testdata/NAME.
func JSON(t *testing.T, name string, v any) {
	t.Helper()
	whole, err := json.Marshal(v)
	if err != nil {
		t.Fatal(err)
	}
	var plain any
	d := json.NewDecoder(bytes.NewReader(whole))
	d.UseNumber()
	if err := d.Decode(&plain); err != nil {
		t.Fatal(err)
	}
	var b bytes.Buffer
	e := json.NewEncoder(&b)
	e.SetEscapeHTML(false)
	e.SetIndent("", " ")
	if err := e.Encode(rounded(plain)); err != nil {
		t.Fatal(err)
	}
	path := filepath.Join("testdata", name)
	if *update {
		if err := os.MkdirAll("testdata", 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(path, b.Bytes(), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	want, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	got, now := bytes.Split(b.Bytes(), []byte("\n")), bytes.Split(want, []byte("\n"))
	for i := range got {
		if i >= len(now) || !bytes.Equal(got[i], now[i]) {
			was := []byte("nothing")
			if i < len(now) {
				was = now[i]
			}
			t.Fatalf("%s, line %d: %s, before: %s; look at it and run with -golden", path, i+1, got[i], was)
		}
	}
	if len(now) > len(got) {
		t.Errorf("%s has %d lines more", path, len(now)-len(got))
	}
}

// rounded leaves of figures what every processor agrees on.
func rounded(v any) any {
	switch v := v.(type) {
	case map[string]any:
		for k := range v {
			v[k] = rounded(v[k])
		}
	case []any:
		for i := range v {
			v[i] = rounded(v[i])
		}
	case json.Number:
		if f, err := v.Float64(); err == nil && strings.ContainsAny(v.String(), ".eE") {
			return json.Number(strconv.FormatFloat(f, 'g', 9, 64))
		}
	}
	return v
}
