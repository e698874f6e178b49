package publish

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"durvek/core/compare"
	"durvek/core/quantity"
	"durvek/core/stats"
	"durvek/core/trust"
	"durvek/core/verdict"
	"durvek/exchange"
	"durvek/internal/sheet"
)

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
	w := sheet.NewWriter(&b)
	place := func(n int) string { // none where that is not known
		if n == 0 {
			return ""
		}
		return strconv.Itoa(n)
	}
	w.Write(columnsOf(figureColumns))
	for _, f := range c.Figures {
		for _, r := range f.Rows {
			claim, match := "", "{}"
			if b, err := json.Marshal(matching(f.Measure, r.Basis)); err == nil {
				match = string(b)
			}
			if r.Claim != nil {
				claim = num(*r.Claim)
			}
			head := []string{f.Measure.ID, f.Measure.Unit, string(f.Measure.Better), strconv.Itoa(f.Measure.Version), r.Variant,
				r.Name, r.Unit, r.Host, r.Place}
			e := r.Estimate
			lo, hi := ends(e)
			note := r.Caveat()
			if e.Unknown {
				note = "spread unknown"
			}
			w.Write(append(head, r.Setup, strings.Join(compare.Conditions(f.Measure, r.Basis), "; "),
				strings.Trim(r.Differs+"; "+r.Taken, "; "), place(r.Standing.Best), place(r.Standing.Worst), e.Bound,
				num(e.Centre), lo, hi, num(e.Median), strconv.Itoa(e.N), strconv.Itoa(e.Sittings),
				strconv.FormatBool(r.Simulated), claim, note, match, errorOf(e.SE, e), errorOf(e.DF, e), r.Caveat(), r.Origin))
			for _, x := range r.Raised {
				e := x.Estimate
				lo, hi := ends(e)
				w.Write(append(append([]string(nil), head...), x.Setup, "", "", "", "", e.Bound, num(e.Centre), lo, hi,
					num(e.Median), strconv.Itoa(e.N), strconv.Itoa(e.Sittings), strconv.FormatBool(r.Simulated), "",
					"another mode, not ranked", "", "", "", "", r.Origin))
			}
		}
		for _, l := range append(slices.Clone(f.LeftOut), f.Beside...) {
			w.Write([]string{f.Measure.ID, f.Measure.Unit, string(f.Measure.Better), strconv.Itoa(f.Measure.Version), l.Variant,
				l.Name, "", "", "", "", "", "", "", "", "", "", "", "", "", "", "", "", "", l.Reason,
				"", "", "", "", ""})
		}
	}
	w.Flush()
	return b.Bytes(), w.Error()
}

// errorOf is a part of an estimate's error; empty where it has none or none is known.
func errorOf(v float64, e stats.Estimate) string {
	if e.Unknown || e.SE == 0 {
		return ""
	}
	return num(v)
}

// matching are the conditions of a figure that must match, as far as they are known.
func matching(m compare.Measure, b trust.Basis) map[string]string {
	out := map[string]string{}
	for _, k := range m.MustMatch {
		if v := b.Conditions[k]; v != "" {
			out[k] = v
		}
	}
	return out
}

// variantsCSV tells what was measured, as far as this desk did: the others are not its to tell of.
func variantsCSV(c Content) ([]byte, error) {
	var b bytes.Buffer
	w := sheet.NewWriter(&b)
	w.Write(columnsOf(variantColumns))
	for _, r := range c.Rivals {
		spec, err := json.Marshal(r.Spec)
		if err != nil {
			return nil, err
		}
		w.Write([]string{r.Variant, r.Model, r.Maker, r.Name, r.Configuration, string(r.Kind), r.Released, string(spec)})
	}
	w.Flush()
	return b.Bytes(), w.Error()
}

func testsCSV(c Content) ([]byte, error) {
	var b bytes.Buffer
	w := sheet.NewWriter(&b)
	w.Write(columnsOf(testColumns))
	for _, t := range c.Tests {
		if t.Slug != "" { // a chart of spec sheets or prices has none
			w.Write([]string{t.Slug, strconv.Itoa(t.Version), t.Name, t.Fingerprint()})
		}
	}
	w.Flush()
	return b.Bytes(), w.Error()
}

