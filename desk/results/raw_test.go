package results_test

import (
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"durvek/core/catalog"
	"durvek/core/record"
	"durvek/desk"
	"durvek/desk/house"
	"durvek/desk/results"
	"durvek/internal/testdesk"
	"durvek/rawfile"
	"durvek/store"
)

// powerLog is a log of so many seconds at a power.
func powerLog(seconds int, watts float64) []byte {
	out := "time [s];power [W]\n"
	for i := range seconds {
		out += fmt.Sprintf("%d;%s\n", i, strings.Replace(fmt.Sprintf("%.2f", watts), ".", ",", 1))
	}
	return []byte(out)
}

func take(t *testing.T, d *house.House, data []byte, of results.RawOf) results.RawTaken {
	t.Helper()
	out, err := d.Results.TakeRaw(testdesk.Ctx, data, of, false, "me")
	if err != nil {
		t.Fatal(err)
	}
	return out
}

func refusedRaw(t *testing.T, d *house.House, data []byte, of results.RawOf, kind desk.Kind, words ...string) {
	t.Helper()
	_, err := d.Results.TakeRaw(testdesk.Ctx, data, of, false, "me")
	testdesk.Says(t, err, kind, words...)
}

func TestAFileBecomesARunThatTracesToIt(t *testing.T) {
	d := testdesk.Opened(t)
	data := powerLog(30, 12.5)
	seen, err := d.Results.TakeRaw(testdesk.Ctx, data, results.RawOf{Name: "C:\\logs\\meter.csv"}, true, "me")
	if err != nil || seen.Name != "meter.csv" || seen.Mapping.Analysis != "power-log" || seen.Rows != 30 ||
		seen.Run != "" {
		t.Fatalf("%+v %v", seen, err)
	}
	if _, n, _ := d.Results.Runs(testdesk.Ctx, runsOf("a")); n != 0 {
		t.Error("a look at a file recorded a run")
	}
	if _, err := d.Desk.Store.Test(testdesk.Ctx, "power-log", 0); err == nil {
		t.Error("a look at a file added a test")
	}
	out := take(t, d, data, results.RawOf{Name: "meter.csv", Subject: "a", Place: "left port", Options: "tasks=10"})
	r, err := d.Results.Run(testdesk.Ctx, out.Run)
	if err != nil {
		t.Fatal(err)
	}
	values := map[string]float64{}
	for _, x := range r.Run.Readings {
		values[x.Measure] = x.Value
	}
	if len(values) != 5 || values["mean"] != 12.5 || values["per-task"] != 36.25 || r.Run.Source != record.FromFile ||
		r.Run.Place != "left port" || r.File != "meter.csv" || r.Run.Options["tasks"] != "10" {
		t.Errorf("%v %+v", values, r.Run)
	}
	s, err := d.Results.RunSource(testdesk.Ctx, out.Run)
	if err != nil || s.Name != "meter.csv" || s.Analysis != "power-log" || s.Picture.Kind != "curves" || s.Size !=
		int64(len(data)) {
		t.Errorf("%+v %v", s, err)
	}
	if name, b, err := d.Results.RunFile(testdesk.Ctx, out.Run); err != nil || name != "meter.csv" ||
		string(b) != string(data) {
		t.Errorf("%s %d bytes %v", name, len(b), err)
	}
	digests, err := d.Desk.Store.AttachmentDigests(testdesk.Ctx)
	if err != nil || len(digests) != 1 || digests[0] != s.Digest {
		t.Errorf("a backup holds %v %v", digests, err)
	}
	refusedRaw(t, d, data, results.RawOf{Name: "again.csv", Subject: "a", Place: "left port"}, desk.Conflict, out.Run)
	take(t, d, data, results.RawOf{Name: "other.csv", Subject: "b", Place: "left port"}) // the same file of another unit
	if _, err := d.Results.RunSource(testdesk.Ctx, "nobody"); err == nil {
		t.Error("a run that is not there has a file")
	}
	os.Remove(filepath.Join(d.Desk.Dir, "attachments", s.Digest[:2], s.Digest[2:]))
	_, err = d.Results.RunSource(testdesk.Ctx, out.Run)
	testdesk.Says(t, err, desk.NotFound, "meter.csv", "gone")
}

