package publish

import (
	"bytes"
	"cmp"
	_ "embed"
	"encoding/json"
	"encoding/xml"
	"fmt"
	"html/template"
	"slices"
	"strings"
	"time"

	"durvek/core/catalog"
	"durvek/core/quantity"
	"durvek/core/say"
	"durvek/core/verdict"
)

//go:embed site.html
var siteSource string

//go:embed search.js
var searchScript []byte

var sitePages = template.Must(template.New("site").Funcs(template.FuncMap{"capital": say.Capital,
	"date":    func(s string) string { return strings.SplitN(s, "T", 2)[0] },
	"plural":  func(k string) string { return catalog.Kind(k).Plural() },
	"address": func(s Site, name string) string { return s.address(name) },
	"dict":    func(k string, v any, k2 string, v2 any) map[string]any { return map[string]any{k: v, k2: v2} },
}).Parse(siteSource))

// fileName turns a measure or area into what stands in an address.
func fileName(s string) string { return strings.NewReplacer("/", "-", " ", "-").Replace(s) }

// view is what a page of the site shows.
type view struct {
	S     Site
	Title string
	About string
	Home  string // way to the start page
	Path  string
	Data  any
}

// newestShown is how many reviews stand on the start page with picture and first sentence; all stand in lists by kind.
const newestShown = 9

// start is what the start page shows.
type start struct {
	Newest []Record
	Kinds  []shelf
}

// shelf is the editions of a kind, or of a model, the newest first.
type shelf struct {
	Kind, Model, Name string
	Reviews           []Record
	Older             []Record
	Before            *shelf // its predecessor, where that is published
	After             []*shelf
}

// pages makes every page beside the editions themselves.
func (s Site) pages(all []Record, newest map[string]int) (map[string][]byte, error) {
	out := map[string][]byte{}
	var current []Record
	for _, r := range all {
		if r.Number == newest[r.Review] {
			current = append(current, r)
		}
	}
	slices.SortStableFunc(current, func(a, b Record) int { return cmp.Compare(b.Published, a.Published) })
	add := func(name, template string, v view) error {
		v.S, v.Path, v.Home = s, name, strings.Repeat("../", strings.Count(name, "/"))
		var b bytes.Buffer
		if err := sitePages.ExecuteTemplate(&b, template, v); err != nil {
			return err
		}
		out[name] = b.Bytes()
		return nil
	}
	models := shelves(all, newest)
	tables := rankings(current)
	var kinds []shelf
	for _, r := range current {
		i := slices.IndexFunc(kinds, func(k shelf) bool { return k.Kind == r.Kind })
		if i < 0 {
			i = len(kinds)
			kinds = append(kinds, shelf{Kind: r.Kind})
		}
		kinds[i].Reviews = append(kinds[i].Reviews, r)
	}
	type page struct {
		name, template string
		view
	}
	list := []page{
		{"index.html", "start", view{Title: s.Desk, About: "Reviews by " + s.Desk,
			Data: start{current[:min(newestShown, len(current))], kinds}}},
		{"rankings/index.html", "rankings", view{Title: "Rankings", About: "Every measure that was published, in order",
			Data: tables}},
		{"claims/index.html", "claims", view{Title: "What makers claim", About: "What became of makers' claims",
			Data: claimRecords(current)}},
		{"methods/index.html", "methods", view{Title: "How it is measured", About: "Tests and what they stand for",
			Data: methods(current)}},
		{"corrections/index.html", "corrections", view{Title: "Corrections", About: "What later editions changed",
			Data: corrections(all)}},
		{"search/index.html", "search", view{Title: "Search", About: "Find a review, a model or a measure"}},
		{"404.html", "lost", view{Title: "Not found", About: "No page stands here"}},
	}
	for _, m := range models {
		list = append(list, page{"models/" + m.Model + "/index.html", "model", view{Title: m.Name,
			About: "Everything published of the " + m.Name, Data: m}})
	}
	for _, t := range tables {
		list = append(list, page{"rankings/" + t.File(), "ranking", view{Title: t.Title(), About: t.Title(), Data: t}})
	}
	for review, n := range newest {
		list = append(list, page{"reviews/" + review + "/index.html", "latest", view{Title: review, Data: n}})
	}
	for _, p := range list {
		if err := add(p.name, p.template, p.view); err != nil {
			return nil, err
		}
	}
	out["assets/site.css"] = []byte(strings.ReplaceAll(styles, "url(fonts/", "url(") + siteStyles)
	out["assets/search.js"] = searchScript
	index, err := searchIndex(current, models, tables)
	if err != nil {
		return nil, err
	}
	out["assets/search-index.js"] = index
	if out["feed.xml"], err = s.feed(all); err != nil {
		return nil, err
	}
	s.sitemap(out, current)
	return out, withFonts(out, "assets/")
}

