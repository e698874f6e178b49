package reviews

import (
	"context"
	"errors"
	"io/fs"
	"os"
	"path/filepath"

	"durvek/core/verdict"
	"durvek/desk"
	"durvek/publish"
)

// SiteOf is what the desk's site says of it, at an address; "" where none is known yet.
func (d *Reviews) SiteOf(base string) (publish.Site, error) {
	site, err := publish.Site{Desk: d.desk.Name(), Imprint: d.desk.Self().Imprint, Licence: d.desk.Self().Licence}.At(base)
	if err != nil {
		return site, desk.Refuse(desk.Invalid, "%v", err)
	}
	return site, nil
}

// SiteDir is where the service keeps the site that it writes.
func (d *Reviews) SiteDir() string { return filepath.Join(d.desk.Dir, "site") }

// WriteSite writes all published editions as a site into the data folder; only what differs is touched.
func (d *Reviews) WriteSite(ctx context.Context, base, by string) (publish.SiteWritten, error) {
	d.publishing.Lock()
	defer d.publishing.Unlock()
	site, err := d.SiteOf(base)
	if err != nil {
		return publish.SiteWritten{}, err
	}
	list, err := d.desk.Store.Reviews(ctx) // archived ones, too: what is published keeps its address
	if err != nil {
		return publish.SiteWritten{}, err
	}
	var editions []publish.SiteEdition
	for _, r := range list {
		for _, e := range r.Editions {
			editions = append(editions, publish.SiteEdition{Review: r.Slug, Number: e.Number, Digest: e.Digest,
				Open: func() (fs.FS, error) {
					dir, err := d.EditionDir(ctx, r.Slug, e.Number)
					return os.DirFS(dir), err
				}})
		}
	}
	did, err := publish.WriteSite(d.SiteDir(), site, editions)
	if errors.Is(err, publish.ErrForeign) {
		return did, desk.Refuse(desk.Conflict, "the site was not written: %v", err)
	}
	if err != nil {
		return did, err
	}
	return did, d.desk.Note(ctx, by, "write site", base, "", func(*desk.Tx) error { return nil })
}

// Cards makes a review's cards, as it stands.
func (d *Reviews) Cards(ctx context.Context, slug string, choice publish.CardChoice) ([]byte, error) {
	if why := choice.Check(); why != "" {
		return nil, desk.Refuse(desk.Invalid, "%s", why)
	}
	r, err := d.Review(ctx, slug)
	if err != nil {
		return nil, err
	}
	c, err := d.content(ctx, r)
	if err != nil {
		return nil, err
	}
	return publish.Cards(c, choice)
}

// Preview is the page that a review would become, as it stands: nothing is published by it.
func (d *Reviews) Preview(ctx context.Context, slug string) ([]byte, error) {
	r, err := d.Looked(ctx, slug)
	if err != nil {
		return nil, err
	}
	c, err := d.content(ctx, r)
	if err != nil {
		return nil, err
	}
	c.Edition = verdict.Edition{Review: slug, Number: len(r.Editions) + 1, Title: r.Title, Note: "preview, not published"}
	if c.Changed, err = d.changed(r, c); err != nil {
		return nil, err
	}
	return publish.Preview(c)
}
