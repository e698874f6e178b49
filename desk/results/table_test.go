package results_test

import (
	"bytes"
	"fmt"
	"maps"
	"strings"
	"testing"

	"github.com/xuri/excelize/v2"
	"golang.org/x/text/encoding/unicode"

	"durvek/core/method"
	"durvek/core/record"
	"durvek/desk"
	"durvek/desk/results"
	"durvek/internal/testdesk"
	"durvek/store"
)

// Tables come with any separator, decimal commas, a time of day, notes, setups, conditions by their keys, a column for
// each measure, and loops as series.
func TestTablesAsPeopleKeepThem(t *testing.T) {
	var err error
	d := testdesk.Opened(t)
	taken := func(table string) []record.Run {
		t.Helper()
		got, err := d.Results.ImportTable(ctx, []byte(table), false, "me")
		if err != nil || !got.Written || len(got.Refused) > 0 {
			t.Fatalf("%+v, %v", got, err)
		}
		runs, _, err := d.Results.Runs(ctx, store.RunFilter{Subject: strings.Fields(strings.NewReplacer(";", " ", "\t", " ",
			",", " ").Replace(strings.SplitN(table, "\n", 3)[1]))[0], Limit: 99})
		if err != nil {
			t.Fatal(err)
		}
		return runs
	}
	runs := taken("unit;test;measure;value;repeat;date;time;supply;note\n" +
		"a;work;rate;1.012,5;2;2026-11-20;14:05;battery;\"with 3,5 m of " +
		"cable\"\na;work;rate;99,5;1;2026-11-20;14:04:30;battery;\n")
	if len(runs) != 2 || runs[0].Readings[0].Value != 1012.5 || runs[1].Readings[0].Value != 99.5 ||
		runs[0].Readings[0].Reason != "with 3,5 m of cable" || runs[0].Observed["supply"] != "battery" ||
		runs[0].Started.Format("15:04:05") != "14:05:00" || runs[1].Started.Format("15:04:05") != "14:04:30" {
		t.Errorf("%+v", runs)
	}
	runs = taken("unit\tdate\twork/rate\twork/time\nb\t2026-11-20\t130,25\t41\nb\t2026-11-21\t\t42\n")
	if len(runs) != 2 || len(runs[0].Readings) != 1 || len(runs[1].Readings) != 2 || runs[1].Readings[0].Value != 130.25 {
		t.Errorf("a column for each measure: %+v", runs)
	}
	loop := "unit,date,test,measure,step,value\n"
	for i := range 40 {
		loop += fmt.Sprintf("c,2026-11-20,work,rate,%d,%g\n", i+1, 100-0.25*float64(i))
	}
	runs = taken(loop)
	if len(runs) == 1 {
		if runs[0].Series, err = d.Desk.Store.Series(ctx, runs[0].ID); err != nil {
			t.Fatal(err)
		}
	}
	if len(runs) != 1 || len(runs[0].Series) != 1 || len(runs[0].Series[0].Values) != 40 ||
		runs[0].Series[0].Axis != "step" || runs[0].Readings[0].Value != 95.125 ||
		runs[0].Readings[0].Reason != "mean of 40 points along the run" {
		t.Errorf("a loop: %+v", runs)
	}
	again, err := d.Results.ImportTable(ctx, []byte(loop), false, "me")
	if err != nil || again.Known != 1 || again.Runs != 0 || again.Rows != 40 {
		t.Errorf("the same loop again: %+v, %v", again, err)
	}
	// A column may say its unit; a cell that says its own keeps it, and what is no number stays what it is.
	runs = taken("unit;date;work/rate [/s];work/time[min]\nc;2026-11-18;2,5;1,5\nc;2026-11-19;at least 2;90 s\n" +
		"c;2026-11-17;missing: it was away;0,5 to 1\n")
	says := map[string]string{}
	for _, r := range runs {
		if r.Started.Day() == 20 {
			continue // the loop
		}
		for _, x := range r.Readings {
			m, _ := testdesk.Work().Measure(x.Measure)
			says[r.Started.Format("2 ")+x.Measure] = x.Says(m)
		}
	}
	if want := map[string]string{"18 rate": "150.0 /min", "18 time": "90.00 s", "19 rate": "at least 120.0 /min",
		"19 time": "90.00 s", "17 rate": "missing", "17 time": "30 to 60 s"}; !maps.Equal(says, want) {
		t.Errorf("columns with units: %q", says)
	}
}

