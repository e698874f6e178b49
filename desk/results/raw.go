package results

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"durvek/core/analyse"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/desk"
	"durvek/internal/durable"
	"durvek/rawfile"
	"durvek/store"
)

// RawOf says what a file of raw measurements was taken on, and how it is to be read where that cannot be found out.
type RawOf struct {
	Name     string `query:"name" doc:"The file's name"`
	Subject  string `query:"unit" doc:"Unit that was measured; nothing is recorded without it"`
	Test     string `query:"test" doc:"Test that its figures belong to; the analysis's own if left out"`
	Analysis string `query:"analysis" doc:"What makes figures of it; found by its columns if left out"`
	Mapping  string `query:"mapping" doc:"Name of a saved mapping, or a mapping as JSON, that says what its columns mean"`
	Host     string `query:"host" doc:"Unit or rig that a part was measured in"`
	Place    string `query:"place" doc:"Port, slot, screen or surface"`
	Setup    string `query:"setup" doc:"Setup; as delivered if left out"`
	Sitting  string `query:"sitting" doc:"What was measured together bears the same word"`
	Repeat   int    `query:"repeat" minimum:"0" doc:"Which repeat it is, from 0"`
	Date     string `query:"date" doc:"Day it was measured, YYYY-MM-DD; today if left out"`
	Set      string `query:"conditions" doc:"Conditions beside the setup's, KEY=VALUE, each after a semicolon"`
	Options  string `query:"options" doc:"Options of the analysis, NAME=VALUE, each after a semicolon"`
	Skip     bool   `query:"skip_bad" flag:"skip-bad" doc:"Take the file in without the rows that cannot be read"`
}

// Seen is a column of a file, with the beginning of what it holds.
type Seen struct {
	Name  string   `json:"name"`
	Unit  string   `json:"unit,omitempty"`
	Text  bool     `json:"text,omitempty"`
	First []string `json:"first" doc:"Its first cells"`
}

// RawTaken is what a file of raw measurements holds and becomes.
type RawTaken struct {
	Name      string             `json:"name"`
	Kind      string             `json:"kind"`
	Found     []string           `json:"found" doc:"How it was read"`
	Rows      int                `json:"rows"`
	Bad       int                `json:"bad" doc:"Rows that cannot be read"`
	Refused   []rawfile.Refusal  `json:"refused" doc:"The first of them"`
	Columns   []Seen             `json:"columns"`
	Proposals []rawfile.Proposal `json:"proposals" doc:"What it may be, the likeliest first"`
	Mapping   *rawfile.Mapping   `json:"mapping,omitempty" doc:"What its columns were taken for"`
	Test      string             `json:"test,omitempty"`
	Figures   []RawFigure        `json:"figures"`
	Said      map[string]string  `json:"said,omitempty"`
	Absent    []string           `json:"absent,omitempty" doc:"Figures that it would make if more were given"`
	Notes     []string           `json:"notes,omitempty"`
	Problem   string             `json:"problem,omitempty" doc:"Why no figures can be made yet"`
	Hindered  []string           `json:"hindered,omitempty" doc:"What would keep it from being recorded of the unit that was named"`
	Picture   analyse.Picture    `json:"-"`
	Drawn     string             `json:"drawn,omitempty" doc:"Its picture, as SVG"`
	Run       string             `json:"run,omitempty" doc:"The run that was recorded"`
}

// RawFigure is a figure that a file makes.
type RawFigure struct {
	record.Reading
	Name string `json:"name"`
	Unit string `json:"unit"`
	Says string `json:"says" doc:"The figure as people write it"`
}

// pairs reads KEY=VALUE after semicolons.
func pairs(text, what string) (map[string]string, error) {
	out := map[string]string{}
	for _, x := range strings.Split(text, ";") {
		k, v, ok := strings.Cut(strings.TrimSpace(x), "=")
		switch {
		case ok:
			out[strings.TrimSpace(k)] = strings.TrimSpace(v)
		case x != "":
			return nil, desk.Refuse(desk.Invalid, "%s is written KEY=VALUE, not %q", what, x)
		}
	}
	return out, nil
}