//go:embed site.css
var siteStyles string

// shelves puts editions on a shelf per model, in the order of their names.
func shelves(all []Record, newest map[string]int) []*shelf {
	by := map[string]*shelf{}
	for _, r := range all {
		if r.Model == "" {
			continue
		}
		m := by[r.Model]
		if m == nil {
			m = &shelf{Model: r.Model, Name: strings.TrimSpace(r.Maker + " " + r.ModelName), Kind: r.Kind}
			by[r.Model] = m
		}
		if r.Number == newest[r.Review] {
			m.Reviews = append(m.Reviews, r)
		} else {
			m.Older = append(m.Older, r)
		}
	}
	var out []*shelf
	for _, m := range by {
		out = append(out, m)
	}
	slices.SortFunc(out, func(a, b *shelf) int {
		return cmp.Or(cmp.Compare(a.Name, b.Name), cmp.Compare(a.Model,
			b.Model))
	})
	for _, m := range out {
		for _, r := range m.Reviews {
			if before := by[r.Succeeds]; r.Succeeds != "" && before != nil && m.Before == nil {
				m.Before = before
				before.After = append(before.After, m)
			}
		}
	}
	return out
}

// ranked is everything that was published of one measure in one kind, under one setup and its conditions.
type ranked struct {
	Kind, Setup, Conditions string
	RecordedFigure
	Rows []rankedRow
	n    int // tells alike ones apart
}

type rankedRow struct {
	RecordedFigure
	Record      Record
	Best, Worst int     // places that it may have, by intervals that do not overlap
	Share       float64 // length of its bar in pixels
}

// Title names the table; File is the file of its page.
func (t ranked) Title() string { return t.Name + ", " + catalog.Kind(t.Kind).Plural() }
func (t ranked) File() string {
	name := fileName(t.Kind) + "/" + fileName(t.Measure)
	if t.n > 1 {
		name += fmt.Sprintf("-%d", t.n)
	}
	return name + ".html"
}

// Place is a row's place, as a chart writes it.
func (r rankedRow) Place() string {
	switch {
	case r.Unknown || r.Bound != "":
		return "?"
	case r.Best == r.Worst:
		return fmt.Sprint(r.Best)
	}
	return fmt.Sprintf("%d–%d", r.Best, r.Worst)
}

// rankings makes a table of each measure and kind with two figures or more that compare: of one test version, setup and
// conditions.
func rankings(current []Record) (out []ranked) {
	at := map[string]int{}
	for _, r := range current {
		if r.State == verdict.Withdrawn {
			continue
		}
		for _, f := range r.Figures {
			if f.Caveat != "" {
				continue
			}
			key := fmt.Sprintf("%s|%s|%d|%s|%s", r.Kind, f.Measure, f.Version, f.Setup, f.Conditions)
			i, ok := at[key]
			if !ok {
				i = len(out)
				at[key] = i
				out = append(out, ranked{Kind: r.Kind, Setup: say.Capital(strings.ReplaceAll(f.Setup, "-", " ")),
					Conditions: f.Conditions, RecordedFigure: f})
			}
			if slices.ContainsFunc(out[i].Rows, func(o rankedRow) bool {
				return o.Record.Variant == r.Variant && o.Row == f.Row && o.Record.Review != r.Review
			}) {
				continue // another review of the same product, a newer one
			}
			out[i].Rows = append(out[i].Rows, rankedRow{RecordedFigure: f, Record: r})
		}
	}
	out = slices.DeleteFunc(out, func(t ranked) bool { return len(t.Rows) < 2 })
	slices.SortStableFunc(out, func(a, b ranked) int {
		return cmp.Or(verdict.InOrder(a.Area, b.Area), cmp.Compare(a.Name, b.Name), cmp.Compare(a.Kind, b.Kind))
	})
	same := map[string]int{}
	for i := range out {
		key := out[i].Kind + out[i].Measure
		same[key]++
		out[i].n = same[key]
		out[i].place()
	}
	return out
}

