// Package cli is the command line. A command parses, calls the service through client, and prints: a
// table for people, or with --json what the service answered.
package cli

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"os/signal"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
	"golang.org/x/term"

	"durvek/client"
	"durvek/core/say"
	"durvek/desk"
)

// Exit statuses.
const (
	done        = 0
	failed      = 1
	wrongUsage  = 2
	unreachable = 3
	stopped     = 130 // as shells have it for who was interrupted
)

// app is one call of the program.
type app struct {
	in          io.Reader
	out, err    io.Writer
	server      string
	token       string
	data        string
	json        bool
	wide        bool
	interactive bool // out is a terminal
}

// usageError marks a call whose words are wrong.
type usageError struct{ error }

// Main runs the program and returns its exit status.
func Main(args []string, in io.Reader, out, errs io.Writer) int {
	a := &app{in: in, out: out, err: errs}
	if f, ok := out.(*os.File); ok {
		a.interactive = term.IsTerminal(int(f.Fd()))
	}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	root := a.root()
	root.SetArgs(args)
	root.SetIn(in)
	root.SetOut(out)
	root.SetErr(errs)
	err := root.ExecuteContext(ctx)
	if err == nil {
		return done
	}
	interrupted := ctx.Err() != nil
	if interrupted && (errors.Is(err, context.Canceled) || strings.Contains(err.Error(), context.Canceled.Error())) {
		err = errors.New("stopped")
	}
	if a.json {
		a.tellFailure(err)
	} else {
		fmt.Fprintln(errs, "durvek:", strings.TrimSpace(err.Error()))
	}
	var usage usageError
	var p *client.Problem
	switch {
	case interrupted:
		return stopped
	case errors.As(err, &usage), strings.HasPrefix(err.Error(), "unknown command"), strings.HasPrefix(err.Error(),
		"required flag"):
		return wrongUsage
	case errors.Is(err, client.ErrUnreachable), errors.As(err, &p) && (p.Status == http.StatusUnauthorized ||
		p.Status == http.StatusForbidden):
		return unreachable
	}
	return failed
}

func (a *app) root() *cobra.Command {
	root := &cobra.Command{
		Use:   "durvek",
		Short: "Measure devices, compare them honestly, publish what you found",
		Long: `Durvek measures laptops, desktops, mini PCs, tablets, phones and drives, holds the figures against
makers' claims and rivals, ranks them with their uncertainty, and publishes reviews.

The service's address and token come from --server and --token, from DURVEK_SERVER and DURVEK_TOKEN, from
the data folder of a service on this computer (--data, DURVEK_DATA), or from "durvek sign-in".`,
		SilenceErrors: true, SilenceUsage: true,
	}
	f := root.PersistentFlags()
	f.StringVar(&a.server, "server", os.Getenv("DURVEK_SERVER"), "address of the service")
	f.StringVar(&a.token, "token", os.Getenv("DURVEK_TOKEN"), "token to sign in with")
	f.StringVar(&a.data, "data", os.Getenv("DURVEK_DATA"), "data folder of a service on this computer")
	f.BoolVar(&a.json, "json", false, "print what the service answered, as JSON; a failure too, as problem details")
	f.BoolVar(&a.wide, "wide", false, "tables as they are on a terminal of any width, also into a pipe")
	root.SetFlagErrorFunc(func(c *cobra.Command, err error) error {
		if words := c.Flags().Args(); c.HasSubCommands() && len(words) > 0 { // what it does not know is the verb
			return noVerb(c, words[0])
		}
		return usageError{nearFlag(c, err)}
	})
	root.AddCommand(a.serveCmd(), a.demoCmd(), a.benchCmd(), a.agentCmd(), a.commandCmd(), a.signInCmd(), a.personCmd(),
		a.tokenCmd(), a.journalCmd(), a.hookCmd(), a.exchangeCmd(),
		a.apiCmd(),
		a.dossierCmd(), a.kindCmd(), a.modelCmd(), a.variantCmd(), a.unitCmd(), a.rigCmd(), a.claimCmd(), a.offerCmd(),
		a.vocabularyCmd(),
		a.testCmd(), a.setupCmd(), a.conditionCmd(), a.planCmd(), a.runCmd(), a.doubtCmd(), a.incidentCmd(), a.sheetCmd(),
		a.photoCmd(), a.partnerCmd(), a.remarkCmd(), a.reportCmd(), a.readingCmd(), a.tableCmd(), a.framesCmd(),
		a.intakeCmd(), a.analysisCmd(), a.mappingCmd(), a.sourceCmd(), a.instrumentCmd(),
		a.fieldCmd(), a.measureCmd(), a.rankCmd(), a.headCmd(), a.indexCmd(), a.useCmd(), a.valueCmd(), a.rateCmd(),
		a.modeCmd(), a.curveCmd(), a.dataCmd(), a.reviewCmd(), a.editionCmd(), a.siteCmd(),
		a.todayCmd(), a.findCmd(), a.deviceCmd(), a.exampleCmd(), a.deskCmd())
	root.AddCommand(a.backupCmds()...)
	root.AddCommand(a.versionCmd(), a.licensesCmd(), a.configCmd())
	a.complete(root)
	plainly(root)
	for _, c := range root.Commands() {
		if c.HasSubCommands() && c.RunE == nil { // a noun alone is wrong usage, and shows its verbs
			c.RunE = func(c *cobra.Command, args []string) error {
				if len(args) > 0 {
					return noVerb(c, args[0])
				}
				return usageError{fmt.Errorf("say what to do with %q: %s", c.Name(), verbs(c))}
			}
		}
	}
	return root
}

