package figures

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"sync"

	"durvek/core/catalog"
	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/trust"
	"durvek/exchange"
	"durvek/store"
)

// foreign is a figure that another desk published, as it stands in comparisons: beside one's own, with the interval
// that its desk found. It is in no pool, no history and no noise.
type foreign struct {
	compare.Cell
	caveat string
}

// editions keeps what other desks published as it was read, by digest, so that it is parsed once and not each time that
// the catalogue changes.
type editions struct {
	mu   sync.Mutex
	read map[string]*edition
}

// edition is one that was taken in, and the slug of the name that its desk goes by here.
type edition struct {
	exchange.Edition
	origin string
}

// all gives the editions of a list, newest first, with those that are on it no more forgotten.
func (e *editions) all(ctx context.Context, q *store.Store, list []store.Exchanged) ([]*edition, error) {
	e.mu.Lock()
	defer e.mu.Unlock()
	read := map[string]*edition{}
	var out []*edition
	for _, x := range list {
		key := x.Origin + "/" + x.Review + "/" + x.Digest + "/" + x.Name
		ed := e.read[key]
		if ed == nil {
			body, err := q.ExchangedBody(ctx, x.Origin, x.Review)
			if err != nil {
				return nil, err
			}
			ed = &edition{origin: x.Origin}
			if err := json.Unmarshal([]byte(body), &ed.Edition); err != nil {
				return nil, fmt.Errorf("what %s published as %s is kept broken: %w", x.Name, x.Review, err)
			}
			ed.Desk = x.Name
		}
		read[key] = ed
		out = append(out, ed)
	}
	e.read = read
	slices.SortStableFunc(out, func(a, b *edition) int { return b.Published.Compare(a.Published) })
	return out, nil
}

// take puts what another desk published into the catalogue that is compared: its variants behind one's own, its figures
// by measure. Of two editions that hold the same figure the newer counts; it comes first. Figures of another test of
// the same name, or of none that is here, stay out; of another version they are compared, and found not comparable.
// have are the figures that came already, sampled the variants that this desk has a unit of.
func (v *view) take(e *edition, have, sampled map[string]bool) {
	stands := map[string]exchange.Standing{}
	for _, t := range e.Tests {
		stands[t.Slug] = t.Stands(v.tests)
	}
	here := map[string]bool{}
	for _, f := range e.Figures {
		test, _ := method.Split(f.Measure)
		m, known := v.byID[f.Measure]
		if s := stands[test]; !known || m.Derived() || s != exchange.Alike && s != exchange.Version || !f.Usable(m) {
			continue
		}
		slug := exchange.Slug(e.origin, f.Variant)
		c := f.Cell(slug, e.Desk, v.tests[test], m.Scale)
		key := fmt.Sprint(f.Measure, "|", slug, "|", c.Unit, "|", c.Host, "|", c.Place, "|", c.Setup, "|", c.Key)
		if have[key] {
			continue
		}
		have[key], here[f.Variant] = true, true
		if v.foreign[f.Measure] == nil {
			v.foreign[f.Measure] = map[string][]foreign{}
		}
		v.foreign[f.Measure][slug] = append(v.foreign[f.Measure][slug], foreign{c, f.Caveat})
	}
	for _, r := range e.Rivals {
		slug := exchange.Slug(e.origin, r.Variant)
		if _, twice := v.variants[slug]; twice || !here[r.Variant] {
			continue
		}
		own := v.variants[r.Variant].Model
		same := own.Maker == r.Maker && own.Name == r.Name
		v.variants[slug] = variantView{Slug: slug, Note: r.Configuration, Spec: r.Spec, Origin: e.Desk,
			Twin: same && sampled[r.Variant],
			Model: catalog.Model{Slug: exchange.Slug(e.origin, r.Model), Maker: r.Maker, Name: r.Name + " (" + e.Desk + ")",
				Kind: r.Kind, Released: r.Released}}
		v.order = append(v.order, slug)
		if same {
			v.offers[slug] = v.offers[r.Variant] // prices are of what is sold, whoever measured it
		}
	}
}

// cells are those of a variant that another desk measured.
func (v *view) cells(measure, variant string) (out []compare.Cell) {
	for _, f := range v.foreign[measure][variant] {
		out = append(out, f.Cell)
	}
	return out
}

// caveats adds to doubts, by unit, what other desks published figures of a measure with. It touches the cells of the
// same unit and setup: the figure itself, or what is worked out of it.
func (v *view) caveats(to map[string][]compare.Doubted, measure string, cells map[string][]compare.Cell) {
	for variant, list := range cells {
		for _, f := range v.foreign[measure][variant] {
			for _, c := range list {
				if f.caveat != "" && c.Unit == f.Unit && c.Setup == f.Setup {
					to[c.Unit] = append(to[c.Unit], compare.Doubted{ID: "published", Severity: trust.Note,
						Sentence: f.caveat, Caveat: true, Cell: c})
				}
			}
		}
	}
}

// Devices tells what variants are, for other desks.
func (f *Figures) Devices(ctx context.Context, variants map[string]bool) ([]exchange.Rival, error) {
	v, err := f.view(ctx)
	if err != nil {
		return nil, err
	}
	var out []exchange.Rival
	for _, slug := range v.order {
		if x := v.variants[slug]; variants[slug] {
			out = append(out, exchange.Rival{Variant: slug, Model: x.Model.Slug, Maker: x.Model.Maker, Name: x.Model.Name,
				Configuration: x.Note, Kind: x.Model.Kind, Released: x.Model.Released, Spec: x.Spec})
		}
	}
	return out, nil
}