func TestTablesAreRefusedInWords(t *testing.T) {
	d := testdesk.Opened(t)
	_, err := d.Results.ImportTable(ctx, []byte("unit,test,colour\n"), false, "me")
	testdesk.Says(t, err, desk.Invalid, `column "colour" is unknown`, "a condition such as supply")
	_, err = d.Results.ImportTable(ctx, []byte("unit,supply,condition:supply,work/rate\n"), false, "me")
	testdesk.Says(t, err, desk.Invalid, "stands twice")
	_, err = d.Results.ImportTable(ctx, []byte("unit,test,work/rate\n"), false, "me")
	testdesk.Says(t, err, desk.Invalid, "column of their measure (work/rate)", "not in both")
	_, err = d.Results.ImportTable(ctx, []byte("date,work/rate\n"), false, "me")
	testdesk.Says(t, err, desk.Invalid, `needs a column "unit"`)
	for says, table := range map[string]string{
		"is not a time of the day": "unit,test,measure,value,time\na,work,rate,5,noon\n",
		"lies in the future":       "unit,test,measure,value,date,time\na,work,rate,5,2026-11-24,00:01\n",
		"does not come after 2":    "unit,test,measure,value,step\na,work,rate,5,2\na,work,rate,5,2\n",
		"two points or more":       "unit,test,measure,value,step\na,work,rate,5,2\n",
		"not a number from 0 up":   "unit,test,measure,value,second\na,work,rate,5,-1\na,work,rate,5,1\n",
		"no figure of a series":    "unit,test,measure,value,second\na,work,rate,5,1\na,work,rate,missing,2\n",
		"at once":                  "unit,test,measure,value,second\na,work,rate,5,1\na,work,rate,5,2\na,work,rate,5,\n",
		`has no measure "pace"`:    "unit,test,measure,value,second\na,work,pace,5,1\na,work,pace,5,2\n",
		"its steps in step":        "unit,test,measure,value\na,work,rate,5\na,work,rate,6\n",
	} {
		got, err := d.Results.ImportTable(ctx, []byte(table), false, "me")
		all := fmt.Sprint(got.Refused)
		if err != nil || got.Written || !strings.Contains(all, says) {
			t.Errorf("%q: %s, %v, want %q", table, all, err, says)
		}
	}
}

// A loop of one day falls in its own order: repeats of one moment stand by their number.
func TestRepeatsOfOneDayStandByTheirNumber(t *testing.T) {
	d := testdesk.Opened(t)
	table := "unit,date,test,measure,repeat,value\n"
	for i := range 12 {
		table += fmt.Sprintf("a,2026-11-20,work,rate,%d,%d\n", i, 100-i)
	}
	if got, err := d.Results.ImportTable(ctx, []byte(table), false, "me"); err != nil || !got.Written {
		t.Fatalf("%+v, %v", got, err)
	}
	runs, _, err := d.Results.Runs(ctx, store.RunFilter{Subject: "a", Limit: 99})
	if err != nil {
		t.Fatal(err)
	}
	k, err := d.Desk.Store.RunCell(ctx, runs[0].ID)
	if err != nil {
		t.Fatal(err)
	}
	ids, err := d.Desk.Store.RunsOfCell(ctx, "work", k)
	if err != nil || len(ids) != 12 {
		t.Fatal(ids, err)
	}
	for i, id := range ids {
		if r, err := d.Desk.Store.Run(ctx, id); err != nil || r.Repeat != i {
			t.Errorf("at %d stands repeat %d, %v", i, r.Repeat, err)
		}
	}
}

