package storage

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/HdrHistogram/hdrhistogram-go"

	"durvek/core/record"
	"durvek/workload"
)

// folder is a test folder on a real drive: the system's own temporary folder may be in memory.
func folder(t testing.TB) string {
	t.Helper()
	for _, base := range []string{os.TempDir(), "/var/tmp", "."} {
		dir, err := os.MkdirTemp(base, "durvek-storage-*")
		if err != nil {
			continue
		}
		t.Cleanup(func() { os.RemoveAll(dir) })
		if _, err := Check(dir, 64<<20); err == nil {
			return dir
		}
	}
	t.Skip("no folder here lies on a drive with free space")
	return ""
}

func empty(t testing.TB, dir string) {
	t.Helper()
	left, err := os.ReadDir(dir)
	if err != nil || len(left) > 0 {
		t.Errorf("left behind: %v, %v", left, err)
	}
}

func open(t testing.TB, dir string, size int64) *File {
	t.Helper()
	f, err := Open(dir, size)
	if errors.Is(err, ErrDirect) {
		t.Skip(err)
	}
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { f.Close() })
	return f
}

func TestTheTestFileHasNoNameAndHoldsWhatWasWritten(t *testing.T) {
	dir := folder(t)
	f := open(t, dir, 16<<20)
	empty(t, dir) // from the start: a crash leaves nothing
	ctx := context.Background()
	if err := f.Fill(ctx, nil); err != nil {
		t.Fatal(err)
	}
	if err := f.verify(); err != nil {
		t.Error(err)
	}
	n, spent, err := f.Pass(ctx, true, 16, time.Minute, nil)
	if err != nil || n != 16 || spent <= 0 {
		t.Fatalf("%d blocks in %v, %v", n, spent, err)
	}
	if err := f.verify(); err != nil {
		t.Error(err)
	}
	if err := f.writeAt(make([]byte, SequentialBlock), SequentialBlock); err != nil {
		t.Fatal(err)
	}
	if err := f.verify(); !errors.Is(err, workload.ErrWrong) {
		t.Errorf("a changed block went unnoticed: %v", err)
	}
	h := hdrhistogram.New(100, 1e10, 3)
	if n, _, err := f.RandomReads(ctx, 200, time.Minute, h, nil); err != nil || n != 200 || h.TotalCount() != 200 {
		t.Errorf("%d reads, %d recorded, %v", n, h.TotalCount(), err)
	}
}

func TestNeighbouringBlocksDifferAndHardlyPack(t *testing.T) {
	f := open(t, folder(t), 4<<20)
	if bytes.Equal(f.block(0), f.block(1)) || !bytes.Equal(f.block(0), f.block(8)) {
		t.Error("blocks repeat too soon, or not at all")
	}
	var count [256]int
	for _, b := range f.block(3) {
		count[b]++
	}
	for v, n := range count {
		if n < SequentialBlock/256*8/10 || n > SequentialBlock/256*12/10 {
			t.Fatalf("byte %d stands %d times: the data would pack", v, n)
		}
	}
}

func TestAnInterruptEndsAtOnceAndLeavesNothing(t *testing.T) {
	dir := folder(t)
	f := open(t, dir, 32<<20)
	ctx, stop := context.WithCancel(context.Background())
	err := f.Fill(ctx, func(share float64) {
		if share > 0.3 {
			stop()
		}
	})
	if !errors.Is(err, context.Canceled) {
		t.Errorf("filling went on: %v", err)
	}
	f.Close()
	empty(t, dir)
}