func TestFilesThatAreNotTakenIn(t *testing.T) {
	d := testdesk.Opened(t)
	good := powerLog(30, 5)
	on := results.RawOf{Name: "f", Subject: "a"}
	with := func(change func(*results.RawOf)) results.RawOf {
		of := on
		change(&of)
		return of
	}
	refusedRaw(t, d, []byte("hello"), on, desk.Invalid, "f: ", "figures")
	refusedRaw(t, d, good, results.RawOf{Name: "f"}, desk.Invalid, "which unit")
	refusedRaw(t, d, good, with(func(o *results.RawOf) { o.Subject = "nobody" }), desk.Invalid, "nobody")
	refusedRaw(t, d, good, with(func(o *results.RawOf) { o.Test = "nothing" }), desk.NotFound, "nothing")
	refusedRaw(t, d, good, with(func(o *results.RawOf) { o.Test = "work" }), desk.Invalid, "no analysis")
	refusedRaw(t, d, good, with(func(o *results.RawOf) { o.Analysis = "magic" }), desk.Invalid, "magic", "power-log")
	refusedRaw(t, d, good, with(func(o *results.RawOf) { o.Analysis = "flicker" }), desk.Invalid, "light")
	refusedRaw(t, d, good, with(func(o *results.RawOf) { o.Mapping = "mine" }), desk.NotFound, "mine")
	refusedRaw(t, d, good, with(func(o *results.RawOf) { o.Mapping = "{" }), desk.Invalid, "no mapping")
	refusedRaw(t, d, good, with(func(o *results.RawOf) { o.Options = "tasks" }), desk.Invalid, "KEY=VALUE")
	refusedRaw(t, d, good, with(func(o *results.RawOf) { o.Options = "speed=1" }), desk.Invalid, "speed")
	refusedRaw(t, d, good, with(func(o *results.RawOf) { o.Set = "x=1" }), desk.Invalid, "unknown condition")
	refusedRaw(t, d, good, with(func(o *results.RawOf) { o.Date = "2027-01-01" }), desk.Invalid, "future")
	refusedRaw(t, d, []byte("time,light\n"+strings.Repeat("1,2\n", 20)), on, desk.Invalid, "flicker or pixel-response")
	refusedRaw(t, d, []byte("q,w\n"+strings.Repeat("1,2\n", 20)), on, desk.Invalid, "not known")
	refusedRaw(t, d, []byte("time [s],power [W]\n1,5\n0,5\n"), on, desk.Invalid, "row 2")
	broken := append(powerLog(30, 5), "30;-\n"...)
	refusedRaw(t, d, broken, on, desk.Invalid, "1 rows", "line 32")
	if out := take(t, d, broken, with(func(o *results.RawOf) { o.Skip = true })); out.Rows != 30 || out.Bad != 1 {
		t.Errorf("%d rows, %d bad", out.Rows, out.Bad)
	}
	if _, n, _ := d.Results.Runs(testdesk.Ctx, runsOf("a")); n != 1 {
		t.Errorf("%d runs were recorded", n)
	}
	for _, x := range []struct{ unit, setup, why string }{{"", "", ""}, {"a", "", ""},
		{"nobody", "", `no unit "nobody" is known`}, {"a", "upside-down", `no setup "upside-down" is known`}} {
		out, err := d.Results.TakeRaw(testdesk.Ctx, good, results.RawOf{Name: "f", Subject: x.unit, Setup: x.setup}, true,
			"me")
		if err != nil || len(out.Figures) == 0 || strings.Join(out.Hindered, "; ") != x.why {
			t.Errorf("looked at for %q: %q, %v", x.unit, out.Hindered, err)
		}
	}
}