func TestATableMayBeASpreadsheetOrInAnotherEncoding(t *testing.T) {
	d := testdesk.Opened(t)
	book := excelize.NewFile()
	for cell, v := range map[string]any{"A1": "unit", "B1": "work/rate", "C1": "repeat", "A2": "a", "B2": 101.5, "C2": 0,
		"A3": "b", "B3": "at least 99", "C3": 1} {
		if err := book.SetCellValue("Sheet1", cell, v); err != nil {
			t.Fatal(err)
		}
	}
	var b bytes.Buffer
	if err := book.Write(&b); err != nil {
		t.Fatal(err)
	}
	wide, err := unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewEncoder().Bytes([]byte(
		"unit;work/rate;repeat\nc;100,5;0\n"))
	if err != nil {
		t.Fatal(err)
	}
	for name, x := range map[string]struct {
		data []byte
		runs int
	}{"a spreadsheet": {b.Bytes(), 2}, "UTF-16": {wide, 1}} {
		got, err := d.Results.ImportTable(testdesk.Ctx, x.data, false, "me")
		if err != nil || got.Runs != x.runs || len(got.Refused) > 0 {
			t.Errorf("%s: %+v %v", name, got, err)
		}
	}
	_, err = d.Results.ImportTable(testdesk.Ctx, []byte("PK\x03\x04 and no more"), false, "me")
	testdesk.Says(t, err, desk.Invalid, "broken archive")
}

// Why a reading is missing stays with it, and a note stands behind.
func TestWhyAReadingIsMissingIsKept(t *testing.T) {
	d := testdesk.Opened(t)
	for note, want := range map[string]string{"": "it was dropped", "on Monday": "it was dropped; on Monday"} {
		r, err := d.Results.TypeReadings(testdesk.Ctx, results.Typed{Test: "work", Subject: "a", Repeat: len(note),
			Notes: map[string]string{"rate": note}, Readings: map[string]string{"rate": "missing: it was dropped"}}, "me")
		if err != nil || r.Readings[0].Reason != want {
			t.Errorf("with the note %q: %q, %v; want %q", note, r.Readings[0].Reason, err, want)
		}
	}
}

// What a table or a typed run does not tell, and must match, is named; what a setup tells is not missed.
func TestWhatNobodyToldIsNamed(t *testing.T) {
	d := testdesk.Opened(t)
	must := func(err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	must(d.Books.AddCondition(testdesk.Ctx, method.ConditionKey{Key: "own.oil", Name: "Oil", Meaning: "Of its hinge"},
		"me"))
	must(testdesk.Err(d.Books.ImportTest(testdesk.Ctx, []byte("format: durvek-test/1\nslug: told\nname: Told\n"+
		"group: body\nmust_match: [supply, content, own.oil]\nmeasures:\n"+
		"  - {slug: rate, name: rate, unit: /min, better: higher}\n"), false, "me")))
	typed := func(conditions map[string]string) []string {
		r, err := d.Results.TypeReadings(testdesk.Ctx, results.Typed{Test: "told", Subject: "a", Conditions: conditions,
			Repeat: len(conditions), Readings: map[string]string{"rate": "1"}}, "me")
		must(err)
		return r.Untold
	}
	for _, c := range []struct {
		told map[string]string
		want string
	}{{nil, "content own.oil"}, {map[string]string{"content": "a"}, "own.oil"},
		{map[string]string{"content": "a", "own.oil": "warm"}, ""}} {
		if got := strings.Join(typed(c.told), " "); got != c.want {
			t.Errorf("%v: %q untold, want %q", c.told, got, c.want)
		}
	}
	table, err := d.Results.ImportTable(testdesk.Ctx, []byte("unit,test,measure,value,repeat,content,own.oil\n"+
		"b,told,rate,1,1,a,\nb,told,rate,2,2,a,\nb,told,rate,3,3,,\nb,told,rate,4,4,a,warm\n"), true, "me")
	must(err)
	if got := fmt.Sprint(table.Untold); got != "[{told [own.oil] 2} {told [content own.oil] 1}]" {
		t.Errorf("of the table %s", got)
	}
}
