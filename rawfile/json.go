package rawfile

import (
	"bytes"
	"encoding/json"
	"io"
	"slices"
	"strconv"
)

// mostNested is how deep a file of figures is nested at most.
const mostNested = 8

// readJSON reads an array of objects or of arrays, an object of arrays, or one object a line (JSON Lines).
func readJSON(text []byte) (Sheet, error) {
	if len(text) > mostJSON {
		return Sheet{}, refuse("it has %d MB of JSON; at most %d are read, more as a table", len(text)>>20, mostJSON>>20)
	}
	if err := shallow(text); err != nil {
		return Sheet{}, err
	}
	d := json.NewDecoder(bytes.NewReader(text))
	d.UseNumber()
	var parts []any
	for len(parts) <= MostRows {
		var v any
		err := d.Decode(&v)
		if err == io.EOF {
			break
		}
		if err != nil {
			return Sheet{}, refuse("it is no JSON: %v", err)
		}
		parts = append(parts, v)
	}
	rows := parts
	lines := len(parts) > 1
	if !lines {
		switch v := parts[0].(type) {
		case []any:
			rows = v
		case map[string]any:
			rows = turned(v)
			if rows == nil { // what matters may stand one level down
				for _, k := range sortedKeys(v) {
					if list, ok := v[k].([]any); ok && len(list) > 0 {
						rows = list
						break
					}
				}
			}
		}
	}
	if len(rows) == 0 {
		return Sheet{}, refuse("it holds no rows: an array of objects, arrays by name, or an object a line")
	}
	s, err := fromRows(rows)
	if err == nil && lines {
		s.Found = append(s.Found, "one object a line")
	}
	return s, err
}

func sortedKeys(m map[string]any) []string {
	out := make([]string, 0, len(m))
	for k := range m {
		out = append(out, k)
	}
	slices.Sort(out)
	return out
}

// shallow refuses what is nested deeper than figures are, before it is read.
func shallow(text []byte) error {
	depth, str, esc := 0, false, false
	for _, b := range text {
		switch {
		case esc:
			esc = false
		case str && b == '\\':
			esc = true
		case b == '"':
			str = !str
		case str:
		case b == '{' || b == '[':
			if depth++; depth > mostNested {
				return refuse("it is nested deeper than %d levels", mostNested)
			}
		case b == '}' || b == ']':
			depth--
		}
	}
	return nil
}

// turned makes rows of arrays of the same length by name; nil where there are none.
func turned(v map[string]any) []any {
	n := -1
	columns := map[string][]any{}
	for k, x := range v {
		list, ok := x.([]any)
		if !ok {
			continue
		}
		if len(list) > 0 {
			if _, nested := list[0].(map[string]any); nested {
				return nil
			}
		}
		if n >= 0 && len(list) != n {
			return nil
		}
		n, columns[k] = len(list), list
	}
	if n <= 0 {
		return nil
	}
	rows := make([]any, n)
	for i := range rows {
		row := map[string]any{}
		for k, list := range columns {
			row[k] = list[i]
		}
		rows[i] = row
	}
	return rows
}

// fromRows makes a sheet of objects or arrays.
func fromRows(rows []any) (Sheet, error) {
	var names []string
	for _, r := range rows[:min(len(rows), 200)] {
		if m, ok := r.(map[string]any); ok {
			for _, k := range sortedKeys(m) {
				if !slices.Contains(names, k) {
					names = append(names, k)
				}
			}
		}
	}
	objects := names != nil
	b := builder{d: dialect{sep: ','}}
	text := func(v any) []byte {
		switch x := v.(type) {
		case nil:
			return nil
		case json.Number:
			return []byte(x.String())
		case string:
			return []byte(x)
		case bool:
			return strconv.AppendInt(nil, map[bool]int64{true: 1}[x], 10)
		}
		return []byte("a nested value")
	}
	cells := func(r any) [][]byte {
		var out [][]byte
		switch x := r.(type) {
		case map[string]any:
			for _, n := range names {
				out = append(out, text(x[n]))
			}
		case []any:
			for _, v := range x {
				out = append(out, text(v))
			}
		default:
			out = append(out, text(x))
		}
		return out
	}
	var head [][][]byte
	if objects {
		h := [][]byte{}
		for _, n := range names {
			h = append(h, []byte(n))
		}
		head = append(head, h)
	} else if first := cells(rows[0]); len(rows) > 1 { // an array of arrays may begin with names
		if n, _ := b.d.numeric(first); n == 0 {
			head, rows = append(head, first), rows[1:]
		}
	}
	for _, r := range rows[:min(len(rows), 200)] {
		b.sample = append(b.sample, cells(r))
	}
	if err := b.begin(head); err != nil {
		return Sheet{}, err
	}
	if err := b.room(len(rows)); err != nil {
		return Sheet{}, err
	}
	for i, r := range rows {
		if _, ok := r.(map[string]any); ok != objects {
			b.s.refuseRow(i+1, "it is of another kind than the others")
			continue
		}
		b.row(i+1, cells(r))
	}
	s := b.done()
	s.Kind = "json"
	return s, nil
}
