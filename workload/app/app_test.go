package app

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"durvek/core/record"
	"durvek/workload"
	"durvek/workload/storage"
)

// The test program stands in for the program whose start-up is timed.
func TestMain(m *testing.M) {
	if len(os.Args) == 2 && os.Args[1] == startWords[0] {
		fmt.Println(startLine, "is here")
		os.Exit(0)
	}
	os.Exit(m.Run())
}

func TestTheApplicationsRunForReal(t *testing.T) {
	if testing.Short() {
		t.Skip("it measures for real")
	}
	dir, ran := place(t), 0
	for _, test := range workload.Tests() {
		if test.Group != "application" || test.Of != "" || test.Slug == "video-encode" {
			continue
		}
		ran++
		w, _ := workload.Find(test.Slug)
		last := 0.0
		out, err := w.Execute(context.Background(), workload.Env{Dir: dir, Seconds: 0.05, Report: func(s record.Sample) {
			if s.Share < last-1e-9 || s.Share > 1 {
				t.Errorf("%s: %s is at %.3f of the run after %.3f", test.Slug, s.Phase, s.Share, last)
			}
			last = s.Share
		}})
		if err != nil {
			t.Errorf("%s: %v", test.Slug, err)
			continue
		}
		if len(out.Readings) != len(test.Measures) || last == 0 {
			t.Errorf("%s: %+v, share %g", test.Slug, out.Readings, last)
		}
		for _, r := range out.Readings {
			if m, ok := test.Measure(r.Measure); !ok || r.Check(m) != "" {
				t.Errorf("%s: %+v", test.Slug, r)
			}
		}
		ctx, stop := context.WithCancel(context.Background())
		stop()
		if _, err := w.Execute(ctx, workload.Env{Dir: dir, Seconds: 0.05}); err == nil {
			t.Errorf("%s: an interrupted run gave figures", test.Slug)
		}
	}
	if ran != 8 {
		t.Errorf("%d applications were run", ran)
	}
	if left, _ := os.ReadDir(dir); len(left) > 0 {
		t.Errorf("left behind: %v", left)
	}
}

func TestASheetIsCalculatedAsWritten(t *testing.T) {
	texts := make([]string, sheetRows*sheetWide)
	for i := range texts {
		texts[i] = "0"
	}
	copy(texts, []string{"5", "2", "=A1*(B1+3)-4/B1", "=SUM(A1:C1)", "=IF(C1-100,1,D1+0.5)", "=LOOK(4,A1:B1)", "=G2",
		"=IF(A1,B1,0)"})
	texts[sheetWide+6] = "=D1"
	s, err := open(texts)
	if err != nil {
		t.Fatal(err)
	}
	s.change(0)
	s.calculate()
	for i, want := range []float64{5, 2, 23, 30, 30.5, 2, 30, 2} {
		if s.values[i] != want {
			t.Errorf("cell %d (%s) is %g, want %g", i, texts[i], s.values[i], want)
		}
	}
	for _, bad := range []string{"=A1+", "=SUM(A1)", "=Z1", "=A0", "=FOO(A1:A2)", "=(A1", "=1 2"} {
		texts[2] = bad
		if _, err := open(texts); err == nil {
			t.Errorf("%s was read", bad)
		}
	}
}

func TestSurveyAgainstPlainCases(t *testing.T) {
	points, track := newSurvey()
	p := newPost()
	p.process(points, track)
	for range 2 { // the same input gives the same chart
		before := p.digest()
		p.process(points, track)
		if p.digest() != before {
			t.Error("a second pass gives another chart")
		}
	}
	if len(p.kept) < trackPoints/100 || len(p.kept) > trackPoints/2 || len(p.lines)%2 != 0 || len(p.lines) < areaSide {
		t.Errorf("%d points kept, %d ends of lines", len(p.kept), len(p.lines))
	}
	straight := []point{{0, 0}, {500, 10}, {1000, -10}, {1500, 5}, {2000, 2000}}
	p.keep = make([]bool, len(straight))
	p.thin(straight, 0, 4)
	if want := []bool{false, false, false, true, false}; fmt.Sprint(p.keep) != fmt.Sprint(want) {
		t.Errorf("kept %v, want %v", p.keep, want)
	}
}

func TestPagesAreLaidOut(t *testing.T) {
	m := newMeter()
	if a, b := m.letter('i'), m.letter('W'); a <= 0 || b < 2*a {
		t.Errorf("i is %d wide, W %d", a, b)
	}
	if one, many := m.lines("a short line", style{960, 16}), m.lines(strings.Repeat("harbour ", 60),
		style{480, 16}); one != 1 || many < 6 || many > 12 {
		t.Errorf("%d and %d lines", one, many)
	}
	into := map[string]style{}
	if err := readStyles(".a { width: 10; size: 3; }\n.b { size: 7 }", into); err != nil || into["a"] != (style{10, 3}) ||
		into["b"] != (style{siteWide, 7}) {
		t.Errorf("%v, %v", into, err)
	}
	if readStyles(".a { width: 10;", into) == nil {
		t.Error("a cut style sheet was taken")
	}
}

func place(t *testing.T) string {
	t.Helper()
	dir, err := os.MkdirTemp(".", "work-*")
	if err != nil {
		t.Skip(err)
	}
	dir, _ = filepath.Abs(dir)
	t.Cleanup(func() { os.RemoveAll(dir) })
	return dir
}

func TestArchiveRunsForRealAndCleansUp(t *testing.T) {
	if testing.Short() {
		t.Skip("it measures for real")
	}
	dir := place(t)
	stale := filepath.Join(dir, ".durvek-work-999999999-x") // a crashed process's folder
	live := filepath.Join(dir, fmt.Sprintf(".durvek-work-%d-x", os.Getpid()))
	other := filepath.Join(dir, "not-ours")
	for _, d := range []string{stale, live, other} {
		os.MkdirAll(d, 0o755)
	}
	w, _ := workload.Find("archive")
	out, err := w.Run(context.Background(), workload.Env{Dir: dir})
	if err != nil {
		t.Fatal(err)
	}
	if len(out.Readings) != 2 || out.Readings[0].Value <= 0 || out.Readings[1].Value <= 0 {
		t.Errorf("readings %+v", out.Readings)
	}
	left, _ := os.ReadDir(dir)
	if len(left) != 2 {
		t.Errorf("left are %v, want a live process's folder and the one that is not ours", left)
	}
	ctx, stop := context.WithCancel(context.Background())
	stop()
	if _, err := w.Run(ctx, workload.Env{Dir: dir}); err == nil {
		t.Error("an interrupted run gave a figure")
	}
	if left, _ := os.ReadDir(dir); len(left) != 2 {
		t.Errorf("an interrupted run left %v", left)
	}
}

func TestTheFolderIsTheSameEverywhereAndDamageShows(t *testing.T) {
	dir := place(t)
	a := filepath.Join(dir, "a")
	if err := storage.MakeDay(a, folderSeed, folderFiles, folderSize); err != nil {
		t.Fatal(err)
	}
	sum, err := storage.Digest(a)
	if err != nil {
		t.Fatal(err)
	}
	if want := "55ff9972"; sum[:8] != want {
		t.Errorf("the generated folder has the digest %s, want %s…", sum, want)
	}
	var some string
	storage.Walk(a, func(path, _ string, size int64) error {
		if size > 100 {
			some = path
		}
		return nil
	})
	b, _ := os.ReadFile(some)
	b[50] ^= 1
	os.WriteFile(some, b, 0o644)
	if again, _ := storage.Digest(a); again == sum {
		t.Error("a changed byte does not change the digest")
	}
}
