package cli

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"durvek/api"
	"durvek/client"
	"durvek/core/quantity"
	"durvek/desk"
	"durvek/desk/books"
	"durvek/desk/house"
	"durvek/service"
)

func (a *app) signInCmd() *cobra.Command {
	c := verb("sign-in LINK", "Sign this computer in with a one-time link",
		"durvek sign-in 'http://127.0.0.1:8460/sign-in?code=…'", 1, func(cmd *cobra.Command, args []string) error {
			u, err := url.Parse(args[0])
			if err != nil || u.Host == "" || u.Query().Get("code") == "" {
				return usageError{fmt.Errorf("%q is no sign-in link; it looks like http://host:port/sign-in?code=…", args[0])}
			}
			return a.signIn(cmd, u.Scheme+"://"+u.Host, u.Query().Get("code"))
		})
	var name string
	ask := verb("ask SERVICE", "Ask a service to be let in, show the number that its owner lets one in by, and wait",
		"durvek sign-in ask http://desk.local:8460 --name Wilma", 1, func(cmd *cobra.Command, args []string) error {
			u, err := url.Parse(args[0])
			if err != nil || u.Host == "" || u.Scheme != "http" && u.Scheme != "https" {
				return usageError{fmt.Errorf("%q is no address of a service; it looks like http://host:port", args[0])}
			}
			return a.askEntry(cmd, u.Scheme+"://"+u.Host, name)
		})
	ask.Flags().StringVar(&name, "name", "", "what an owner of the desk knows you by")
	ask.MarkFlagRequired("name")
	c.AddCommand(ask)
	var whose api.Body[api.Whose]
	c.AddCommand(asking(a, "link", "Print a new one-time sign-in link", `durvek sign-in link --person "Ilse Brandt"`,
		api.MakeSignInLink, &whose, nil, func(x api.Code) {
			if cl, err := a.client(); err == nil {
				a.say("%s/sign-in?code=%s", cl.Server, x.Code)
			}
		}))
	return c
}

// signIn spends a one-time code, and keeps the token for the commands that follow.
func (a *app) signIn(cmd *cobra.Command, server, code string) error {
	host, _ := os.Hostname()
	t, err := client.Ask(cmd.Context(), client.New(server, ""), api.SignIn, api.With(api.Code{
		Code: code, Name: "command line on " + host}))
	if err != nil {
		return err
	}
	path, err := signedIn()
	if err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
		return err
	}
	b, err := json.Marshal(local{server, t.Token})
	if err != nil {
		return err
	}
	if err := os.WriteFile(path, b, 0o600); err != nil {
		return err
	}
	a.say("Signed in to %s.", server)
	return nil
}

// askEntry asks to be let in and signs in once an owner has said so.
func (a *app) askEntry(cmd *cobra.Command, server, name string) error {
	c := client.New(server, "")
	asked, err := client.Ask(cmd.Context(), c, api.AskEntry, api.With(api.EntryNote{Name: name}))
	if err != nil {
		return err
	}
	a.say("Tell an owner of the desk this number: %s. They find you under People, or with `durvek person waiting`.",
		asked.Number)
	for {
		got, err := client.Ask(cmd.Context(), c, api.EntryAnswer, api.With(api.EntrySecret{Secret: asked.Secret}))
		switch {
		case err != nil:
			return err
		case got.State == api.EntryLetIn:
			return a.signIn(cmd, server, got.Code)
		case got.State == api.EntryTurned:
			return errors.New("an owner of the desk turned you away")
		}
		select {
		case <-cmd.Context().Done():
			return context.Cause(cmd.Context())
		case <-time.After(2 * time.Second):
		}
	}
}

func (a *app) tokenCmd() *cobra.Command {
	var named api.Body[books.NewToken]
	var gone api.Slugged
	return noun("token", "Tokens for programs",
		asking(a, "add NAME", "Make a token; it is shown this once", "durvek token add nightly-export --scope reader "+
			"--days 90",
			api.AddToken, &named, []any{&named.Body.Name}, func(x api.Token) { a.say("%s", x.Token) }),
		all(a, "list", "List what lets people, programs and machines in", "durvek token list", api.Tokens,
			func(ts []books.Named) {
				var rows [][]any
				for _, t := range ts {
					rows = append(rows, []any{t.Name, t.Kind, cmp.Or(t.Person, "plan "+t.Plan), t.Role, day(t.Created),
						cmp.Or(day(t.Expires), "never"), t.ID})
				}
				a.print([]string{"Name", "Kind", "Whose", "May", "Made", "Ends", "Id"}, rows)
			}),
		asking(a, "drop NAME", "End a token, by its name or id", "durvek token drop nightly-export", api.DropToken, &gone,
			[]any{&gone.Slug}, func(api.None) { a.say("Token %q is ended.", gone.Slug) }))
}

func (a *app) journalCmd() *cobra.Command {
	var in api.JournalIn
	return noun("journal", "Who did what", asking(a, "list", "List what was done, the newest first",
		`durvek journal list --text "Ilse"`, api.Journal, &in, nil, func(p api.JournalPage) {
			var rows [][]any
			for _, n := range p.Lines {
				rows = append(rows, []any{n.At.Local().Format("2006-01-02 15:04"), n.By, n.Act, n.Subject, n.Detail})
			}
			a.print([]string{"When", "Who", "Did", "To", "How"}, rows)
			a.say("%d of %d.", len(p.Lines), p.Total)
		}))
}

