package analyse

import (
	"durvek/core/quantity"
	"durvek/core/record"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"math"
	"regexp"
	"strconv"
	"strings"
	"time"
)

// LogReader reads the log of an outside instrument. Readers are asked in the order of their files' names; one that
// reads plain tables comes last and takes whatever no other knows.
type LogReader struct {
	Name  string
	Knows func(data []byte) bool
	// Read makes a trace of it: seconds from the run's start, rising. Its error says which line is wrong and why.
	Read func(data []byte, started time.Time) (record.Trace, error)
}

var logReaders []LogReader

// ErrOrder marks a log that can be read but for its order: no other dialect would mend it.
var ErrOrder = errors.New("times rise from line to line")

//lint:ignore U1000 a reader of its own file registers with it
func registerLog(r LogReader) { logReaders = append(logReaders, r) }

// ReadLog reads an outside instrument's log with the first reader that knows it. Moments of the day count from the
// run's start; bare seconds stay.
func ReadLog(data []byte, started time.Time) (record.Trace, error) {
	for _, r := range logReaders {
		if r.Knows(data) {
			return r.Read(data, started)
		}
	}
	return readTable(data, started)
}

var logColumn = regexp.MustCompile(`^(.+?)\s*[\[(]([^\])]*)[\])]$`)

// mostLogColumns bounds what one outside log brings.
const mostLogColumns = 100

// readTable reads a CSV table (RFC 4180; semicolons part it, too) of seconds or moments, and NAME [UNIT].
func readTable(data []byte, started time.Time) (record.Trace, error) {
	var t record.Trace
	r := csv.NewReader(strings.NewReader(strings.TrimPrefix(string(data), "\ufeff")))
	r.FieldsPerRecord = -1
	if first, _, _ := strings.Cut(string(data), "\n"); strings.Count(first, ";") > strings.Count(first, ",") {
		r.Comma = ';'
	}
	head, err := r.Read()
	if err != nil || len(head) < 2 {
		return t, fmt.Errorf("line 1: a log begins with a line of column names: seconds or time, then NAME " +
			"[UNIT]")
	}
	if len(head) > mostLogColumns {
		return t, fmt.Errorf("line 1: a log has %d columns at most, not %d", mostLogColumns, len(head))
	}
	names, units, err := logColumns(head)
	if err != nil {
		return t, err
	}
	last := math.Inf(-1)
	for {
		row, err := r.Read()
		if errors.Is(err, io.EOF) {
			break
		}
		var broken *csv.ParseError
		if errors.As(err, &broken) {
			return t, fmt.Errorf("line %d: %v", broken.Line, broken.Err)
		}
		if err != nil {
			return t, err
		}
		line, _ := r.FieldPos(0)
		at, err := strconv.ParseFloat(strings.TrimSpace(row[0]), 64)
		if err != nil {
			moment, err := time.Parse(time.RFC3339, strings.TrimSpace(row[0]))
			if err != nil {
				return t, fmt.Errorf("line %d: %q is neither seconds nor a moment such as 2026-11-23T10:00:00Z",
					line, row[0])
			}
			at = moment.Sub(started).Seconds()
		}
		if at <= last || len(row) > len(head) {
			return t, fmt.Errorf("line %d: %w, and no line has more columns than the first", line, ErrOrder)
		}
		last = at
		values := map[string]float64{}
		for i, cell := range row[1:] {
			if cell = strings.TrimSpace(cell); cell == "" {
				continue
			}
			v, err := strconv.ParseFloat(cell, 64)
			if err != nil || !quantity.Sound(v) {
				return t, fmt.Errorf("line %d, column %d: %q is not a number", line, i+2, cell)
			}
			values[names[i+1]] = v
		}
		t.Add(at, values, units)
	}
	if len(t.Times) < 2 {
		return t, fmt.Errorf("the log has %d rows of figures; it needs two at least", len(t.Times))
	}
	return t, nil
}

// logColumns reads the header: each column's channel, and the channels' units.
func logColumns(head []string) (names []string, units map[string]string, err error) {
	names, units = make([]string, len(head)), map[string]string{}
	for i, h := range head[1:] {
		h = strings.TrimSpace(h)
		unit := ""
		if m := logColumn.FindStringSubmatch(h); m != nil {
			h, unit = m[1], m[2]
		}
		if unit != "" {
			u, err := quantity.LookUp(unit)
			if err != nil {
				return nil, nil, fmt.Errorf("line 1, column %d: %v", i+2, err)
			}
			unit = u.Code
		} else if c, ok := record.ChannelOf(h); ok {
			unit = c.Unit
		}
		if _, twice := units[h]; twice || h == "" {
			return nil, nil, fmt.Errorf("line 1, column %d: column %q has no name or stands twice", i+2, h)
		}
		names[i+1], units[h] = h, unit
	}
	return names, units, nil
}
