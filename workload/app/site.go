package app

import (
	"context"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"net"
	"net/http"
	"strconv"
	"strings"
	"sync"
	"time"
	"unicode/utf8"

	"golang.org/x/image/font"
	"golang.org/x/image/font/gofont/goregular"
	"golang.org/x/image/font/sfnt"
	"golang.org/x/image/math/fixed"
	"golang.org/x/net/html"
	"golang.org/x/net/html/atom"

	"durvek/core/method"
	"durvek/core/record"
	"durvek/core/stats"
	"durvek/workload"
)

// The site: pages with the parts that each fetches, laid out at a width in pixels.
const (
	sitePages  = 24
	siteParts  = 8
	siteWide   = 960
	siteDigest = "a2242d90"
)

func init() {
	register(method.Test{
		Slug: "page-loads", Name: "Page loads", Repeats: 5, Seconds: 3,
		About: "24 pages of a site on this machine are loaded one after another: each is fetched with its style sheet " +
			"and six pictures over HTTP, parsed, its styles applied, and its text broken into lines by the widths of a " +
			"font's letters. A browser draws as well; browsers themselves are measured by the probe.",
		StandsFor: "The work behind a page before it is drawn: many small files, text, trees.",
		LimitedBy: "One core, the system's handling of connections, the collector.",
		Input:     "A site from seed 21, served over loopback.", Checked: "Digest of the heights of all blocks.",
		Measures: append(rates("{page}/min", 0.02, "rate", "rate"), workload.Rows(method.Measure{Unit: "ms", Scale: "ratio",
			Better: "lower", Repeatability: 0.03}, "median", "median page", "slowest", "slowest page")...),
	}, runSite)
}

func runSite(ctx context.Context, env workload.Env) (out record.Outcome, err error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return out, workload.NotRun("no page can be served on this machine: %w", err)
	}
	server := &http.Server{Handler: newSite(), ReadHeaderTimeout: time.Minute}
	ended := make(chan error, 1)
	go func() { ended <- server.Serve(l) }()
	defer func() { server.Close(); <-ended }()
	base := "http://" + l.Addr().String()
	transport := &http.Transport{MaxIdleConnsPerHost: siteParts}
	defer transport.CloseIdleConnections()
	b := &browser{client: &http.Client{Transport: transport}, font: newMeter()}
	digests := make([][32]byte, sitePages)
	var times []float64
	mean, s, err := timed(ctx, env, "site", 2, func() error {
		for i := range sitePages {
			from := time.Now()
			height, err := b.load(ctx, base, fmt.Sprintf("/page/%d", i))
			if err != nil {
				return err
			}
			copy(digests[i][:], strconv.FormatInt(height, 10))
			times = append(times, 1e3*time.Since(from).Seconds())
		}
		return nil
	})
	out.Series = []record.Series{s}
	if err == nil {
		err = right(sum(digests), siteDigest)
	}
	if err != nil {
		return out, err
	}
	out.Readings = []record.Reading{workload.Reading("rate", sitePages*60/mean), workload.Reading("median",
		stats.Quantile(times, 0.5)), workload.Reading("slowest", stats.Quantile(times, 1))}
	return out, nil
}

// newSite serves the pages, one style sheet and pictures that hardly pack.
func newSite() http.Handler {
	rng := rand.New(rand.NewPCG(21, 21))
	pages := make([]string, sitePages)
	for i := range pages {
		var p strings.Builder
		fmt.Fprintf(&p, `<!doctype html><title>Leg %d</title><link rel="stylesheet" href="/style.css"><h1>Leg %d</h1>`, i, i)
		for k := range siteParts - 2 {
			fmt.Fprintf(&p, `<img src="/picture/%d" width="120" height="%d">`, k, 40+10*k)
		}
		for k := range 40 {
			fmt.Fprintf(&p, `<div class="c%d"><h2>%s</h2><p>`, k%7, plain(rng, 4))
			for range 4 {
				fmt.Fprintf(&p, `%s <a href="/page/%d">%s</a> <em>%s</em> `, plain(rng, 14), rng.IntN(sitePages), plain(rng, 2),
					plain(rng, 3))
			}
			p.WriteString("</p><ul>")
			for range 5 {
				fmt.Fprintf(&p, "<li>%s", plain(rng, 9))
			}
			p.WriteString("</ul></div>")
		}
		pages[i] = p.String()
	}
	var style strings.Builder
	for k := range 7 {
		fmt.Fprintf(&style, ".c%d { width: %d; size: %d; }\n", k, 400+60*k, 12+k)
	}
	picture := make([]byte, 24<<10)
	for i := range picture {
		picture[i] = byte(rng.Uint32())
	}
	mux := http.NewServeMux()
	mux.HandleFunc("/style.css", func(w http.ResponseWriter, _ *http.Request) { io.WriteString(w, style.String()) })
	mux.HandleFunc("/picture/", func(w http.ResponseWriter, _ *http.Request) { w.Write(picture) })
	mux.HandleFunc("/page/", func(w http.ResponseWriter, r *http.Request) {
		i, err := strconv.Atoi(strings.TrimPrefix(r.URL.Path, "/page/"))
		if err != nil || i < 0 || i >= len(pages) {
			http.NotFound(w, r)
			return
		}
		io.WriteString(w, pages[i])
	})
	return mux
}

