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
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"sync"
	"time"

	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/internal/durable"
	"durvek/workload"
	"durvek/workload/storage"
)

// Allowance is one command that a machine's owner allowed: these very words, and the program that the
// first of them named when it was allowed.
type Allowance struct {
	Run     []string  `json:"run"`
	Program string    `json:"program"`
	Since   time.Time `json:"since"`
	Env     []string  `json:"env,omitempty"` // names of further variables that the program gets
}

// plain lists the variables that every program gets: what it needs to find itself, a folder for what is temporary, its
// words and its screen. Whatever else stands in the agent's environment, a token say, is nobody's business.
var plain = []string{"PATH", "HOME", "USER", "LOGNAME", "LANG", "LANGUAGE", "LC_ALL", "LC_CTYPE", "TZ", "TMPDIR",
	"DISPLAY",
	"WAYLAND_DISPLAY", "XAUTHORITY", "XDG_RUNTIME_DIR", "SYSTEMROOT", "SYSTEMDRIVE", "WINDIR", "COMSPEC", "PATHEXT",
	"TEMP",
	"TMP", "USERPROFILE", "USERNAME", "PROGRAMFILES", "PROGRAMDATA", "APPDATA", "LOCALAPPDATA"}

// environment is what a program gets of the agent's.
func environment(also []string) []string {
	out := []string{}
	for _, name := range append(slices.Clone(plain), also...) {
		if v, there := os.LookupEnv(name); there {
			out = append(out, name+"="+v)
		}
	}
	return out
}

// ErrNotAllowed marks a command that the machine's owner did not allow on the machine itself.
var ErrNotAllowed = errors.New("not allowed on this machine")

// AllowedFile is where a person's allowances are kept on this machine.
func AllowedFile() (string, error) {
	dir, err := os.UserConfigDir()
	return filepath.Join(dir, "durvek", "allowed-commands.json"), err
}

// ReadAllowed lists the allowances in a file; a missing file allows nothing.
func ReadAllowed(path string) ([]Allowance, error) {
	b, err := os.ReadFile(path)
	if errors.Is(err, os.ErrNotExist) || path == "" {
		return nil, nil
	}
	var list []Allowance
	if err == nil {
		err = json.Unmarshal(b, &list)
	}
	if err != nil {
		return nil, fmt.Errorf("read the allowed commands in %s: %w", path, err)
	}
	return list, nil
}

// Allow adds a command to the file, or with forbid takes it out. It returns the program that the first
// word names here. env names further variables that it gets.
func Allow(path string, run, env []string, forbid bool, now time.Time) (program string, err error) {
	list, err := ReadAllowed(path)
	if err != nil {
		return "", err
	}
	n := len(list)
	list = slices.DeleteFunc(list, func(a Allowance) bool { return slices.Equal(a.Run, run) })
	if forbid {
		if len(list) == n {
			return "", fmt.Errorf("%s was not allowed", strings.Join(run, " "))
		}
	} else {
		if program, err = resolve(run[0]); err != nil {
			return "", err
		}
		list = append(list, Allowance{run, program, now.UTC().Truncate(time.Second), env})
	}
	if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
		return "", err
	}
	b, err := json.MarshalIndent(list, "", "  ")
	if err != nil {
		return "", err
	}
	return program, durable.Write(path, append(b, '\n'), 0o600)
}

// resolve finds the file that a program's name stands for.
func resolve(name string) (string, error) {
	p, err := exec.LookPath(name)
	if err == nil {
		p, err = filepath.Abs(p)
	}
	if err == nil {
		p, err = filepath.EvalSymlinks(p)
	}
	if err != nil {
		return "", fmt.Errorf("there is no program %q on this machine", name)
	}
	return p, nil
}

// mostOutput is how much of a program's output is kept.
const mostOutput = 8 << 20

// command runs a test's command if its owner allowed it here, and reads its figures.
func (l Local) command(ctx context.Context, t method.Test, report func(record.Sample)) (out record.Outcome, err error) {
	c := *t.Command
	program, err := resolve(c.Run[0])
	if err != nil {
		return out, workload.NotRun("%w", err)
	}
	list, err := ReadAllowed(l.Allowed)
	if err != nil {
		return out, workload.NotRun("%w", err)
	}
	i := slices.IndexFunc(list, func(a Allowance) bool { return slices.Equal(a.Run, c.Run) && a.Program == program })
	if i < 0 {
		return out, workload.NotRun("%w: %s; its owner allows it there with `durvek command allow -- %s`", ErrNotAllowed,
			strings.Join(c.Run, " "), strings.Join(c.Run, " "))
	}
	base := l.Dir
	if base == "" {
		base = os.TempDir()
	}
	work, done, err := storage.WorkFolder(base)
	if err != nil {
		return out, workload.NotRun("%w", err)
	}
	defer done()
	limit := time.Duration(c.Limit * float64(time.Second))
	if report != nil {
		report(record.Sample{Phase: "running " + filepath.Base(program)})
		stop := ticking(limit, report, filepath.Base(program))
		defer stop()
	}
	o, err := execute(ctx, program, c, work, environment(list[i].Env), limit)
	if errors.Is(err, errLimit) {
		if out.Readings = limitReached(t, c); out.Readings != nil {
			return out, nil
		}
	}
	if err != nil {
		return out, err
	}
	if c.File != "" {
		if o.File, err = written(work, c.File); err != nil {
			return out, fmt.Errorf("the program wrote no file %s that can be read: %w", c.File, err)
		}
	}
	found, err := t.Read(o)
	if err != nil {
		return out, err
	}
	for _, f := range found {
		out.Readings = append(out.Readings, workload.Reading(f.Measure, f.Value))
	}
	return out, nil
}