// TakeRaw reads a file of raw measurements, makes figures of it and, unless it is only checked, keeps the file and
// records the run. A file whose rows cannot all be read is recorded only if that was agreed to.
func (d *Results) TakeRaw(ctx context.Context, data []byte, of RawOf, checkOnly bool, by string) (RawTaken, error) {
	out := RawTaken{Name: filepath.Base(strings.ReplaceAll(cmp.Or(of.Name, "file"), "\\", "/")), Found: []string{},
		Refused: []rawfile.Refusal{}, Columns: []Seen{}, Proposals: []rawfile.Proposal{}, Figures: []RawFigure{}}
	done, err := d.turn(ctx)
	if err != nil {
		return out, err
	}
	defer done()
	sheet, err := rawfile.Read(data)
	if err != nil {
		return out, desk.Refuse(desk.Invalid, "%s: %v", out.Name, plainly(err))
	}
	out.shows(sheet)
	options, err := pairs(of.Options, "an option")
	if err != nil {
		return out, err
	}
	t, m, err := d.meant(ctx, sheet, of, &out)
	if err != nil {
		return out, err
	}
	if m == nil {
		return out, out.unless(checkOnly)
	}
	out.Mapping, out.Test = m, t.Slug
	a, _ := analyse.Named(m.Analysis)
	made, used, err := figured(sheet, *m, options)
	if err != nil {
		out.Problem = plainly(err)
		return out, out.unless(checkOnly)
	}
	out.Said, out.Notes, out.Picture = made.Said, made.Notes, made.Picture
	readings, err := fitted(t, a, made)
	if err != nil {
		return out, err
	}
	out.says(t, readings)
	for _, r := range made.Absent {
		out.Absent = append(out.Absent, fmt.Sprintf("%s: %s", a.Measures[slices.IndexFunc(a.Measures,
			func(m method.Measure) bool { return m.Slug == r.Measure })].Name, r.Reason))
	}
	if checkOnly && of.Subject != "" {
		_, out.Hindered, err = d.desk.CheckPlace(ctx, of.Subject, of.Host, cmp.Or(of.Setup, method.AsDelivered))
	}
	if checkOnly {
		return out, err
	}
	if of.Subject == "" {
		return out, desk.Refuse(desk.Invalid, "say which unit %s was measured on", out.Name)
	}
	if out.Bad > 0 && !of.Skip {
		return out, desk.Refuse(desk.Invalid, "%s: %d rows cannot be read, the first in line %d: %s; mend them, or take it "+
			"in without them", out.Name, out.Bad, out.Refused[0].Line, out.Refused[0].Why)
	}
	out.Run, err = d.recordRaw(ctx, data, of, t, a, *m, used, readings, made.Picture.Series(), &out, by)
	return out, err
}

// unless is why nothing can be recorded of a file that is not yet understood; nothing where it is only checked.
func (r RawTaken) unless(checkOnly bool) error {
	if checkOnly {
		return nil
	}
	return desk.Refuse(desk.Invalid, "%s: %s", r.Name, r.Problem)
}

// plainly is an error of reading without the mark that tells it from others.
func plainly(err error) string {
	return strings.TrimPrefix(strings.TrimPrefix(err.Error(), rawfile.ErrFile.Error()+": "), analyse.ErrRaw.Error()+": ")
}

// shows fills in what a file holds.
func (r *RawTaken) shows(s rawfile.Sheet) {
	r.Kind, r.Rows, r.Bad = s.Kind, s.Rows, s.Bad
	r.Found, r.Refused = append(r.Found, s.Found...), append(r.Refused, s.Refused...)
	for _, c := range s.Columns {
		seen := Seen{Name: c.Name, Unit: c.Unit, Text: c.Text(), First: []string{}}
		for i := range min(s.Rows, 8) {
			switch {
			case c.Text():
				seen.First = append(seen.First, c.Words[i])
			case c.Values[i] != c.Values[i]:
				seen.First = append(seen.First, "")
			default:
				seen.First = append(seen.First, quantity.Plain(c.Values[i], "1"))
			}
		}
		r.Columns = append(r.Columns, seen)
	}
}

// says fills in the figures as people read them.
func (r *RawTaken) says(t method.Test, readings []record.Reading) {
	for _, x := range readings {
		m, _ := t.Measure(x.Measure)
		r.Figures = append(r.Figures, RawFigure{x, m.Name, m.Unit, x.Says(m)})
	}
}

