package figures

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"math"
	"regexp"
	"slices"
	"strings"

	"durvek/core/catalog"
	"durvek/core/chart"
	"durvek/core/claims"
	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/trust"
	"durvek/desk"
	"durvek/store"
)

// Ledger is what became of claims: each of them, and tallied.
type Ledger struct {
	Claims  []claims.Judged `json:"claims"`
	Tallies []claims.Tally  `json:"tallies"`
	Note    string          `json:"note"`
}

// Ledger judges the claims about a variant, a maker's, or all, and tallies them by maker, model, variant, year, or
// maker and year.
func (f *Figures) Ledger(ctx context.Context, variant, maker, by string, where ...string) (Ledger, error) {
	by = cmp.Or(by, "maker")
	if !slices.Contains(claims.Bys, by) {
		return Ledger{}, desk.Refuse(
			desk.Invalid,
			"claims are tallied by maker, model, variant, year or maker-year, not "+
				"by %q",
			by,
		)
	}
	judged, err := f.CheckClaims(ctx, variant, where...)
	if err != nil {
		return Ledger{}, err
	}
	if maker != "" {
		judged = slices.DeleteFunc(judged, func(j claims.Judged) bool { return j.Maker != maker })
		if len(judged) == 0 {
			return Ledger{}, desk.Refuse(desk.NotFound, "no claim by a maker %q is on record", maker)
		}
	}
	return Ledger{Claims: judged, Tallies: claims.Tallies(judged, by), Note: "Each claim is taken alone, at 95 %: of " +
		"many that are met exactly a few will look short or beyond by chance."}, nil
}

// ClaimsChart draws the claims about a variant against what was measured.
func (f *Figures) ClaimsChart(ctx context.Context, variant string, where ...string) (chart.Forest, error) {
	d, err := f.look(ctx)
	if err != nil {
		return chart.Forest{}, err
	}
	x, err := d.variant(variant)
	if err != nil {
		return chart.Forest{}, err
	}
	by, err := narrowed(where)
	if err != nil {
		return chart.Forest{}, err
	}
	judged, err := d.checkClaims(variant, by)
	if err != nil {
		return chart.Forest{}, err
	}
	return claims.Draw(x.FullName()+", "+x.Note, judged, d.f.desk.Name()), nil
}

var year = regexp.MustCompile(`\b(20\d\d)\b`)

// yearIn finds the year that a source names, such as "box, 2024".
func yearIn(source string) string { return year.FindString(source) }

// proof lists the runs behind a cell: the best one where the claim asks for that, else the newest ten.
func (d *sight) proof(m compare.Measure, cell compare.Cell, c catalog.Claim, best float64) ([]string, error) {
	test, _ := method.Split(m.ID)
	d.uses.note(runsOf(test))
	ids, values, err := d.f.desk.Store.ProofRuns(d.ctx, store.CellKey{Measure: m.ID, Setup: cell.Setup, Unit: cell.Unit,
		Host: cell.Host, Place: cell.Place, Basis: cell.Key})
	if c.Qualifier == "up to" {
		for i, v := range values {
			if v == best {
				return ids[i : i+1], err
			}
		}
	}
	return ids[:min(len(ids), 10)], err
}

// CheckClaims judges every claim about a variant, or about all variants; where narrows the figures that judge.
func (f *Figures) CheckClaims(ctx context.Context, variant string, where ...string) ([]claims.Judged, error) {
	d, err := f.look(ctx)
	if err != nil {
		return nil, err
	}
	by, err := narrowed(where)
	if err != nil {
		return nil, err
	}
	return d.checkClaims(variant, by)
}

