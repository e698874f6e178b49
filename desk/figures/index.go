package figures

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"hash/fnv"
	"slices"
	"strings"

	"durvek/core/chart"
	"durvek/core/compare"
	"durvek/core/fit"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/ranking"
	"durvek/core/stats"
	"durvek/desk"
	"durvek/document"
)

// IndexQuestion is what an index is asked for: a field, and weights from a kind of use, or given here.
type IndexQuestion struct {
	Field     string
	Setup     string
	Use       string // a kind of use; its weights
	Weights   []fit.Weight
	Reference string // variant; "" for the field's mean
	Subject   string
	Where     []string // narrows the figures that count
}

// Index is a field's index with its groups and its picture.
type Index struct {
	ranking.IndexTable
	Field    string            `json:"field"`
	Measures []ranking.Weighed `json:"measures"`
	Without  []Without         `json:"without,omitempty" doc:"Figures that were measured and do not count, and why"`
	Names    map[string]Called `json:"names" doc:"What each variant is called"`
	ByGroup  []GroupIndex      `json:"group_indices" doc:"The index of each group of measures by itself"`
	Refused  []string          `json:"refused,omitempty" doc:"Groups without an index, and why"`
	Firmness string            `json:"firmness" doc:"How firm the order of the first is, in a sentence"`
	Chart    chart.Ranked      `json:"chart"`
}

// Called is a variant's name and what sets it apart.
type Called struct {
	Name string `json:"name"`
	Note string `json:"note"`
}

// GroupIndex is the index of one group of measures.
type GroupIndex struct {
	Group  string             `json:"group"`
	Weight float64            `json:"weight" doc:"Share of all weight"`
	Values map[string]float64 `json:"values" doc:"By variant; 100 is the same reference"`
}

// weigh spreads weights over measures: those of a group evenly over its measures that somebody in the field has a
// figure for. Measures that cannot enter an index are left out where a group names them, and refused where they are
// named themselves.
func (d *sight) weigh(weights []fit.Weight, members []string) ([]ranking.Weighed, error) {
	var out []ranking.Weighed
	add := func(m compare.Measure, w float64) {
		if i := slices.IndexFunc(out, func(x ranking.Weighed) bool { return x.Measure == m.ID }); i >= 0 {
			out[i].Weight += w
			return
		}
		out = append(out, ranking.Weighed{Measure: m.ID, Name: m.Name, Group: m.Group, Weight: w, Better: m.Better})
	}
	fits := func(m compare.Measure) bool { return m.Scale == quantity.Ratio && m.Better != quantity.Target }
	for _, w := range weights {
		if w.Measure != "" {
			m, ok := d.byID[w.Measure]
			if !ok {
				return nil, unknownMeasure(w.Measure)
			}
			if !fits(m) {
				if len(w.Curve) > 0 {
					continue // it counts for the fit alone
				}
				return nil, desk.Refuse(
					desk.Invalid,
					"%s cannot enter an index: it stands on a scale of kind %q or is best "+
						"near a target; leave it out, or give it a curve in a kind of use, where it counts for the fit",
					m.InSentence(),
					m.Scale,
				)
			}
			add(m, w.Weight)
			continue
		}
		if !slices.Contains(d.groupNames(), w.Group) {
			return nil, desk.Refuse(
				desk.NotFound,
				"there is no group of measures %q; there are %s. A measure is written "+
					"with its test: hashing/all",
				w.Group,
				strings.Join(d.groupNames(), ", "),
			)
		}
		in, err := d.inGroup(w.Group, members, fits)
		if err != nil {
			return nil, err
		}
		for _, m := range in {
			add(m, w.Weight/float64(len(in)))
		}
	}
	return out, nil
}

// inGroup lists the measures of a group that fit and that at least two of some variants have a figure of.
func (d *sight) inGroup(group string, variants []string, fits func(compare.Measure) bool) (in []compare.Measure,
	err error) {
	for _, m := range d.measures {
		if m.Group != group || m.Derived() || !fits(m) { // a group's figures count once
			continue
		}
		n, err := d.has(m.ID, variants)
		if err != nil {
			return nil, err
		}
		if n > 1 {
			in = append(in, m)
		}
	}
	return in, nil
}