// plain is a sentence without marks.
func plain(rng *rand.Rand, n int) string {
	var b strings.Builder
	for i := range n {
		if i > 0 {
			b.WriteByte(' ')
		}
		b.WriteString(words[rng.IntN(len(words))])
	}
	return b.String()
}

// browser loads pages.
type browser struct {
	client *http.Client
	font   *meter
}

func (b *browser) fetch(ctx context.Context, address string) ([]byte, error) {
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, address, nil)
	if err != nil {
		return nil, err
	}
	resp, err := b.client.Do(req)
	if err != nil {
		return nil, err
	}
	defer resp.Body.Close()
	if resp.StatusCode != http.StatusOK {
		return nil, fmt.Errorf("%s: %s", address, resp.Status)
	}
	return io.ReadAll(resp.Body)
}

// load fetches a page and its parts, six at a time at most, and lays it out. It returns the height.
func (b *browser) load(ctx context.Context, base, path string) (int64, error) {
	text, err := b.fetch(ctx, base+path)
	if err != nil {
		return 0, err
	}
	tree, err := html.Parse(strings.NewReader(string(text)))
	if err != nil {
		return 0, err
	}
	var parts []string
	for n := range tree.Descendants() {
		for _, a := range n.Attr {
			if n.DataAtom == atom.Link && a.Key == "href" || n.DataAtom == atom.Img && a.Key == "src" {
				parts = append(parts, a.Val)
			}
		}
	}
	bodies, errs := make([][]byte, len(parts)), make([]error, len(parts))
	var wg sync.WaitGroup
	gate := make(chan struct{}, 6)
	for i, p := range parts {
		wg.Go(func() {
			gate <- struct{}{}
			bodies[i], errs[i] = b.fetch(ctx, base+p)
			<-gate
		})
	}
	wg.Wait()
	if err := errors.Join(errs...); err != nil {
		return 0, err
	}
	styles := map[string]style{}
	for i, p := range parts {
		if strings.HasSuffix(p, ".css") {
			if err := readStyles(string(bodies[i]), styles); err != nil {
				return 0, err
			}
		}
	}
	return b.layOut(tree, styles, style{siteWide, 16}), nil
}

// style is a block's width and letter size in pixels.
type style struct{ width, size int64 }

func readStyles(text string, into map[string]style) error {
	for rest := text; strings.TrimSpace(rest) != ""; {
		name, after, ok := strings.Cut(rest, "{")
		body, next, closed := strings.Cut(after, "}")
		if !ok || !closed {
			return errors.New("the style sheet is cut")
		}
		s := style{siteWide, 16}
		for _, d := range strings.Split(body, ";") {
			k, v, _ := strings.Cut(d, ":")
			n, _ := strconv.ParseInt(strings.TrimSpace(v), 10, 64)
			switch strings.TrimSpace(k) {
			case "width":
				s.width = n
			case "size":
				s.size = n
			}
		}
		into[strings.TrimPrefix(strings.TrimSpace(name), ".")] = s
		rest = next
	}
	return nil
}

// layOut is the height of a node: blocks below each other, text broken into lines.
func (b *browser) layOut(n *html.Node, styles map[string]style, s style) int64 {
	for _, a := range n.Attr {
		if a.Key == "class" {
			if x, ok := styles[a.Val]; ok {
				s = x
			}
		}
	}
	if n.DataAtom == atom.H1 || n.DataAtom == atom.H2 {
		s.size = s.size * 3 / 2
	}
	if n.DataAtom == atom.P || n.DataAtom == atom.Li || n.DataAtom == atom.H1 || n.DataAtom == atom.H2 {
		var text strings.Builder
		for d := range n.Descendants() {
			if d.Type == html.TextNode {
				text.WriteString(d.Data)
			}
		}
		return b.font.lines(text.String(), s)*s.size*5/4 + s.size/2
	}
	height := int64(0)
	for _, a := range n.Attr {
		if n.DataAtom == atom.Img && a.Key == "height" {
			height, _ = strconv.ParseInt(a.Val, 10, 64)
		}
	}
	for c := range n.ChildNodes() {
		height += b.layOut(c, styles, s)
	}
	return height
}

// meter knows the widths of letters, in 64ths of a pixel at a size of 64 pixels.
type meter struct {
	font  *sfnt.Font
	buf   sfnt.Buffer
	width map[rune]int64
}

func newMeter() *meter {
	f, err := sfnt.Parse(goregular.TTF)
	if err != nil {
		panic("the font that ships with the library cannot be read: " + err.Error())
	}
	return &meter{font: f, width: map[rune]int64{}}
}

func (m *meter) letter(r rune) int64 {
	w, ok := m.width[r]
	if !ok {
		if g, err := m.font.GlyphIndex(&m.buf, r); err == nil {
			if a, err := m.font.GlyphAdvance(&m.buf, g, fixed.I(64), font.HintingNone); err == nil {
				w = int64(a)
			}
		}
		m.width[r] = w
	}
	return w
}

// lines is how many lines a text takes.
func (m *meter) lines(text string, s style) int64 {
	room := s.width * 64 * 64 / s.size
	n, at := int64(1), int64(0)
	for _, word := range strings.Fields(text) {
		wide := int64(0)
		for len(word) > 0 {
			r, k := utf8.DecodeRuneInString(word)
			wide += m.letter(r)
			word = word[k:]
		}
		if at > 0 && at+wide > room {
			n, at = n+1, 0
		}
		at += wide + m.letter(' ')
	}
	return n
}
