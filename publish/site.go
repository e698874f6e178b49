package publish

import (
	"bytes"
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"html/template"
	"io/fs"
	"maps"
	"net/url"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"durvek/internal/durable"
)

// Site is a desk's published editions as pages that any web server carries.
type Site struct {
	Desk    string `json:"desk"`
	Imprint string `json:"imprint,omitempty"`
	Licence string `json:"licence,omitempty" doc:"Of the data, an SPDX name"`
	Base    string `json:"base,omitempty" doc:"Address that it will stand at, without a slash at its end; left out, what needs one is left out"`
}

// At is the site with the address that it will stand at; an empty one is none.
func (s Site) At(base string) (Site, error) {
	base = strings.TrimRight(strings.TrimSpace(base), "/")
	if base != "" {
		u, err := url.Parse(base)
		if err != nil || u.Scheme != "https" && u.Scheme != "http" || u.Host == "" || u.RawQuery+u.Fragment != "" {
			return s, fmt.Errorf("%q is no address of a site; it looks like https://desk.example", base)
		}
	}
	s.Base = base
	return s, nil
}

// SiteEdition is an edition on its way into a site. Open gives its folder, and is asked only where the site lacks it.
type SiteEdition struct {
	Review string
	Number int
	Digest string
	Open   func() (fs.FS, error)
}

func (e SiteEdition) at() string { return fmt.Sprintf("reviews/%s/%d", e.Review, e.Number) }

// SiteWritten says what writing a site did.
type SiteWritten struct {
	Editions int `json:"editions"`
	Files    int `json:"files" doc:"Files of the site"`
	Changed  int `json:"changed" doc:"Files that were written"`
	Removed  int `json:"removed" doc:"Files that no page needs any more"`
}

// siteList is the file in which a site keeps what it wrote, so that it touches nothing else.
const siteList = ".durvek-site.json"

// manifest is that file: the digest of every file, and of every edition.
type manifest struct {
	Format     string            `json:"format"`
	Unfinished bool              `json:"unfinished,omitempty"` // writing was cut off: any file may be a new one
	Files      map[string]string `json:"files"`
	Editions   map[string]string `json:"editions"`
}

// ErrForeign marks a folder that holds what no site wrote.
var ErrForeign = errors.New("not a site's folder")

// writer writes a site's files and knows which of them stand there already.
type writer struct {
	dir      string
	was, now manifest
	did      SiteWritten
	editions map[string]Record // by their place
}

func readManifest(dir string) (manifest, error) {
	m := manifest{Files: map[string]string{}, Editions: map[string]string{}}
	data, err := os.ReadFile(filepath.Join(dir, siteList))
	if errors.Is(err, fs.ErrNotExist) {
		list, err := os.ReadDir(dir)
		if errors.Is(err, fs.ErrNotExist) || err == nil && len(list) == 0 {
			return m, nil
		}
		if err != nil {
			return m, err
		}
		return m, fmt.Errorf("%w: %s holds %s, which no site wrote; name an empty folder", ErrForeign, dir, list[0].Name())
	}
	if err == nil {
		err = json.Unmarshal(data, &m)
	}
	if err != nil || m.Files == nil || m.Editions == nil {
		return m, fmt.Errorf("%w: %s cannot be read (%v); name another folder", ErrForeign, filepath.Join(dir, siteList), err)
	}
	return m, nil
}

// put writes a file unless it stands there as it is. A file in its way that no site wrote is refused.
func (w *writer) put(name string, data []byte) error {
	sum := sha256.Sum256(data)
	digest := hex.EncodeToString(sum[:])
	w.now.Files[name] = digest
	to := filepath.Join(w.dir, filepath.FromSlash(name))
	info, err := os.Stat(to)
	switch {
	case err == nil && w.was.Files[name] == "" && !w.was.Unfinished:
		return fmt.Errorf("%w: %s is in the way and was not written by a site; move it, or name another folder", ErrForeign,
			to)
	case err == nil && !w.was.Unfinished && w.was.Files[name] == digest && info.Size() == int64(len(data)):
		return nil
	case err != nil && !errors.Is(err, fs.ErrNotExist):
		return err
	}
	if err := os.MkdirAll(filepath.Dir(to), 0o755); err != nil {
		return err
	}
	w.did.Changed++
	return os.WriteFile(to, data, 0o644)
}

// WriteSite writes all published editions as a site into a folder. Only what differs from what stands there is touched.
func WriteSite(dir string, s Site, editions []SiteEdition) (SiteWritten, error) {
	was, err := readManifest(dir)
	if err != nil {
		return SiteWritten{}, err
	}
	w := &writer{dir: dir, was: was, editions: map[string]Record{}, now: manifest{Format: "durvek-site/1",
		Files: map[string]string{}, Editions: map[string]string{}}}
	begun := was
	begun.Format, begun.Unfinished = "durvek-site/1", true
	if err := begun.keep(dir); err != nil {
		return SiteWritten{}, err
	}
	slices.SortFunc(editions, func(a, b SiteEdition) int {
		return cmp.Or(strings.Compare(a.Review, b.Review), cmp.Compare(a.Number, b.Number))
	})
	newest := map[string]int{}
	for _, e := range editions {
		newest[e.Review] = max(newest[e.Review], e.Number)
	}
	for _, e := range editions {
		if err := w.edition(s, e, newest[e.Review]); err != nil {
			return w.did, fmt.Errorf("edition %d of %s: %w", e.Number, e.Review, err)
		}
	}
	records := make([]Record, 0, len(editions))
	for _, e := range editions {
		records = append(records, w.editions[e.at()])
	}
	pages, err := s.pages(records, newest)
	if err != nil {
		return w.did, err
	}
	for _, name := range slices.Sorted(maps.Keys(pages)) {
		if err := w.put(name, pages[name]); err != nil {
			return w.did, err
		}
	}
	for name := range w.was.Files {
		if w.now.Files[name] == "" {
			if err := os.Remove(filepath.Join(dir, filepath.FromSlash(name))); err != nil && !errors.Is(err, fs.ErrNotExist) {
				return w.did, err
			}
			w.did.Removed++
		}
	}
	w.did.Editions, w.did.Files = len(editions), len(w.now.Files)
	return w.did, w.now.keep(dir)
}

