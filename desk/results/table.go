package results

import (
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"sort"
	"strconv"
	"strings"

	"github.com/google/uuid"

	"durvek/core/record"
	"durvek/desk"
)

// Table is what a CSV table of readings holds: how much is new, and every row that is refused.
type Table struct {
	Rows    int        `json:"rows"`
	Runs    int        `json:"runs"`
	Known   int        `json:"known" doc:"Runs that were taken in before and stay as they are"`
	Refused []Refused  `json:"refused"`
	Written bool       `json:"written"`
	Sample  []TableRow `json:"sample" doc:"The first runs as understood"`
}

// Refused is a row that cannot be taken in, and why.
type Refused struct {
	Line   int    `json:"line"`
	Reason string `json:"reason"`
}

// TableRow is one run of the table as it was understood.
type TableRow struct {
	Line     int               `json:"line"`
	Subject  string            `json:"subject"`
	Test     string            `json:"test"`
	Setup    string            `json:"setup"`
	Readings map[string]string `json:"readings"`
}

// tableColumns are the columns that a table may have besides "condition:KEY"; unit, test, measure and
// value must be there.
var tableColumns = []string{"unit", "host", "place", "setup", "sitting", "date", "test", "repeat", "measure", "value"}

// tableSpace names runs from tables, so that the same table taken in again is recognised.
var tableSpace = uuid.MustParse("6f0a3c1e-52c4-4f0e-9d5b-6d1c7b3a9e10")

// ImportTable reads a CSV table (RFC 4180) with one reading per row; rows that agree in all but
// measure and value are one run. With refused rows, or with checkOnly, nothing is written.
func (d *Results) ImportTable(ctx context.Context, data []byte, checkOnly bool, by string) (Table, error) {
	t := Table{Refused: []Refused{}, Sample: []TableRow{}}
	typed, lines, refused, err := readTable(data)
	if err != nil {
		return t, err
	}
	t.Refused = append(t.Refused, refused...)
	var runs []record.Run
	for i, x := range typed {
		t.Rows += len(x.Readings)
		r, wrong, err := d.typedRun(ctx, x, by, record.FromTable)
		if err != nil {
			return t, err
		}
		for _, w := range wrong {
			t.Refused = append(t.Refused, Refused{lines[i], w})
		}
		if len(wrong) > 0 {
			continue
		}
		identity := strings.Join([]string{x.Subject, x.Host, x.Place, x.Setup, x.Sitting, x.Date, x.Test,
			strconv.Itoa(r.TestVersion), strconv.Itoa(x.Repeat), fmt.Sprint(x.Conditions), fmt.Sprint(x.Readings)}, "\x00")
		r.ID = uuid.NewSHA1(tableSpace, []byte(identity)).String()
		_, err = d.desk.Store.Run(ctx, r.ID)
		if known, err := desk.Found(err); err != nil {
			return t, err
		} else if known {
			t.Known++
			continue
		}
		runs = append(runs, r)
		if len(t.Sample) < 20 {
			t.Sample = append(t.Sample, TableRow{lines[i], r.Subject, r.Test, r.Setup, x.Readings})
		}
	}
	t.Rows += len(refused)
	t.Runs = len(runs)
	sort.SliceStable(t.Refused, func(i, j int) bool { return t.Refused[i].Line < t.Refused[j].Line })
	if checkOnly || len(t.Refused) > 0 || len(runs) == 0 {
		return t, nil
	}
	if err := d.sittings(ctx, runs, func(i int, id string) { runs[i].Sitting = id }); err != nil {
		return t, err
	}
	_, err = d.record(ctx, runs)
	t.Written = err == nil
	return t, err
}

// readTable gathers a table's rows into runs; lines holds each run's first line.
func readTable(data []byte) (runs []Typed, lines []int, refused []Refused, err error) {
	r := csv.NewReader(strings.NewReader(strings.TrimPrefix(string(data), "\ufeff")))
	r.FieldsPerRecord = -1
	head, err := r.Read()
	if err != nil {
		return nil, nil, nil, desk.Refuse(desk.Invalid, "the table is empty; its first line names the columns: %s",
			strings.Join(tableColumns, ","))
	}
	column := map[string]int{}
	for i, h := range head {
		h = strings.ToLower(strings.TrimSpace(h))
		_, condition := strings.CutPrefix(h, "condition:")
		if _, twice := column[h]; twice || !condition && !slices.Contains(tableColumns, h) {
			return nil, nil, nil, desk.Refuse(desk.Invalid, "line 1: column %q is unknown or stands twice; columns are %s "+
				"and condition:KEY", h, strings.Join(tableColumns, ", "))
		}
		column[h] = i
	}
	for _, need := range []string{"unit", "test", "measure", "value"} {
		if _, ok := column[need]; !ok {
			return nil, nil, nil, desk.Refuse(desk.Invalid, "line 1: the table needs a column %q", need)
		}
	}
	index := map[string]int{}
	for {
		row, err := r.Read()
		if errors.Is(err, io.EOF) {
			return runs, lines, refused, nil
		}
		if err != nil {
			var pe *csv.ParseError
			if errors.As(err, &pe) {
				return nil, nil, nil, desk.Refuse(desk.Invalid, "line %d, column %d: %v", pe.Line, pe.Column, pe.Err)
			}
			return nil, nil, nil, err
		}
		line, _ := r.FieldPos(0)
		if len(row) != len(head) {
			refused = append(refused, Refused{line, fmt.Sprintf("has %d columns, the first line has %d", len(row), len(head))})
			continue
		}
		get := func(name string) string {
			if i, ok := column[name]; ok {
				return strings.TrimSpace(row[i])
			}
			return ""
		}
		x := Typed{Test: get("test"), Subject: get("unit"), Host: get("host"), Place: get("place"), Setup: get("setup"),
			Sitting: get("sitting"), Date: get("date"),
			Conditions: map[string]string{}, Readings: map[string]string{}}
		if s := get("repeat"); s != "" {
			if x.Repeat, err = strconv.Atoi(s); err != nil || x.Repeat < 0 {
				refused = append(refused, Refused{line, fmt.Sprintf("repeat %q is not a whole number", s)})
				continue
			}
		}
		for name := range column {
			if key, ok := strings.CutPrefix(name, "condition:"); ok && get(name) != "" {
				x.Conditions[key] = get(name)
			}
		}
		key := fmt.Sprintf("%q %q %q %q %q %q %q %d %v", x.Test, x.Subject, x.Host, x.Place, x.Setup, x.Sitting, x.Date,
			x.Repeat, x.Conditions)
		i, ok := index[key]
		if !ok {
			i = len(runs)
			index[key] = i
			runs, lines = append(runs, x), append(lines, line)
		}
		if _, twice := runs[i].Readings[get("measure")]; twice {
			refused = append(refused, Refused{line, fmt.Sprintf("%s of this run stands twice; number its repeats in the "+
				"column repeat", get("measure"))})
			continue
		}
		runs[i].Readings[get("measure")] = get("value")
	}
}
