package document

import (
	"encoding/json"
	"errors"
	"fmt"
	"reflect"
	"runtime"
	"strings"
	"testing"

	"durvek/internal/mutants"
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

// A file that is made to grow when it is read is refused before it does.
func TestReadingTakesNoMoreThanTheFileIsWorth(t *testing.T) {
	nested := func(open, shut string, n int) string { return strings.Repeat(open, n) + "1" + strings.Repeat(shut, n) }
	laughs := "a0: &a0 [x, x, x, x, x, x, x, x, x, x]\n"
	for i := 1; i < 12; i++ {
		laughs += fmt.Sprintf("a%d: &a%d [%s]\n", i, i, strings.TrimSuffix(strings.Repeat(fmt.Sprintf("*a%d, ", i-1), 10),
			", "))
	}
	var keys strings.Builder
	for i := range 60_000 {
		fmt.Fprintf(&keys, "k%d: 1\n", i)
	}
	for name, x := range map[string]struct{ file, says string }{
		"JSON lists":         {nested("[", "]", 5_000), "more than 64 deep"},
		"YAML lists":         {nested("[", " ]", 100_000), "max depth"},
		"a YAML list of 65":  {"a: " + nested("[", " ]", 64), "more than 64 deep"},
		"YAML mappings":      {nested("a: {", "}", 100_000), "max depth"},
		"dashes":             {strings.Repeat("- ", 100_000), "max depth"},
		"aliases":            {laughs, "more than 500000 values"},
		"a circle":           {"a: &x [*x]", "more than 64 deep"},
		"many keys":          {keys.String(), ""},
		"many JSON values":   {"[" + strings.Repeat("1,", 600_000) + "1]", "more than 500000 values"},
		"many documents":     {strings.Repeat("---\na: 1\n", 100_000), "one document"},
		"many anchors":       {strings.Repeat("- &a b\n", 50_000), ""},
		"too long for YAML":  {"a: " + strings.Repeat("x", MaxYAML), "2 MiB that are read as YAML"},
		"too long for all":   {`{"a": "` + strings.Repeat("x", MaxSize) + `"}`, "larger than 8 MiB"},
		"no text":            {"a: \xff\xfe", "UTF-8"},
		"binary":             {"\x00\x01\x02", "control characters"},
		"an alias of nobody": {"a: *b", "unknown anchor"},
		"a merge":            {"a: &x {b: 1}\nc: {<<: *x}", "a key is a plain word"},
		"twice":              {"a: 1\nb: 2\na: 3", `line 3, column 1: "a" stands twice here`},
		"JSON twice":         {`{"a": 1,` + "\n" + ` "a": 3}`, `line 2, column 2: "a" stands twice here`},
		"no number":          {"a: .nan", "no number that can be worked with"},
		"JSON infinite":      {`{"a": -1e999}`, "-1e999 is no number"},
		"nothing":            {" # c\n", "the file is empty"},
		"null":               {"~", "the file is empty"},
	} {
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		_, err := Read("probe", []byte(x.file))
		runtime.ReadMemStats(&after)
		if (x.says == "") != (err == nil) || err != nil && !strings.Contains(err.Error(), x.says) {
			t.Errorf("%s: %.300v, want %q", name, err, x.says)
		}
		if mib := (after.TotalAlloc - before.TotalAlloc) >> 20; mib > 350 {
			t.Errorf("%s: %d bytes took %d MiB", name, len(x.file), mib)
		}
	}
}

func TestDepthOf64IsTakenIn(t *testing.T) {
	for _, open := range []string{"[", "[\t"} { // with a tab it is JSON, which YAML would refuse
		if _, err := Read("probe", []byte(strings.Repeat(open, MaxDepth)+strings.Repeat("]", MaxDepth))); err != nil {
			t.Errorf("%q: %v", open, err)
		}
	}
}

func TestValuesStayAsTheyWereWritten(t *testing.T) {
	src := "a: 3.40\nb: 0007x\nc: 2026-11-16\nd: yes\ne: true\nf: ~\ng: 1_000\nh: 0x1F\ni: '7'\nj: 1e3\n7: x\nk: &x " +
		"{l: 1}\nm: *x\n"
	f, err := Read("probe", []byte(src))
	if err != nil {
		t.Fatal(err)
	}
	k := map[string]any{"l": json.Number("1")}
	want := map[string]any{"a": json.Number("3.40"), "b": "0007x", "c": "2026-11-16", "d": "yes", "e": true, "f": nil,
		"g": json.Number("1000"), "h": json.Number("31"), "i": "7", "j": json.Number("1e3"), "7": "x", "k": k, "m": k}
	if !reflect.DeepEqual(f.value, want) {
		t.Errorf("%#v", f.value)
	}
}

func TestYAMLIsReadAsItWasWritten(t *testing.T) {
	type one struct {
		Name  string   `json:"name"`
		Text  string   `json:"text"`
		List  []string `json:"list"`
		Value float64  `json:"value"`
		Yes   bool     `json:"yes"`
	}
	was := one{"0007", "first: \"line\"\nsecond # line\n", []string{"yes", "~", "1e3", "- a", "2026-11-16", ""}, 3.4, true}
	b, err := YAML(was)
	if err != nil {
		t.Fatal(err)
	}
	f, err := Read("probe", b)
	if err != nil {
		t.Fatalf("%v in\n%s", err, b)
	}
	var is one
	if err := f.Decode(MustSchema("any", []byte(`{}`)), &is); err != nil || !reflect.DeepEqual(was, is) {
		t.Errorf("%+v became %+v, %v by\n%s", was, is, err, b)
	}
	if !strings.HasPrefix(string(b), "name: \"0007\"\ntext:") {
		t.Errorf("keys lost their order:\n%s", b)
	}
}

func FuzzRead(f *testing.F) {
	for _, s := range []string{"a: [1, {b: c}]\n", `{"a": [1, {"b": "c"}]}`, "- &x a\n- *x\n", "a: |\n  b\n", "? a\n: b\n",
		"[[[", "---\n"} {
		mutants.Add(f, []byte(s))
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		file, err := Read("probe", data)
		if err != nil {
			var faults *Faults
			if !errors.As(err, &faults) || len(faults.List) == 0 || faults.List[0].Line < 1 {
				t.Fatalf("%v is no fault with a place", err)
			}
			return
		}
		var p probe
		file.Decode(schema, &p)
		if _, err := json.Marshal(file.value); err != nil {
			t.Fatal(err)
		}
	})
}
