package cli

import (
	"bufio"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"runtime/debug"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"durvek/agent"
	"durvek/api"
	"durvek/client"
	"durvek/core/record"
	"durvek/demo"
	"durvek/desk"
	"durvek/desk/house"
	"durvek/machine"
	"durvek/probe"
	"durvek/service"
	"durvek/web"
	"durvek/workload"
)

// host starts a service on a data folder, hands its address, a token and a sign-in link to started,
// and serves until ctx ends or started fails.
func (a *app) host(ctx context.Context, listen, dir, name string, tls [2]string, started func(ctx context.Context,
	server, token, link string) error) error {
	certificates, err := service.NewCertificates(filepath.Join(dir, "tls"), tls[0], tls[1], time.Now)
	if err != nil {
		return err
	}
	l, err := net.Listen("tcp", listen)
	if err != nil {
		return fmt.Errorf("listen on %s: %w", listen, err)
	}
	debug.SetGCPercent(50) // it holds much for long and allocates little: half the room is enough
	d, err := house.Open(ctx, house.Options{Options: desk.Options{Dir: dir, Name: name}, Tests: workload.Tests()})
	if err != nil {
		l.Close()
		return err
	}
	defer d.Close()
	s := service.New(d, service.Options{Console: web.Console(), Probe: probe.Files(), Certificates: certificates})
	serving, stop := context.WithCancel(ctx)
	defer stop()
	ended := make(chan error, 1)
	go func() { ended <- s.Serve(serving, l) }()

	server := "http://" + reachable(l.Addr().String())
	token, err := d.Books.LocalToken(ctx)
	if err == nil {
		var b []byte
		if b, err = json.Marshal(local{server, token}); err == nil {
			err = os.WriteFile(localFile(dir), b, 0o600)
		}
	}
	if err != nil {
		return err
	}
	defer os.Remove(localFile(dir))
	code, err := d.Books.SignInCode(ctx)
	if err != nil {
		return err
	}
	startErr := make(chan error, 1)
	go func() { startErr <- started(serving, server, token, server+"/sign-in?code="+code) }()
	for {
		select {
		case err := <-startErr:
			if err != nil {
				stop()
				<-ended
				if errors.Is(err, errOnce) {
					return nil
				}
				return err
			}
			startErr = nil
		case err := <-ended:
			return err
		}
	}
}

// errOnce ends a demo that was only to be filled and checked.
var errOnce = errors.New("filled")

// reachable turns a listener's address into one that a browser on this computer opens.
func reachable(addr string) string {
	h, p, err := net.SplitHostPort(addr)
	if ip := net.ParseIP(h); err == nil && ip != nil && ip.IsUnspecified() {
		return net.JoinHostPort("127.0.0.1", p)
	}
	return addr
}

// elsewhere lists the addresses by which other devices reach a service that listens for them.
func elsewhere(listen, server string) []string {
	host, _, err := net.SplitHostPort(listen)
	if ip := net.ParseIP(host); err != nil || host != "" && (ip == nil || !ip.IsUnspecified()) {
		return nil
	}
	var out []string
	for _, ip := range service.Addresses() {
		out = append(out, "http://"+net.JoinHostPort(ip.String(), server[strings.LastIndexByte(server, ':')+1:]))
	}
	return out
}

func defaultData() string {
	dir, err := os.UserHomeDir()
	if err != nil {
		return "durvek-data"
	}
	return filepath.Join(dir, ".local", "share", "durvek")
}