// IndexOf makes an index of a field.
func (f *Figures) IndexOf(ctx context.Context, q IndexQuestion) (Index, error) {
	d, err := f.look(ctx)
	if err != nil {
		return Index{}, err
	}
	return d.index(q)
}

func (d *sight) index(q IndexQuestion) (Index, error) {
	q.Setup, q.Field = cmp.Or(q.Setup, method.AsDelivered), cmp.Or(q.Field, everything)
	return kept(d, func(d *sight) (Index, error) { return d.indexOf(q) }, "index", q)
}

func (d *sight) indexOf(q IndexQuestion) (Index, error) {
	var none Index
	f, err := d.field(q.Field)
	if err != nil {
		return none, err
	}
	members, err := d.membersOf(f)
	if err != nil {
		return none, err
	}
	if q.Use != "" {
		u, err := d.use(q.Use)
		if err != nil {
			return none, err
		}
		q.Weights = append(slices.Clone(u.Weights), q.Weights...)
	}
	if len(q.Weights) == 0 {
		return none, desk.Refuse(
			desk.Invalid,
			"an index needs weights: name a kind of use, or measures or groups with "+
				"their weights",
		)
	}
	sum := 0.0
	for _, w := range q.Weights {
		sum += w.Weight
	}
	if sum == 0 {
		return none, desk.Refuse(desk.Invalid, "the weights sum to zero; give at least one measure a weight above zero")
	}
	measures, err := d.weigh(q.Weights, members)
	if err != nil {
		return none, err
	}
	if len(measures) == 0 {
		return none, desk.Refuse(
			desk.Invalid,
			"none of the weighed measures has figures in the field %q that can enter "+
				"an index",
			f.Name,
		)
	}
	setup, err := d.setup(q.Setup)
	if err != nil {
		return none, err
	}
	by, err := narrowed(q.Where)
	if err != nil {
		return none, err
	}
	contenders, without, err := d.contenders(members, measures, setup, by)
	if err != nil {
		return none, err
	}
	h := fnv.New64a()
	fmt.Fprint(h, q.Field, q.Use)
	o := ranking.IndexOptions{Reference: q.Reference, Seed: h.Sum64()}
	table, err := ranking.Index(contenders, measures, o)
	if errors.Is(err, ranking.ErrIndex) {
		return none, desk.Refuse(desk.Invalid, "%v", err)
	}
	if err != nil {
		return none, err
	}
	out := Index{IndexTable: table, Field: f.Name, Measures: measures, Names: map[string]Called{},
		ByGroup: []GroupIndex{}, Without: without}
	for _, r := range table.Rows {
		x := d.variants[r.ID]
		out.Names[r.ID] = Called{x.FullName(), x.Note}
	}
	groups(&out, contenders, o)
	ranked := 0
	for _, r := range table.Rows {
		if r.Ranked {
			ranked++
		}
	}
	switch {
	case ranked < 2:
		out.Firmness = "Fewer than two are complete enough to be put in order."
	default:
		out.Firmness = fmt.Sprintf(
			"The order of the first %s holds for %.0f %% of plausible weights (each between half "+
				"and double).",
			map[int]string{2: "two", 3: "three"}[table.First],
			100*table.Firm,
		)
	}
	out.Chart = out.draw(q, d.view, d.f.desk.Name())
	return out, nil
}

// groups makes each group's index by itself; one that falls into parts says so.
func groups(out *Index, field []ranking.Contender, o ranking.IndexOptions) {
	o.Plain = true
	var names []string
	total := 0.0
	for _, m := range out.Measures {
		total += m.Weight
		if !slices.Contains(names, m.Group) {
			names = append(names, m.Group)
		}
	}
	if len(names) < 2 {
		return
	}
	for _, name := range names {
		g := GroupIndex{Group: name, Values: map[string]float64{}}
		var ms []ranking.Weighed
		sub := make([]ranking.Contender, len(field))
		for i, c := range field {
			sub[i].ID = c.ID
		}
		for k, m := range out.Measures {
			if m.Group != name {
				continue
			}
			g.Weight += m.Weight / total
			ms = append(ms, m)
			for i, c := range field {
				sub[i].Figures = append(sub[i].Figures, c.Figures[k])
			}
		}
		table, err := ranking.Index(sub, ms, o)
		if err != nil {
			out.Refused = append(out.Refused, name+": "+err.Error())
			continue
		}
		for _, r := range table.Rows {
			g.Values[r.ID] = r.Value
		}
		out.ByGroup = append(out.ByGroup, g)
	}
}