func TestPlacesThatCannotBeMeasuredAreRefusedBeforeWriting(t *testing.T) {
	dir := folder(t)
	if _, err := Check(filepath.Join(dir, "none"), 1); !errors.Is(err, ErrNoDrive) || !strings.Contains(err.Error(),
		"--path") {
		t.Errorf("a missing folder: %v", err)
	}
	file := filepath.Join(dir, "file")
	os.WriteFile(file, nil, 0o600)
	if _, err := Check(file, 1); !errors.Is(err, ErrNoDrive) {
		t.Errorf("a file: %v", err)
	}
	os.Remove(file)
	if _, err := Check(dir, 1<<60); !errors.Is(err, ErrSpace) || !strings.Contains(err.Error(),
		"MiB free, the test needs") {
		t.Errorf("too little space: %v", err)
	}
	if runtime.GOOS == "linux" {
		if _, err := os.Stat("/dev/shm"); err == nil {
			for _, slug := range []string{"drive-sequential", "drive-random"} {
				w, _ := workload.Find(slug)
				if _, err := w.Run(context.Background(), workload.Env{Dir: "/dev/shm"}); !errors.Is(err, ErrNoDrive) ||
					!strings.Contains(err.Error(), "kept in memory (tmpfs)") {
					t.Errorf("%s in memory: %v", slug, err)
				}
			}
		}
		if _, err := Check("/proc", 1); err == nil {
			t.Error("a folder that nothing can be written to was taken")
		}
	}
	empty(t, dir)
}

func TestReadOnlyFoldersAreRefused(t *testing.T) {
	if os.Getuid() == 0 {
		t.Skip("the superuser may write anywhere")
	}
	dir := folder(t)
	os.Chmod(dir, 0o500)
	defer os.Chmod(dir, 0o700)
	if _, err := Check(dir, 1); err == nil || !strings.Contains(err.Error(), "cannot be written to") {
		t.Errorf("%v", err)
	}
}

// Every drive test runs for real, small and short, gives all its measures, and leaves nothing.
func TestTheDriveWorkloadsRunForReal(t *testing.T) {
	if testing.Short() {
		t.Skip("it measures for real")
	}
	dir := folder(t)
	_, free, err := examine(dir)
	if err != nil || free < 1<<30 {
		t.Skip("too little space", err)
	}
	before := rests
	rests = []time.Duration{time.Millisecond}
	defer func() { rests = before }()
	options := map[string]map[string]string{
		"drive-fill":     {"share": fmt.Sprintf("%.6f %%", 200*float64(1<<20)/float64(free+spare)*100), "writes": "1 GB"},
		"drive-recovery": {"writes": "1 GB"},
		"drive-steady":   {"round": "0.1 s"},
		"small-files":    {"files": "200"},
	}
	curves := map[string]string{"drive-depths": "queue depth", "drive-blocks": "block size", "drive-fill": "bytes written",
		"drive-steady": "round"}
	ran := 0
	for _, test := range workload.Tests() {
		if test.Group != "storage" {
			continue
		}
		set := options[test.Slug]
		if set == nil {
			set = map[string]string{}
		}
		if _, ok := test.Option("file"); ok {
			set["file"] = "64 MiB"
		}
		if _, ok := test.Option("duration"); ok {
			set["duration"] = "4 s"
			if test.Slug != "drive-write-sustained" {
				continue // one stands for the four: they are rows of one table
			}
		}
		w, _ := workload.Find(test.Slug)
		shares := 0.0
		out, err := w.Execute(context.Background(), workload.Env{Dir: dir, Seconds: 0.1, Options: set,
			Report: func(s record.Sample) {
				if s.Share < shares-1e-9 || s.Share > 1 {
					t.Errorf("%s: %s is at %.3f of the run after %.3f", test.Slug, s.Phase, s.Share, shares)
				}
				shares = s.Share
			}})
		if errors.Is(err, ErrDirect) {
			t.Skip(err)
		}
		if err != nil {
			t.Errorf("%s: %v", test.Slug, err)
			continue
		}
		ran++
		if len(out.Readings) != len(test.Measures) || out.Observed["drive.filesystem"] == "" || shares == 0 {
			t.Errorf("%s: %+v, share %g", test.Slug, out, shares)
		}
		for _, must := range test.MustMatch {
			if strings.HasPrefix(must, "option.") && out.Observed[must] == "" {
				t.Errorf("%s: %s must match and is not observed", test.Slug, must)
			}
		}
		for _, r := range out.Readings {
			m, ok := test.Measure(r.Measure)
			if !ok || r.Check(m) != "" {
				t.Errorf("%s: %+v %s", test.Slug, r, r.Check(m))
			}
		}
		if axis := curves[test.Slug]; axis != "" && (out.Series[0].Axis != axis || len(out.Series[0].Values) < 5) {
			t.Errorf("%s: %+v", test.Slug, out.Series)
		}
	}
	if ran < 12 {
		t.Errorf("only %d tests were run", ran)
	}
	empty(t, dir)
}