func TestATestOfTheDesksOwnTakesWhatItNames(t *testing.T) {
	d := testdesk.Opened(t)
	define := func(measures, analysis string) error {
		return testdesk.Err(d.Books.ImportTest(testdesk.Ctx, []byte("format: durvek-test/1\nslug: idle\nversion: 1\nname: "+
			"Idle\ngroup: power\nanalysis: "+analysis+"\nmeasures: ["+measures+"]\n"), false, "me"))
	}
	const measure = "{slug: mean, name: mean, unit: mW, scale: ratio, better: lower}"
	if err := define(measure, "none-such"); err == nil || !strings.Contains(err.Error(), "none-such") {
		t.Errorf("a test with an unknown analysis: %v", err)
	}
	if err := define(measure, "power-log"); err != nil {
		t.Fatal(err)
	}
	out := take(t, d, powerLog(30, 5), results.RawOf{Name: "f", Subject: "a", Test: "idle"})
	r, err := d.Results.Run(testdesk.Ctx, out.Run)
	if err != nil || len(r.Run.Readings) != 1 || r.Run.Readings[0].Value != 5000 {
		t.Errorf("%+v %v", r.Run.Readings, err)
	}
	if err := define("{slug: lowest, name: lowest, unit: W, scale: ratio, better: lower}, "+measure,
		"power-log"); err == nil {
		t.Error("a version with runs was given another measure")
	}
	if err := testdesk.Err(d.Books.ImportTest(testdesk.Ctx, []byte("format: durvek-test/1\nslug: odd\nversion: 1\nname: "+
		"Odd\ngroup: power\nanalysis: power-log\nmeasures: [{slug: height, name: height, unit: W, scale: ratio, "+
		"better: lower}]\n"), false, "me")); err != nil {
		t.Fatal(err)
	}
	refusedRaw(t, d, powerLog(30, 6), results.RawOf{Name: "f", Subject: "a", Test: "odd"}, desk.Invalid, "height", "mean")
}

// The course of what a meter wrote is laid over those of others, as the course of a run that an agent made.
func TestCoursesOfFilesAreLaidOverEachOther(t *testing.T) {
	dir := t.TempDir()
	d := testdesk.OpenedIn(t, dir, testdesk.Morning)
	for unit, fall := range map[string]int{"a": 20, "b": 30} {
		log := []byte("written [GB],rate [MB/s]\n")
		for i := range 60 {
			log = fmt.Appendf(log, "%d,%d\n", i, map[bool]int{true: 2000, false: 500}[i < fall]+i%3)
		}
		take(t, d, log, results.RawOf{Name: unit + ".csv", Subject: unit, Analysis: "fill-log"})
	}
	c, err := d.Figures.Curves(testdesk.Ctx, "fill-log", "", nil, "", "b")
	if err != nil || len(c.Lines) != 2 || c.X != "Bytes written, GB" || c.Y != "Rate, MB/s" {
		t.Fatalf("%+v, %v", c, err)
	}
	for _, l := range c.Lines {
		if len(l.X) != 60 || l.Y[0] != 2000 || l.Y[59] != 502 {
			t.Errorf("%s: %v over %v", l.Name, l.Y, l.X)
		}
	}
	// What was taken in before courses were kept has its own after a recount, once.
	d.Close()
	db, err := sql.Open("sqlite", filepath.Join(dir, "durvek.db"))
	if err == nil {
		_, err = db.Exec(`delete from series`)
	}
	if err = errors.Join(err, db.Close()); err != nil {
		t.Fatal(err)
	}
	d, err = house.Open(testdesk.Ctx, house.Options{Options: desk.Options{Dir: dir, Now: testdesk.Morning}})
	if err != nil {
		t.Fatal(err)
	}
	defer d.Close()
	if c, err = d.Figures.Curves(testdesk.Ctx, "fill-log", "", nil, "", ""); err != nil || len(c.Lines) != 0 {
		t.Fatalf("%+v, %v", c, err)
	}
	for range 2 {
		if _, err := d.Results.Recount(testdesk.Ctx); err != nil {
			t.Fatal(err)
		}
	}
	if c, err = d.Figures.Curves(testdesk.Ctx, "fill-log", "", nil, "", ""); err != nil || len(c.Lines) != 2 {
		t.Errorf("after a recount %d courses, %v", len(c.Lines), err)
	}
}