// keep writes the list into its folder, on the disk.
func (m manifest) keep(dir string) error {
	list, err := json.MarshalIndent(m, "", " ")
	if err != nil {
		return err
	}
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return err
	}
	return durable.Write(filepath.Join(dir, siteList), list, 0o644)
}

// edition copies an edition's files, unless they are there, and gives its page the site's head and links.
func (w *writer) edition(s Site, e SiteEdition, newest int) error {
	at := e.at()
	w.now.Editions[at] = e.Digest
	if w.was.Editions[at] != e.Digest || !w.whole(at) {
		folder, err := e.Open()
		if err != nil {
			return err
		}
		err = fs.WalkDir(folder, ".", func(name string, d fs.DirEntry, err error) error {
			if err != nil || d.IsDir() {
				return err
			}
			data, err := fs.ReadFile(folder, name)
			if err != nil {
				return err
			}
			if name == "index.html" { // as it was published; the page beside it has the site's links
				name = "edition.html"
			}
			return w.put(path.Join(at, name), data)
		})
		if err != nil {
			return err
		}
	} else {
		for name, digest := range w.was.Files {
			if strings.HasPrefix(name, at+"/") && name != at+"/index.html" {
				w.now.Files[name] = digest
			}
		}
	}
	record, err := ReadRecord(filepath.Join(w.dir, filepath.FromSlash(at)))
	if err != nil {
		return err
	}
	if record.Review == "" {
		record = Record{Review: e.Review, Number: e.Number, Title: e.Review}
	}
	w.editions[at] = record
	original, err := os.ReadFile(filepath.Join(w.dir, filepath.FromSlash(at), "edition.html"))
	if err != nil {
		return err
	}
	dressed, err := s.dressed(original, record, newest)
	if err != nil {
		return err
	}
	return w.put(at+"/index.html", dressed)
}

// whole tells whether an edition's files stand where they were written.
func (w *writer) whole(at string) bool {
	n := 0
	for name := range w.was.Files {
		if strings.HasPrefix(name, at+"/") {
			if _, err := os.Stat(filepath.Join(w.dir, filepath.FromSlash(name))); err != nil {
				return false
			}
			n++
		}
	}
	return n > 0
}

// dressed gives an edition's page what a site has: a head for who links to it, a way home, and a word where a newer
// edition stands.
func (s Site) dressed(page []byte, r Record, newest int) ([]byte, error) {
	var head, top bytes.Buffer
	link := map[string]any{"S": s, "R": r, "Newest": newest, "Linked": s.linked(r, newest), "Home": "../../../"}
	if err := sitePages.ExecuteTemplate(&head, "head", link); err != nil {
		return nil, err
	}
	if err := sitePages.ExecuteTemplate(&top, "banner", link); err != nil {
		return nil, err
	}
	page = bytes.Replace(page, []byte("<!--head-->"), head.Bytes(), 1)
	return bytes.Replace(page, []byte("<!--site-->"), top.Bytes(), 1), nil
}

// address is where a page of the site stands in the web; "" where the site does not know its own address.
func (s Site) address(name string) string {
	if s.Base == "" {
		return ""
	}
	return s.Base + "/" + name
}

// linked describes an edition for who reads pages by machine, by the vocabulary of schema.org.
func (s Site) linked(r Record, newest int) template.JS {
	product := map[string]any{"@type": "Product", "name": r.Maker + " " + r.ModelName, "brand": map[string]any{
		"@type": "Brand", "name": r.Maker}}
	review := map[string]any{"@context": "https://schema.org", "@type": "Review", "name": r.Title, "reviewBody": r.Lead,
		"datePublished": r.Published, "version": r.Number, "author": map[string]any{"@type": "Person", "name": r.By},
		"publisher": map[string]any{"@type": "Organization", "name": s.Desk}, "itemReviewed": product}
	notes := func(list []string) map[string]any {
		var items []map[string]any
		for i, text := range list {
			items = append(items, map[string]any{"@type": "ListItem", "position": i + 1, "name": text})
		}
		return map[string]any{"@type": "ItemList", "itemListElement": items}
	}
	if len(r.Strengths) > 0 {
		review["positiveNotes"] = notes(r.Strengths)
	}
	if len(r.Weaknesses) > 0 {
		review["negativeNotes"] = notes(r.Weaknesses)
	}
	data := map[string]any{"@type": "Dataset", "name": "The figures of " + r.Title, "description": "Every figure of the " +
		"review, with intervals, conditions and what it rests on", "encodingFormat": "text/csv"}
	if l, ok := licences[s.Licence]; ok {
		data["license"] = l[1]
	}
	if a := s.address(fmt.Sprintf("reviews/%s/%d/", r.Review, newest)); a != "" {
		review["url"], data["url"] = a, a
	}
	review["subjectOf"] = data
	text, err := json.Marshal(review)
	if err != nil {
		return ""
	}
	return template.JS(text)
}