func (a *app) serveCmd() *cobra.Command {
	var listen, name string
	var tls [2]string
	c := verb("serve", "Start the service", "durvek serve --listen 127.0.0.1:8460 --data ~/desk --name \"Marram Desk\"", 0,
		func(cmd *cobra.Command, _ []string) error {
			dir := cmp.Or(a.data, defaultData())
			return a.host(cmd.Context(), listen, dir, name, tls, func(_ context.Context, server, _, link string) error {
				a.say("Durvek listens on %s, data in %s.", server, dir)
				for _, other := range elsewhere(listen, server) {
					a.say("Other devices reach it on %s, and with TLS on %s.", other, strings.Replace(other, "http:", "https:", 1))
				}
				a.say("Sign in once within 15 minutes: %s", link)
				return nil
			})
		})
	c.Flags().StringVar(&listen, "listen", "127.0.0.1:8460", "address and port; port 0 picks one")
	c.Flags().StringVar(&tls[0], "certificate", "", "certificate of your own for TLS, a PEM file; without one the "+
		"service signs its own")
	c.Flags().StringVar(&tls[1], "key", "", "its private key, a PEM file")
	c.Flags().StringVar(&name, "name", "Durvek", "name of the desk, as it stands on charts and editions")
	return c
}

func (a *app) demoCmd() *cobra.Command {
	var listen string
	var once bool
	c := verb("demo", "Start the service with the demo's data and a simulated bench",
		"durvek demo --listen 127.0.0.1:8460 --data demo-data", 0, func(cmd *cobra.Command, _ []string) error {
			dir := cmp.Or(a.data, "demo-data")
			return a.host(cmd.Context(), listen, dir, demo.DeskName, [2]string{}, func(ctx context.Context, server, token,
				link string) error {
				a.say("The Marram Desk's demo listens on %s, data in %s.", server, dir)
				a.say("Sign in once within 15 minutes: %s&to=%s", link,
					url.QueryEscape("/compare?field=machines&measure=compression/pack-all&subject="+demo.ThisMachine))
				a.say("For the command line: export DURVEK_DATA=%s", dir)
				cl := client.New(server, token)
				models, err := client.Ask(ctx, cl, api.Models, api.Listing{Archived: true})
				if err != nil {
					return err
				}
				if len(models) > 0 {
					a.say("The folder holds a demo already; it goes on as it is. Remove it to start anew.")
				}
				o := demo.Options{Client: cl, Dir: dir, Pace: 1, Say: a.say, Local: func(ctx context.Context, code string) error {
					return localAgent(ctx, server, code, dir)
				}}
				if len(models) == 0 {
					if once {
						o.Pace = 0
					}
					if err := demo.Fill(ctx, o); err != nil {
						if ctx.Err() != nil {
							return nil
						}
						return err
					}
					a.say("The bench is done. A simulated machine joins for every plan that you put on it.")
				}
				if once {
					if err := demo.Check(ctx, cl); err != nil {
						return fmt.Errorf("the demo is not whole: %w", err)
					}
					a.say("Checked: every planted case is there.")
					return errOnce
				}
				return demo.Attend(ctx, o)
			})
		})
	c.Flags().StringVar(&listen, "listen", "127.0.0.1:8460", "address and port; port 0 picks one")
	c.Flags().BoolVar(&once, "once", false, "fill, check and exit")
	return c
}

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

func (a *app) agentCmd() *cobra.Command {
	var code, path, keep, browser string
	var browserArgs []string
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
			if at, err := os.Stat(path); err != nil || !at.IsDir() {
				return usageError{fmt.Errorf("--path %s is no folder on this machine; name one on the drive that is to be measured",
					path)}
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
			m := machine.Apart{Local: machine.Local{Dir: path, Seconds: seconds, Allowed: allowed}, Exe: exe,
				Args: []string{"agent", "step", "--path", path, "--seconds", strconv.FormatFloat(seconds, 'g', -1, 64), "--browser",
					browser}}
			for _, x := range browserArgs {
				m.Args = append(m.Args, "--browser-arg", x)
			}
			show := a.progress()
			r, err := agent.Work(cmd.Context(), agent.Options{Service: client.New(server, ""), Server: server, Machine: m,
				Code: code, Dir: keep, Confirm: a.entered(cmd.Context()),
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
	c.PersistentFlags().StringVar(&path, "path", ".", "folder on the drive that is to be measured")
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
			l := machine.Local{Dir: path, Seconds: seconds, Allowed: allowed}
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
