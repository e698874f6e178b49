package machine

import (
	"context"
	"errors"
	"os"
	"strings"
	"testing"
	"time"

	"durvek/core/record"
	"durvek/workload"
)

// The test program itself is the process that makes a run.
func TestMain(m *testing.M) {
	switch os.Getenv("DURVEK_APART") {
	case "":
		os.Exit(m.Run())
	case "crash":
		os.Stderr.WriteString("panic: the drive is gone\n\ngoroutine 1\n")
		os.Exit(2)
	case "hang":
		os.Stdout.WriteString("{\"sample\": {\"Phase\": \"begun\"}}\n")
		select {}
	}
	if err := (Local{Dir: os.TempDir(), Seconds: 0.05}).Serve(context.Background(), os.Stdin, os.Stdout); err != nil {
		os.Stderr.WriteString(err.Error())
		os.Exit(1)
	}
	os.Exit(0)
}

func apart(t *testing.T, part string) Apart {
	t.Helper()
	t.Setenv("DURVEK_APART", part)
	return Apart{Exe: os.Args[0]}
}

func TestARunInAProcessOfItsOwn(t *testing.T) {
	w, _ := workload.Find("tide-synthesis")
	var heard []record.Sample
	out, err := apart(t, "run").Run(context.Background(), record.Order{Test: w.Test},
		func(s record.Sample) { heard = append(heard, s) })
	if err != nil || len(out.Readings) != len(w.Test.Measures) || len(heard) == 0 || heard[len(heard)-1].Phase == "" {
		t.Errorf("%d readings, %d samples, %v", len(out.Readings), len(heard), err)
	}
	wrong := w.Test
	wrong.Version = 99
	if _, err := apart(t, "run").Run(context.Background(), record.Order{Test: wrong}, nil); err == nil ||
		!strings.Contains(err.Error(), "no version 99") || errors.Is(err, record.ErrCrashed) {
		t.Error(err)
	}
	net, _ := workload.Find("network")
	if _, err := apart(t, "run").Run(context.Background(), record.Order{Test: net.Test}, nil); !errors.Is(err,
		record.ErrNotRun) {
		t.Errorf("a test that cannot be run here: %v", err)
	}
}

func TestAProcessThatDiesHasCrashed(t *testing.T) {
	w, _ := workload.Find("tide-synthesis")
	_, err := apart(t, "crash").Run(context.Background(), record.Order{Test: w.Test}, nil)
	if !errors.Is(err, record.ErrCrashed) || !strings.Contains(err.Error(), "panic: the drive is gone") ||
		!strings.Contains(err.Error(), "exit status 2") {
		t.Error(err)
	}
	if _, err := (Apart{Exe: "/no/such/program"}).Run(context.Background(), record.Order{Test: w.Test}, nil); err == nil ||
		!strings.Contains(err.Error(), "start a process") {
		t.Error(err)
	}
}

func TestAHangingProcessIsEnded(t *testing.T) {
	if testing.Short() {
		t.Skip("it waits for a process to hang")
	}
	w, _ := workload.Find("tide-synthesis")
	ctx, stop := context.WithCancelCause(context.Background())
	why := errors.New("it hung")
	begun := time.Now()
	_, err := apart(t, "hang").Run(ctx, record.Order{Test: w.Test}, func(record.Sample) { stop(why) })
	if !errors.Is(err, why) || time.Since(begun) > 30*time.Second {
		t.Errorf("after %s: %v", time.Since(begun), err)
	}
}
