package method

import (
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"path"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"durvek/core/catalog"
	"durvek/core/quantity"
)

// Command is another program that the agent runs, and where its figures are.
type Command struct {
	Run     []string `json:"run" doc:"Program and its arguments, each by itself; no shell reads them"`
	Limit   float64  `json:"limit" doc:"Seconds after which it is ended"`
	Exit    int      `json:"exit,omitempty" doc:"Exit status that means success"`
	Line    string   `json:"line,omitempty" doc:"Regular expression: the program counts as started, and is ended, when a line of its output matches"`
	File    string   `json:"file,omitempty" doc:"File in its working folder that it writes and that figures may be read from"`
	Figures []Figure `json:"figures" doc:"Where each figure is"`
}

// Figure says where one measure's figure is. Exactly one of Time, Text, Column and Pointer is given.
type Figure struct {
	Measure string            `json:"measure" doc:"Measure of the test that it fills"`
	From    string            `json:"from,omitempty" enum:"output,errors,file" doc:"Where to look; output where left out"`
	Time    string            `json:"time,omitempty" enum:"exit,line" doc:"Seconds until the program ended, or until the awaited line"`
	Text    string            `json:"text,omitempty" doc:"Regular expression whose first group is the figure, in any line"`
	Column  string            `json:"column,omitempty" doc:"Column of a CSV table with a header row"`
	Where   map[string]string `json:"where,omitempty" doc:"Values of other columns in the row wanted; without it the table has one row"`
	Pointer string            `json:"pointer,omitempty" doc:"JSON Pointer (RFC 6901)"`
	Unit    string            `json:"unit,omitempty" doc:"Unit that the program writes the figure in; the measure's where left out"`
}

// Output is what a command gave.
type Output struct {
	Output  []byte
	Errors  []byte
	File    []byte
	Seconds float64 // until it ended
	Line    float64 // until the awaited line; 0 if it never came
}

// Found is one figure that a mapping found, or why it did not.
type Found struct {
	Measure string  `json:"measure"`
	Where   string  `json:"where" doc:"Where it was looked for"`
	Raw     string  `json:"raw,omitempty" doc:"What stands there"`
	Value   float64 `json:"value" doc:"In the measure's unit"`
	Unit    string  `json:"unit"`
	Fault   string  `json:"fault,omitempty"`
}

// ErrMapping marks an output in which a figure is missing or is none.
var ErrMapping = errors.New("the mapping does not fit the output")

// Place says in words where the figure is looked for.
func (f Figure) Place() string {
	from := f.From
	if from == "" {
		from = "output"
	}
	switch {
	case f.Time == "exit":
		return "seconds until the program ended"
	case f.Time == "line":
		return "seconds until the awaited line"
	case f.Text != "":
		return fmt.Sprintf("%s, text %s", from, f.Text)
	case f.Column != "":
		where := ""
		if len(f.Where) > 0 {
			where = fmt.Sprintf(" where %s", pairs(f.Where))
		}
		return fmt.Sprintf("%s, column %s%s", from, f.Column, where)
	}
	return fmt.Sprintf("%s, JSON pointer %s", from, f.Pointer)
}

func pairs(m map[string]string) string {
	var out []string
	for k, v := range m {
		out = append(out, k+" is "+v)
	}
	slices.Sort(out)
	return strings.Join(out, " and ")
}

// Read applies a test's mapping to an output. It returns every figure, found or not; the error wraps
// ErrMapping and names all that are not.
func (t Test) Read(o Output) ([]Found, error) {
	if t.Command == nil {
		return nil, fmt.Errorf("test %q runs no command", t.Slug)
	}
	var out []Found
	var faults []string
	for _, f := range t.Command.Figures {
		m, _ := t.Measure(f.Measure)
		x := Found{Measure: f.Measure, Where: f.Place(), Unit: m.Unit}
		raw, err := f.find(o)
		x.Raw = raw
		if err == nil {
			x.Value, err = f.value(raw, m.Unit)
		}
		if err != nil {
			x.Fault = err.Error()
			faults = append(faults, fmt.Sprintf("%s (%s): %v", f.Measure, x.Where, err))
		}
		out = append(out, x)
	}
	if len(faults) > 0 {
		return out, fmt.Errorf("%w: %s", ErrMapping, strings.Join(faults, "; "))
	}
	return out, nil
}

