package document

import (
	"errors"
	"strings"
	"testing"
)

var schema = MustSchema("probe",
	[]byte(`{"$schema": "https://json-schema.org/draft/2020-12/schema", "type": "object", "additionalProperties": false, "required": ["name"],
	"properties": {"name": {"type": "string"}, "list": {"type": "array", "items": {"type": "object", "properties": {"n": {"type": "integer"}}, "required": ["n"]}}}}`))

type probe struct {
	Name string
	List []struct{ N int }
}

func faultsOf(t *testing.T, src string) []Fault {
	t.Helper()
	f, err := Read("probe", []byte(src))
	if err == nil {
		var p probe
		err = f.Decode(schema, &p)
	}
	var e *Faults
	if !errors.As(err, &e) {
		t.Fatalf("%q: %v, want faults", src, err)
	}
	return e.List
}

func TestFaultsNameTheirPlaceAllAtOnce(t *testing.T) {
	list := faultsOf(t, "name: 7\nlist:\n  - n: one\n  - m: 2\nextra: yes\n")
	var at []string
	for _, f := range list {
		at = append(at, f.String())
	}
	text := strings.Join(at, "\n")
	for _, part := range []string{"line 1, column 1 (name)", "line 3, column 5 (list[0].n)", "line 4, column 5 (list[1])",
		"missing property 'n'", "line 5, column 1 (extra): \"extra\" is not known here"} {
		if !strings.Contains(text, part) {
			t.Errorf("nothing says %q in\n%s", part, text)
		}
	}
}

func TestYAMLAndJSONReadAlike(t *testing.T) {
	for _, src := range []string{"name: Fen\nlist: [{n: 1}, {n: 2}]\n", `{"name": "Fen", "list": [{"n": 1}, {"n": 2}]}`} {
		f, err := Read("probe", []byte(src))
		if err != nil {
			t.Fatal(err)
		}
		var p probe
		if err := f.Decode(schema, &p); err != nil || p.Name != "Fen" || len(p.List) != 2 || p.List[1].N != 2 {
			t.Errorf("%q: %+v, %v", src, p, err)
		}
	}
	if list := faultsOf(t, "{\n \"name\": \"x\",\n \"list\": [{\"n\": \"one\"}]\n}"); len(list) != 1 || list[0].Line != 3 {
		t.Errorf("JSON faults %v, want one on line 3", list)
	}
}

func TestBrokenFiles(t *testing.T) {
	for src, says := range map[string]string{"": "empty", "name: [1,\n": "", "a: 1\n---\nb: 2\n": "one document",
		"name: x\nname: y\n": "name"} {
		list := faultsOf(t, src)
		if len(list) == 0 || list[0].Line < 1 || !strings.Contains(list[0].Reason, says) {
			t.Errorf("%q: %v, want %q", src, list, says)
		}
	}
	if _, err := Read("probe", make([]byte, MaxSize+1)); err == nil || !strings.Contains(err.Error(), "larger than") {
		t.Errorf("a huge file: %v", err)
	}
}

func FuzzRead(f *testing.F) {
	for _, s := range []string{"a: 1", "- x\n- y: [1, {z: 2}]", `{"a": [true, null, 1e9]}`, "&a {b: *a}", "!!binary x",
		"? [1]\n: 2", "\t", "a: |\n  text\n"} {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, b []byte) {
		file, err := Read("probe", b)
		if err != nil {
			return
		}
		var p probe
		if err := file.Decode(schema, &p); err != nil {
			var e *Faults
			if errors.As(err, &e) && (len(e.List) == 0 || e.List[0].Line < 1) {
				t.Errorf("%q: faults without a place: %v", b, err)
			}
		}
	})
}