// place orders a table's rows and gives each the places that it may have.
func (t *ranked) place() {
	lower := t.Better == string(quantity.Lower)
	slices.SortStableFunc(t.Rows, func(a, b rankedRow) int {
		if lower {
			return cmp.Compare(a.Centre, b.Centre)
		}
		return cmp.Compare(b.Centre, a.Centre)
	})
	most := 0.0
	for _, r := range t.Rows {
		most = max(most, r.Centre)
	}
	for i := range t.Rows {
		r := &t.Rows[i]
		r.Best, r.Worst = 1, len(t.Rows)
		if most > 0 {
			r.Share = 200 * max(r.Centre, 0) / most
		}
		for k, o := range t.Rows {
			if k == i || o.Unknown || o.Bound != "" {
				continue
			}
			above, below := o.Lo > r.Hi, o.Hi < r.Lo
			if lower {
				above, below = below, above
			}
			if above {
				r.Best++
			}
			if below {
				r.Worst--
			}
		}
	}
}

// makerRecord is what became of a maker's claims.
type makerRecord struct {
	Maker                            string
	Held, Beyond, Short, Open, Other int
	Claims                           []claimed
}

type claimed struct {
	RecordedClaim
	Record Record
}

func claimRecords(current []Record) (out []makerRecord) {
	for _, r := range current {
		for _, c := range r.Claims {
			i := slices.IndexFunc(out, func(m makerRecord) bool { return m.Maker == r.Maker })
			if i < 0 {
				i = len(out)
				out = append(out, makerRecord{Maker: r.Maker})
			}
			m := &out[i]
			switch c.Outcome {
			case "held":
				m.Held++
			case "beyond":
				m.Beyond++
			case "short", "impossible":
				m.Short++
			case "undecided":
				m.Open++
			default:
				m.Other++
			}
			m.Claims = append(m.Claims, claimed{c, r})
		}
	}
	slices.SortFunc(out, func(a, b makerRecord) int { return cmp.Compare(a.Maker, b.Maker) })
	return out
}

func methods(current []Record) (out []RecordedTest) {
	for _, r := range current {
		for _, t := range r.Tests {
			if !slices.ContainsFunc(out, func(o RecordedTest) bool { return o.Slug == t.Slug && o.Version == t.Version }) {
				out = append(out, t)
			}
		}
	}
	slices.SortFunc(out, func(a, b RecordedTest) int {
		return cmp.Or(cmp.Compare(a.Name, b.Name), cmp.Compare(a.Version, b.Version))
	})
	return out
}

// corrections are the editions that followed another, the newest first.
func corrections(all []Record) []Record {
	out := slices.DeleteFunc(slices.Clone(all), func(r Record) bool { return r.Number < 2 })
	slices.SortStableFunc(out, func(a, b Record) int { return cmp.Compare(b.Published, a.Published) })
	return out
}