// meant finds what a file's columns mean and which test its figures belong to. No mapping comes back where somebody
// has to be asked; the reason is among what was found.
func (d *Results) meant(ctx context.Context, s rawfile.Sheet, of RawOf, out *RawTaken) (t method.Test,
	m *rawfile.Mapping, err error) {
	saved, err := d.Mappings(ctx)
	if err != nil {
		return t, nil, err
	}
	out.Proposals = append(out.Proposals, rawfile.Recognise(s, saved)...)
	likely := rawfile.Likely(out.Proposals, out.Name)
	t, analysis, err := d.named(ctx, of)
	if err != nil {
		return t, nil, err
	}
	switch {
	case strings.HasPrefix(strings.TrimSpace(of.Mapping), "{"):
		m = &rawfile.Mapping{}
		if err := json.Unmarshal([]byte(of.Mapping), m); err != nil {
			return t, nil, desk.Refuse(desk.Invalid, "the mapping is no mapping: %v", err)
		}
		m.Analysis, m.Header = cmp.Or(m.Analysis, analysis), s.Header()
	case of.Mapping != "":
		i := slices.IndexFunc(saved, func(x rawfile.Mapping) bool { return x.Name == of.Mapping })
		if i < 0 {
			return t, nil, desk.Missing(store.ErrNotFound, "mapping", of.Mapping)
		}
		m = &saved[i]
	case analysis != "":
		a, ok := analyse.Named(analysis)
		if !ok {
			return t, nil, noAnalysis(analysis)
		}
		i := slices.IndexFunc(out.Proposals, func(p rawfile.Proposal) bool { return p.Saved && p.Mapping.Analysis == a.Name })
		p := rawfile.Propose(s, a)
		if i >= 0 {
			p = out.Proposals[i]
		}
		if len(p.Lacks) > 0 {
			out.Problem = fmt.Sprintf("no column of it is taken for %s; say which column means what", strings.Join(p.Lacks,
				" or "))
			out.Mapping = &p.Mapping
			return t, nil, nil
		}
		m = &p.Mapping
	case len(likely) == 0:
		out.Problem = "its columns are not known; say what it is and which column means what"
		return t, nil, nil
	case len(likely) > 1:
		var names []string
		for _, p := range likely[:min(3, len(likely))] {
			names = append(names, p.Mapping.Analysis)
		}
		out.Problem = "it may be " + strings.Join(names, " or ") + "; say which"
		return t, nil, nil
	default:
		m = &likely[0].Mapping
	}
	a, ok := analyse.Named(m.Analysis)
	switch {
	case !ok:
		return t, nil, noAnalysis(m.Analysis)
	case analysis != "" && m.Analysis != analysis:
		return t, nil, desk.Refuse(desk.Invalid, "the mapping is for %s, not for %s", m.Analysis, analysis)
	case t.Slug == "":
		if t, err = d.ownTest(ctx, a); err != nil {
			return t, nil, err
		}
	}
	return t, m, nil
}

func noAnalysis(name string) error {
	var known []string
	for _, a := range analyse.Analyses() {
		known = append(known, a.Name)
	}
	return desk.Refuse(desk.Invalid, "there is no analysis %q; there are %s", name, strings.Join(known, ", "))
}

// ownTest is the test of an analysis where the desk has none of its own: the desk's of that name, or the one that
// comes with it.
func (d *Results) ownTest(ctx context.Context, a analyse.Analysis) (method.Test, error) {
	t, err := d.desk.Store.Test(ctx, a.Name, 0)
	known, err := desk.Found(err)
	switch {
	case err != nil:
		return t, err
	case !known:
		return a.Test(), nil
	case t.Analysis != a.Name:
		return t, desk.Refuse(desk.Conflict, "the desk's test %q has another analysis; say which test the figures belong to",
			a.Name)
	}
	return t, nil
}

// figured makes figures of a file by a mapping, and says which options were used.
func figured(s rawfile.Sheet, m rawfile.Mapping, options map[string]string) (analyse.Made, map[string]string, error) {
	raw, err := m.Apply(s, options)
	if err != nil {
		return analyse.Made{}, nil, err
	}
	a, _ := analyse.Named(m.Analysis)
	if wrong := a.Test().CheckOptions(raw.Options); len(wrong) > 0 {
		return analyse.Made{}, nil, errors.New(strings.Join(wrong, "; "))
	}
	made, err := a.Make(raw)
	return made, raw.Options, err
}

// fitted are the readings of a test's own measures, in its units. What the test has and the analysis does not make is
// refused.
func fitted(t method.Test, a analyse.Analysis, made analyse.Made) ([]record.Reading, error) {
	var out []record.Reading
	for _, m := range t.Measures {
		of := func(r record.Reading) bool { return r.Measure == m.Slug }
		if slices.ContainsFunc(made.Absent, of) {
			continue
		}
		i := slices.IndexFunc(made.Readings, of)
		k := slices.IndexFunc(a.Measures, func(x method.Measure) bool { return x.Slug == m.Slug })
		if i < 0 || k < 0 {
			var known []string
			for _, x := range a.Measures {
				known = append(known, x.Slug)
			}
			return nil, desk.Refuse(desk.Invalid, "%s makes no measure %q of test %q; it makes %s", a.Name, m.Slug, t.Slug,
				strings.Join(known, ", "))
		}
		r := made.Readings[i]
		for _, v := range []*float64{&r.Value, r.Low, r.High} {
			if v == nil || r.State == record.Missing {
				continue
			}
			x, err := quantity.Convert(*v, a.Measures[k].Unit, m.Unit)
			if err != nil && a.Measures[k].Unit != "1" { // a plain number takes the unit that the test gives it
				return nil, desk.Refuse(desk.Invalid, "measure %q of test %q: %v", m.Slug, t.Slug, err)
			}
			if err == nil {
				*v = x
			}
		}
		r = r.Settle(m)
		if why := r.Check(m); why != "" {
			r = record.Reading{Measure: m.Slug, State: record.Missing, Reason: why}
		}
		out = append(out, r)
	}
	return out, nil
}