func (d *sight) checkClaims(variant string, by narrowing) ([]claims.Judged, error) {
	var list []catalog.Claim
	if variant != "" {
		if _, err := d.variant(variant); err != nil {
			return nil, err
		}
		list = d.claims[variant]
	} else {
		for _, slug := range slices.Sorted(maps.Keys(d.claims)) {
			list = append(list, d.claims[slug]...)
		}
	}
	out := []claims.Judged{}
	for _, c := range list {
		m, ok := d.byID[c.Measure]
		if !ok {
			return nil, desk.Refuse(desk.Conflict, "claim on %q: no test yields that measure any more", c.Measure)
		}
		x := d.variants[c.Variant]
		cells, _, err := d.of(m, c.Variant)
		if err != nil {
			return nil, err
		}
		by.apply(cells)
		test, _ := method.Split(m.ID)
		doubts, err := d.openDoubts(test)
		if err != nil {
			return nil, err
		}
		found, cell := evidence(c, m, func(setup string) bool { return d.plain(test, setup) }, cells[c.Variant])
		verdict, err := claims.Check(c, m.Def(), found, x.Spec)
		if err != nil {
			return nil, desk.Refuse(desk.Invalid, "claim on %q: %v", c.Measure, err)
		}
		text := quantity.Plain(c.Value, c.Unit)
		if c.Qualifier != "" && c.Qualifier != "exact" {
			text = string(c.Qualifier) + " " + text
		}
		j := claims.Judged{Claim: c, Name: m.Name, Text: text, Symbol: m.Symbol, Scale: m.Scale, Maker: x.Model.Maker,
			Model: x.FullName(), Verdict: verdict,
			Measured: verdict.Says(m.Def()), Doubts: doubting(doubts, m.ID, cell)}
		if why := aside(d.tests[test]); why != "" {
			j.Doubts = append([]string{why}, j.Doubts...)
		}
		if n, t := verdict.More, d.tests[test]; n > 0 && t.Seconds > 0 {
			j.Minutes = math.Ceil(float64(n) * t.Seconds / 60)
			j.Verdict.Why += fmt.Sprintf(" That takes about %.0f min.", j.Minutes)
		}
		if when := cmp.Or(c.Date, yearIn(c.Source), x.Model.Released); len(when) >= 4 {
			j.Year = when[:4]
		}
		if variant != "" && cell != nil { // who looks at one device wants to see what proves it
			for _, x := range cell.Of {
				runs, err := d.proof(m, x, c, found.Best)
				if err != nil {
					return nil, err
				}
				j.Runs = append(j.Runs, runs...)
			}
		}
		out = append(out, j)
	}
	return out, nil
}

// evidence finds what judges a claim: the variant's rows of the newest test version, at the claim's place, under the
// claim's conditions (where it names none, under those that plain tells). A claim is one about the whole device: of
// several rows that differ in place or host the one where it does worst judges, the best for "up to". Rows that are
// other work do not stand for each other: then the claim is not comparable until it says which is meant.
func evidence(c catalog.Claim, m compare.Measure, plain func(setup string) bool,
	cells []compare.Cell) (*claims.Evidence, *compare.Line) {
	var fit []compare.Cell
	unlike := ""
	for _, cell := range cells {
		if cell.Variant != c.Variant || c.Place != "" && cell.Place != c.Place {
			continue
		}
		if cell.Basis.TestVersion != m.Version {
			unlike = cmp.Or(unlike, "an older version of the test")
			continue
		}
		if len(c.Conditions) == 0 && !plain(cell.Setup) {
			unlike = cmp.Or(unlike, "only other modes were measured")
			continue
		}
		if diff := trust.Comparable(trust.Basis{Conditions: c.Conditions}, trust.Basis{Conditions: cell.Basis.Conditions},
			desk.SortedKeys(c.Conditions)); len(
			diff,
		) > 0 {
			unlike = trust.Sentence(diff)
			continue
		}
		fit = append(fit, cell)
	}
	rows := compare.Lines(m, fit)
	if len(rows) == 0 {
		if unlike == "" {
			return nil, nil
		}
		return &claims.Evidence{Unlike: unlike}, nil
	}
	judge, among := 0, ""
	if len(rows) > 1 {
		var differ []string
		for i, r := range rows {
			differ = append(differ, r.Differs)
			if r.Key != rows[0].Key {
				among = "work" // other work, or another mode of it
			}
			better := r.Estimate.Centre > rows[judge].Estimate.Centre
			if m.Better == quantity.Lower {
				better = r.Estimate.Centre < rows[judge].Estimate.Centre
			}
			if i > 0 && better == (c.Qualifier == "up to") {
				judge = i
			}
		}
		if among == "work" {
			return &claims.Evidence{Unlike: "it was measured as " + strings.Join(differ, "; ") +
				", and the claim does not say which it means"}, nil
		}
		among = fmt.Sprintf("%s, where it does %s of %d", rows[judge].Differs,
			map[bool]string{true: "best", false: "worst"}[c.Qualifier == "up to"], len(rows))
	}
	best := &rows[judge]
	e := &claims.Evidence{Estimate: best.Estimate, Best: best.Best[1], Where: cmp.Or(among, best.Taken)}
	if m.Better == quantity.Lower {
		e.Best = best.Best[0]
	}
	return e, best
}

// doubting lists the open doubts about a line in words, the gravest first.
func doubting(doubts []store.OpenDoubt, measure string, l *compare.Line) (out []string) {
	if l == nil {
		return nil
	}
	_, slug := method.Split(measure)
	for _, x := range doubts {
		about := func(c compare.Cell) bool {
			return x.Unit == c.Unit && x.Setup == c.Setup && x.Host == c.Host && x.Place == c.Place && x.Basis == c.Key
		}
		if (x.Measure == "" || x.Measure == slug) && slices.ContainsFunc(l.Of, about) &&
			!slices.Contains(out, x.Sentence) {
			out = append(out, x.Sentence)
		}
	}
	return out
}