func TestMappingsAreSavedRecognisedAndShared(t *testing.T) {
	d := testdesk.Opened(t)
	data := []byte("q,w\n" + strings.Repeat("1,2\n", 3))
	for i := range 20 {
		data = fmt.Appendf(data, "%d,%d\n", i+2, 4)
	}
	m := rawfile.Mapping{Analysis: "power-log", Columns: map[string]rawfile.Source{"time": {Column: "q", Unit: "min"},
		"power": {Column: "w", Unit: "mW"}}}
	b, _ := json.Marshal(m)
	seen, err := d.Results.TakeRaw(testdesk.Ctx, data[:4+4+4], results.RawOf{Mapping: string(b)}, true, "me")
	if err != nil || seen.Problem == "" {
		t.Errorf("times that do not rise give %+v %v", seen.Figures, err)
	}
	data = append([]byte("q,w\n"), data[len("q,w\n")+8:]...)
	m.Name, m.Header = "Meter 3", []string{"q", "w"} // what it is to come back as
	for why, bad := range map[string]rawfile.Mapping{"name": {Analysis: "power-log", Columns: m.Columns},
		"magic": {Name: "x", Analysis: "magic", Columns: m.Columns}, "at least one": {Name: "x", Analysis: "power-log"},
		"light": {Name: "x", Analysis: "power-log", Columns: map[string]rawfile.Source{"light": {Column: "q"}}}} {
		_, err := d.Results.SaveMapping(testdesk.Ctx, bad, "me")
		testdesk.Says(t, err, desk.Invalid, why)
	}
	// What one says of a file's columns comes back with their names: saved so, it is known by them.
	told := take(t, d, data, results.RawOf{Name: "f", Subject: "b", Mapping: string(b)})
	if !slices.Equal(told.Mapping.Header, m.Header) {
		t.Errorf("what was taken in is for files with the columns %q", told.Mapping.Header)
	}
	told.Mapping.Name = m.Name
	if _, err := d.Results.SaveMapping(testdesk.Ctx, *told.Mapping, "me"); err != nil {
		t.Fatal(err)
	}
	out := take(t, d, data, results.RawOf{Name: "f", Subject: "a"}) // by its header alone
	if mean := out.Figures[0].Value; !out.Proposals[0].Saved || mean < 0.0038 || mean > 0.0040001 {
		t.Errorf("%+v", out)
	}
	list, err := d.Results.Mappings(testdesk.Ctx)
	if err != nil || len(list) != 1 || list[0].Name != "Meter 3" || list[0].Format != rawfile.MappingFormat {
		t.Fatalf("%+v %v", list, err)
	}
	file, _ := json.Marshal(list[0])
	other := testdesk.Opened(t)
	if _, err := other.Results.ImportMapping(testdesk.Ctx, file, true, "me"); err != nil {
		t.Error(err)
	}
	if l, _ := other.Results.Mappings(testdesk.Ctx); len(l) != 0 {
		t.Error("a file that was only checked was taken in")
	}
	if _, err := other.Results.ImportMapping(testdesk.Ctx, file, false, "me"); err != nil {
		t.Error(err)
	}
	take(t, other, data, results.RawOf{Name: "f", Subject: "a", Mapping: "Meter 3"})
	if _, err := other.Results.ImportMapping(testdesk.Ctx, []byte("format: durvek-mapping/1\nname: x\n"), false,
		"me"); err == nil || !strings.Contains(err.Error(), "analysis") {
		t.Errorf("a mapping without an analysis: %v", err)
	}
	if err := d.Results.DropMapping(testdesk.Ctx, "Meter 3", "me"); err != nil {
		t.Error(err)
	}
	testdesk.Says(t, d.Results.DropMapping(testdesk.Ctx, "Meter 3", "me"), desk.NotFound, "Meter 3")
	refusedRaw(t, d, data, results.RawOf{Name: "f", Subject: "b"}, desk.Invalid, "not known")
}

