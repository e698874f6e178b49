package app

import (
	"bufio"
	"context"
	"fmt"
	"os"
	"os/exec"
	"strings"
	"time"

	"durvek/core/method"
	"durvek/core/record"
	"durvek/core/stats"
	"durvek/workload"
)

// What the program is called with, and how the line begins that is awaited.
var (
	startWords = []string{"--help"}
	startLine  = "Durvek"
)

const starts = 12

func init() {
	register(method.Test{
		Slug: "command-start", Name: "Command start-up", Repeats: 5, Seconds: 1.5,
		About: "This program is started anew, until it prints the first line of its help, twelve times.",
		StandsFor: "Waiting for a program: making a process, mapping its file, setting up its runtime. For other programs " +
			"make a test of kind command that awaits a line.", LimitedBy: "The system's loader and its checks on programs " +
			"(as by a virus scanner), then one core.",
		Input: "The program itself, of about 40 MB.", Checked: "The line is the one awaited, and the program ends well.",
		Measures: workload.Rows(method.Measure{Unit: "ms", Scale: "ratio", Better: "lower", Repeatability: 0.05}, "median",
			"median start", "slowest", "slowest start"),
	}, func(ctx context.Context, env workload.Env) (out record.Outcome, err error) {
		exe, err := os.Executable()
		if err != nil {
			return out, workload.NotRun("the system does not say where this program lies: %w", err)
		}
		s := record.Series{Channel: "start", Unit: "ms"}
		begin := time.Now()
		for i := range starts {
			spent, err := start(ctx, exe)
			if err != nil {
				return out, err
			}
			s.Times, s.Values = append(s.Times, time.Since(begin).Seconds()), append(s.Values, 1e3*spent.Seconds())
			env.Show("starting", float64(i+1)/starts)
		}
		out.Series = []record.Series{s}
		out.Readings = []record.Reading{workload.Reading("median", stats.Quantile(s.Values, 0.5)), workload.Reading("slowest",
			stats.Quantile(s.Values, 1))}
		return out, nil
	})
}

// start runs the program once and times its first line.
func start(ctx context.Context, exe string) (time.Duration, error) {
	cmd := exec.CommandContext(ctx, exe, startWords...)
	pipe, err := cmd.StdoutPipe()
	if err != nil {
		return 0, err
	}
	begin := time.Now()
	if err := cmd.Start(); err != nil {
		return 0, fmt.Errorf("start %s: %w", exe, err)
	}
	lines := bufio.NewScanner(pipe)
	found := lines.Scan() && strings.HasPrefix(lines.Text(), startLine)
	spent := time.Since(begin)
	for lines.Scan() { // let it end by itself
	}
	err = cmd.Wait()
	if ctx.Err() != nil {
		return 0, fmt.Errorf("stopped: %w", ctx.Err())
	}
	if err != nil || !found {
		return 0, fmt.Errorf("%s %s did not begin with %q (%v): %w", exe, strings.Join(startWords, " "), startLine, err,
			workload.ErrWrong)
	}
	return spent, nil
}