func day(s string) string { return s[:min(10, len(s))] }

func (a *app) personCmd() *cobra.Command {
	add := api.With(api.PersonNote{Role: books.Editor})
	var change api.ChangingPerson
	var gone api.Slugged
	var admit api.Admitting
	var away api.Slugged
	show := func(p books.Person) { a.say("%s works here as %s.", p.Name, p.Role) }
	return noun("person", "Who works at the desk, and what they may do",
		all(a, "list", "List people", "durvek person list", api.People, func(ps []books.Person) {
			var rows [][]any
			for _, p := range ps {
				rows = append(rows, []any{p.Name, p.Role, p.Added.Format(time.DateOnly)})
			}
			a.print([]string{"Name", "Role", "Added"}, rows)
		}),
		asking(a, "add NAME", "Take somebody into the desk; then print them a sign-in link",
			`durvek person add "Ilse Brandt" --role editor`, api.AddPerson, &add, []any{&add.Body.Name}, show),
		asking(a, "change NAME", "Give somebody another name or role", `durvek person change Owner --name "Ada Winter"`,
			api.ChangePerson, &change, []any{&change.Slug}, show),
		asking(a, "drop NAME", "End somebody's sign-ins and tokens; what they did keeps their name",
			`durvek person drop "Ilse Brandt"`, api.DropPerson, &gone, []any{&gone.Slug}, func(api.None) {
				a.say("%s works here no more; every sign-in and token of theirs is ended.", gone.Slug)
			}),
		all(a, "waiting", "List who asks to be let in", "durvek person waiting", api.Entries, func(es []api.Entry) {
			var rows [][]any
			for _, e := range es {
				rows = append(rows, []any{e.Number, e.Name, e.From, e.At.Local().Format("15:04"), e.ID})
			}
			a.print([]string{"Number", "Name", "From", "Since", "Id"}, rows)
		}),
		asking(a, "admit NUMBER", "Let in who asks, by the number that stands before them; with --role as somebody new",
			"durvek person admit 4072 --role editor", api.Admit, &admit, []any{&admit.Slug}, func(e api.Entry) {
				a.say("%s is let in.", e.Name)
			}),
		asking(a, "turn-away NUMBER", "Turn away who asks to be let in", "durvek person turn-away 4072", api.TurnAway, &away,
			[]any{&away.Slug}, func(api.None) { a.say("Whoever asked is turned away.") }))
}

func (a *app) apiCmd() *cobra.Command {
	return noun("api", "The HTTP API",
		verb("describe", "Print the API's OpenAPI 3.1 description, without a service", "durvek api describe > openapi.json",
			0, func(cmd *cobra.Command, _ []string) error {
				dir, err := os.MkdirTemp("", "durvek-api-*")
				if err != nil {
					return err
				}
				defer os.RemoveAll(dir)
				d, err := house.Open(cmd.Context(), house.Options{Options: desk.Options{Dir: dir}})
				if err != nil {
					return err
				}
				defer d.Close()
				b, err := service.New(d, service.Options{}).OpenAPI()
				if err == nil {
					a.say("%s", b)
				}
				return err
			}))
}

func (a *app) vocabularyCmd() *cobra.Command {
	list := func(use, short string, show func(api.Words)) *cobra.Command {
		return all(a, use, short, "durvek vocabulary "+use, api.Vocabulary, show)
	}
	return noun("vocabulary", "The words that files may use",
		list("specs", "Keys of spec sheets", func(x api.Words) {
			var rows [][]any
			for _, s := range x.Specs {
				rows = append(rows, []any{s.Key, s.Type, quantity.Symbol(s.Unit), s.Meaning})
			}
			a.print([]string{"Key", "Type", "Unit", "Meaning"}, rows)
		}),
		list("conditions", "Conditions of setups and tests", func(x api.Words) {
			var rows [][]any
			for _, s := range x.Conditions {
				rows = append(rows, []any{s.Key, s.Meaning})
			}
			a.print([]string{"Condition", "Meaning"}, rows)
		}),
		list("channels", "Channels of traces: what sensors tell, and instruments beside a run", func(x api.Words) {
			var rows [][]any
			for _, c := range x.Channels {
				rows = append(rows, []any{c.Name, quantity.Symbol(c.Unit), c.Meaning})
			}
			a.print([]string{"Channel", "Unit", "Meaning"}, rows)
		}),
		list("units", "Units of measure", func(x api.Words) {
			var rows [][]any
			for _, u := range x.Units {
				rows = append(rows, []any{u.Code, u.Symbol, u.Dimension})
			}
			a.print([]string{"Code (UCUM)", "Symbol", "Dimension"}, rows)
		}))
}

// pairs reads key=value arguments.
func pairs(list []string) (map[string]string, error) {
	out := map[string]string{}
	for _, s := range list {
		k, v, ok := strings.Cut(s, "=")
		if !ok || k == "" {
			return nil, usageError{fmt.Errorf("%q is not key=value", s)}
		}
		if _, twice := out[k]; twice {
			return nil, usageError{fmt.Errorf("%q stands twice", k)}
		}
		out[k] = v
	}
	return out, nil
}
