package service

import (
	"bytes"
	"context"
	"encoding/csv"
	"fmt"
	"math"
	"net/http"
	"strconv"
	"strings"

	"durvek/core/catalog"
	"durvek/core/chart"
	"durvek/core/compare"
	"durvek/core/fit"
	"durvek/core/method"
	"durvek/core/ranking"
	"durvek/desk"
	"durvek/desk/figures"
	"durvek/draw"
)

// Asked is a ranked comparison as a query asks for it.
type Asked struct {
	Field     string `query:"field" doc:"Field; everything if empty"`
	Measure   string `query:"measure" required:"true" doc:"test/measure, a number of the spec sheets (spec/body.weight), or the price in a currency (price/EUR)"`
	Setup     string `query:"setup" doc:"Setup; as-delivered if empty"`
	Subject   string `query:"subject" doc:"Variant in question"`
	Reference string `query:"relative" doc:"mean, claim, predecessor or a variant; plain values if empty"`
	Claims    bool   `query:"claims" doc:"Show makers' claims"`
	Raised    bool   `query:"raised" doc:"Show raised modes beneath their variants"`

	Allow   string `query:"allow" doc:"Variants, with commas between, that are compared though they are unlike; the chart says so"`
	Carried bool   `query:"carried" doc:"Show figures that were measured on a sibling with the same limiting part, hollow"`
	Modes   bool   `query:"modes" doc:"Raised modes stand as rows of their own"`
}

// split parts a list that is written with commas.
func split(list string) []string {
	return strings.FieldsFunc(list, func(r rune) bool { return r == ',' })
}

func (q Asked) desk() compare.Question {
	return compare.Question{Field: q.Field, Measure: q.Measure, Setup: q.Setup, Subject: q.Subject, Reference: q.Reference,
		Claims: q.Claims, Raised: q.Raised, Allow: split(q.Allow), Carried: q.Carried, Modes: q.Modes}
}

// Priced says which offers make a price.
type Priced struct {
	Currency  string `query:"currency" pattern:"^([A-Z]{3})?$" doc:"ISO 4217; EUR if empty"`
	Region    string `query:"region" doc:"Only offers of a region"`
	Condition string `query:"condition" enum:",new,used,refurbished" doc:"new if empty"`
	Day       string `query:"day" pattern:"^([0-9]{4}-[0-9]{2}-[0-9]{2})?$" doc:"Prices and rates as of a day"`
	NoVoucher bool   `query:"no_voucher" doc:"Prices without vouchers"`
}

func (p Priced) pricing() catalog.Pricing {
	return catalog.Pricing{Currency: p.Currency, Region: p.Region, Condition: p.Condition, Day: p.Day,
		NoVoucher: p.NoVoucher}
}

// Weighed is an index as a query asks for it.
type Weighed struct {
	Field   string `query:"field" doc:"Field; everything if empty"`
	Setup   string `query:"setup" doc:"Setup; as-delivered if empty"`
	Use     string `query:"use" doc:"Kind of use whose weights count"`
	Weights string `query:"weights" doc:"Measures or groups with weights, commas between: hashing/all=2,storage=1"`
	Subject string `query:"subject" doc:"Variant in question"`
	Against string `query:"against" doc:"Variant that is 100; the field's geometric mean if empty"`
}

func (w Weighed) question() (figures.IndexQuestion, error) {
	q := figures.IndexQuestion{Field: w.Field, Setup: w.Setup, Use: w.Use, Subject: w.Subject, Reference: w.Against}
	for _, part := range split(w.Weights) {
		name, number, ok := strings.Cut(part, "=")
		v, err := strconv.ParseFloat(strings.TrimSpace(number), 64)
		if name = strings.TrimSpace(name); !ok || err != nil || strings.Trim(name, "/") == "" || math.IsNaN(v) ||
			math.IsInf(v, 0) {
			return q, &desk.Error{Kind: desk.Invalid, Message: fmt.Sprintf("weights are written as hashing/all=2,storage=1, "+
				"not %q", part)}
		}
		x := fit.Weight{Weight: v}
		if strings.Contains(name, "/") {
			x.Measure = name
		} else {
			x.Group = name
		}
		q.Weights = append(q.Weights, x)
	}
	return q, nil
}

