package cli

import (
	"bufio"
	"context"
	"durvek/agent"
	"durvek/client"
	"durvek/core/record"
	"durvek/machine"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"
)

// localAgent measures this machine with an agent in a process of its own, as on any other machine.
func localAgent(ctx context.Context, server, code, dir string) error {
	exe, err := os.Executable()
	if err != nil {
		return err
	}
	cmd := exec.CommandContext(ctx, exe, "agent", "--server", server, "--code", code, "--path", dir, "--seconds", "0.35",
		"--keep", filepath.Join(dir, "agents", "this-machine"))
	cmd.Cancel = func() error { return cmd.Process.Signal(os.Interrupt) }
	cmd.WaitDelay = 10 * time.Second
	out, err := cmd.CombinedOutput()
	if err != nil {
		return fmt.Errorf("%w: %s", err, out)
	}
	return nil
}

// mostAnswer is how much an agent reads of what its service answers.
const mostAnswer = 16 << 20

func (a *app) agentCmd() *cobra.Command {
	var code, keep, browser string
	var paths, browserArgs []string
	var seconds float64
	c := verb("agent", "Measure this machine: join with a one-time code and work through the plan",
		"durvek agent --server http://10.0.0.5:8460 --code K7QF-2M3X --path /mnt/dock", 0, func(cmd *cobra.Command,
			_ []string) error {
			if keep == "" {
				dir, err := os.UserCacheDir()
				if err != nil {
					return err
				}
				keep = filepath.Join(dir, "durvek-agent")
			}
			for _, path := range paths {
				if at, err := os.Stat(path); err != nil || !at.IsDir() {
					return usageError{fmt.Errorf("--path %s is no folder on this machine; name one on the drive that is to be measured",
						path)}
				}
			}
			server := a.server
			if server == "" && code == "" {
				s, err := agent.KeptServer(keep)
				if err != nil {
					return usageError{err}
				}
				server = s
			}
			if server == "" && a.data != "" {
				l, err := readLocal(localFile(a.data))
				if err != nil {
					return fmt.Errorf("%w: no service is running on the data folder %s", client.ErrUnreachable, a.data)
				}
				server = l.Server
			}
			if server == "" {
				return usageError{errors.New("say where the service is with --server")}
			}
			allowed, err := machine.AllowedFile()
			if err != nil {
				return err
			}
			exe, err := os.Executable()
			if err != nil {
				return err
			}
			m := machine.Apart{Local: machine.Local{Dir: paths[0], Seconds: seconds, Allowed: allowed}, Exe: exe,
				Args: []string{"agent", "step", "--seconds", strconv.FormatFloat(seconds, 'g', -1, 64), "--browser",
					browser}}
			for _, path := range paths {
				m.Args = append(m.Args, "--path", path)
			}
			for _, x := range browserArgs {
				m.Args = append(m.Args, "--browser-arg", x)
			}
			show := a.progress()
			r, err := agent.Work(cmd.Context(), agent.Options{Service: client.New(server, "").AtMost(mostAnswer), Server: server,
				Machine: m,
				Code:    code, Dir: keep, Confirm: a.entered(cmd.Context()),
				Log: func(f string, v ...any) { show.line(fmt.Sprintf(f, v...)) }, Show: show.update})
			show.end()
			if err != nil {
				return err
			}
			a.say("%s", ended(r))
			if len(r.Refused) > 0 {
				return fmt.Errorf("the service refused %d thing(s), which stay in %s", len(r.Refused), keep)
			}
			return nil
		})
	c.Flags().StringVar(&code, "code", "", "one-time code from `durvek plan code`; left out, the agent goes on where "+
		"it was ended")
	c.PersistentFlags().StringArrayVar(&paths, "path", []string{"."}, "folder on the drive that is to be measured; given "+
		"again, others that a plan's options may name, such as one to copy from")
	c.Flags().StringVar(&keep, "keep", "", "folder where results wait until the service has them")
	c.PersistentFlags().StringVar(&browser, "browser", "", "program that may open the probe on this machine for "+
		"graphics tests, such as chromium; without one the agent asks for a hand")
	c.PersistentFlags().StringArrayVar(&browserArgs, "browser-arg", nil, "argument for that program; may be given again")
	c.PersistentFlags().Float64Var(&seconds, "seconds", 0, "length of each timed part; 0 for the usual one")
	step := verb("step", "Make one run that an agent asks for on standard input; agents start it",
		"durvek agent step --path /mnt/dock < order.json", 0, func(cmd *cobra.Command, _ []string) error {
			allowed, err := machine.AllowedFile()
			if err != nil {
				return err
			}
			l := machine.Local{Dir: paths[0], Folders: paths[1:], Seconds: seconds, Allowed: allowed}
			if browser != "" {
				l.Browser = append([]string{browser}, browserArgs...)
			}
			return l.Serve(cmd.Context(), os.Stdin, a.out)
		})
	step.Hidden = true
	c.AddCommand(step)
	return c
}