// value reads a figure as it stands, with or without its unit, in the unit wanted.
func (f Figure) value(raw, unit string) (float64, error) {
	q, err := quantity.Parse(raw)
	if err != nil {
		return 0, err
	}
	if q.Unit == "1" {
		q.Unit = unit
		if f.Unit != "" {
			q.Unit = f.Unit
		}
	}
	v, err := q.In(unit)
	if err == nil && !quantity.Sound(v) {
		err = fmt.Errorf("%q is no finite number", raw)
	}
	return v, err
}

func (f Figure) find(o Output) (string, error) {
	switch f.Time {
	case "exit":
		return strconv.FormatFloat(o.Seconds, 'f', -1, 64) + " s", nil
	case "line":
		if o.Line <= 0 {
			return "", errors.New("the awaited line never came")
		}
		return strconv.FormatFloat(o.Line, 'f', -1, 64) + " s", nil
	}
	data := o.Output
	switch f.From {
	case "errors":
		data = o.Errors
	case "file":
		data = o.File
	}
	if len(data) == 0 {
		return "", errors.New("there is nothing in it")
	}
	switch {
	case f.Text != "":
		re, err := regexp.Compile("(?m)" + f.Text)
		if err != nil {
			return "", err
		}
		all := re.FindAllSubmatch(data, 2)
		switch {
		case len(all) == 0:
			return "", errors.New("no line matches")
		case len(all[0]) < 2:
			return "", errors.New("the expression has no group that holds the figure")
		case len(all) > 1 && string(all[0][1]) != string(all[1][1]):
			return "", fmt.Errorf("it matches more than once, with %q and %q; make the expression narrower", all[0][1],
				all[1][1])
		}
		return string(all[0][1]), nil
	case f.Column != "":
		return cell(data, f.Column, f.Where)
	}
	return point(data, f.Pointer)
}

// cell finds one value of a CSV table (RFC 4180).
func cell(data []byte, column string, where map[string]string) (string, error) {
	r := csv.NewReader(strings.NewReader(strings.TrimPrefix(string(data), "\ufeff")))
	head, err := r.Read()
	if err != nil {
		return "", fmt.Errorf("it is no CSV table: %v", err)
	}
	for i := range head {
		head[i] = strings.TrimSpace(head[i])
	}
	at := slices.Index(head, column)
	if at < 0 {
		return "", fmt.Errorf("there is no column %q; there are %s", column, strings.Join(head, ", "))
	}
	for k := range where {
		if !slices.Contains(head, k) {
			return "", fmt.Errorf("there is no column %q; there are %s", k, strings.Join(head, ", "))
		}
	}
	found, n := "", 0
rows:
	for {
		row, err := r.Read()
		if err == io.EOF {
			break
		}
		if err != nil {
			return "", fmt.Errorf("it is no CSV table: %v", err)
		}
		for k, v := range where {
			if strings.TrimSpace(row[slices.Index(head, k)]) != v {
				continue rows
			}
		}
		found = strings.TrimSpace(row[at])
		n++
	}
	switch {
	case n == 0:
		return "", errors.New("no row fits")
	case n > 1:
		return "", fmt.Errorf("%d rows fit; say which with where", n)
	}
	return found, nil
}