// searchIndex is what can be found: a name, a line and a place each.
func searchIndex(current []Record, models []*shelf, tables []ranked) ([]byte, error) {
	var found [][3]string
	for _, r := range current {
		found = append(found, [3]string{r.Title, strings.TrimSpace(r.Maker + " " + r.ModelName + " " + r.VariantName +
			". " + r.Lead),
			fmt.Sprintf("reviews/%s/%d/", r.Review, r.Number)})
	}
	for _, m := range models {
		found = append(found, [3]string{m.Name, "Model", "models/" + m.Model + "/"})
	}
	for _, t := range tables {
		found = append(found, [3]string{t.Title(), "Ranking", "rankings/" + t.File()})
	}
	list, err := json.Marshal(found)
	return append(append([]byte("const found = "), list...), ";\n"...), err
}

// feed is the Atom feed (RFC 4287) of the newest editions.
func (s Site) feed(all []Record) ([]byte, error) {
	type link struct {
		Href string `xml:"href,attr"`
		Rel  string `xml:"rel,attr,omitempty"`
	}
	type entry struct {
		Title   string `xml:"title"`
		ID      string `xml:"id"`
		Updated string `xml:"updated"`
		Link    link   `xml:"link"`
		Summary string `xml:"summary"`
	}
	feed := struct {
		XMLName xml.Name `xml:"http://www.w3.org/2005/Atom feed"`
		Title   string   `xml:"title"`
		ID      string   `xml:"id"`
		Updated string   `xml:"updated"`
		Author  string   `xml:"author>name"`
		Link    []link   `xml:"link"`
		Entry   []entry  `xml:"entry"`
	}{Title: s.Desk, Author: s.Desk, ID: cmp.Or(s.Base, "tag:"+fileName(s.Desk)) + "/",
		Updated: time.Time{}.Format(time.RFC3339)}
	if s.Base != "" {
		feed.Link = []link{{s.Base + "/feed.xml", "self"}, {s.Base + "/", ""}}
	}
	newest := slices.Clone(all)
	slices.SortStableFunc(newest, func(a, b Record) int { return cmp.Compare(b.Published, a.Published) })
	for i, r := range newest {
		if i == 0 {
			feed.Updated = r.Published
		}
		if i == 50 {
			break
		}
		place := fmt.Sprintf("reviews/%s/%d/", r.Review, r.Number)
		title, text := r.Title, r.Lead
		if r.State == verdict.Preliminary || r.State == verdict.Withdrawn {
			title = say.Capital(string(r.State)) + ": " + title
			text += " " + r.StateNote
		}
		if r.Number > 1 {
			text = strings.TrimSpace(fmt.Sprintf("Edition %d. %s %s", r.Number, say.Sentence(r.Note), text))
		}
		feed.Entry = append(feed.Entry, entry{title, cmp.Or(s.Base, "tag:"+fileName(s.Desk)) + "/" + place, r.Published,
			link{Href: cmp.Or(s.address(place), place)}, text})
	}
	text, err := xml.MarshalIndent(feed, "", " ")
	return append([]byte(xml.Header), text...), err
}

// sitemap names every page for who walks through the web, and says that all may be read.
func (s Site) sitemap(out map[string][]byte, current []Record) {
	robots := "User-agent: *\nAllow: /\n"
	if s.Base != "" {
		type place struct {
			Loc string `xml:"loc"`
		}
		set := struct {
			XMLName xml.Name `xml:"http://www.sitemaps.org/schemas/sitemap/0.9 urlset"`
			URL     []place  `xml:"url"`
		}{}
		for name := range out {
			if strings.HasSuffix(name, ".html") && name != "404.html" && !strings.HasPrefix(name, "reviews/") {
				set.URL = append(set.URL, place{s.address(strings.TrimSuffix(name, "index.html"))})
			}
		}
		for _, r := range current {
			set.URL = append(set.URL, place{s.address(fmt.Sprintf("reviews/%s/%d/", r.Review, r.Number))})
		}
		slices.SortFunc(set.URL, func(a, b place) int { return cmp.Compare(a.Loc, b.Loc) })
		if text, err := xml.MarshalIndent(set, "", " "); err == nil {
			out["sitemap.xml"] = append([]byte(xml.Header), text...)
		}
		robots += "Sitemap: " + s.Base + "/sitemap.xml\n"
	}
	out["robots.txt"] = []byte(robots)
}