// ended says how a plan went.
func ended(r agent.Result) string {
	text := fmt.Sprintf("%d runs done, %d failed, %d not run", r.Runs-r.NotRun-r.Failed-r.Parked, r.Failed, r.NotRun)
	if r.Parked > 0 {
		text += fmt.Sprintf(", %d parked", r.Parked)
	}
	if r.Incidents > 0 {
		text += fmt.Sprintf(", %d incident(s)", r.Incidents)
	}
	if r.Stopped {
		text += "; the plan was stopped"
	}
	return text + ", all delivered."
}

// entered tells of every Enter on a terminal; nothing elsewhere.
func (a *app) entered(ctx context.Context) <-chan struct{} {
	if !a.interactive {
		return nil
	}
	pressed := make(chan struct{})
	go func() {
		for lines := bufio.NewScanner(os.Stdin); lines.Scan(); {
			select {
			case pressed <- struct{}{}:
			case <-ctx.Done():
				return
			case <-time.After(time.Second): // nothing was asked
			}
		}
	}()
	return pressed
}

// shower shows progress: one line that moves on a terminal, a line per run elsewhere.
type shower struct {
	a       *app
	last    string
	written int
	at      time.Time
}

func (a *app) progress() *shower { return &shower{a: a} }

func (s *shower) update(p record.Progress) {
	if s.a.interactive {
		if time.Since(s.at) < 100*time.Millisecond {
			return
		}
		s.at = time.Now()
		share := (float64(p.Done) + p.Share) / float64(max(p.Jobs, 1))
		value := ""
		if p.Value > 0 {
			value = formatValue(p.Value, p.Unit)
		}
		line := fmt.Sprintf("%s  %d of %d  %s, %s  %s  %s%s", bar(share, 24), p.Done+1, p.Jobs, p.Test, p.Phase, value,
			leftOf(p), note("  ", briefly(p.Last)))
		fmt.Fprintf(s.a.out, "\r\x1b[K%s", line)
		s.written = len(line)
		return
	}
	step := fmt.Sprintf("%d of %d: %s, repeat %d", p.Done+1, p.Jobs, p.Test, p.Repeat+1)
	switch {
	case p.Test == "":
		return
	case p.Ask != nil && p.Ask.Now:
		step = "Needs you: " + p.Ask.Text
	case p.State == record.Cooling, p.State == record.Ambient, p.State == record.Paused, p.State == record.NoRoom:
		step += ", " + map[record.Activity]string{record.Cooling: "cooling down", record.Ambient: "waiting for the room",
			record.Paused: "paused", record.NoRoom: "no room on its drive"}[p.State]
	}
	if step != s.last {
		s.last = step
		fmt.Fprintf(s.a.out, "%s, %s\n", step, leftOf(p))
	}
}

// leftOf says how long a plan still takes; nobody knows that of runs whose length was never seen.
func leftOf(p record.Progress) string {
	if p.Left < 1 && p.Done+1 < p.Jobs {
		return fmt.Sprintf("%d more to go, their length is not known yet", p.Jobs-p.Done-1)
	}
	return "about " + leftText(p.Left) + " left"
}

// briefly says the two sensors that tell most.
func briefly(last map[string]float64) string {
	var parts []string
	for _, c := range []string{"temperature.package", "power.package", "power.battery", "load.processor"} {
		if v, ok := last[c]; ok && len(parts) < 2 {
			of, _ := record.ChannelOf(c)
			parts = append(parts, formatValue(v, of.Unit))
		}
	}
	return strings.Join(parts, ", ")
}

func (s *shower) line(text string) {
	if s.written > 0 {
		fmt.Fprint(s.a.out, "\r\x1b[K")
	}
	fmt.Fprintln(s.a.out, text)
}

func (s *shower) end() {
	if s.written > 0 {
		fmt.Fprint(s.a.out, "\r\x1b[K")
	}
}
