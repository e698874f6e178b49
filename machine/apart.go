package machine

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"strings"
	"sync"
	"time"

	"durvek/core/record"
)

// Apart is this machine with every run in a process of its own: whatever a workload does, a hanging drive
// included, the agent lives on and can end it. Exe with Args starts such a process, which calls Serve.
type Apart struct {
	Local
	Exe  string
	Args []string
}

// message is a line that a run's process writes: a sample, or at last the outcome.
type message struct {
	Sample  *record.Sample  `json:"sample,omitempty"`
	Outcome *record.Outcome `json:"outcome,omitempty"`
	Error   string          `json:"error,omitempty"`
	NotRun  bool            `json:"not_run,omitempty"`
}

// Serve makes the run that is asked for as a line of JSON on in and writes samples and outcome to out. When in is
// closed before that, whoever asked is gone: the run is stopped and the process ends.
func (l Local) Serve(ctx context.Context, in io.Reader, out io.Writer) error {
	lines := bufio.NewReader(in)
	line, err := lines.ReadBytes('\n')
	var o record.Order
	if err == nil {
		err = json.Unmarshal(line, &o)
	}
	if err != nil {
		return fmt.Errorf("the order cannot be read: %w", err)
	}
	ctx, stop := context.WithCancel(ctx)
	defer stop()
	go func() {
		io.Copy(io.Discard, lines)
		stop() // what the run has started ends with it
		time.Sleep(4 * time.Second)
		os.Exit(1)
	}()
	var mu sync.Mutex
	w := json.NewEncoder(out)
	var last time.Time
	outcome, err := l.Run(ctx, o, func(s record.Sample) {
		mu.Lock()
		defer mu.Unlock()
		if time.Since(last) < 20*time.Millisecond { // nobody watches closer
			return
		}
		last = time.Now()
		w.Encode(message{Sample: &s})
	})
	m := message{Outcome: &outcome, NotRun: errors.Is(err, record.ErrNotRun)}
	if err != nil {
		m.Error = strings.TrimPrefix(err.Error(), record.ErrNotRun.Error()+": ")
	}
	mu.Lock()
	defer mu.Unlock()
	return w.Encode(m)
}

// Run starts a process for the run and waits for its outcome. A process that ends without one has crashed.
func (a Apart) Run(ctx context.Context, o record.Order, report func(record.Sample)) (record.Outcome, error) {
	busy.Add(1)
	defer busy.Add(-1)
	order, err := json.Marshal(o)
	if err != nil {
		return record.Outcome{}, err
	}
	cmd := exec.CommandContext(ctx, a.Exe, a.Args...)
	var words tail
	cmd.Stderr = &words
	in, err := cmd.StdinPipe()
	if err != nil {
		return record.Outcome{}, err
	}
	cmd.Cancel, cmd.WaitDelay = in.Close, 5*time.Second // it ends itself, or is killed
	out, err := cmd.StdoutPipe()
	if err != nil {
		return record.Outcome{}, err
	}
	if err := cmd.Start(); err != nil {
		return record.Outcome{}, fmt.Errorf("start a process for the run: %w", err)
	}
	if _, err := in.Write(append(order, '\n')); err != nil {
		cmd.Process.Kill()
		cmd.Wait()
		return record.Outcome{}, fmt.Errorf("%w: the run's process took no order: %v", record.ErrCrashed, err)
	}
	var answer *message
	lines := bufio.NewReaderSize(out, 1<<20)
	for {
		line, err := lines.ReadBytes('\n')
		if err != nil {
			break
		}
		var m message
		if json.Unmarshal(line, &m) != nil {
			continue
		}
		if m.Sample != nil && report != nil {
			report(*m.Sample)
		}
		if m.Outcome != nil {
			answer = &m
			break
		}
	}
	in.Close()
	io.Copy(io.Discard, lines)
	gone := cmd.Wait()
	switch {
	case answer != nil && answer.NotRun:
		return *answer.Outcome, fmt.Errorf("%w: %s", record.ErrNotRun, answer.Error)
	case answer != nil && answer.Error != "":
		return *answer.Outcome, errors.New(answer.Error)
	case answer != nil:
		return *answer.Outcome, nil
	case ctx.Err() != nil:
		return record.Outcome{}, context.Cause(ctx)
	}
	text := fmt.Sprintf("the run's process ended without an answer (%v)", gone)
	if w := words.String(); w != "" {
		text += "; its last words: " + w
	}
	return record.Outcome{}, fmt.Errorf("%w: %s", record.ErrCrashed, text)
}

// tail keeps the last of what is written to it.
type tail struct {
	mu sync.Mutex
	b  []byte
}

func (t *tail) Write(p []byte) (int, error) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.b = append(t.b, p...)
	if len(t.b) > 4096 {
		t.b = t.b[len(t.b)-4096:]
	}
	return len(p), nil
}

// String is the first telling line of what is left: a panic's, where there is one.
func (t *tail) String() string {
	t.mu.Lock()
	defer t.mu.Unlock()
	lines := bytes.Split(bytes.TrimSpace(t.b), []byte("\n"))
	for _, l := range lines {
		if bytes.HasPrefix(l, []byte("panic:")) || bytes.HasPrefix(l, []byte("fatal error:")) {
			return string(l)
		}
	}
	return string(bytes.TrimSpace(lines[len(lines)-1]))
}