// HeadAsked is a head-to-head as a query asks for it.
type HeadAsked struct {
	Variants string `query:"variants" required:"true" doc:"Two to four variants, commas between; the first is what the others are held against"`
	Setup    string `query:"setup" doc:"Setup; as-delivered if empty"`
	Currency string `query:"currency" pattern:"^([A-Z]{3})?$"`
}

// ValueAsked is performance per price as a query asks for it: by a measure, or by an index.
type ValueAsked struct {
	Weighed
	Priced
	Measure string `query:"measure" doc:"Performance by this measure; by an index if empty"`
}

func (v ValueAsked) question() (figures.ValueQuestion, error) {
	q := figures.ValueQuestion{Field: v.Field, Measure: v.Measure, Setup: v.Setup, Subject: v.Subject,
		Pricing: v.pricing()}
	if v.Measure == "" {
		x, err := v.Weighed.question()
		q.Index = &x
		return q, err
	}
	return q, nil
}

// ModesAsked is what raised modes gain and cost, as a query asks for it.
type ModesAsked struct {
	Measure string `query:"measure" required:"true" doc:"test/measure"`
	Field   string `query:"field"`
}

// CurvesAsked is the series of several variants, as a query asks for them.
type CurvesAsked struct {
	Test     string `query:"test" required:"true"`
	Field    string `query:"field"`
	Variants string `query:"variants" doc:"Variants, commas between; the field's if empty"`
	Setup    string `query:"setup" doc:"Setup; as-delivered if empty"`
	Subject  string `query:"subject" doc:"Variant in question"`
}

// VariantAsked is a question about one variant.
type VariantAsked struct {
	Variant string `query:"variant" required:"true"`
}

// Drawn is how a chart is wanted.
type Drawn struct {
	Type        string  `path:"type" enum:"svg,png,csv" doc:"csv: the picture's figures as a table"`
	Format      string  `query:"format" enum:"page,column,card,tall" default:"page"`
	Dark        bool    `query:"dark"`
	Transparent bool    `query:"transparent"`
	Pixels      float64 `query:"pixels" minimum:"0.5" maximum:"4" default:"1" doc:"PNG pixels per unit"`
}

func (d Drawn) wanted() Drawn { return d }

// pictures registers a chart, drawn as SVG or PNG on a page or a card, or its figures as CSV (RFC 4180).
func pictures[I interface{ wanted() Drawn }](s *Service, kind, summary string, f func(context.Context,
	*I) (chart.Picture, error)) {
	files(s, "compare", "/api/charts/"+kind+".{type}", "chart-"+kind, summary, "image/svg+xml", func(ctx context.Context,
		in *I) (*blob, error) {
		c, err := f(ctx, in)
		if err != nil {
			return nil, err
		}
		w := (*in).wanted()
		o := draw.Options{Format: w.Format, Dark: w.Dark, Transparent: w.Transparent, Pixels: w.Pixels}
		if w.Type == "csv" {
			table := c.Table()
			var b bytes.Buffer
			out := csv.NewWriter(&b)
			out.UseCRLF = true
			out.Write(table.Columns) // a buffer does not fail
			out.WriteAll(table.Rows)
			return &blob{ContentType: "text/csv; charset=utf-8", Body: b.Bytes()}, out.Error()
		}
		if w.Type == "png" {
			b, err := draw.PNG(c, o)
			return &blob{ContentType: "image/png", Body: b}, err
		}
		b, err := draw.SVG(c, o)
		return &blob{ContentType: "image/svg+xml", Body: b}, err
	})
}