// plainly has flags that must be given named in the desk's words where they are not, before anything else is done, and
// keeps commands that a flag's words name from being taken for the kind of its value.
func plainly(c *cobra.Command) {
	for _, s := range c.Commands() {
		plainly(s)
	}
	words := c.Args
	c.Flags().VisitAll(func(f *pflag.Flag) { f.Usage = strings.ReplaceAll(f.Usage, "`", `"`) })
	if words == nil { // it has no flags of its own that must be given
		return
	}
	c.Args = func(c *cobra.Command, args []string) error {
		if err := words(c, args); err != nil {
			return err
		}
		if missing := needed(c, false); len(missing) > 0 {
			return usageError{fmt.Errorf("say %s; %s --help tells what they take", say.List(missing),
				c.CommandPath())}
		}
		return nil
	}
}

func noVerb(c *cobra.Command, word string) error {
	return usageError{fmt.Errorf("%q is no verb of %q; there are %s", word, c.Name(), verbs(c))}
}

// nearFlag names the flags that are like one that there is not.
func nearFlag(c *cobra.Command, err error) error {
	var unknown *pflag.NotExistError
	if !errors.As(err, &unknown) || len(unknown.GetSpecifiedName()) < 2 {
		return err
	}
	var names []string
	c.Flags().VisitAll(func(f *pflag.Flag) { names = append(names, f.Name) })
	if near := desk.Near(names, unknown.GetSpecifiedName()); near != "" {
		return fmt.Errorf("%w; %s", err, near)
	}
	return err
}

func verbs(c *cobra.Command) string {
	var names []string
	for _, s := range c.Commands() {
		names = append(names, s.Name())
	}
	return strings.Join(names, ", ")
}

// noun groups verbs.
func noun(name, short string, verbs ...*cobra.Command) *cobra.Command {
	c := &cobra.Command{Use: name, Short: short, Args: cobra.ArbitraryArgs}
	c.AddCommand(verbs...)
	return c
}

// verb is one command; use starts with its name, words are how many arguments it takes, below 0 at least so many.
func verb(use, short, example string, words int, run func(cmd *cobra.Command, args []string) error) *cobra.Command {
	return &cobra.Command{Use: use, Short: short, Example: "  " + example, RunE: run, Args: func(c *cobra.Command,
		args []string) error {
		if len(args) != words && (words >= 0 || len(args) < -words) {
			return usage(c, args)
		}
		return nil
	}}
}

// must has flags that a command cannot do without.
func must(c *cobra.Command, flags ...string) {
	for _, f := range flags {
		c.MarkFlagRequired(f)
	}
}

// usage says how a command is written, to who wrote it otherwise.
func usage(c *cobra.Command, args []string) error {
	line := strings.TrimSuffix(c.UseLine(), " [flags]")
	if line == c.CommandPath() && len(args) > 0 {
		return usageError{fmt.Errorf("%s takes flags alone, and %q is none; its --help lists them", line, args[0])}
	}
	for _, name := range needed(c, true) {
		line += " " + name + " …"
	}
	return usageError{fmt.Errorf("usage: %s", line)}
}

// needed lists the flags that must be given, all of them or those that are not.
func needed(c *cobra.Command, all bool) (out []string) {
	c.Flags().VisitAll(func(f *pflag.Flag) {
		if len(f.Annotations[cobra.BashCompOneRequiredFlag]) > 0 && (all || !f.Changed) {
			out = append(out, "--"+f.Name)
		}
	})
	return out
}

// local is what a running service leaves in its data folder for programs on the same computer.
type local struct {
	Server string `json:"server"`
	Token  string `json:"token"`
}

func localFile(dir string) string { return filepath.Join(dir, "local-service.json") }

// signedIn is where "durvek sign-in" keeps tokens.
func signedIn() (string, error) {
	dir, err := os.UserConfigDir()
	return filepath.Join(dir, "durvek", "signed-in.json"), err
}

func readLocal(path string) (l local, err error) {
	b, err := os.ReadFile(path)
	if err == nil {
		err = json.Unmarshal(b, &l)
	}
	return l, err
}

