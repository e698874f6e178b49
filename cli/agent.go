package cli

import (
	"bufio"
	"context"
	"durvek/agent"
	"durvek/client"
	"durvek/core/record"
	"durvek/core/say"
	"durvek/instrument"
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

// agentFlags say what an agent works on, and with what.
type agentFlags struct {
	code, keep, browser string
	paths, browserArgs  []string
	seconds             float64
	instruments         []string // files that describe them
	meters              []instrument.Definition
}

func (a *app) agentCmd() *cobra.Command {
	var f agentFlags
	c := verb("agent", "Measure this machine: join with a one-time code and work through the plan",
		"durvek agent --server http://10.0.0.5:8460 --code K7QF-2M3X --path /mnt/dock", 0, func(cmd *cobra.Command,
			_ []string) error {
			return a.beAgent(cmd.Context(), f)
		})
	c.Flags().StringVar(&f.code, "code", "", "one-time code from `durvek plan code`; left out, the agent goes on where "+
		"it was ended")
	c.PersistentFlags().StringArrayVar(&f.paths, "path", []string{"."}, "folder on the drive that is to be measured; "+
		"given again, others that a plan's options may name, such as one to copy from")
	c.Flags().StringArrayVar(&f.instruments, "instrument", nil,
		"file that describes a lab instrument, to be read while this "+
			"machine is measured; may be given again")
	c.Flags().StringVar(&f.keep, "keep", "", "folder where results wait until the service has them")
	c.PersistentFlags().StringVar(&f.browser, "browser", "", "program that may open the probe on this machine for "+
		"graphics tests, such as chromium; without one the agent asks for a hand")
	c.PersistentFlags().StringArrayVar(&f.browserArgs, "browser-arg", nil, "argument for that program; may be given again")
	c.PersistentFlags().Float64Var(&f.seconds, "seconds", 0, "length of each timed part; 0 for the usual one")
	step := verb("step", "Make one run that an agent asks for on standard input; agents start it",
		"durvek agent step --path /mnt/dock < order.json", 0, func(cmd *cobra.Command, _ []string) error {
			l, err := f.local()
			if err != nil {
				return err
			}
			return l.Serve(cmd.Context(), os.Stdin, a.out)
		})
	step.Hidden = true
	c.AddCommand(step)
	return c
}

// local is this machine as its owner lets it be measured.
func (f agentFlags) local() (machine.Local, error) {
	allowed, err := machine.AllowedFile()
	l := machine.Local{Dir: f.paths[0], Folders: f.paths[1:], Seconds: f.seconds, Allowed: allowed,
		Instruments: f.meters}
	if f.browser != "" {
		l.Browser = append([]string{f.browser}, f.browserArgs...)
	}
	return l, err
}

// apart is the same machine with every run in a process of its own, which this program is started as.
func (f agentFlags) apart() (machine.Apart, error) {
	l, err := f.local()
	if err != nil {
		return machine.Apart{}, err
	}
	exe, err := os.Executable()
	args := []string{"agent", "step", "--seconds", strconv.FormatFloat(f.seconds, 'g', -1, 64), "--browser", f.browser}
	for _, path := range f.paths {
		args = append(args, "--path", path)
	}
	for _, x := range f.browserArgs {
		args = append(args, "--browser-arg", x)
	}
	l.Browser = nil
	return machine.Apart{Local: l, Exe: exe, Args: args}, err
}

func (a *app) beAgent(ctx context.Context, f agentFlags) error {
	if f.keep == "" {
		dir, err := os.UserCacheDir()
		if err != nil {
			return err
		}
		f.keep = filepath.Join(dir, "durvek-agent")
	}
	for _, path := range f.paths {
		if at, err := os.Stat(path); err != nil || !at.IsDir() {
			return usageError{fmt.Errorf("--path %s is no folder on this machine; name one on the drive that is to be measured",
				path)}
		}
	}
	server, err := a.agentServer(f)
	if err != nil {
		return err
	}
	if f.meters, err = a.meters(ctx, f.instruments); err != nil {
		return err
	}
	m, err := f.apart()
	if err != nil {
		return err
	}
	show := a.progress()
	r, err := agent.Work(ctx, agent.Options{Service: client.New(server, "").AtMost(mostAnswer), Server: server, Machine: m,
		Code: f.code, Dir: f.keep, Confirm: a.entered(ctx), Show: show.update,
		Log: func(f string, v ...any) { show.line(fmt.Sprintf(f, v...)) }})
	show.end()
	if err != nil {
		return err
	}
	a.say("%s", ended(r))
	if len(r.Refused) > 0 {
		return fmt.Errorf("the service refused %s, which stays in %s: %s", say.Things(len(r.Refused), "thing"), f.keep,
			strings.Join(r.Refused, "; "))
	}
	return nil
}

// meters reads the descriptions of instruments, and refuses one that does not answer: a run without its meter would
// have to be made again.
func (a *app) meters(ctx context.Context, files []string) (out []instrument.Definition, err error) {
	for _, name := range files {
		d, err := a.definition(name)
		if err != nil {
			return nil, err
		}
		s, err := instrument.Open(ctx, d)
		if err != nil {
			return nil, err
		}
		s.Close()
		const none = "%s reads %s, of which a run has no channel by that name and unit; `durvek vocabulary channels` lists " +
			"those that it has"
		if unkept := machine.Unkept([]instrument.Definition{d}); len(unkept) == len(d.Read) {
			return nil, fmt.Errorf(none, name, say.List(unkept))
		} else if len(unkept) > 0 {
			a.say(none+". The others are kept.", name, say.List(unkept))
		}
		out = append(out, d)
	}
	return out, nil
}

// agentServer finds the service that an agent works for.
func (a *app) agentServer(f agentFlags) (string, error) {
	server := a.server
	if server == "" && f.code == "" {
		s, err := agent.KeptServer(f.keep)
		if err != nil {
			return "", usageError{err}
		}
		server = s
	}
	if server == "" && a.data != "" {
		l, err := readLocal(localFile(a.data))
		if err != nil {
			return "", fmt.Errorf("%w: no service is running on the data folder %s", client.ErrUnreachable, a.data)
		}
		server = l.Server
	}
	if server == "" {
		return "", usageError{errors.New("say where the service is with --server")}
	}
	return server, nil
}

// ended says how a plan went.
func ended(r agent.Result) string {
	text := fmt.Sprintf("%s done, %d failed, %d not run", say.Things(r.Runs-r.NotRun-r.Failed-r.Parked, "run"), r.Failed,
		r.NotRun)
	if r.Parked > 0 {
		text += fmt.Sprintf(", %d parked", r.Parked)
	}
	if r.Incidents > 0 {
		text += ", " + say.Things(r.Incidents, "incident")
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
	painted []byte // the last picture of a run that paints one
}

func (a *app) progress() *shower { return &shower{a: a} }

func (s *shower) update(p record.Progress) {
	if s.a.interactive {
		if p.Picture != nil {
			s.painted = p.Picture
		}
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
	fmt.Fprint(s.a.out, painted(s.painted, 80))
}
