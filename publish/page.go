package publish

import (
	"bytes"
	"embed"
	"encoding/base64"
	"errors"
	"fmt"
	"html"
	"html/template"
	"io/fs"
	"maps"
	"net/http"
	"regexp"
	"runtime"
	"slices"
	"strings"

	"golang.org/x/sync/errgroup"

	"durvek/core/catalog"
	"durvek/core/chart"
	"durvek/core/quantity"
	"durvek/core/say"
	"durvek/core/stats"
	"durvek/core/verdict"
	"durvek/draw"
)

//go:embed edition.html
var pageSource string

//go:embed edition.css
var styles string

// fonts are the faces of the pages (IBM Plex, SIL Open Font License, in fonts/LICENSE.txt), as browsers take them.
//
//go:embed fonts/*
var fonts embed.FS

var page = template.Must(template.New("edition").Funcs(template.FuncMap{
	"money":   catalog.Money,
	"number":  func(v float64) string { return quantity.Number(v, 4) },
	"first":   func(p stats.Pool) string { return quantity.Number(100*p.First(), 2) },
	"date":    func(s string) string { return strings.SplitN(s, "T", 2)[0] },
	"join":    strings.Join,
	"capital": say.Capital,
	"keep":    keep,
	// A site puts what it adds in place of these.
	"marker": func(name string) template.HTML { return template.HTML("<!--" + name + "-->") },
	"origin": func(u catalog.Unit) string { return origins[u.Origin] },
}).Parse(pageSource))

var perCent = regexp.MustCompile(`(\d) %`)

// keep has no line break between a number and its per cent.
func keep(text string) string { return perCent.ReplaceAllString(text, "$1\u00a0%") }

// origins say how a sample came to the desk.
var origins = map[string]string{"bought": "bought", "sent by maker": "lent by the maker", "borrowed": "borrowed",
	"own": "the desk's own"}

// shown is everything that the page shows, in the order in which it does.
type shown struct {
	C                            Content
	Summary, Advice              template.HTML
	Lead                         string
	Keys                         []verdict.Key
	Strengths, Weaknesses, Notes []verdict.Finding
	Said, Happened               []verdict.Finding
	Sections                     []section
	Photos                       []string
	Charts                       []*picture
	looks                        *looks
	drawings                     []*picture
}

// CSS is the page's style, with what its charts have in common.
func (s shown) CSS() template.CSS { return template.CSS(styles + s.looks.css()) }

// section is an area of the page.
type section struct {
	Area     string
	Text     template.HTML
	Lead     string
	Findings []verdict.Finding
	Profile  *picture
	Charts   []*picture
	Shown    []*picture
	Rest     []row
}

// row is a measure in the compact table of an area.
type row struct{ Name, Value, Against, Place, Caveat string }

// picture is a chart of the page: wide and narrow, with its table.
type picture struct {
	Figure
	Name, Title, Text string
	Wide, Narrow      template.HTML
	Table             chart.Table
	of                chart.Picture
	svg, narrow, png  []byte
	beside            bool // it stands in a file of its own: curves of many points would swell the page
}

// Files makes every file of the edition, by its path.
func Files(c Content) (map[string][]byte, error) { return filesOf(c, false) }

// filesOf makes them; of a preview the page alone counts.
func filesOf(c Content, preview bool) (map[string][]byte, error) {
	if c.Review.Signed == nil {
		return nil, errors.New("only a signed review becomes an edition")
	}
	out := map[string][]byte{}
	s := shown{C: c, Keys: verdict.Keys(c.Review, c.Facts), looks: &looks{}}
	s.Summary, s.Advice = Markdown(verdict.Filled(c.Review.Summary, c.Texts)),
		Markdown(verdict.Filled(c.Review.Advice, c.Texts))
	s.Lead = lead(c)
	for _, f := range c.Review.Findings {
		switch {
		case f.Hidden:
		case f.Unmeasured():
			s.Said = append(s.Said, f)
		case f.Kind == verdict.Strength:
			s.Strengths = append(s.Strengths, f)
		case f.Kind == verdict.Weakness:
			s.Weaknesses = append(s.Weaknesses, f)
		case f.Area == "" && !told(c.Review, f.Rule): // what is of an area stands there
			s.Notes = append(s.Notes, f)
		}
		if !f.Hidden && (f.Rule == "incident" || f.Rule == "partner") {
			s.Happened = append(s.Happened, f)
		}
	}
	for i, p := range c.Photos {
		out[photoName(i+1)] = p.Data
		s.Photos = append(s.Photos, photoName(i+1))
	}
	byArea := map[string][]*picture{}
	for _, f := range c.Figures {
		p := s.drawn(f.Chart, fileName(f.Measure.ID))
		p.Figure = f
		s.Charts = append(s.Charts, p)
		area := verdict.AreaOf(f.Measure.Group)
		byArea[area] = append(byArea[area], p)
	}
	s.sections(byArea)
	if err := s.draw(out, preview); err != nil {
		return nil, err
	}
	if err := tables(c, out); err != nil {
		return nil, err
	}
	link, err := draw.PNG(verdictCard(c), draw.Options{Format: "link"})
	if err != nil {
		return nil, err
	}
	out["cards/link.png"] = link
	var b bytes.Buffer
	if err := page.Execute(&b, s); err != nil {
		return nil, err
	}
	out["index.html"] = b.Bytes()
	return out, withFonts(out, "fonts/")
}

// told says whether a rule's findings stand in a part of the verdict already.
func told(r verdict.Review, rule string) bool {
	return rule == "sibling" && r.Take != "" || rule == "incident" || rule == "partner"
}

