package cli

import (
	"archive/zip"
	"bytes"
	"context"
	"fmt"
	"io/fs"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"time"

	"github.com/spf13/cobra"

	"durvek/api"
	"durvek/core/say"
	"durvek/publish"
)

func (a *app) siteCmd() *cobra.Command {
	var base string
	write := verb("write FOLDER", "Write everything published as a site that any web server carries",
		"durvek site write public --base https://desk.example", 1, func(cmd *cobra.Command, args []string) error {
			site, err := answer(a, cmd, api.ShowSite, api.None{})
			if err != nil {
				return err
			}
			if site, err = site.At(base); err != nil {
				return err
			}
			list, err := answer(a, cmd, api.Reviews, api.Listing{Archived: true}) // what is published keeps its address
			if err != nil {
				return err
			}
			var editions []publish.SiteEdition
			for _, r := range list {
				for _, e := range r.Editions {
					editions = append(editions, publish.SiteEdition{Review: r.Slug, Number: e.Number, Digest: e.Digest,
						Open: func() (fs.FS, error) {
							b, err := answer(a, cmd, api.EditionArchive, api.EditionOf{Slugged: slugged(r.Slug), Number: e.Number})
							if err != nil {
								return nil, err
							}
							return zip.NewReader(bytes.NewReader(b), int64(len(b)))
						}})
				}
			}
			did, err := publish.WriteSite(args[0], site, editions)
			if err != nil {
				return err
			}
			if a.json {
				return a.printJSON(did)
			}
			a.say("%s in %d files: %d written, %d removed. Open %s.", say.Things(did.Editions, "edition"), did.Files,
				did.Changed, did.Removed, filepath.Join(args[0], "index.html"))
			return nil
		})
	write.Flags().StringVar(&base, "base", "", "address that it will stand at, for feeds, maps and links from elsewhere")
	var listen string
	serve := verb("serve FOLDER", "Show a site on this computer", "durvek site serve public", 1,
		func(cmd *cobra.Command, args []string) error {
			if _, err := os.Stat(filepath.Join(args[0], "index.html")); err != nil {
				return fmt.Errorf("%s holds no site; write one with `durvek site write %[1]s`", args[0])
			}
			l, err := net.Listen("tcp", listen)
			if err != nil {
				return err
			}
			a.say("The site is at http://%s/; end with Ctrl+C.", l.Addr())
			s := &http.Server{Handler: http.FileServer(http.Dir(args[0])), ReadHeaderTimeout: 10 * time.Second}
			go func() {
				<-cmd.Context().Done()
				s.Shutdown(context.WithoutCancel(cmd.Context()))
			}()
			if err := s.Serve(l); err != http.ErrServerClosed {
				return err
			}
			return nil
		})
	serve.Flags().StringVar(&listen, "listen", "127.0.0.1:8470", "address and port on this computer; port 0 picks one")
	return noun("site", "Everything published, as a site", write, serve)
}