func TestDeepQueuesKeepEveryAccessAndTheContent(t *testing.T) {
	f := open(t, folder(t), 64<<20)
	ctx := context.Background()
	if err := f.Fill(ctx, nil); err != nil {
		t.Fatal(err)
	}
	for _, a := range []Access{
		{Block: RandomBlock, Depth: 32, Random: true, Reads: 100, Most: 4000},
		{Block: RandomBlock, Depth: 8, Random: true, Reads: 70, Most: 4000},
		{Block: SequentialBlock, Depth: 8, Most: 64},
		{Block: 64 << 10, Depth: 2, Reads: 100, Most: 500},
	} {
		a.Length = time.Minute
		tally, err := f.Access(ctx, a, nil)
		if err != nil || tally.Done != a.Most || tally.Reads.TotalCount()+tally.Writes.TotalCount() != a.Most ||
			tally.Spent <= 0 {
			t.Errorf("%+v: %d done, %d and %d recorded, %v", a, tally.Done, tally.Reads.TotalCount(), tally.Writes.TotalCount(),
				err)
		}
		if share := 100 * float64(tally.Reads.TotalCount()) / float64(a.Most); math.Abs(share-float64(a.Reads)) > 4 {
			t.Errorf("%+v: %.0f %% were reads", a, share)
		}
		if err := f.verify(); err != nil {
			t.Errorf("%+v: %v", a, err)
		}
	}
	ctx, stop := context.WithCancel(ctx)
	stop()
	if _, err := f.Access(ctx, Access{Block: RandomBlock, Depth: 4, Random: true, Reads: 100, Length: time.Hour},
		nil); !errors.Is(err, context.Canceled) {
		t.Errorf("interrupted: %v", err)
	}
}

func TestASmallDriveScalesTheFileDown(t *testing.T) {
	if _, note, ok := workload.Fit(512<<20, 64<<20, 200<<20); !ok || note != "128 MiB instead of 512 MiB, for there "+
		"are 200 MiB" {
		t.Errorf("%q %v", note, ok)
	}
	if _, _, ok := workload.Fit(512<<20, 64<<20, 50<<20); ok {
		t.Error("64 MiB fit into 50")
	}
	w, _ := workload.Find("drive-random")
	var out record.Outcome
	_, err := prepare(context.Background(), workload.Env{Test: w.Test, Dir: filepath.Join(folder(t), "none")}, &out)
	if !errors.Is(err, record.ErrNotRun) || !errors.Is(err, ErrNoDrive) {
		t.Errorf("%v", err)
	}
}