func claimsCSV(c Content) ([]byte, error) {
	var b bytes.Buffer
	w := sheet.NewWriter(&b)
	w.Write(columnsOf(claimColumns))
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

// aboutData tells who opens the tables how they are written.
const aboutData = `# The figures of this edition

Tables are CSV (RFC 4180, UTF-8), described by datapackage.json. Numbers are written with a point, units are UCUM codes.
A text that a spreadsheet would take for a formula, one that begins with =, +, - or @, a tab or a line end, has an
apostrophe before it; leave that out to have the text.
`

// field is a column of a table, as Table Schema has it.
type field struct {
	Name        string `json:"name"`
	Type        string `json:"type"`
	Description string `json:"description,omitempty"`
}

// columns are those of the tables, in order: name, type, meaning.
var figureColumns = []field{{"measure", "string", "test/measure"}, {"unit", "string", "UCUM code"},
	{"better", "string", "higher, lower or target"}, {"test_version", "integer", ""}, {"variant", "string", ""},
	{"name", "string", "Maker and model"}, {"sample", "string", "Unit that was measured"},
	{"host", "string", "Machine that it was in"}, {"place", "string", "Port, zone or spot"}, {"setup", "string", ""},
	{"conditions", "string", "Those that must match"}, {"row", "string", "What sets one of several rows apart"},
	{"place_best", "integer", "Best place that it may have, at 95 % over the whole chart"},
	{"place_worst", "integer", ""}, {"bound", "string", "at least, more than or at most, where the figure is a bound"},
	{"centre", "number", "Geometric mean of the repeats on ratio scales, else their mean"},
	{"low_95", "number", "Interval of 95 %"}, {"high_95", "number", ""}, {"median", "number", ""},
	{"repeats", "integer", ""}, {"sittings", "integer", ""}, {"simulated", "boolean", ""},
	{"claim", "number", "What the maker promises, in the measure's unit"}, {"note", "string",
		"Caveat, or why there is no figure"}, {"must_match", "object",
		"Conditions that must match, as far as they are known"},
	{"standard_error", "number", "On the working scale: relative on ratio scales"}, {"degrees_of_freedom", "number", ""},
	{"caveat", "string", ""}, {"measured_by", "string", "Desk that measured it, where that was another"}}

var variantColumns = []field{{"variant", "string", ""}, {"model", "string", ""}, {"maker", "string", ""},
	{"name", "string", "Of the model"}, {"configuration", "string", "What sets it apart from its siblings"},
	{"kind", "string", ""}, {"released", "string", "YYYY-MM"}, {"spec", "object", "Spec sheet"}}

var testColumns = []field{{"test", "string", ""}, {"version", "integer", ""}, {"name", "string", ""},
	{"fingerprint", "string", "What it measures and what must match in it, in short: alike where that is"}}

var claimColumns = []field{{"measure", "string", "test/measure"}, {"claim", "number", ""},
	{"qualifier", "string", "up to, typical, at least …"}, {"claim_unit", "string", "UCUM code"},
	{"claim_in_measure_unit", "number", ""}, {"measured", "number", ""}, {"low_95", "number", ""},
	{"high_95", "number", ""}, {"unit", "string", "Symbol"}, {"outcome", "string", "held, beyond, short, undecided …"},
	{"why", "string", ""}, {"source", "string", "Where the claim was read"}}

var findingColumns = []field{{"kind", "string", "strength, weakness or note"}, {"area", "string", ""},
	{"text", "string", ""}, {"certainty", "string", "sure, likely or open"}, {"rule", "string",
		"Rule that found it, or reviewer"},
	{"rests_on", "string", "Figures and claims, with semicolons between"}}

func columnsOf(of []field) (out []string) {
	for _, f := range of {
		out = append(out, f.Name)
	}
	return out
}

func findingsCSV(c Content) ([]byte, error) {
	var b bytes.Buffer
	w := sheet.NewWriter(&b)
	w.Write(columnsOf(findingColumns))
	for _, f := range c.Review.Findings {
		if !f.Hidden {
			w.Write([]string{string(f.Kind), f.Area, f.Text, string(f.Certainty), f.Rule, strings.Join(f.RestsOn, "; ")})
		}
	}
	w.Flush()
	return b.Bytes(), w.Error()
}

// tables writes the open data of an edition.
func tables(c Content, out map[string][]byte) (err error) {
	for name, make := range map[string]func(Content) ([]byte, error){"figures": csvOf, "claims": claimsCSV,
		"findings": findingsCSV, "variants": variantsCSV, "tests": testsCSV} {
		if out["data/"+name+".csv"], err = make(c); err != nil {
			return err
		}
	}
	if out["data/edition.json"], err = json.MarshalIndent(recordOf(c), "", "  "); err != nil {
		return err
	}
	if out["data/datapackage.json"], err = dataPackage(c, out); err != nil {
		return err
	}
	out["data/README.md"] = []byte(aboutData)
	return nil
}

// licences are what data may be given away under, by SPDX name.
var licences = map[string][2]string{"CC-BY-4.0": {"Creative Commons Attribution 4.0",
	"https://creativecommons.org/licenses/by/4.0/"}, "CC0-1.0": {"CC0 1.0",
	"https://creativecommons.org/publicdomain/zero/1.0/"},
	"CC-BY-SA-4.0": {"Creative Commons Attribution-ShareAlike 4.0", "https://creativecommons.org/licenses/by-sa/4.0/"}}

// Licences lists those that data may be published under, by SPDX name.
func Licences() []string { return slices.Sorted(maps.Keys(licences)) }

// dataPackage describes the tables by the Frictionless Data Package standard.
func dataPackage(c Content, files map[string][]byte) ([]byte, error) {
	type schema struct {
		Fields  []field  `json:"fields"`
		Missing []string `json:"missingValues"`
	}
	type resource struct {
		Name    string `json:"name"`
		Path    string `json:"path"`
		Format  string `json:"format"`
		Media   string `json:"mediatype"`
		Coding  string `json:"encoding"`
		Profile string `json:"profile"`
		Title   string `json:"title"`
		Bytes   int    `json:"bytes"`
		Hash    string `json:"hash"`
		Schema  schema `json:"schema"`
	}
	var resources []resource
	for _, r := range []struct {
		name, title string
		columns     []field
	}{{"figures", "Every figure shown in the charts; units are UCUM codes", figureColumns},
		{"claims", "Every claim and what became of it", claimColumns},
		{"findings", "Every finding, with what it rests on", findingColumns},
		{"variants", "What this desk measured", variantColumns},
		{"tests", "Tests that the figures are of", testColumns}} {
		data := files["data/"+r.name+".csv"]
		sum := sha256.Sum256(data)
		resources = append(resources, resource{r.name, r.name + ".csv", "csv", "text/csv", "utf-8", "tabular-data-resource",
			r.title, len(data), "sha256:" + hex.EncodeToString(sum[:]), schema{r.columns, []string{""}}})
	}
	p := map[string]any{"profile": "tabular-data-package", "durvek": exchange.Profile, "durvek_desk": c.DeskID,
		"name":  c.Review.Slug,
		"title": c.Review.Title, "version": fmt.Sprintf("%d.0.0", c.Edition.Number), "created": c.Edition.Published,
		"contributors": []map[string]string{{"title": c.Desk, "role": "publisher"}}, "resources": resources}
	if l, ok := licences[c.Licence]; ok {
		p["licenses"] = []map[string]string{{"name": c.Licence, "title": l[0], "path": l[1]}}
	}
	return json.MarshalIndent(p, "", "  ")
}

// Record is what an edition says of itself, for the site that it becomes part of and for other desks.
type Record struct {
	Profile        string           `json:"profile"`
	Desk           string           `json:"desk"`
	Review         string           `json:"review"`
	Number         int              `json:"number"`
	Title          string           `json:"title"`
	Lead           string           `json:"lead"`
	Published      string           `json:"published"`
	Note           string           `json:"note,omitempty"`
	State          verdict.State    `json:"state,omitempty"`
	StateNote      string           `json:"state_note,omitempty"`
	By             string           `json:"by"`
	Recommendation string           `json:"recommendation,omitempty"`
	Variant        string           `json:"variant"`
	VariantName    string           `json:"variant_name"`
	Model          string           `json:"model"`
	Maker          string           `json:"maker"`
	ModelName      string           `json:"model_name"`
	Kind           string           `json:"kind"`
	Released       string           `json:"released,omitempty"`
	Succeeds       string           `json:"succeeds,omitempty"`
	Field          string           `json:"field"`
	Price          string           `json:"price,omitempty"`
	Strengths      []string         `json:"strengths,omitempty"`
	Weaknesses     []string         `json:"weaknesses,omitempty"`
	Keys           []verdict.Key    `json:"keys,omitempty"`
	Figures        []RecordedFigure `json:"figures,omitempty"`
	Claims         []RecordedClaim  `json:"claims,omitempty"`
	Tests          []RecordedTest   `json:"tests,omitempty"`
	Changed        []Change         `json:"changed,omitempty"`
	Photo          string           `json:"photo,omitempty"`
}

// RecordedFigure is a figure of the subject that an edition shows.
type RecordedFigure struct {
	Measure    string  `json:"measure"`
	Name       string  `json:"name"`
	Area       string  `json:"area"`
	Unit       string  `json:"unit"`
	Better     string  `json:"better"`
	Version    int     `json:"version"`
	Setup      string  `json:"setup"`
	Conditions string  `json:"conditions,omitempty"`
	Row        string  `json:"row,omitempty"`
	Centre     float64 `json:"centre"`
	Lo         float64 `json:"lo"`
	Hi         float64 `json:"hi"`
	Unknown    bool    `json:"unknown,omitempty"`
	Bound      string  `json:"bound,omitempty"`
	N          int     `json:"n"`
	Simulated  bool    `json:"simulated,omitempty"`
	Caveat     string  `json:"caveat,omitempty"`
	Text       string  `json:"text"`
}

// RecordedClaim is a claim and what became of it.
type RecordedClaim struct {
	Name     string `json:"name"`
	Claimed  string `json:"claimed"`
	Measured string `json:"measured"`
	Outcome  string `json:"outcome"`
	Why      string `json:"why"`
}

// RecordedTest is how something was measured.
type RecordedTest struct {
	Slug    string `json:"slug"`
	Name    string `json:"name"`
	Version int    `json:"version"`
	About   string `json:"about"`
}

// recordOf says what an edition is, in data.
func recordOf(c Content) Record {
	r := Record{Profile: exchange.Profile, Desk: c.Desk, Review: c.Review.Slug, Number: c.Edition.Number,
		Title: c.Review.Title,
		Lead:  lead(c), Published: c.Edition.Published, Note: c.Edition.Note, State: c.Review.State,
		StateNote:      c.Review.StateNote,
		Recommendation: string(c.Review.Recommendation), Variant: c.Review.Subject, VariantName: c.Variant.Name,
		Model: c.Model.Slug, Maker: c.Model.Maker, ModelName: c.Model.Name, Kind: string(c.Model.Kind),
		Released: c.Model.Released, Succeeds: c.Model.Succeeds, Field: c.Field, Keys: verdict.Keys(c.Review, c.Facts),
		Changed: c.Changed}
	if c.Review.Signed != nil {
		r.By = c.Review.Signed.By
	}
	if len(c.Photos) > 0 {
		r.Photo = photoName(1)
	}
	if w := c.Facts.Worth; w != nil {
		r.Price = w.Price
	}
	for _, f := range c.Review.Findings {
		switch {
		case f.Hidden || f.Unmeasured():
		case f.Kind == verdict.Strength:
			r.Strengths = append(r.Strengths, f.Text)
		case f.Kind == verdict.Weakness:
			r.Weaknesses = append(r.Weaknesses, f.Text)
		}
	}
	for _, f := range c.Figures {
		for i, x := range f.Rows {
			if x.Variant != c.Review.Subject || x.Mode != "" {
				continue
			}
			e := x.Estimate
			text := quantity.Format(e.Centre, f.Measure.Unit)
			if i < len(f.Chart.Rows) {
				text = f.Figured(i)
			}
			r.Figures = append(r.Figures, RecordedFigure{f.Measure.ID, f.Measure.Name, verdict.AreaOf(f.Measure.Group),
				f.Measure.Unit, string(f.Measure.Better), f.Measure.Version, x.Setup,
				strings.Join(compare.Conditions(f.Measure, x.Basis), "; "), x.Differs, e.Centre, e.Lo, e.Hi, e.Unknown, e.Bound,
				e.N,
				x.Simulated, x.Caveat(), text})
		}
	}
	for _, j := range c.Claims {
		r.Claims = append(r.Claims, RecordedClaim{j.Name, j.Text, j.Measured, string(j.Verdict.Outcome), j.Verdict.Why})
	}
	for _, t := range c.Tests {
		r.Tests = append(r.Tests, RecordedTest{t.Slug, t.Name, t.Version, t.About})
	}
	return r
}

// ReadRecord reads the record of an edition in a folder; an empty one where the edition was made before there were any.
func ReadRecord(dir string) (r Record, err error) {
	data, err := os.ReadFile(filepath.Join(dir, "data", "edition.json"))
	if errors.Is(err, fs.ErrNotExist) {
		return r, nil
	}
	if err == nil {
		err = json.Unmarshal(data, &r)
	}
	if err != nil {
		return r, fmt.Errorf("the record of the edition in %s cannot be read: %w", dir, err)
	}
	return r, nil
}

// ChangesFrom says which of the subject's figures an edition has otherwise than the record of the one before.
func ChangesFrom(before Record, c Content) (out []Change) {
	key := func(f RecordedFigure) string {
		return f.Measure + " · " + f.Setup + " · " + f.Conditions + " · " + f.Row
	}
	was := map[string]RecordedFigure{}
	for _, f := range before.Figures {
		was[key(f)] = f
	}
	for _, f := range recordOf(c).Figures {
		if b, ok := was[key(f)]; ok && b.Text != f.Text {
			out = append(out, Change{f.Name, b.Text, f.Text})
		}
	}
	return out
}
