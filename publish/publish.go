// Package publish writes an edition of a review: one folder with a page, charts as SVG and PNG, and
// every figure as open data. The folder opens from disk without a service or any network and is
// never changed once it is written.
package publish

import (
	"bytes"
	"crypto/sha256"
	_ "embed"
	"encoding/csv"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"html/template"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"sort"
	"strconv"
	"strings"

	"github.com/microcosm-cc/bluemonday"
	"github.com/yuin/goldmark"

	"durvek/core/catalog"
	"durvek/core/claims"
	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/stats"
	"durvek/core/verdict"
	"durvek/draw"
)

// Content is all that an edition shows.
type Content struct {
	Desk    string
	Review  verdict.Review
	Edition verdict.Edition
	Model   catalog.Model
	Variant catalog.Variant
	Field   string
	Sheet   []catalog.SpecRow
	Offers  []catalog.Offer
	Claims  []claims.Judged
	Figures []Figure
	Tests   []method.Test
}

// Figure is one ranked comparison with the repeatability behind it.
type Figure struct {
	compare.Comparison
	Pool stats.Pool
}

// ErrExists is returned where an edition's folder is there already: editions are immutable.
var ErrExists = errors.New("this edition is there already and is never written again")

//go:embed edition.html
var pageSource string

//go:embed edition.css
var styles string

var page = template.Must(template.New("edition").Funcs(template.FuncMap{
	"markdown": Markdown,
	"money":    catalog.Money,
	"number":   func(v float64) string { return quantity.Number(v, 4) },
	"percent":  func(v float64) string { return quantity.Number(100*v, 2) },
	"symbol":   quantity.Symbol,
	"first":    func(p stats.Pool) string { return quantity.Number(100*p.First(), 2) },
	"date":     func(s string) string { return strings.SplitN(s, "T", 2)[0] },
	"css":      func() template.CSS { return template.CSS(styles) },
	"join":     strings.Join,
}).Parse(pageSource))

var policy = bluemonday.UGCPolicy()

// Markdown renders a reviewer's text; nothing in it can script or style the page.
func Markdown(source string) template.HTML {
	var b bytes.Buffer
	if err := goldmark.Convert([]byte(source), &b); err != nil {
		return template.HTML(template.HTMLEscapeString(source))
	}
	return template.HTML(policy.SanitizeBytes(b.Bytes()))
}

// Write makes the edition's folder, whole or not at all, and returns the digest over its file list.
func Write(dir string, c Content) (digest string, err error) {
	if _, err := os.Stat(dir); err == nil {
		return "", fmt.Errorf("%s: %w", dir, ErrExists)
	}
	if err := os.MkdirAll(filepath.Dir(dir), 0o755); err != nil {
		return "", err
	}
	tmp, err := os.MkdirTemp(filepath.Dir(dir), ".edition-*")
	if err != nil {
		return "", err
	}
	defer os.RemoveAll(tmp)
	files, err := Files(c)
	if err != nil {
		return "", err
	}
	names := make([]string, 0, len(files))
	for name := range files {
		names = append(names, name)
	}
	sort.Strings(names)
	var list strings.Builder
	for _, name := range names {
		sum := sha256.Sum256(files[name])
		fmt.Fprintf(&list, "%s  %s\n", hex.EncodeToString(sum[:]), name)
		if err := writeFile(tmp, name, files[name]); err != nil {
			return "", err
		}
	}
	if err := writeFile(tmp, "SHA256SUMS", []byte(list.String())); err != nil {
		return "", err
	}
	if err := os.Chmod(tmp, 0o755); err != nil {
		return "", err
	}
	if err := os.Rename(tmp, dir); err != nil {
		return "", err
	}
	sum := sha256.Sum256([]byte(list.String()))
	return hex.EncodeToString(sum[:]), nil
}

func writeFile(dir, name string, data []byte) error {
	path := filepath.Join(dir, filepath.FromSlash(name))
	if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
		return err
	}
	return os.WriteFile(path, data, 0o444)
}

// Files makes every file of the edition, by its path.
func Files(c Content) (map[string][]byte, error) {
	out := map[string][]byte{}
	type chartView struct {
		Figure
		Name string
		SVG  template.HTML
	}
	var charts []chartView
	for i, f := range c.Figures {
		name := strings.ReplaceAll(f.Measure.ID, "/", "-")
		for n := 2; out["charts/"+name+".svg"] != nil; n++ { // narrowed in more than one way
			name = fmt.Sprintf("%s-%d", strings.ReplaceAll(f.Measure.ID, "/", "-"), n)
		}
		svg, err := draw.SVG(f.Chart, draw.Options{})
		if err != nil {
			return nil, err
		}
		png, err := draw.PNG(f.Chart, draw.Options{Pixels: 2})
		if err != nil {
			return nil, err
		}
		out["charts/"+name+".svg"], out["charts/"+name+".png"] = svg, png
		charts = append(charts, chartView{c.Figures[i], name, template.HTML(svg)})
	}
	figures, err := csvOf(c)
	if err != nil {
		return nil, err
	}
	out["data/figures.csv"] = figures
	claimTable, err := claimsCSV(c)
	if err != nil {
		return nil, err
	}
	out["data/claims.csv"] = claimTable
	if out["data/datapackage.json"], err = dataPackage(c); err != nil {
		return nil, err
	}
	var strengths, weaknesses, notes, said []verdict.Finding
	for _, f := range c.Review.Findings {
		switch {
		case f.Hidden:
		case f.Unmeasured():
			said = append(said, f)
		case f.Kind == verdict.Strength:
			strengths = append(strengths, f)
		case f.Kind == verdict.Weakness:
			weaknesses = append(weaknesses, f)
		default:
			notes = append(notes, f)
		}
	}
	var b bytes.Buffer
	if err := page.Execute(&b, map[string]any{"C": c, "Charts": charts, "Strengths": strengths, "Weaknesses": weaknesses,
		"Notes": notes, "Said": said}); err != nil {
		return nil, err
	}
	out["index.html"] = b.Bytes()
	return out, fs.WalkDir(draw.Fonts, "fonts", func(path string, d fs.DirEntry, err error) error {
		if err == nil && !d.IsDir() {
			out[path], err = draw.Fonts.ReadFile(path)
		}
		return err
	})
}

