package method

import (
	"errors"
	"reflect"
	"strings"
	"testing"

	"durvek/core/quantity"
)

// program is a test of kind command with one measure and one figure.
func program(f Figure) Test {
	f.Measure = "x"
	return Test{Slug: "t", Version: 1, Measures: []Measure{{Slug: "x", Name: "x", Unit: "MBy/s", Scale: quantity.Ratio,
		Better: quantity.Higher}},
		Command: &Command{Run: []string{"prog"}, Limit: 10, Line: "ready", File: "out.json", Figures: []Figure{f}}}
}

const table = "name, rate ,note\nread,12.5,\"a, b\"\nwrite,3,c\n"

func TestFiguresAreFoundOrMissedLoudly(t *testing.T) {
	const report = `{"runs": [{"rate/s": 1.5}, {"rate/s": "2.5 GB/s"}], "a~b": null}`
	for _, c := range []struct {
		name   string
		figure Figure
		output Output
		want   float64
		fault  string
	}{
		{"text", Figure{Text: `rate: (\S+)`}, Output{Output: []byte("x\nrate: 12.5 of 20\n")}, 12.5, ""},
		{"text at a line's begin, in another unit", Figure{Text: `^rate=(.+)$`, Unit: "kB/s"},
			Output{Output: []byte("old rate=1\nrate=2500\nend")}, 2.5, ""},
		{"the unit that the program writes wins", Figure{Text: `rate (.*)`, Unit: "kB/s"},
			Output{Output: []byte("rate 2 GB/s")}, 2000, ""},
		{"text in the errors", Figure{From: "errors", Text: `(\d+)`}, Output{Errors: []byte("took 7")}, 7, ""},
		{"no line", Figure{Text: `rate: (\S+)`}, Output{Output: []byte("nothing")}, 0, "no line matches"},
		{"two answers", Figure{Text: `r(\d)`}, Output{Output: []byte("r1 r2")}, 0, `"1" and "2"`},
		{"one answer twice", Figure{Text: `r(\d)`}, Output{Output: []byte("r1 r1")}, 1, ""},
		{"no number", Figure{Text: `rate: (\S+)`}, Output{Output: []byte("rate: high")}, 0, "does not start with a number"},
		{"another dimension", Figure{Text: `rate: (.+)`}, Output{Output: []byte("rate: 3 s")}, 0, "cannot be turned"},
		{"column and row", Figure{Column: "rate", Where: map[string]string{"name": "write"}}, Output{Output: []byte(table)},
			3, ""},
		{"which row?", Figure{Column: "rate"}, Output{Output: []byte(table)}, 0, "2 rows fit"},
		{"no such row", Figure{Column: "rate", Where: map[string]string{"name": "copy"}}, Output{Output: []byte(table)}, 0,
			"no row fits"},
		{"no such column", Figure{Column: "speed"}, Output{Output: []byte(table)}, 0, "there are name, rate, note"},
		{"a table that is none", Figure{Column: "rate"}, Output{Output: []byte("name,rate\n\"a")}, 0, "no CSV table"},
		{"pointer", Figure{From: "file", Pointer: "/runs/0/rate~1s"}, Output{File: []byte(report)}, 1.5, ""},
		{"pointer to a text", Figure{From: "file", Pointer: "/runs/1/rate~1s"}, Output{File: []byte(report)}, 2500, ""},
		{"beyond the list", Figure{From: "file", Pointer: "/runs/2/rate~1s"}, Output{File: []byte(report)}, 0,
			"/runs has 2 entries"},
		{"no such entry", Figure{From: "file", Pointer: "/rates"}, Output{File: []byte(report)}, 0,
			`no "rates" in the document`},
		{"null is no number", Figure{From: "file", Pointer: "/a~0b"}, Output{File: []byte(report)}, 0, "is no number"},
		{"no JSON", Figure{Pointer: "/a"}, Output{Output: []byte("<a>")}, 0, "it is no JSON"},
		{"nothing there", Figure{Pointer: "/a"}, Output{}, 0, "there is nothing in it"},
	} {
		found, err := program(c.figure).Read(c.output)
		if c.fault == "" && (err != nil || found[0].Value != c.want) || c.fault != "" && (!errors.Is(err, ErrMapping) ||
			!strings.Contains(err.Error(), c.fault) || found[0].Fault == "") {
			t.Errorf("%s: %+v, %v; want %g, fault %q", c.name, found, err, c.want, c.fault)
		}
	}
	timed := program(Figure{Time: "line"})
	timed.Measures[0].Unit = "ms"
	if found, err := timed.Read(Output{Line: 0.25}); err != nil || found[0].Value != 250 {
		t.Errorf("%+v, %v", found, err)
	}
	if _, err := timed.Read(Output{}); err == nil || !strings.Contains(err.Error(), "never came") {
		t.Errorf("a line that never came: %v", err)
	}
}

