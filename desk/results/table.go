package results

import (
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"regexp"
	"slices"
	"sort"
	"strconv"
	"strings"

	"github.com/google/uuid"

	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/desk"
	"durvek/internal/sheet"
	"durvek/rawfile"
)

// Table is what a CSV table of readings holds: how much is new, and every row that is refused.
type Table struct {
	Rows    int        `json:"rows"`
	Runs    int        `json:"runs"`
	Known   int        `json:"known" doc:"Runs that were taken in before and stay as they are"`
	Refused []Refused  `json:"refused"`
	Written bool       `json:"written"`
	Sample  []TableRow `json:"sample" doc:"The first runs as understood"`
	Untold  []Untold   `json:"untold,omitempty" doc:"What nobody told, by test: until then such runs stand beside no others"`
}

// Untold are conditions of a test that must match, and that so many runs of a table do not tell.
type Untold struct {
	Test       string   `json:"test"`
	Conditions []string `json:"conditions"`
	Runs       int      `json:"runs"`
}

// note counts a run that does not tell conditions of its test.
func (t *Table) note(test string, conditions []string) {
	i := slices.IndexFunc(t.Untold, func(u Untold) bool {
		return u.Test == test && slices.Equal(u.Conditions, conditions)
	})
	if i < 0 {
		i, t.Untold = len(t.Untold), append(t.Untold, Untold{Test: test, Conditions: conditions})
	}
	t.Untold[i].Runs++
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
var tableColumns = []string{"unit", "host", "place", "setup", "sitting", "date", "time", "test", "repeat", "second",
	"step", "measure", "value", "note"}

// separator is what stands between the cells of a table: the sign that its first line holds most of.
func separator(data string) rune {
	head, _, _ := strings.Cut(data, "\n")
	best := ','
	for _, r := range ";\t|" {
		if strings.Count(head, string(r)) > strings.Count(head, string(best)) {
			best = r
		}
	}
	return best
}

// commaNumber is a number with a decimal comma; thousands may be set apart by points or spaces.
var commaNumber = regexp.MustCompile(`(\d{1,3}(?:[. ]\d{3})+|\d+),(\d+)`)

// pointed writes decimal commas as points, as they stand in tables whose cells are not parted by commas.
func pointed(cell string, sep rune) string {
	if sep == ',' {
		return cell
	}
	return commaNumber.ReplaceAllStringFunc(cell, func(n string) string {
		whole, frac, _ := strings.Cut(n, ",")
		return strings.NewReplacer(".", "", " ", "").Replace(whole) + "." + frac
	})
}

// united is a column of a measure with the unit of what stands in it: "weight/weight [g]".
var united = regexp.MustCompile(`^([^\[]+/[^\[]+)\[([^\]]+)\]$`)

// inUnit gives a reading the unit of its column, unless it has its own or is no number.
func inUnit(cell, unit string) string {
	if n := len(cell); unit == "" || n == 0 || cell[n-1] < '0' || cell[n-1] > '9' {
		return cell
	}
	return cell + " " + unit
}

// columns finds what each column holds: one of those above, a condition by its key, with or without "condition:" before
// it, or a measure (test/measure, with a unit in brackets or without), whose readings then stand in it.
func columns(head []string) (column map[string]int, wide []string, units map[string]string, err error) {
	column, units = map[string]int{}, map[string]string{}
	for i, h := range head {
		unit := ""
		if m := united.FindStringSubmatch(strings.TrimSpace(h)); m != nil {
			h, unit = m[1], strings.TrimSpace(m[2])
		}
		h = strings.ToLower(strings.TrimSpace(h))
		units[h] = unit
		key, condition := strings.CutPrefix(h, "condition:")
		if _, known := method.Condition(h); known && !slices.Contains(tableColumns, h) {
			key, condition = h, true
		}
		measure := strings.Contains(h, "/")
		if condition {
			h = "condition:" + key
		} else if measure {
			wide = append(wide, h)
		}
		if _, twice := column[h]; twice || !condition && !measure && !slices.Contains(tableColumns, h) {
			return nil, nil, nil, desk.Refuse(desk.Invalid, "line 1: column %q is unknown or stands twice; columns are %s, a "+
				"condition such as supply, and a measure such as weight/weight", h, strings.Join(tableColumns, ", "))
		}
		column[h] = i
	}
	needs := []string{"unit", "test", "measure", "value"}
	if len(wide) > 0 {
		for _, name := range needs[1:] {
			if _, ok := column[name]; ok {
				return nil, nil, nil, desk.Refuse(desk.Invalid, "line 1: readings stand in a column of their measure (%s) or in "+
					"the columns test, measure and value, not in both", wide[0])
			}
		}
		needs = needs[:1]
	}
	for _, need := range needs {
		if _, ok := column[need]; !ok {
			return nil, nil, nil, desk.Refuse(desk.Invalid, "line 1: the table needs a column %q", need)
		}
	}
	return column, wide, units, nil
}

// along reads the second or the step that a row of a series stands at; ok tells whether there is one.
func along(get func(string) string) (at float64, axis string, ok bool, err error) {
	for _, axis := range []string{"second", "step"} {
		s := get(axis)
		if s == "" {
			continue
		}
		at, err := strconv.ParseFloat(s, 64)
		if err != nil || !quantity.Sound(at) || at < 0 {
			return 0, axis, false, fmt.Errorf("%s %q is not a number from 0 up", axis, s)
		}
		return at, axis, true, nil
	}
	return 0, "", false, nil
}

// tableSpace names runs from tables, so that the same table taken in again is recognised.
var tableSpace = uuid.MustParse("6f0a3c1e-52c4-4f0e-9d5b-6d1c7b3a9e10")

// ImportTable reads a CSV table (RFC 4180) or a spreadsheet with one reading per row; rows that agree in all but
// measure and value are one run. With refused rows, or with checkOnly, nothing is written.
func (d *Results) ImportTable(ctx context.Context, data []byte, checkOnly bool, by string) (Table, error) {
	t := Table{Refused: []Refused{}, Sample: []TableRow{}}
	data, err := rawfile.Text(data)
	if err != nil {
		return t, desk.Refuse(desk.Invalid, "the table: %s", plainly(err))
	}
	typed, lines, refused, err := readTable(data)
	if err != nil {
		return t, err
	}
	t.Refused = append(t.Refused, refused...)
	var runs []record.Run
	for i, x := range typed {
		t.Rows += len(x.Readings)
		for _, s := range x.Series {
			t.Rows += len(s.At)
		}
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
		if x.Time != "" || len(x.Series) > 0 {
			identity += "\x00" + x.Time + "\x00" + fmt.Sprint(x.Series)
		}
		r.ID = uuid.NewSHA1(tableSpace, []byte(identity)).String()
		_, err = d.desk.Store.Run(ctx, r.ID)
		if known, err := desk.Found(err); err != nil {
			return t, err
		} else if known {
			t.Known++
			continue
		}
		runs = append(runs, r)
		untold, err := d.untold(ctx, r)
		if err != nil {
			return t, err
		}
		if len(untold) > 0 {
			t.note(r.Test, untold)
		}
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
	text := strings.TrimPrefix(string(data), "\ufeff")
	sep := separator(text)
	r := csv.NewReader(strings.NewReader(text))
	r.FieldsPerRecord, r.Comma, r.TrimLeadingSpace = -1, sep, sep != '\t'
	head, err := r.Read()
	if err != nil {
		return nil, nil, nil, desk.Refuse(desk.Invalid, "the table is empty; its first line names the columns: %s",
			strings.Join(tableColumns, ","))
	}
	column, wide, units, err := columns(head)
	if err != nil {
		return nil, nil, nil, err
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
			i, ok := column[name]
			if !ok {
				return ""
			}
			if name == "value" || name == "second" || name == "step" || slices.Contains(wide, name) {
				return inUnit(pointed(strings.TrimSpace(row[i]), sep), units[name])
			}
			return sheet.Text(strings.TrimSpace(row[i]))
		}
		x := Typed{Test: get("test"), Subject: get("unit"), Host: get("host"), Place: get("place"), Setup: get("setup"),
			Sitting: get("sitting"), Date: get("date"), Time: get("time"), Conditions: map[string]string{},
			Readings: map[string]string{}, Notes: map[string]string{}}
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
		at, axis, series, err := along(get)
		if err != nil {
			refused = append(refused, Refused{line, err.Error()})
			continue
		}
		cells := cellsOf(get, wide)
		for _, cell := range cells {
			x := x
			x.Test = cell[0]
			key := fmt.Sprintf("%q %q %q %q %q %q %q %q %d %v", x.Test, x.Subject, x.Host, x.Place, x.Setup, x.Sitting, x.Date,
				x.Time, x.Repeat, x.Conditions)
			i, ok := index[key]
			if !ok {
				i = len(runs)
				index[key] = i
				x.Readings, x.Notes = map[string]string{}, map[string]string{}
				runs, lines = append(runs, x), append(lines, line)
			}
			if why := runs[i].take(cell[1], cell[2], get("note"), at, axis, series); why != "" {
				refused = append(refused, Refused{line, why})
			}
		}
	}
}

// cellsOf lists the readings of a row: test, measure and what was read.
func cellsOf(get func(string) string, wide []string) (cells [][3]string) {
	if len(wide) == 0 {
		return [][3]string{{get("test"), get("measure"), get("value")}}
	}
	for _, id := range wide {
		if test, measure := method.Split(id); get(id) != "" {
			cells = append(cells, [3]string{test, measure, get(id)})
		}
	}
	return cells
}

// take puts a cell into a run: a reading, or a point of the series that its readings are made of.
func (x *Typed) take(measure, value, note string, at float64, axis string, series bool) (why string) {
	if note != "" {
		x.Notes[measure] = note
	}
	if !series {
		if _, twice := x.Readings[measure]; twice {
			return measure + " of this run stands twice; number its repeats in the column repeat, or its steps in step"
		}
		x.Readings[measure] = value
		return ""
	}
	if x.Series == nil {
		x.Series = map[string]TypedSeries{}
	}
	s := x.Series[measure]
	if n := len(s.At); n > 0 && at <= s.At[n-1] {
		return fmt.Sprintf("%s %g does not come after %g; rows of a series stand in their order", axis, at, s.At[n-1])
	}
	s.Axis, s.At, s.Values = axis, append(s.At, at), append(s.Values, value)
	x.Series[measure] = s
	return ""
}
