package cli

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/url"
	"os"
	"path/filepath"
	"runtime/debug"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"durvek/api"
	"durvek/client"
	"durvek/demo"
	"durvek/desk"
	"durvek/desk/backup"
	"durvek/desk/house"
	"durvek/examples"
	"durvek/internal/durable"
	"durvek/probe"
	"durvek/publish"
	"durvek/service"
	"durvek/web"
	"durvek/workload"
)

// hosting says how a service is to be run.
type hosting struct {
	listen, dir, name string
	certificate, key  string
	hosts, proxies    []string
	imprint           desk.Imprint
	tlsOnly           bool
	log               logging
	backups           backup.Schedule
}

// flags adds those of a service.
func (h *hosting) flags(f *pflag.FlagSet) {
	f.StringVar(&h.listen, "listen", "127.0.0.1:8460", "address and port; port 0 picks one")
	f.StringVar(&h.name, "name", "", "name of the desk, as it stands on charts and editions; what was said in the "+
		"console, or Durvek, if left out")
	f.StringVar(&h.imprint.Licence, "licence", "", "licence of published data: "+strings.Join(publish.Licences(), ", ")+
		"; none if left out")
	f.StringVar(&h.imprint.Imprint, "imprint", "", "who answers for what is published, as it stands at a site's foot")
	f.StringVar(&h.certificate, "certificate", "", "certificate of your own for TLS, a PEM file; without one the service "+
		"signs its own")
	f.StringVar(&h.key, "key", "", "its private key, a PEM file")
	f.BoolVar(&h.tlsOnly, "tls-only", false, "answer other computers by TLS alone")
	f.StringArrayVar(&h.hosts, "host", nil, "further name or address that leads to this service; may be given again")
	f.StringArrayVar(&h.proxies, "proxy", nil, "address of a proxy before the service whose word for who asks is "+
		"taken; may "+
		"be given again")
	f.DurationVar(&h.backups.Every, "backup-every", 24*time.Hour, "how often a backup is made by itself; 0 for never")
	f.IntVar(&h.backups.Keep, "backup-keep", 7, "how many of them are kept")
	f.StringVar(&h.backups.To, "backup-to", "", "folder for them; `backups` in the data folder if left out")
	h.log.flags(f)
}

// check says what is wrong in the flags.
func (h hosting) check() error {
	if h.backups.Every != 0 && h.backups.Every < time.Minute {
		return usageError{fmt.Errorf("--backup-every is 1m or more, or 0 for never, not %s", h.backups.Every)}
	}
	if h.backups.Every != 0 && h.backups.Keep < 1 {
		return usageError{fmt.Errorf("--backup-keep is 1 or more, not %d", h.backups.Keep)}
	}
	if l := h.imprint.Licence; l != "" && !slices.Contains(publish.Licences(), l) {
		return usageError{fmt.Errorf("--licence is one of: %s; not %q", strings.Join(publish.Licences(), ", "), l)}
	}
	return nil
}

// host starts a service on a data folder, hands its address, a token and a sign-in link to started,
// and serves until ctx ends or started fails.
func (a *app) host(ctx context.Context, h hosting, started func(ctx context.Context, server, token,
	link string) error) error {
	if err := h.log.begin(a.err); err != nil {
		return err
	}
	if err := h.check(); err != nil {
		return err
	}
	certificates, err := service.NewCertificates(service.CertificateOptions{Dir: filepath.Join(h.dir, "tls"),
		Certificate: h.certificate, Key: h.key, Names: h.hosts, Now: time.Now})
	if err != nil {
		return err
	}
	l, err := net.Listen("tcp", h.listen)
	if err != nil {
		return fmt.Errorf("listen on %s: %w", h.listen, err)
	}
	debug.SetGCPercent(50) // it holds much for long and allocates little: half the room is enough
	d, err := house.Open(ctx, house.Options{Options: desk.Options{Dir: h.dir, Name: h.name, Imprint: h.imprint},
		Tests: workload.Tests()})
	if err != nil {
		l.Close()
		return err
	}
	defer d.Close()
	s := service.New(d, service.Options{Console: web.Console(), Probe: probe.Files(), Certificates: certificates,
		Hosts: h.hosts, Proxies: h.proxies, TLSOnly: h.tlsOnly, LogRequests: h.log.requests, Examples: examples.Made})
	serving, stop := context.WithCancel(ctx)
	defer stop()
	h.backups.To = cmp.Or(h.backups.To, filepath.Join(h.dir, "backups"))
	go h.backups.Run(serving, h.dir, func(path string, err error) {
		s.BackedUp(err)
		if err != nil {
			slog.Error("a backup could not be made", "error", err)
		} else {
			slog.Info("backup made", "file", path)
		}
	})
	ended := make(chan error, 1)
	go func() { ended <- s.Serve(serving, l) }()

	server := "http://" + reachable(l.Addr().String())
	token, err := d.Books.LocalToken(ctx)
	if err == nil {
		var b []byte
		if b, err = json.Marshal(local{server, token}); err == nil {
			err = durable.Write(localFile(h.dir), b, 0o600)
		}
	}
	if err != nil {
		return err
	}
	defer os.Remove(localFile(h.dir))
	code, err := d.Books.SignInCode(ctx, "")
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
	var h hosting
	var file string
	c := verb("serve", "Start the service", "durvek serve --listen 127.0.0.1:8460 --data ~/desk --name \"Marram Desk\"", 0,
		func(cmd *cobra.Command, _ []string) error {
			h.dir = cmp.Or(a.data, defaultData())
			if _, err := settle(cmd.LocalNonPersistentFlags(), configFile(file, h.dir)); err != nil {
				return err
			}
			return a.host(cmd.Context(), h, func(_ context.Context, server, _, link string) error {
				a.say("Durvek listens on %s, data in %s.", server, h.dir)
				for _, other := range elsewhere(h.listen, server) {
					plain, secure := other, strings.Replace(other, "http:", "https:", 1)
					if h.tlsOnly {
						a.say("Other devices reach it on %s.", secure)
					} else {
						a.say("Other devices reach it on %s, and with TLS on %s.", plain, secure)
					}
				}
				a.say("Sign in once within 15 minutes: %s", link)
				return nil
			})
		})
	h.flags(c.Flags())
	c.Flags().StringVar(&file, "config", "",
		"file of settings, with an entry for each of these flags; durvek.yaml in the "+
			"data folder if left out")
	return c
}

func (a *app) demoCmd() *cobra.Command {
	h := hosting{name: demo.DeskName, imprint: desk.Imprint{Licence: demo.Licence, Imprint: demo.Imprint}}
	var once bool
	c := verb("demo", "Start the service with the demo's data and a simulated bench",
		"durvek demo --listen 127.0.0.1:8460 --data demo-data", 0, func(cmd *cobra.Command, _ []string) error {
			dir := cmp.Or(a.data, "demo-data")
			h.dir = dir
			return a.host(cmd.Context(), h, func(ctx context.Context, server, token, link string) error {
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
	c.Flags().StringVar(&h.listen, "listen", "127.0.0.1:8460", "address and port; port 0 picks one")
	c.Flags().StringArrayVar(&h.hosts, "host", nil, "further name or address that leads to this service; may be given "+
		"again")
	c.Flags().BoolVar(&once, "once", false, "fill, check and exit")
	return c
}
