package lockfile

import (
	"os"
	"path/filepath"
	"reflect"
	"testing"
)

func TestWhatComesWithThePagesIsListed(t *testing.T) {
	path := filepath.Join(t.TempDir(), "lock.json")
	write := func(text string) {
		if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	write(`{"packages": {"": {"version": "0.1.0"},
		"node_modules/b": {"version": "2.0.0", "license": "MIT"},
		"node_modules/a/node_modules/@in/b": {"version": "1.0.0"},
		"node_modules/tool": {"version": "1.0.0", "dev": true},
		"node_modules/maybe": {"version": "1.0.0", "optional": true},
		"node_modules/either": {"version": "1.0.0", "devOptional": true}}}`)
	want := []Package{{"@in/b", "1.0.0", "", "node_modules/a/node_modules/@in/b"},
		{"b", "2.0.0", "MIT", "node_modules/b"}}
	if got, err := Packages(path); err != nil || !reflect.DeepEqual(got, want) {
		t.Errorf("%+v, %v", got, err)
	}
	write(`{}`)
	if got, err := Packages(path); err != nil || got == nil || len(got) != 0 {
		t.Errorf("of nothing: %+v, %v", got, err)
	}
	write(`{`)
	if _, err := Packages(path); err == nil {
		t.Error("half a file was read")
	}
	if _, err := Packages(path + "x"); err == nil {
		t.Error("a file that is not there was read")
	}
}