func TestTroubleIsSaidPlainly(t *testing.T) {
	if runtime.GOOS != "linux" {
		t.Skip("made by Linux's own files")
	}
	f, err := os.OpenFile("/dev/full", os.O_WRONLY, 0)
	if err != nil {
		t.Skip(err)
	}
	defer f.Close()
	_, real := f.Write([]byte("x"))
	for _, c := range []struct {
		err  error
		want error
		text string
	}{
		{real, ErrFull, "the drive is full (/mnt/x); make room"},
		{fmt.Errorf("read from the test file: %w", syscall.EIO), ErrVanished,
			"vanished or failed while it was measured (/mnt/x); see to its cable"},
		{syscall.EROFS, ErrLocked, "does not let itself be written to"},
	} {
		got := plainly(c.err, "/mnt/x")
		if !errors.Is(got, c.want) || !strings.Contains(got.Error(), c.text) || !errors.Is(got, c.err) {
			t.Errorf("%v became %v", c.err, got)
		}
	}
	for _, err := range []error{nil, workload.ErrWrong, workload.NotRun("x: %w", syscall.ENOSPC), fmt.Errorf("stopped: %w",
		context.Canceled)} {
		if plainly(err, "/") != err {
			t.Errorf("%v was changed", err)
		}
	}
}

func TestAFolderIsCopiedWholeAndAVanishingSourceIsNoticed(t *testing.T) {
	dir := folder(t)
	from := filepath.Join(dir, "from")
	if err := MakeDay(from, 1, 30, 12<<20); err != nil {
		t.Fatal(err)
	}
	want, _ := Digest(from)
	c, err := copyFolder(context.Background(), from, filepath.Join(dir, "to"), func(int64) {})
	if got, _ := Digest(filepath.Join(dir, "to")); err != nil || got != want || c.spent < c.writing ||
		c.spent < c.reading || c.reading <= 0 || c.writing <= 0 {
		t.Errorf("%+v, %v, same content: %v", c, err, got == want)
	}
	// A named folder is only read, a copy of it leaves nothing, and it may vanish half-way.
	w, _ := workload.Find("folder-copy")
	os.RemoveAll(filepath.Join(dir, "to"))
	out, err := w.Execute(context.Background(), workload.Env{Dir: dir, Options: map[string]string{"from": from}})
	if err != nil || len(out.Readings) != 3 || !strings.Contains(out.Negotiated["limiter"], "busy") ||
		out.Observed["option.from"] != from {
		t.Errorf("%+v, %v", out, err)
	}
	if got, _ := Digest(from); got != want {
		t.Error("the source changed")
	}
	_, err = w.Execute(context.Background(), workload.Env{Dir: dir, Options: map[string]string{"from": from},
		Report: func(s record.Sample) {
			if s.Phase == "copying" {
				os.RemoveAll(from)
			}
		}})
	if err == nil {
		t.Error("a source that vanished went unnoticed")
	}
	empty(t, dir)
	if _, err := w.Execute(context.Background(), workload.Env{Dir: dir,
		Options: map[string]string{"from": from}}); !errors.Is(err, record.ErrNotRun) {
		t.Errorf("a missing source: %v", err)
	}
	for i := range 2 { // more than may be written
		os.MkdirAll(from, 0o755)
		big, _ := os.Create(filepath.Join(from, fmt.Sprint(i)))
		big.Truncate(800 << 20) // holes take no room
		big.Close()
	}
	if _, err := w.Execute(context.Background(), workload.Env{Dir: dir,
		Options: map[string]string{"from": from}}); !errors.Is(err, record.ErrNotRun) || !strings.Contains(err.Error(),
		"raise the option writes") {
		t.Errorf("more than the bound: %v", err)
	}
	os.RemoveAll(from)
	tight, _ := workload.Find("drive-write-sustained")
	if _, err := tight.Execute(context.Background(), workload.Env{Dir: dir,
		Options: map[string]string{"writes": "1 GB"}}); !errors.Is(err, record.ErrNotRun) || !strings.Contains(err.Error(),
		"bound of 1 GB") {
		t.Errorf("a bound below three times the file: %v", err)
	}
	for _, c := range []struct {
		reading, writing float64
		want             string
	}{{95, 40, "the end read from"}, {20, 99, "the end written to"}, {80, 85, "neither end clearly"}} {
		if got := limitingEnd(c.reading, c.writing); !strings.HasPrefix(got, c.want) {
			t.Errorf("%g and %g: %s", c.reading, c.writing, got)
		}
	}
}