func TestAWrongMappingIsRefused(t *testing.T) {
	for want, change := range map[string]func(*Test){
		"":                           func(*Test) {},
		"say which program":          func(t *Test) { t.Command.Run = nil },
		"between 0 and 86400":        func(t *Test) { t.Command.Limit = 0 },
		"give its name alone":        func(t *Test) { t.Command.File = "../secrets" },
		"exactly one group":          func(t *Test) { t.Command.Figures[0].Text = "rate" },
		"error parsing regexp":       func(t *Test) { t.Command.Figures[0].Text = "(" },
		"by one of time, text":       func(t *Test) { t.Command.Figures[0].Column = "rate" },
		`no measure "y"`:             func(t *Test) { t.Command.Figures[0].Measure = "y" },
		"filled by 0 figures":        func(t *Test) { t.Command.Figures = nil },
		"stands for time and cannot": func(t *Test) { t.Command.Figures[0].Unit = "s" },
		"say which file the program": func(t *Test) { t.Command.File = ""; t.Command.Figures[0].From = "file" },
		"a JSON pointer begins with": func(t *Test) { t.Command.Figures[0].Text = ""; t.Command.Figures[0].Pointer = "runs" },
		"say which line is awaited": func(t *Test) {
			t.Command.Line = ""
			t.Command.Figures[0] = Figure{Measure: "x", Time: "line"}
			t.Measures[0].Unit = "s"
		},
		"missing argument to repetition": func(t *Test) { t.Command.Line = "*" },
	} {
		x := program(Figure{Text: `(\d+)`})
		change(&x)
		var said []string
		for _, p := range x.Check() {
			said = append(said, p.Reason)
		}
		if all := strings.Join(said, "; "); want == "" && all != "" || !strings.Contains(all, want) {
			t.Errorf("want %q, got %q", want, all)
		}
	}
}

func FuzzMapping(f *testing.F) {
	f.Add([]byte(table), "rate", `(\d+)`, "/a/0")
	f.Add([]byte(`{"a":[1]}`), "a", `a(.)`, "/a/0")
	f.Fuzz(func(t *testing.T, data []byte, column, text, pointer string) {
		for _, x := range []Figure{{Column: column}, {Text: text}, {Pointer: pointer}} {
			p := program(x)
			if len(p.Check()) > 0 {
				continue
			}
			if found, err := p.Read(Output{Output: data}); (err == nil) != (found[0].Fault == "") {
				t.Errorf("%+v beside %v", found, err)
			}
		}
	})
}

func TestOptions(t *testing.T) {
	x := Test{Slug: "t", Seconds: 601, Writes: 5, Options: []Option{{Slug: "duration", Default: "10 min", Unit: "s",
		Least: 4, Most: 3600, Match: true}, {Slug: "kind", Default: "a", Choices: []string{"a", "b"}}, {Slug: "from"}}}
	for _, c := range []struct {
		given map[string]string
		want  []string
	}{
		{nil, nil},
		{map[string]string{"duration": "90", "kind": "b", "from": "/any where"}, nil},
		{map[string]string{"duration": "1 s"}, []string{"option duration is at least 4 s and at most 3600 s, got 1 s"}},
		{map[string]string{"duration": "2 GB", "kind": "c", "size": "1"}, []string{"data and cannot", "one of a, b",
			`no option "size"; it has duration, kind, from`}},
	} {
		got := x.CheckOptions(c.given)
		if len(got) != len(c.want) {
			t.Errorf("%v: %q", c.given, got)
			continue
		}
		for i := range got {
			if !strings.Contains(got[i], c.want[i]) {
				t.Errorf("%v: %q, want %q", c.given, got[i], c.want[i])
			}
		}
	}
	if got := x.Values(map[string]string{"kind": "b", "duration": ""}); !reflect.DeepEqual(got,
		map[string]string{"duration": "10 min", "kind": "b", "from": ""}) {
		t.Errorf("%v", got)
	}
	if x.SecondsWith(nil) != 601 || x.SecondsWith(map[string]string{"duration": "60 s"}) != 61 || x.WritesWith(nil) != 5 {
		t.Errorf("%g s, %d bytes", x.SecondsWith(map[string]string{"duration": "60 s"}), x.WritesWith(nil))
	}
	x.Options = append(x.Options, Option{Slug: "file", Default: "512 MiB", Unit: "MiBy"})
	if a, b := x.WritesWith(nil), x.WritesWith(map[string]string{"file": "1 GiB"}); a != 5 || b != 10 {
		t.Errorf("a file of twice the size writes %d instead of %d", b, 2*a)
	}
	x.Options = append(x.Options, Option{Slug: "writes", Default: "2 GB", Unit: "By"})
	if x.WritesWith(nil) != 2e9 || x.WritesWith(map[string]string{"writes": "1 GiB"}) != 1<<30 {
		t.Errorf("writes %d", x.WritesWith(nil))
	}
	if c, ok := Condition(OptionCondition("duration")); !ok || c.Name != "Duration" {
		t.Errorf("%+v", c)
	}
}
