package app

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"testing"

	"durvek/workload"
)

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
	dir := place(t)
	stale := filepath.Join(dir, workPrefix+"999999999-x") // a crashed process's folder
	live := filepath.Join(dir, fmt.Sprintf("%s%d-x", workPrefix, os.Getpid()))
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
	if err := generate(a); err != nil {
		t.Fatal(err)
	}
	sum, err := digest(a)
	if err != nil {
		t.Fatal(err)
	}
	if want := "55ff9972"; sum[:8] != want {
		t.Errorf("the generated folder has the digest %s, want %s…", sum, want)
	}
	var some string
	walk(a, func(path, _ string, size int64) error {
		if size > 100 {
			some = path
		}
		return nil
	})
	b, _ := os.ReadFile(some)
	b[50] ^= 1
	os.WriteFile(some, b, 0o644)
	if again, _ := digest(a); again == sum {
		t.Error("a changed byte does not change the digest")
	}
}