// A file whose row was not written, as a kill between the two leaves it, is put away at the next start, and one that
// is spoken of stays.
func TestAFileWithoutARunIsPutAway(t *testing.T) {
	dir := t.TempDir()
	d := testdesk.OpenedIn(t, dir, testdesk.Morning)
	out := take(t, d, powerLog(30, 5), results.RawOf{Name: "f", Subject: "a"})
	s, err := d.Results.RunSource(testdesk.Ctx, out.Run)
	if err != nil {
		t.Fatal(err)
	}
	left := filepath.Join(dir, "attachments", "ab", "cd")
	if err := errors.Join(os.MkdirAll(filepath.Dir(left), 0o700), os.WriteFile(left, []byte("x"), 0o600),
		d.Close()); err != nil {
		t.Fatal(err)
	}
	again, err := house.Open(testdesk.Ctx, house.Options{Options: desk.Options{Dir: dir, Name: "Desk",
		Now: testdesk.Morning}})
	if err != nil {
		t.Fatal(err)
	}
	defer again.Close()
	if _, err := os.Stat(left); !os.IsNotExist(err) {
		t.Error("a file that nothing speaks of stays")
	}
	if _, err := os.Stat(filepath.Join(dir, "attachments", s.Digest[:2], s.Digest[2:])); err != nil {
		t.Error(err)
	}
}

func runsOf(unit string) store.RunFilter { return store.RunFilter{Subject: unit, Limit: 10} }

func TestANewerAnalysisMakesTheFiguresOfKeptFilesAnew(t *testing.T) {
	d := testdesk.Opened(t)
	var runs []string
	for i := range 4 {
		runs = append(runs, take(t, d, powerLog(30+i, 5), results.RawOf{Name: fmt.Sprint("log ", i), Subject: "a",
			Repeat: i}).Run)
	}
	of := func(run string) (mean float64, version int) {
		r, err := d.Results.Run(testdesk.Ctx, run)
		s, e := d.Results.RunSource(testdesk.Ctx, run)
		if err != nil || e != nil {
			t.Fatal(err, e)
		}
		i := slices.IndexFunc(r.Run.Readings, func(x record.Reading) bool { return x.Measure == "mean" })
		return r.Run.Readings[i].Value, s.Version
	}
	set := func(run string, change func(*store.Source)) {
		if err := d.Desk.Write(testdesk.Ctx, func(q *desk.Tx) error {
			s, err := q.Source(testdesk.Ctx, run)
			change(&s)
			return errors.Join(err, q.PutSource(testdesk.Ctx, s))
		}); err != nil {
			t.Fatal(err)
		}
	}
	// As if an older version had read the power in mW: in all but the last run, of which the second was corrected by hand
	// and the file of the third is gone.
	for _, run := range runs[:3] {
		set(run, func(s *store.Source) { s.Version = 0 })
		for _, m := range []string{"mean", "idle"} {
			if m == "mean" || run != runs[1] {
				x := 0.005
				if _, err := d.Results.Correct(testdesk.Ctx, run, results.Correction{Do: "correct", Measure: m,
					Value: fmt.Sprint(x), Reason: "so"}, "me"); err != nil {
					t.Fatal(err)
				}
			}
		}
	}
	got, err := d.Results.Recount(testdesk.Ctx)
	if err != nil || len(got.Moved) != 0 {
		t.Errorf("what was corrected by hand moved: %v %v", got.Moved, err)
	}
	if mean, version := of(runs[0]); mean != 0.005 || version != 1 {
		t.Errorf("%g of version %d", mean, version)
	}
	// Another mapping stands for another way to make the figures.
	for _, run := range runs[2:] {
		set(run, func(s *store.Source) {
			s.Version = 0
			s.Mapping = strings.Replace(s.Mapping, `"column":"power"`, `"column":"power","unit":"mW"`, 1)
		})
	}
	s, err := d.Results.RunSource(testdesk.Ctx, runs[2])
	if err != nil {
		t.Fatal(err)
	}
	os.Remove(filepath.Join(d.Desk.Dir, "attachments", s.Digest[:2], s.Digest[2:]))
	got, err = d.Results.Recount(testdesk.Ctx)
	says := strings.Join(got.Moved, "\n")
	if err != nil || len(got.Moved) != 5 || !strings.Contains(says, "run "+runs[2]+" stays") ||
		!strings.Contains(says, "power-log/mean of run "+runs[3]) {
		t.Errorf("%s %v", says, err)
	}
	if mean, version := of(runs[3]); math.Abs(mean-0.005) > 1e-12 || version != 1 {
		t.Errorf("%g of version %d", mean, version)
	}
	if got, err = d.Results.Recount(testdesk.Ctx); err != nil || len(got.Moved) != 1 || len(got.Differ) != 0 {
		t.Errorf("once more: %v %v", got, err)
	}
}