func num(v float64) string { return strconv.FormatFloat(v, 'g', 8, 64) }

// ends are the ends of an estimate's interval; empty where its spread is not known.
func ends(e stats.Estimate) (lo, hi string) {
	if e.Unknown {
		return "", ""
	}
	return num(e.Lo), num(e.Hi)
}

// csvOf writes every figure that the charts show, raised modes and relative values included.
func csvOf(c Content) ([]byte, error) {
	var b bytes.Buffer
	w := csv.NewWriter(&b)
	place := func(n int) string { // none where that is not known
		if n == 0 {
			return ""
		}
		return strconv.Itoa(n)
	}
	w.Write([]string{"measure", "unit", "better", "test_version", "variant", "name", "sample", "host", "place", "setup",
		"conditions",
		"row", "place_best", "place_worst",
		"bound", "centre", "low_95", "high_95", "median", "repeats", "sittings", "simulated", "claim", "note"})
	for _, f := range c.Figures {
		for _, r := range f.Rows {
			claim := ""
			if r.Claim != nil {
				claim = num(*r.Claim)
			}
			head := []string{f.Measure.ID, f.Measure.Unit, string(f.Measure.Better), strconv.Itoa(f.Measure.Version), r.Variant,
				r.Name, r.Unit, r.Host, r.Place}
			e := r.Estimate
			lo, hi := ends(e)
			note := ""
			if e.Unknown {
				note = "spread unknown"
			}
			w.Write(append(head, r.Setup, strings.Join(compare.Conditions(f.Measure, r.Basis), "; "),
				strings.Trim(r.Differs+"; "+r.Taken, "; "), place(r.Standing.Best), place(r.Standing.Worst), e.Bound,
				num(e.Centre), lo, hi, num(e.Median), strconv.Itoa(e.N), strconv.Itoa(e.Sittings),
				strconv.FormatBool(r.Simulated), claim, note))
			for _, x := range r.Raised {
				e := x.Estimate
				lo, hi := ends(e)
				w.Write(append(append([]string(nil), head...), x.Setup, "", "", "", "", e.Bound, num(e.Centre), lo, hi,
					num(e.Median), strconv.Itoa(e.N), strconv.Itoa(e.Sittings), strconv.FormatBool(r.Simulated), "",
					"another mode, not ranked"))
			}
		}
		for _, l := range append(slices.Clone(f.LeftOut), f.Beside...) {
			w.Write([]string{f.Measure.ID, f.Measure.Unit, string(f.Measure.Better), strconv.Itoa(f.Measure.Version), l.Variant,
				l.Name, "", "", "", "", "", "", "", "", "", "", "", "", "", "", "", "", "", l.Reason})
		}
	}
	w.Flush()
	return b.Bytes(), w.Error()
}

func claimsCSV(c Content) ([]byte, error) {
	var b bytes.Buffer
	w := csv.NewWriter(&b)
	w.Write([]string{"measure", "claim", "qualifier", "claim_unit", "claim_in_measure_unit", "measured", "low_95",
		"high_95", "unit", "outcome", "why", "source"})
	for _, j := range c.Claims {
		measured, lo, hi := "", "", ""
		if e := j.Verdict.Estimate; e != nil {
			measured = num(e.Centre)
			lo, hi = ends(*e)
		}
		w.Write([]string{j.Measure, fmt.Sprintf("%g", j.Value), string(j.Qualifier), j.Unit,
			num(j.Verdict.Claimed), measured, lo, hi, j.Symbol,
			string(j.Verdict.Outcome), j.Verdict.Why, j.Source})
	}
	w.Flush()
	return b.Bytes(), w.Error()
}

// dataPackage describes the tables by the Frictionless Data Package standard.
func dataPackage(c Content) ([]byte, error) {
	type resource struct {
		Name    string `json:"name"`
		Path    string `json:"path"`
		Format  string `json:"format"`
		Media   string `json:"mediatype"`
		Profile string `json:"profile"`
		Title   string `json:"title"`
	}
	return json.MarshalIndent(map[string]any{
		"profile": "tabular-data-package", "name": c.Review.Slug, "title": c.Review.Title, "version": fmt.Sprintf("%d.0.0",
			c.Edition.Number), "created": c.Edition.Published,
		"resources": []resource{
			{"figures", "figures.csv", "csv", "text/csv", "tabular-data-resource",
				"Every figure shown in the charts; units are UCUM codes"},
			{"claims", "claims.csv", "csv", "text/csv", "tabular-data-resource", "Every claim and what became of it"},
		},
	}, "", "  ")
}