// Preview is the page of an edition that is not published: with its photos inside, and its fonts beside it.
func Preview(c Content) ([]byte, error) {
	if c.Review.Signed == nil {
		c.Review.Signed = &verdict.Signature{By: "nobody yet"}
	}
	files, err := filesOf(c, true)
	if err != nil {
		return nil, err
	}
	out := files["index.html"]
	for name, data := range files {
		if strings.HasPrefix(name, "photos/") || strings.HasSuffix(name, ".png") {
			inside := "data:" + http.DetectContentType(data) + ";base64," + base64.StdEncoding.EncodeToString(data)
			out = bytes.ReplaceAll(out, []byte(`src="`+name+`"`), []byte(`src="`+inside+`"`))
		}
	}
	return out, nil
}

// Font is a face of the pages, by the name of its file.
func Font(name string) ([]byte, error) { return fonts.ReadFile("fonts/" + name) }

// withFonts adds the faces of pages.
func withFonts(out map[string][]byte, at string) error {
	list, err := fs.ReadDir(fonts, "fonts")
	for _, e := range list {
		if out[at+e.Name()], err = fonts.ReadFile("fonts/" + e.Name()); err != nil {
			return err
		}
	}
	return err
}

// drawn takes a chart in: it is drawn with all others by draw.
func (s *shown) drawn(c chart.Picture, base string) *picture {
	name := base
	for n := 2; slices.ContainsFunc(s.drawings, func(p *picture) bool { return p.Name == name }); n++ {
		name = fmt.Sprintf("%s-%d", base, n) // narrowed in more than one way
	}
	p := &picture{Name: name, of: c, Table: c.Table()}
	p.Title, p.Text = c.Heading()
	s.drawings = append(s.drawings, p)
	return p
}

// draw draws all charts into files, and for the page itself in two widths, as many at once as there are processors.
func (s *shown) draw(out map[string][]byte, preview bool) error {
	var g errgroup.Group
	g.SetLimit(runtime.NumCPU())
	for _, p := range s.drawings {
		g.Go(func() (err error) {
			if p.svg, err = draw.SVG(p.of, draw.Options{}); err != nil {
				return err
			}
			if p.narrow, err = draw.SVG(p.of, draw.Options{Format: "phone"}); err != nil {
				return err
			}
			if !preview || p.beside {
				p.png, err = draw.PNG(p.of, draw.Options{Pixels: 1.25})
			}
			return err
		})
	}
	if err := g.Wait(); err != nil {
		return err
	}
	for _, p := range s.drawings {
		out["charts/"+p.Name+".svg"], out["charts/"+p.Name+".png"] = p.svg, p.png
		if p.beside {
			continue
		}
		p.Wide, p.Narrow = s.looks.inline(p.svg, false), s.looks.inline(p.narrow, true)
	}
	return nil
}

// sections puts everything of an area together.
func (s *shown) sections(charts map[string][]*picture) {
	c := s.C
	by := map[string][]verdict.Standing{}
	for _, x := range c.Facts.Standings {
		by[x.Area] = append(by[x.Area], x)
	}
	areas := map[string]bool{}
	for a := range by {
		areas[a] = true
	}
	for a := range charts {
		areas[a] = true
	}
	for _, f := range c.Review.Findings { // the price has no figures of its own
		if f.Area != "" && !f.Hidden && !f.Unmeasured() {
			areas[f.Area] = true
		}
	}
	for _, area := range c.Review.Order(slices.Collect(maps.Keys(areas))) {
		x := section{Area: area, Text: Markdown(verdict.Filled(c.Review.Section(area), c.Texts)), Charts: charts[area]}
		for _, f := range c.Review.Findings {
			if f.Area != area || f.Unmeasured() || f.Hidden && f.Rule != "area" {
				continue
			}
			if f.Rule == "area" && x.Lead == "" {
				x.Lead = say.Sentence(strings.TrimPrefix(f.Text, say.Capital(area)+": "))
			} else {
				x.Findings = append(x.Findings, f)
			}
		}
		if p, ok := verdict.Profile(area, by[area], c.Facts.Caveats, c.Desk); ok {
			x.Profile = s.drawn(p, "profile-"+fileName(area))
		}
		for _, p := range c.Shown {
			if p.Area == area {
				shown := s.drawn(p.Picture, p.Name)
				shown.beside = true
				x.Shown = append(x.Shown, shown)
			}
		}
		for _, st := range by[area] {
			r := row{Name: say.Capital(st.Name), Value: st.Said, Against: st.Against(), Place: st.Placed(),
				Caveat: c.Facts.Caveats[st.Figure]}
			x.Rest = append(x.Rest, r)
		}
		if len(x.Rest)+len(x.Charts)+len(x.Findings) > 0 || x.Text != "" {
			s.Sections = append(s.Sections, x)
		}
	}
}

var tag = regexp.MustCompile(`<[^>]*>`)

// lead is the first sentence of the summary, which stands for the verdict where there is room for one line.
func lead(c Content) string {
	summary := string(Markdown(verdict.Filled(c.Review.Summary, c.Texts)))
	return firstSentence(strings.TrimSpace(html.UnescapeString(tag.ReplaceAllString(summary, ""))))
}

// photoName is the file of the n-th photo.
func photoName(n int) string { return fmt.Sprintf("photos/%d.jpg", n) }

// firstSentence is what stands for a text where there is room for one line.
func firstSentence(text string) string {
	for i := 1; i < len(text)-1; i++ {
		if strings.ContainsRune(".!?", rune(text[i])) && (text[i+1] == ' ' || text[i+1] == '\n') {
			return text[:i+1]
		}
	}
	return text
}
