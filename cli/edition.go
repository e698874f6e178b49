package cli

import (
	"archive/zip"
	"bytes"
	"cmp"
	"fmt"
	"io"
	"os"
	"path/filepath"

	"github.com/spf13/cobra"

	"durvek/api"
	"durvek/core/verdict"
)

func (a *app) editionCmd() *cobra.Command {
	var out, remark string
	fetch := func(cmd *cobra.Command, review string, number int) error {
		dir := cmp.Or(out, fmt.Sprintf("%s-edition-%d", review, number))
		if _, err := os.Stat(dir); err == nil {
			return fmt.Errorf("%s is there already; name another folder with -o", dir)
		}
		b, err := answer(a, cmd, api.EditionArchive, api.EditionOf{Slugged: slugged(review), Number: number})
		if err != nil {
			return err
		}
		if err := unzip(b, dir); err != nil {
			return err
		}
		a.say("Edition %d of %s is in %s; open %s.", number, review, dir, filepath.Join(dir, "index.html"))
		return nil
	}
	pub := verb("publish REVIEW", "Publish the next edition of a signed review, and write its folder",
		"durvek edition publish fen-14 -o site/fen-14", 1, func(cmd *cobra.Command, args []string) error {
			if out != "" {
				if _, err := os.Stat(out); err == nil {
					return fmt.Errorf("%s is there already; name another folder with -o", out)
				}
			}
			number := 0
			err := ask(a, cmd, api.Publish, api.Publishing{Slugged: slugged(args[0]), Body: api.EditionNote{Note: remark}},
				func(e verdict.Edition) { number = e.Number })
			if err != nil || a.json {
				return err
			}
			return fetch(cmd, args[0], number)
		})
	pub.Flags().StringVarP(&out, "output", "o", "", "folder to write; REVIEW-edition-N if left out")
	pub.Flags().StringVar(&remark, "note", "", "what changed since the edition before")
	var number int
	write := verb("write REVIEW", "Write the folder of an edition that was published before",
		"durvek edition write fen-14 --number 1 -o fen-14-first", 1, func(cmd *cobra.Command, args []string) error {
			return fetch(cmd, args[0], number)
		})
	write.Flags().StringVarP(&out, "output", "o", "", "folder to write; REVIEW-edition-N if left out")
	write.Flags().IntVar(&number, "number", 1, "number of the edition")
	list := one(a, "list REVIEW", "List a review's editions", "durvek edition list fen-14", api.Review,
		func(r verdict.Review) {
			var rows [][]any
			for _, e := range r.Editions {
				rows = append(rows, []any{e.Number, e.Published, e.Title, e.Note, e.Digest[:12]})
			}
			a.print([]string{"→Edition", "Published", "Title", "Note", "Digest"}, rows)
		})
	return noun("edition", "Published, immutable states of a review", pub, write, list)
}

func unzip(data []byte, dir string) error {
	r, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return err
	}
	for _, f := range r.File {
		if !filepath.IsLocal(f.Name) {
			return fmt.Errorf("the archive holds a strange name: %q", f.Name)
		}
		if f.FileInfo().IsDir() {
			continue // folders are made for what lies in them
		}
		path := filepath.Join(dir, filepath.FromSlash(f.Name))
		if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
			return err
		}
		src, err := f.Open()
		if err != nil {
			return err
		}
		b, err := io.ReadAll(src)
		src.Close()
		if err == nil {
			err = os.WriteFile(path, b, 0o644)
		}
		if err != nil {
			return err
		}
	}
	return nil
}
