package cli

import (
	"archive/zip"
	"cmp"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"durvek/api"
	"durvek/core/say"
	"durvek/desk/books"
	"durvek/exchange"
)

func (a *app) exchangeCmd() *cobra.Command {
	var in api.Arriving
	take := verb("import FOLDER…", "Take in what another desk published, as rivals that nobody changes here: the folder "+
		"or zip of an edition, or of a whole site",
		"durvek exchange import demo/exchange --dry-run", -1, func(cmd *cobra.Command, args []string) error {
			var all []books.Arrival
			for _, name := range args {
				found, err := readEditions(name)
				if err != nil {
					return err
				}
				all = append(all, found...)
			}
			for _, x := range all {
				x.As = in.Body.As
				one := in
				one.Body = x
				if err := ask(a, cmd, api.TakeEdition, one, func(r books.Rivals) { a.showRivals(r, in.CheckOnly) }); err != nil {
					return err
				}
			}
			return nil
		})
	flagsOf(take, &in)
	var gone api.ExchangedOf
	return noun("exchange", "What other desks published, as rivals of what is measured here", take,
		all(a, "list", "List what other desks published and is here", "durvek exchange list", api.Exchanged,
			func(list []books.Rivals) {
				var rows [][]any
				for _, r := range list {
					rows = append(rows, []any{r.Desk, r.Review, r.Edition, r.Published.Format("2006-01-02"), len(r.Devices),
						r.Figures, r.Usable, cmp.Or(r.Licence, "none named"), r.Origin})
				}
				a.print([]string{"Desk", "Review", "→Edition", "Published", "→Devices", "→Figures", "→Stand beside ours",
					"Licence", "Id"}, rows)
			}),
		asking(a, "remove DESK", "Remove what another desk published, by the id of the desk: all of it, or one review",
			"durvek exchange remove saltings-bench --review skiff-14", api.DropExchanged, &gone, []any{&gone.Origin},
			func(api.None) { a.say("Removed.") }))
}

// showRivals says what an edition holds and what of it stands beside one's own.
func (a *app) showRivals(r books.Rivals, checked bool) {
	done := "Taken in"
	if r.Known {
		done = "Here already"
	} else if checked {
		done = "Nothing wrong, nothing written"
	}
	a.say("%s: edition %d of %q by %s, published %s: %s of %s, %d of which stand beside this desk's own.", done, r.Edition,
		r.Title, r.Desk, r.Published.Format("2 Jan 2006"), say.Things(r.Figures, "figure"), say.Things(len(r.Devices),
			"device"),
		r.Usable)
	var names []string
	for _, d := range r.Devices {
		names = append(names, d.Name)
	}
	a.say("Measured: %s.", strings.Join(names, "; "))
	if r.Licence == "" {
		a.say("It names no licence: ask before you publish anything that shows its figures.")
	}
	var rows [][]any
	for _, t := range r.Tests {
		if t.Stands != exchange.Alike {
			rows = append(rows, []any{t.Name, t.Test, t.Figures, apartWhy(t)})
		}
	}
	if rows != nil {
		a.print([]string{"Not beside ours", "Test", "→Figures", "Why"}, rows)
	}
}

// apartWhy says why another desk's test cannot stand beside one's own.
func apartWhy(t books.Stood) string {
	switch t.Stands {
	case exchange.Version:
		return fmt.Sprintf("version %d there, %d here", t.Version, t.Here)
	case exchange.Other:
		return "another test of this name here: other measures, or other conditions must match"
	}
	return "no such test here"
}

// readEditions reads the data of every edition below a folder or in a zip; of several of one review the newest. What is
// wrong with one is said before any is taken in.
func readEditions(name string) (out []books.Arrival, err error) {
	info, err := os.Stat(name)
	if err != nil {
		return nil, fmt.Errorf("what was published cannot be read: %w", err)
	}
	files := os.DirFS(name)
	if !info.IsDir() {
		z, err := zip.OpenReader(name)
		if err != nil {
			return nil, fmt.Errorf("%s is neither a folder nor a zip", name)
		}
		defer z.Close()
		files = z
	}
	type found struct {
		exchange.Edition
		files map[string]string
	}
	newest := map[string]found{}
	err = fs.WalkDir(files, ".", func(p string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || d.Name() != exchange.Package {
			return err
		}
		texts, err := readData(files, path.Dir(p))
		if err != nil {
			return err
		}
		bytes := map[string][]byte{}
		for k, v := range texts {
			bytes[k] = []byte(v)
		}
		e, err := exchange.Read(bytes)
		if err != nil {
			return fmt.Errorf("%s: %w", path.Dir(p), err)
		}
		if was, ok := newest[e.DeskID+"/"+e.Review]; !ok || was.Number < e.Number {
			newest[e.DeskID+"/"+e.Review] = found{e, texts}
		}
		return nil
	})
	switch {
	case err != nil:
		return nil, fmt.Errorf("%s: %w", name, err)
	case len(newest) == 0:
		return nil, fmt.Errorf("%s holds no edition's data: name the folder of an edition or of a site, in which there "+
			"is a %s", name, exchange.Package)
	}
	for _, x := range newest {
		out = append(out, books.Arrival{Files: x.files})
	}
	slices.SortFunc(out, func(a, b books.Arrival) int {
		return strings.Compare(a.Files[exchange.Package], b.Files[exchange.Package])
	})
	return out, nil
}

// readData reads the files of one edition's data, as far as they are wanted.
func readData(files fs.FS, dir string) (map[string]string, error) {
	out := map[string]string{}
	names := []string{exchange.Package}
	for _, t := range exchange.Tables {
		names = append(names, t+".csv")
	}
	for _, n := range names {
		f, err := files.Open(path.Join(dir, n))
		if errors.Is(err, fs.ErrNotExist) {
			continue
		}
		if err != nil {
			return nil, err
		}
		b, err := io.ReadAll(io.LimitReader(f, exchange.Most+1))
		f.Close()
		if err != nil {
			return nil, err
		}
		out[n] = string(b)
	}
	return out, nil
}
