package storage

import (
	"bytes"
	"context"
	"errors"
	"os"
	"path/filepath"
	"runtime"
	"strings"
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
	if bytes.Equal(f.block(0), f.block(1)) || !bytes.Equal(f.block(0), f.block(16)) {
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
	if _, err := Check(filepath.Join(dir, "none"), 1); !errors.Is(err, ErrNoDrive) || !strings.Contains(err.Error(), "--path") {
		t.Errorf("a missing folder: %v", err)
	}
	file := filepath.Join(dir, "file")
	os.WriteFile(file, nil, 0o600)
	if _, err := Check(file, 1); !errors.Is(err, ErrNoDrive) {
		t.Errorf("a file: %v", err)
	}
	os.Remove(file)
	if _, err := Check(dir, 1<<60); !errors.Is(err, ErrSpace) || !strings.Contains(err.Error(), "MiB free, the test needs") {
		t.Errorf("too little space: %v", err)
	}
	if runtime.GOOS == "linux" {
		if _, err := os.Stat("/dev/shm"); err == nil {
			for _, slug := range []string{"drive-sequential", "drive-random"} {
				w, _ := workload.Find(slug)
				if _, err := w.Run(context.Background(), workload.Env{Dir: "/dev/shm"}); !errors.Is(err, ErrNoDrive) || !strings.Contains(err.Error(), "kept in memory (tmpfs)") {
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

func TestTheDriveWorkloadsRunForReal(t *testing.T) {
	dir := folder(t)
	if _, err := Check(dir, fileSize); err != nil {
		t.Skip(err)
	}
	for _, slug := range []string{"drive-sequential", "drive-random"} {
		w, _ := workload.Find(slug)
		shares := 0.0
		out, err := w.Run(context.Background(), workload.Env{Dir: dir, Seconds: 0.1, Report: func(s record.Sample) { shares = max(shares, s.Share) }})
		if errors.Is(err, ErrDirect) {
			t.Skip(err)
		}
		if err != nil {
			t.Fatal(err)
		}
		if len(out.Readings) != len(w.Test.Measures) || out.Observed["drive.cache"] != "passed" || out.Observed["drive.filesystem"] == "" || shares == 0 {
			t.Errorf("%s: %+v", slug, out)
		}
		for _, r := range out.Readings {
			m, ok := w.Test.Measure(r.Measure)
			if !ok || r.Check(m) != "" {
				t.Errorf("%s: %+v %s", slug, r, r.Check(m))
			}
		}
	}
	empty(t, dir)
}
