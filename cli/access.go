package cli

import (
	"cmp"
	"encoding/json"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"strings"

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
			server := u.Scheme + "://" + u.Host
			host, _ := os.Hostname()
			t, err := client.Ask(cmd.Context(), client.New(server, ""), api.SignIn, api.With(api.Code{
				Code: u.Query().Get("code"), Name: "command line on " + host}))
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
		})
	c.AddCommand(verb("link", "Print a new one-time sign-in link", "durvek sign-in link --data demo-data", 0,
		func(cmd *cobra.Command, _ []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			return ask(a, cmd, api.MakeSignInLink, api.None{}, func(x api.Code) {
				a.say("%s/sign-in?code=%s",
					cl.Server, x.Code)
			})
		}))
	return c
}

func (a *app) tokenCmd() *cobra.Command {
	var named api.Body[api.Me]
	var gone api.Slugged
	return noun("token", "Tokens for programs",
		asking(a, "add NAME", "Make a token; it is shown this once", "durvek token add nightly-export", api.AddToken, &named,
			[]any{&named.Body.Name}, func(x api.Token) { a.say("%s", x.Token) }),
		all(a, "list", "List tokens", "durvek token list", api.Tokens, func(ts []books.Named) {
			var rows [][]any
			for _, t := range ts {
				rows = append(rows, []any{t.Name, t.Role, t.Created, cmp.Or(t.Expires, "never")})
			}
			a.print([]string{"Name", "Role", "Made", "Expires"}, rows)
		}),
		asking(a, "drop NAME", "End a token", "durvek token drop nightly-export", api.DropToken, &gone, []any{&gone.Slug},
			func(api.None) { a.say("Token %q is ended.", gone.Slug) }))
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