// draw makes the ranked chart of an index.
func (x *Index) draw(q IndexQuestion, v *view, foot string) chart.Ranked {
	c := chart.Ranked{Measure: "Index", Unit: "", Rows: []chart.Row{}}
	hundred := 100.0
	c.Reference = &hundred
	against := "the field’s geometric mean"
	if q.Reference != "" {
		against = v.label(q.Reference)
	}
	what := "by the weights given"
	if q.Use != "" {
		if u, err := v.use(q.Use); err == nil {
			what = "for " + u.Name
		}
	}
	c.Title = "Index " + what + ", " + x.Field
	c.Subtitle = fmt.Sprintf("Weighted geometric mean of %d measures; 100 is %s, higher is better. Whiskers 95 %%: "+
		"noise, and what missing cells leave open. In per cent: the share of the weight that was measured.", len(x.Measures),
		against)
	var listed []string
	var all [][3]float64
	noted := 0
	for _, r := range x.Rows {
		if r.Ranked && r.Says() != "" {
			noted++
		}
	}
	for _, r := range x.Rows {
		all = append(all, [3]float64{r.Value, r.Lo, r.Hi})
	}
	w := quantity.WritingFor("1", all...)
	for _, r := range x.Rows {
		n := x.Names[r.ID]
		note := n.Note
		if r.Completeness < 0.995 {
			note = strings.TrimPrefix(fmt.Sprintf("%s, %.0f %%", note, 100*r.Completeness), ", ")
		}
		if !r.Ranked {
			text := fmt.Sprintf("%s, %s: %s, %.0f %% measured", n.Name, n.Note, quantity.Number(r.Value, 3), 100*r.Completeness)
			if r.Completeness >= ranking.Complete {
				text += ", too few figures to tell how sure the rest is"
			}
			listed = append(listed, text)
			continue
		}
		label, spread := w.Interval(r.Value, r.Lo, r.Hi)
		if sign := map[string]string{"at least": "≥ ", "at most": "≤ "}[r.Bound]; sign != "" {
			label, spread = sign+label, ""
		}
		mark := 0
		if says := r.Says(); says != "" && (noted <= 4 || r.ID == q.Subject) {
			c.Notes = append(c.Notes, says)
			mark = len(c.Notes)
		}
		c.Rows = append(c.Rows, chart.Row{ID: r.ID, Name: n.Name, Note: note, Mark: mark, Place: chart.PlaceText(r.Place.Best,
			r.Place.Worst), Value: r.Value, Lo: r.Lo, Hi: r.Hi, Label: label, Spread: spread,
			Hollow: r.Bound != "", N: len(r.Moves), Subject: r.ID == q.Subject && q.Subject != ""})
	}
	for _, g := range x.Groups {
		c.Groups = append(c.Groups, chart.Group{From: g.From, To: g.To, Kind: string(g.Kind)})
	}
	for _, slug := range x.Left {
		listed = append(listed, v.label(slug)+": nothing measured")
	}
	if len(listed) > 8 {
		listed = append(listed[:7], fmt.Sprintf("%d more", len(listed)-7))
	}
	if noted > 4 {
		c.Notes = append(c.Notes, fmt.Sprintf("%d indices miss something; if that is what they are weakest in, they are "+
			"lower: "+
			"the table says how far.", noted))
	}
	c.NotRanked = listed
	c.Foot = fmt.Sprintf("%s Variants depart from themselves by ± %s %% from measure to measure. %s.", x.Firmness,
		quantity.Number(x.Interaction, 2), foot)
	c.Text = c.Describe()
	return c
}