func (s *Service) compareRoutes() {
	d := s.desk
	by := func(ctx context.Context) string { return who(ctx).Name }

	get(s, "compare", "/api/fields", "list-fields", "List fields with their rules in words", func(ctx context.Context,
		_ *none) ([]figures.FieldPage, error) {
		return d.Figures.FieldPages(ctx)
	})
	post(s, "compare", "/api/fields", "add-field", "Add or change a field", func(ctx context.Context,
		in *body[ranking.Field]) (ranking.Field, error) {
		return in.Body, d.Figures.AddField(ctx, in.Body, by(ctx))
	})
	register(s, http.MethodDelete, "compare", "/api/fields/{slug}", "drop-field", "Remove a field that no review rests on",
		func(ctx context.Context, in *Slugged) (none, error) {
			return none{}, d.Figures.DropField(ctx, in.Slug, by(ctx))
		})
	get(s, "compare", "/api/measures", "list-measures", "List measures", func(ctx context.Context,
		_ *none) ([]compare.Measure, error) {
		return d.Figures.Measures(ctx)
	})
	get(s, "compare", "/api/measures/{slug}/{measure}", "show-measure", "A measure with its repeatability and every cell",
		func(ctx context.Context, in *struct {
			Slug    string `path:"slug"`
			Measure string `path:"measure"`
		}) (figures.MeasurePage, error) {
			return d.Figures.Measure(ctx, method.ID(in.Slug, in.Measure))
		})
	get(s, "compare", "/api/ranking", "rank", "A field ranked by one measure", func(ctx context.Context,
		in *Asked) (compare.Comparison, error) {
		return d.Figures.Rank(ctx, in.desk())
	})
	pictures(s, "ranked", "A field ranked by one measure, drawn", func(ctx context.Context, in *struct {
		Asked
		Drawn
	}) (chart.Picture, error) {
		c, err := d.Figures.Rank(ctx, in.desk())
		return c.Chart, err
	})
	get(s, "compare", "/api/cells", "cells", "The figures of variants in measures, as one matrix",
		func(ctx context.Context, in *struct {
			Variants string `query:"variants" doc:"Variants, commas between; the field's if empty"`
			Measures string `query:"measures" doc:"Measures, commas between; all with figures if empty"`
			Field    string `query:"field"`
			Setup    string `query:"setup"`
		}) (figures.Cells, error) {
			return d.Figures.CellsOf(ctx, in.Field, split(in.Variants), split(in.Measures), in.Setup)
		})
	get(s, "compare", "/api/places", "place", "Where a variant stands in a measure among its kind and in all history",
		func(ctx context.Context, in *struct {
			Measure string `query:"measure" required:"true"`
			Variant string `query:"variant" required:"true"`
			Setup   string `query:"setup"`
		}) (figures.Place, error) {
			return d.Figures.PlaceOf(ctx, in.Measure, in.Variant, in.Setup)
		})
	get(s, "compare", "/api/heads", "head-to-head", "Two to four variants against the first in all measures",
		func(ctx context.Context, in *HeadAsked) (compare.Head, error) {
			return d.Figures.HeadToHead(ctx, split(in.Variants), in.Setup, in.Currency)
		})
	pictures(s, "head", "Two to four variants against the first, drawn", func(ctx context.Context, in *struct {
		HeadAsked
		Drawn
	}) (chart.Picture, error) {
		h, err := d.Figures.HeadToHead(ctx, split(in.Variants), in.Setup, in.Currency)
		return h.Chart, err
	})
	get(s, "compare", "/api/rivals", "rivals", "A variant's siblings, predecessors and successors",
		func(ctx context.Context, in *VariantAsked) (figures.Rivals, error) {
			return d.Figures.Rivals(ctx, in.Variant)
		})
	get(s, "compare", "/api/likeness", "alike", "The variants of its kind that are nearest to one over all measures",
		func(ctx context.Context, in *struct {
			VariantAsked
			Most int `query:"most" default:"5" minimum:"1" maximum:"100"`
		}) ([]compare.Likeness, error) {
			return d.Figures.Alike(ctx, in.Variant, in.Most)
		})
	get(s, "compare", "/api/index", "index", "A weighted geometric mean over a field, with what is missing and how "+
		"firm it is", func(ctx context.Context, in *Weighed) (figures.Index, error) {
		q, err := in.question()
		if err != nil {
			return figures.Index{}, err
		}
		return d.Figures.IndexOf(ctx, q)
	})
	pictures(s, "index", "An index, drawn", func(ctx context.Context, in *struct {
		Weighed
		Drawn
	}) (chart.Picture, error) {
		q, err := in.question()
		if err != nil {
			return nil, err
		}
		x, err := d.Figures.IndexOf(ctx, q)
		return x.Chart, err
	})
	get(s, "compare", "/api/uses", "list-uses", "List kinds of use", func(ctx context.Context, _ *none) ([]fit.Use,
		error) {
		return d.Figures.Uses(ctx)
	})
	post(s, "compare", "/api/uses", "add-use", "Add or change a kind of use", func(ctx context.Context,
		in *body[fit.Use]) (fit.Use, error) {
		return d.Figures.AddUse(ctx, in.Body, by(ctx))
	})
	post(s, "compare", "/api/use-files", "import-use", "Take in a kind of use (YAML or JSON)", func(ctx context.Context,
		in *file) (fit.Use, error) {
		return d.Figures.ImportUse(ctx, in.RawBody, in.CheckOnly, by(ctx))
	})
	get(s, "compare", "/api/fits", "fit", "How the variants of a field fit a kind of use", func(ctx context.Context,
		in *struct {
			Use   string `query:"use" required:"true"`
			Field string `query:"field"`
			Setup string `query:"setup"`
		}) (figures.UseFit, error) {
		return d.Figures.FitOf(ctx, in.Use, in.Field, in.Setup)
	})
	get(s, "compare", "/api/rates", "list-rates", "List exchange rates, the newest first", func(ctx context.Context,
		_ *none) (catalog.Rates, error) {
		return d.Books.Rates(ctx)
	})
	post(s, "compare", "/api/rates", "add-rate", "Add an exchange rate, or correct that of the day",
		func(ctx context.Context, in *body[catalog.Rate]) (catalog.Rate, error) {
			return d.Books.AddRate(ctx, in.Body, by(ctx))
		})
	get(s, "compare", "/api/value", "value", "Performance against price: the frontier, the best buy, steps up",
		func(ctx context.Context, in *ValueAsked) (figures.Valued, error) {
			q, err := in.question()
			if err != nil {
				return figures.Valued{}, err
			}
			return d.Figures.ValueOf(ctx, q)
		})
	pictures(s, "value", "Performance against price, drawn", func(ctx context.Context, in *struct {
		ValueAsked
		Drawn
	}) (chart.Picture, error) {
		q, err := in.question()
		if err != nil {
			return nil, err
		}
		v, err := d.Figures.ValueOf(ctx, q)
		return v.Chart, err
	})
	get(s, "compare", "/api/rigs/{slug}/cost", "rig-cost", "What a rig costs to a working system",
		func(ctx context.Context, in *struct {
			Slugged
			Priced
		}) (figures.Cost, error) {
			return d.Figures.RigCost(ctx, in.Slug, in.pricing())
		})
	get(s, "compare", "/api/modes", "modes", "What raised modes gain and what they cost", func(ctx context.Context,
		in *ModesAsked) (compare.Modes, error) {
		return d.Figures.ModesOf(ctx, in.Measure, in.Field)
	})
	pictures(s, "modes", "What raised modes gain against what they cost, drawn", func(ctx context.Context, in *struct {
		ModesAsked
		Drawn
	}) (chart.Picture, error) {
		m, err := d.Figures.ModesOf(ctx, in.Measure, in.Field)
		return m.Chart, err
	})
	get(s, "compare", "/api/curves", "curves", "The newest series of a test, of several variants",
		func(ctx context.Context, in *CurvesAsked) (chart.Lines, error) {
			return d.Figures.Curves(ctx, in.Test, in.Field, split(in.Variants), in.Setup, in.Subject)
		})
	pictures(s, "curves", "Sustained lines or scaling curves of several variants, drawn", func(ctx context.Context,
		in *struct {
			CurvesAsked
			Drawn
		}) (chart.Picture, error) {
		return d.Figures.Curves(ctx, in.Test, in.Field, split(in.Variants), in.Setup, in.Subject)
	})
	get(s, "compare", "/api/suggestions", "suggest", "What to test next, by what it settles per hour of bench time",
		func(ctx context.Context, in *struct {
			Field   string `query:"field"`
			Variant string `query:"variant" doc:"Only this one's gaps"`
			Use     string `query:"use" doc:"Only what counts for this kind of use"`
			Measure string `query:"measure" doc:"Only this measure"`
			Most    int    `query:"most" default:"20" minimum:"1" maximum:"200"`
		}) ([]ranking.Suggestion, error) {
			return d.Figures.Next(ctx, figures.NextQuestion{Field: in.Field, Variant: in.Variant, Use: in.Use,
				Measure: in.Measure, Most: in.Most})
		})
	get(s, "compare", "/api/ledger", "ledger", "What became of claims, each and tallied", func(ctx context.Context,
		in *struct {
			Variant string `query:"variant"`
			Maker   string `query:"maker"`
			By      string `query:"by" enum:",maker,model,variant,year,maker-year"`
		}) (figures.Ledger, error) {
		return d.Figures.Ledger(ctx, in.Variant, in.Maker, in.By)
	})
	pictures(s, "claims", "What became of the claims about a variant, drawn", func(ctx context.Context, in *struct {
		VariantAsked
		Drawn
	}) (chart.Picture, error) {
		return d.Figures.ClaimsChart(ctx, in.Variant)
	})
}