// written reads the beginning of a file that a program wrote; a link that leads out of its folder is not followed.
func written(work, name string) ([]byte, error) {
	root, err := os.OpenRoot(work)
	if err != nil {
		return nil, err
	}
	defer root.Close()
	f, err := root.Open(filepath.FromSlash(name))
	if err != nil {
		return nil, err
	}
	defer f.Close()
	return io.ReadAll(io.LimitReader(f, mostOutput))
}

// ticking reports the time that has gone, as a share of the limit, once a second.
func ticking(limit time.Duration, report func(record.Sample), name string) (stop func()) {
	quit, ended := make(chan struct{}), make(chan struct{})
	begin := time.Now()
	go func() {
		defer close(ended)
		t := time.NewTicker(time.Second)
		defer t.Stop()
		for {
			select {
			case <-quit:
				return
			case now := <-t.C:
				report(record.Sample{Phase: "running " + name, Share: min(0.99, now.Sub(begin).Seconds()/limit.Seconds())})
			}
		}
	}()
	return func() { close(quit); <-ended }
}

// limitReached turns figures of time into "more than the limit"; figures of other kinds are missing. A
// test without a figure of time gets nothing.
func limitReached(t method.Test, c method.Command) []record.Reading {
	var out []record.Reading
	timed := false
	for _, f := range c.Figures {
		m, _ := t.Measure(f.Measure)
		v, err := quantity.Convert(c.Limit, "s", m.Unit)
		if f.Time == "" || err != nil {
			out = append(out, record.Reading{Measure: f.Measure, State: record.Missing,
				Reason: "the program was ended at its time limit"})
			continue
		}
		timed = true
		out = append(out, record.Reading{Measure: f.Measure, State: record.BeyondLimit, Value: v})
	}
	if !timed {
		return nil
	}
	return out
}

var errLimit = errors.New("ended at its time limit")

// execute runs the program until it ends, the awaited line comes, or its time is up. All that it
// started ends with it, where the system lets processes be grouped.
func execute(ctx context.Context, program string, c method.Command, dir string, env []string,
	limit time.Duration) (o method.Output, err error) {
	var await *regexp.Regexp
	if c.Line != "" {
		if await, err = regexp.Compile(c.Line); err != nil {
			return o, err
		}
	}
	within, stop := context.WithTimeout(ctx, limit)
	defer stop()
	cmd := exec.CommandContext(within, program, c.Run[1:]...)
	cmd.Args[0] = c.Run[0]
	cmd.Dir, cmd.Env, cmd.WaitDelay = dir, env, 5*time.Second
	group(cmd)
	output, errs := &keeper{}, &keeper{}
	read, write := io.Pipe()
	both := &sync.Mutex{}
	cmd.Stdout, cmd.Stderr = io.MultiWriter(output, &shared{write, both}), io.MultiWriter(errs, &shared{write, both})
	begin := time.Now()
	if err := cmd.Start(); err != nil {
		if ctx.Err() != nil {
			return o, fmt.Errorf("stopped: %w", ctx.Err())
		}
		return o, fmt.Errorf("start %s: %w", program, err)
	}
	seen := make(chan time.Duration, 1)
	go func() { // reads to the end, so that the program never waits
		lines := bufio.NewScanner(read)
		lines.Buffer(nil, 1<<20)
		for lines.Scan() {
			if await != nil && await.Match(lines.Bytes()) {
				select {
				case seen <- time.Since(begin):
					stop() // it has started; that is all that was asked
				default:
				}
			}
		}
		io.Copy(io.Discard, read)
	}()
	err = cmd.Wait()
	o.Seconds = time.Since(begin).Seconds()
	write.Close()
	o.Output, o.Errors = output.b.Bytes(), errs.b.Bytes()
	select {
	case d := <-seen:
		o.Line = d.Seconds()
		return o, nil
	default:
	}
	switch {
	case ctx.Err() != nil:
		return o, fmt.Errorf("stopped: %w", ctx.Err())
	case within.Err() != nil:
		return o, fmt.Errorf("%s was %w of %g s", strings.Join(c.Run, " "), errLimit, c.Limit)
	}
	status := 0
	var exit *exec.ExitError
	if errors.As(err, &exit) {
		status = exit.ExitCode()
	} else if err != nil {
		return o, fmt.Errorf("%s: %w", program, err)
	}
	if status != c.Exit {
		return o, fmt.Errorf("%s ended with status %d: %s", strings.Join(c.Run, " "), status, lastLine(o))
	}
	return o, nil
}

func lastLine(o method.Output) string {
	for _, b := range [][]byte{o.Errors, o.Output} {
		lines := strings.Split(strings.TrimSpace(string(b)), "\n")
		if l := strings.TrimSpace(lines[len(lines)-1]); l != "" {
			return l
		}
	}
	return "it said nothing"
}

// keeper keeps the beginning of an output.
type keeper struct{ b bytes.Buffer }

func (k *keeper) Write(p []byte) (int, error) {
	k.b.Write(p[:min(len(p), mostOutput-k.b.Len())])
	return len(p), nil
}

// shared lets two outputs write to one place.
type shared struct {
	w  io.Writer
	mu *sync.Mutex
}

func (s *shared) Write(p []byte) (int, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.w.Write(p)
}