// use finds a kind of use.
func (v *view) use(slug string) (fit.Use, error) {
	i := slices.IndexFunc(v.kinds, func(u fit.Use) bool { return u.Slug == slug })
	if i < 0 {
		return fit.Use{}, unknown("kind of use", slug)
	}
	return v.kinds[i], nil
}

// Uses lists all kinds of use.
func (f *Figures) Uses(ctx context.Context) ([]fit.Use, error) { return f.desk.Store.Uses(ctx) }

var useSchema = desk.Schema("use")

// ImportUse takes in a kind of use from a file.
func (f *Figures) ImportUse(ctx context.Context, data []byte, checkOnly bool, by string) (fit.Use, error) {
	var u fit.Use
	file, err := document.Read("use", data)
	if err != nil {
		return u, err
	}
	if err := file.Decode(useSchema, &u); err != nil {
		return u, err
	}
	return u, f.putUse(ctx, u, checkOnly, by)
}

// AddUse adds a kind of use, or changes one.
func (f *Figures) AddUse(ctx context.Context, u fit.Use, by string) (fit.Use, error) {
	return u, f.putUse(ctx, u, false, by)
}

func (f *Figures) putUse(ctx context.Context, u fit.Use, checkOnly bool, by string) error {
	d, err := f.look(ctx)
	if err != nil {
		return err
	}
	if s := u.Check(d.judges, d.groupNames()); s != "" {
		return desk.Refuse(desk.Invalid, "kind of use refused: %s", s)
	}
	if checkOnly {
		return nil
	}
	u.Format = ""
	return f.desk.Put(ctx, by, "add kind of use", u.Slug, func(q *desk.Tx) error { return q.PutUse(ctx, u) })
}

// groups lists the groups of tests.
func (v *view) groupNames() (out []string) {
	for _, m := range v.measures {
		if !slices.Contains(out, m.Group) {
			out = append(out, m.Group)
		}
	}
	return out
}

// UseFit is how a field fits a kind of use.
type UseFit struct {
	Use   fit.Use           `json:"use"`
	Field string            `json:"field"`
	Fits  []fit.Fit         `json:"fits"`
	Names map[string]Called `json:"names"`
}

// FitOf tells how the variants of a field fit a kind of use.
func (f *Figures) FitOf(ctx context.Context, use, field, setup string, where ...string) (UseFit, error) {
	setup = cmp.Or(setup, method.AsDelivered)
	by, err := narrowed(where)
	if err != nil {
		return UseFit{}, err
	}
	d, err := f.look(ctx)
	if err != nil {
		return UseFit{}, err
	}
	u, err := d.use(use)
	if err != nil {
		return UseFit{}, err
	}
	in, err := d.field(field)
	if err != nil {
		return UseFit{}, err
	}
	members, err := d.membersOf(in)
	if err != nil {
		return UseFit{}, err
	}
	out := UseFit{Use: u, Field: in.Name, Names: map[string]Called{}}
	groups := map[string][]string{}
	for _, w := range u.Weights {
		in, err := d.inGroup(w.Group, members, func(m compare.Measure) bool { return m.Scale == quantity.Ratio })
		if err != nil {
			return UseFit{}, err
		}
		for _, m := range in {
			groups[m.Group] = append(groups[m.Group], m.ID)
		}
	}
	type key struct{ measure, setup string }
	got := map[key]map[string]compare.Figure{}
	var failed error
	figure := func(variant, measure, under string) (stats.Estimate, bool) {
		k := key{measure, cmp.Or(under, setup)}
		if got[k] == nil && failed == nil {
			got[k], failed = d.figures(d.byID[measure], k.setup, members, by)
		}
		if f := got[k][variant]; f.Line != nil {
			return f.Line.Estimate, true
		}
		return stats.Estimate{}, false
	}
	out.Fits = fit.All(u, members, func(slug string) map[string]any { return d.variants[slug].Spec }, d.judges, groups,
		figure)
	if failed != nil {
		return UseFit{}, failed
	}
	out.Fits = slices.DeleteFunc(out.Fits, func(f fit.Fit) bool { return f.Completeness == 0 })
	for _, f := range out.Fits {
		x := d.variants[f.Variant]
		out.Names[f.Variant] = Called{x.FullName(), x.Note}
	}
	return out, nil
}