// point follows a JSON Pointer (RFC 6901) to a number or a text.
func point(data []byte, pointer string) (string, error) {
	d := json.NewDecoder(strings.NewReader(string(data)))
	d.UseNumber()
	var v any
	if err := d.Decode(&v); err != nil {
		return "", fmt.Errorf("it is no JSON: %v", err)
	}
	if pointer != "" && pointer[0] != '/' {
		return "", errors.New("a JSON pointer begins with /")
	}
	at := ""
	for _, token := range strings.Split(pointer, "/")[1:] {
		token = strings.NewReplacer("~1", "/", "~0", "~").Replace(token)
		switch x := v.(type) {
		case map[string]any:
			next, ok := x[token]
			if !ok {
				return "", fmt.Errorf("there is no %q in %s", token, orRoot(at))
			}
			v = next
		case []any:
			i, err := strconv.Atoi(token)
			if err != nil || i < 0 || i >= len(x) || token != strconv.Itoa(i) {
				return "", fmt.Errorf("%s has %d entries and no %q", orRoot(at), len(x), token)
			}
			v = x[i]
		default:
			return "", fmt.Errorf("%s holds no further entries", orRoot(at))
		}
		at += "/" + token
	}
	switch x := v.(type) {
	case json.Number:
		return x.String(), nil
	case string:
		return x, nil
	}
	return "", fmt.Errorf("what stands at %s is no number", orRoot(at))
}

func orRoot(at string) string {
	if at == "" {
		return "the document"
	}
	return at
}

// check returns everything that is wrong in a command of a test.
func (c Command) check(t Test) []catalog.Problem {
	var out []catalog.Problem
	at := func(reason string, path ...any) { out = append(out, catalog.Problem{Path: path, Reason: reason}) }
	if len(c.Run) == 0 || c.Run[0] == "" {
		at("say which program to run", "run")
	}
	if c.Limit <= 0 || c.Limit > 24*3600 {
		at("the time limit is between 0 and 86400 seconds", "limit")
	}
	if c.File != "" && (path.IsAbs(c.File) || c.File != path.Clean(c.File) || strings.HasPrefix(c.File, "..") ||
		strings.ContainsAny(c.File, `\:`)) {
		at("the file lies in the program's working folder: give its name alone", "file")
	}
	if c.Line != "" {
		if _, err := regexp.Compile(c.Line); err != nil {
			at(err.Error(), "line")
		}
	}
	filled := map[string]int{}
	for i, f := range c.Figures {
		filled[f.Measure]++
		m, ok := t.Measure(f.Measure)
		if !ok {
			at(fmt.Sprintf("the test has no measure %q", f.Measure), "figures", i, "measure")
		}
		given := 0
		for _, s := range []string{f.Time, f.Text, f.Column} {
			if s != "" {
				given++
			}
		}
		if f.Pointer != "" {
			given++
			if f.Pointer[0] != '/' {
				at("a JSON pointer begins with /", "figures", i, "pointer")
			}
		}
		if given != 1 {
			at("say where the figure is by one of time, text, column and pointer", "figures", i)
		}
		if f.Text != "" {
			if re, err := regexp.Compile(f.Text); err != nil {
				at(err.Error(), "figures", i, "text")
			} else if re.NumSubexp() != 1 {
				at("the expression needs exactly one group, around the figure; write (?:…) for others", "figures", i, "text")
			}
		}
		if f.Time == "line" && c.Line == "" {
			at("say which line is awaited", "line")
		}
		if f.From == "file" && c.File == "" {
			at("say which file the program writes", "file")
		}
		unit := f.Unit
		if f.Time != "" {
			unit = "s"
		}
		if ok && unit != "" {
			if _, err := quantity.Convert(1, unit, m.Unit); err != nil {
				at(err.Error(), "figures", i, "unit")
			}
		}
	}
	for _, m := range t.Measures {
		if filled[m.Slug] != 1 {
			at(fmt.Sprintf("measure %q is filled by %d figures; it needs one", m.Slug, filled[m.Slug]), "figures")
		}
	}
	return out
}