func TestALogInAnyDialectIsLaidBesideARun(t *testing.T) {
	d := testdesk.Opened(t)
	testdesk.Rates(t, d, "a", "", 100)
	list, _, err := d.Results.Runs(testdesk.Ctx, runsOf("a"))
	if err != nil {
		t.Fatal(err)
	}
	for name, text := range map[string]string{
		"decimal commas": "Zeit [min];Leistung [W]\n0;12,5\n1;13,5\n", "dates": "when;power [W]\n23.11.2026 08:00:00;12,5\n" +
			"23.11.2026 08:01:00;13,5\n", "strict": "seconds,power.wall [W]\n0,12.5\n60,13.5\n"} {
		log, err := d.Results.LayLog(testdesk.Ctx, list[0].ID, name, []byte(text), new(float64), "me")
		if err != nil || log.Samples != 2 || len(log.Channels) != 1 || log.Channels[0].Unit != "W" {
			t.Errorf("%s: %+v %v", name, log, err)
		}
	}
	for text, says := range map[string]string{"Zeit [min];Leistung [W]\n1;12,5\n0;13,5\n": "rise",
		"x;y\n1,5;2\n2,5;3\n": "neither seconds"} {
		if _, err := d.Results.LayLog(testdesk.Ctx, list[0].ID, "l", []byte(text), new(float64), "me"); err == nil ||
			!strings.Contains(err.Error(), says) {
			t.Errorf("%q: %v", text, err)
		}
	}
}

// What a maker claims of a panel may be noted before anybody has measured one, and is judged by the file that comes.
func TestAClaimIsJudgedByAFile(t *testing.T) {
	d := testdesk.Opened(t)
	claim := catalog.Claim{Variant: "a", Measure: "power-log/idle", Value: 4, Unit: "W", Qualifier: "at most",
		Source: "box"}
	if _, err := d.Books.AddClaim(testdesk.Ctx, claim, "me"); err != nil {
		t.Fatal(err)
	}
	if _, err := d.Books.ImportDossier(testdesk.Ctx, []byte("format: durvek-dossier/1\nmodel: {slug: z, maker: M, name: "+
		"Z, "+
		"kind: laptop}\nvariants:\n  - slug: z\n    name: Z\n    claims: [{measure: colour/contrast, value: 1500, unit: "+
		"'1', "+
		"qualifier: at least, source: box}]\n"), false, "me"); err != nil {
		t.Fatal(err)
	}
	claim.Measure = "power-log/smell"
	_, err := d.Books.AddClaim(testdesk.Ctx, claim, "me")
	testdesk.Says(t, err, desk.Invalid, "power-log/smell")
	take(t, d, powerLog(30, 5), results.RawOf{Name: "f", Subject: "a"})
	judged, err := d.Figures.CheckClaims(testdesk.Ctx, "a")
	if err != nil || len(judged) != 1 || judged[0].Verdict.Outcome != "short" && judged[0].Verdict.Outcome != "open" {
		t.Errorf("%+v %v", judged, err)
	}
	if judged, err = d.Figures.CheckClaims(testdesk.Ctx, "z"); err != nil || len(judged) != 1 ||
		judged[0].Verdict.Outcome != "untested" {
		t.Errorf("%+v %v", judged, err)
	}
}
