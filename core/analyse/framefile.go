package analyse

import (
	"encoding/csv"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"

	"durvek/core/quantity"
)

// FrameFile says how frame times stand in a CSV table (RFC 4180) with a header row: one row a frame.
type FrameFile struct {
	Column    string `json:"column,omitempty" query:"column" doc:"Column of the frame times; left out where the table has one column"`
	Unit      string `json:"unit,omitempty" query:"unit-of-time" doc:"Unit that the column is in; ms where left out"`
	Moments   bool   `json:"moments,omitempty" query:"moments" doc:"The column holds the moment of each frame, not how long it took"`
	Generated string `json:"generated,omitempty" query:"generated" doc:"Column that is 1, true or yes for frames that were generated between rendered ones"`
}

// Read takes frame times in ms out of a table. The error names the line and wraps ErrFrames.
func (f FrameFile) Read(table io.Reader) (ms []float64, generated []bool, err error) {
	bad := func(line int, format string, args ...any) error {
		return fmt.Errorf("%w: line %d: %s", ErrFrames, line, fmt.Sprintf(format, args...))
	}
	unit := f.Unit
	if unit == "" {
		unit = "ms"
	}
	if _, err := quantity.Convert(1, unit, "ms"); err != nil {
		return nil, nil, fmt.Errorf("%w: %v", ErrFrames, err)
	}
	r := csv.NewReader(table)
	r.FieldsPerRecord = -1
	r.TrimLeadingSpace = true
	head, err := r.Read()
	if err != nil {
		return nil, nil, bad(1, "there is no table in it")
	}
	for i := range head {
		head[i] = strings.TrimSpace(strings.TrimPrefix(head[i], "\ufeff"))
	}
	find := func(name string) (int, error) {
		i := slices.Index(head, name)
		if i < 0 {
			return 0, bad(1, "there is no column %q; there are %s", name, strings.Join(head, ", "))
		}
		return i, nil
	}
	at, mark := 0, -1
	switch {
	case f.Column != "":
		if at, err = find(f.Column); err != nil {
			return nil, nil, err
		}
	case len(head) > 1:
		return nil, nil, bad(1, "say which column holds the frame times; there are %s", strings.Join(head, ", "))
	}
	if f.Generated != "" {
		if mark, err = find(f.Generated); err != nil {
			return nil, nil, err
		}
	}
	last, first := 0.0, true
	for {
		row, err := r.Read()
		if err == io.EOF {
			break
		}
		line, _ := r.FieldPos(0)
		if err != nil {
			return nil, nil, bad(line, "%v", err)
		}
		if len(row) <= max(at, mark) {
			return nil, nil, bad(line, "it has %d columns, the header %d", len(row), len(head))
		}
		text := strings.TrimSpace(row[at])
		v, err := strconv.ParseFloat(text, 64)
		if err != nil {
			return nil, nil, bad(line, "%.40q is no number", text)
		}
		if f.Moments {
			v, last = v-last, v
			if first { // it only says when the first frame began
				first = false
				continue
			}
		}
		if v, err = quantity.Convert(v, unit, "ms"); err != nil || !(v > 0) {
			return nil, nil, bad(line, "a frame of %s %s cannot be", text, unit)
		}
		ms = append(ms, v)
		if mark >= 0 {
			generated = append(generated, slices.Contains([]string{"1", "true", "yes"},
				strings.ToLower(strings.TrimSpace(row[mark]))))
		}
	}
	if len(ms) == 0 {
		return nil, nil, bad(2, "there are no frames in it")
	}
	return ms, generated, nil
}