// client finds the service: by flag or environment, by the data folder, or by the last sign-in.
func (a *app) client() (*client.Client, error) {
	server, token := a.server, a.token
	if a.data != "" && (server == "" || token == "") {
		l, err := readLocal(localFile(a.data))
		if err != nil {
			return nil, fmt.Errorf("%w: no service is running on the data folder %s", client.ErrUnreachable, a.data)
		}
		server, token = cmp.Or(server, l.Server), cmp.Or(token, l.Token)
	}
	if server == "" || token == "" {
		if path, err := signedIn(); err == nil {
			if l, err := readLocal(path); err == nil && (server == "" || server == l.Server) {
				server, token = cmp.Or(server, l.Server), cmp.Or(token, l.Token)
			}
		}
	}
	if server == "" {
		return nil, fmt.Errorf("%w: say where it is with --server or --data, or sign in with `durvek sign-in LINK`",
			client.ErrUnreachable)
	}
	if u, err := url.Parse(server); err != nil || u.Host == "" {
		return nil, usageError{fmt.Errorf("%q is no address; write it as http://host:port", server)}
	}
	return client.New(server, token), nil
}

func (a *app) say(format string, args ...any) { fmt.Fprintf(a.out, format+"\n", args...) }

// width is how many columns a line has: as COLUMNS says, else the terminal's, else 0 for any.
func (a *app) width() int {
	if n, err := strconv.Atoi(os.Getenv("COLUMNS")); err == nil && n > 0 {
		return n
	}
	if f, ok := a.out.(*os.File); ok && a.interactive {
		if n, _, err := term.GetSize(int(f.Fd())); err == nil {
			return n
		}
	}
	return 0
}

// tellFailure says what went wrong as problem details (RFC 9457), the service's own where it said them.
func (a *app) tellFailure(err error) {
	p := client.Problem{Title: "failed", Detail: strings.TrimSpace(err.Error())}
	var said *client.Problem
	if errors.As(err, &said) {
		p = *said
	}
	b, _ := json.Marshal(p)
	fmt.Fprintf(a.err, "%s\n", b)
}

// print writes a table; columns whose name starts with a right arrow are aligned right. Into a pipe it goes as
// tab-separated values.
func (a *app) print(head []string, rows [][]any) {
	if !a.interactive && !a.wide && os.Getenv("COLUMNS") == "" {
		plain := strings.NewReplacer("\t", " ", "\n", " ")
		line := func(cells []string) { fmt.Fprintln(a.out, strings.Join(cells, "\t")) }
		for i, r := range append([][]any{nil}, rows...) {
			cells := make([]string, len(head))
			for k := range cells {
				if i == 0 {
					cells[k] = strings.TrimPrefix(head[k], "→")
				} else {
					cells[k] = plain.Replace(fmt.Sprint(r[k]))
				}
			}
			line(cells)
		}
		return
	}
	t := table.NewWriter()
	t.SetStyle(table.StyleLight)
	s := t.Style()
	s.Options = table.OptionsNoBordersAndSeparators
	s.Options.SeparateHeader = true
	s.Format.Header = text.FormatDefault
	s.Box.PaddingLeft, s.Box.PaddingRight = "", "  "
	var h table.Row
	var columns []table.ColumnConfig
	for i, name := range head {
		right := strings.HasPrefix(name, "→")
		h = append(h, strings.TrimPrefix(name, "→"))
		if right {
			columns = append(columns, table.ColumnConfig{Number: i + 1, Align: text.AlignRight, AlignHeader: text.AlignRight})
		}
	}
	t.AppendHeader(h)
	for _, r := range rows {
		t.AppendRow(r)
	}
	if room := a.width(); room > 0 && !a.wide { // the last column wraps where the line would not fit
		rest := 0
		for i := range len(head) - 1 {
			widest := text.StringWidth(strings.TrimPrefix(head[i], "→"))
			for _, r := range rows {
				widest = max(widest, text.StringWidth(fmt.Sprint(r[i])))
			}
			rest += widest + 2
		}
		if !strings.HasPrefix(head[len(head)-1], "→") {
			columns = append(columns, table.ColumnConfig{Number: len(head), WidthMax: max(room-rest-2, 30),
				WidthMaxEnforcer: text.WrapSoft})
		}
	}
	t.SetColumnConfigs(columns)
	for _, line := range strings.Split(t.Render(), "\n") {
		fmt.Fprintln(a.out, strings.TrimRight(line, " "))
	}
}

// readFile reads a file that a person names; - is standard input.
func (a *app) readFile(name string) ([]byte, error) {
	if name == "-" {
		return io.ReadAll(a.in)
	}
	b, err := os.ReadFile(name)
	if err != nil {
		var pe *os.PathError
		if errors.As(err, &pe) {
			err = pe.Err
		}
		return nil, fmt.Errorf("read %s: %w", name, err)
	}
	return b, nil
}