// named finds the test and the analysis that somebody asked for; neither has to be.
func (d *Results) named(ctx context.Context, of RawOf) (t method.Test, analysis string, err error) {
	if of.Test == "" {
		return t, of.Analysis, nil
	}
	t, err = d.desk.Store.Test(ctx, of.Test, 0)
	known, err := desk.Found(err)
	switch _, own := analyse.Named(of.Test); {
	case err != nil:
		return t, "", err
	case !known && !own:
		return t, "", desk.Missing(store.ErrNotFound, "test", of.Test)
	case !known:
		return t, of.Test, nil
	case t.Analysis == "":
		return t, "", desk.Refuse(desk.Invalid, "test %q has no analysis: its readings are typed in", of.Test)
	case of.Analysis != "" && of.Analysis != t.Analysis:
		return t, "", desk.Refuse(desk.Invalid, "test %q is analysed by %s, not by %s", of.Test, t.Analysis, of.Analysis)
	}
	return t, t.Analysis, nil
}

// recordRaw keeps a file and records its run, both or neither.
func (d *Results) recordRaw(ctx context.Context, data []byte, of RawOf, t method.Test, a analyse.Analysis,
	m rawfile.Mapping, options map[string]string, readings []record.Reading, series []record.Series, out *RawTaken,
	by string) (string, error) {
	conditions, err := pairs(of.Set, "a condition")
	if err != nil {
		return "", err
	}
	if _, err := d.desk.Store.Test(ctx, t.Slug, 0); errors.Is(err, store.ErrNotFound) {
		if err := d.desk.Put(ctx, by, "add test", t.Slug, func(q *desk.Tx) error {
			return q.PutTest(ctx, t, d.desk.Now())
		}); err != nil {
			return "", err
		}
	}
	r, wrong, err := d.typedRun(ctx, Typed{Test: t.Slug, Subject: of.Subject, Host: of.Host, Place: of.Place,
		Setup: of.Setup, Date: of.Date, Repeat: of.Repeat, Sitting: of.Sitting, Conditions: conditions}, by, record.FromFile)
	if err != nil {
		return "", err
	}
	if wrong = slices.DeleteFunc(wrong, func(s string) bool { return s == noReading }); len(wrong) > 0 {
		return "", desk.Refuse(desk.Invalid, "%s: %s", out.Name, strings.Join(wrong, "; "))
	}
	digest, err := d.keepFile(data)
	if err != nil {
		return "", err
	}
	same, err := d.desk.Store.Sources(ctx, digest)
	if err != nil {
		return "", err
	}
	for _, s := range same {
		old, err := d.desk.Store.Run(ctx, s.Run)
		if err == nil && old.Subject == r.Subject && old.Test == r.Test && old.Place == r.Place && old.Setup == r.Setup {
			return "", desk.Refuse(desk.Conflict, "%s was taken in before, as run %s", out.Name, s.Run)
		}
	}
	r.Readings, r.Series, r.Negotiated = readings, series, maps.Clone(out.Said)
	if len(options) > 0 {
		r.Options = options
	}
	runs := []record.Run{r}
	if err := d.sittings(ctx, runs, func(i int, id string) { runs[i].Sitting = id }); err != nil {
		return "", err
	}
	body, err := json.Marshal(m)
	if err != nil {
		return "", err
	}
	_, err = d.record(ctx, runs, func(q *desk.Tx) error {
		return errors.Join(q.PutSource(ctx, store.Source{Run: r.ID, Digest: digest, Name: out.Name, Size: int64(len(data)),
			Mapping: string(body), Version: a.Version, Added: d.desk.Now(), By: by}),
			q.Note(ctx, d.desk.Now(), by, "take in file", r.Subject, out.Name))
	})
	return r.ID, err
}

// keepFile keeps a file in the folder that is named by content, and gives its digest.
func (d *Results) keepFile(data []byte) (string, error) {
	sum := sha256.Sum256(data)
	digest := hex.EncodeToString(sum[:])
	path := d.attachmentPath(digest)
	if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
		return "", err
	}
	if _, err := os.Stat(path); err == nil {
		return digest, nil
	}
	if err := durable.Write(path, data, 0o600); err != nil {
		return "", fmt.Errorf("keep the file: %w", err)
	}
	return digest, nil
}
