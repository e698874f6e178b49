package api

import (
	"durvek/core/catalog"
	"durvek/core/chart"
	"durvek/core/compare"
	"durvek/core/fit"
	"durvek/core/ranking"
	"durvek/desk/figures"
)

const compared = "compare"

// Everything that compares.
var (
	Fields = get[None, []figures.FieldPage](compared, "/api/fields", "list-fields",
		"List fields with their rules in words")
	AddField = post[Body[ranking.Field], ranking.Field](compared, "/api/fields", "add-field", "Add or change a field")
	// DropField refuses a field that a review rests on.
	DropField = drop[Slugged](compared, "/api/fields/{slug}", "drop-field", "Remove a field that no review rests on")
	Measures  = get[None, []compare.Measure](compared, "/api/measures", "list-measures", "List measures")
	Measure   = get[MeasureOf, figures.MeasurePage](compared, "/api/measures/{slug}/{measure}", "show-measure",
		"A measure with its repeatability and every cell")
	Rank  = get[Asked, compare.Comparison](compared, "/api/ranking", "rank", "A field ranked by one measure")
	Cells = get[CellsAsked, figures.Cells](compared, "/api/cells", "cells",
		"The figures of variants in measures, as one matrix")
	Place = get[PlaceAsked, figures.Place](compared, "/api/places", "place",
		"Where a variant stands in a measure among its kind and in all history")
	Heads = get[HeadAsked, compare.Head](compared, "/api/heads", "head-to-head",
		"Two to four variants against the first in all measures")
	Rivals = get[VariantAsked, figures.Rivals](compared, "/api/rivals", "rivals",
		"A variant's siblings, predecessors and successors")
	Alike = get[AlikeAsked, []compare.Likeness](compared, "/api/likeness", "alike",
		"The variants of its kind that are nearest to one over all measures")
	Index = get[Weighed, figures.Index](compared, "/api/index", "index",
		"A weighted geometric mean over a field, with what is missing and how firm it is")
	Uses      = get[None, []fit.Use](compared, "/api/uses", "list-uses", "List kinds of use")
	AddUse    = post[Body[fit.Use], fit.Use](compared, "/api/uses", "add-use", "Add or change a kind of use")
	ImportUse = post[File, fit.Use](compared, "/api/use-files", "import-use", "Take in a kind of use (YAML or JSON)")
	Fit       = get[FitAsked, figures.UseFit](compared, "/api/fits", "fit",
		"How the variants of a field fit a kind of use")
	Rates   = get[None, catalog.Rates](compared, "/api/rates", "list-rates", "List exchange rates, the newest first")
	AddRate = post[Body[catalog.Rate], catalog.Rate](compared, "/api/rates", "add-rate",
		"Add an exchange rate, or correct that of the day")
	Value = get[ValueAsked, figures.Valued](compared, "/api/value", "value",
		"Performance against price: the frontier, the best buy, steps up")
	RigCost = get[CostAsked, figures.Cost](compared, "/api/rigs/{slug}/cost", "rig-cost",
		"What a rig costs to a working system")
	Modes = get[ModesAsked, compare.Modes](compared, "/api/modes", "modes",
		"What other modes of the same work gain and what they cost")
	Curves = get[CurvesAsked, chart.Lines](compared, "/api/curves", "curves",
		"The newest series of a test, of several variants")
	Suggest = get[SuggestAsked, []ranking.Suggestion](compared, "/api/suggestions", "suggest",
		"What to test next, by what it settles per hour of bench time")
	Ledger = get[LedgerAsked, figures.Ledger](compared, "/api/ledger", "ledger", "What became of claims, each and tallied")
	Worth  = get[WorthAsked, compare.Controlled](compared, "/api/worth", "worth",
		"What single conditions, and single entries of spec sheets, are worth in a measure")
	Why = get[WhyAsked, compare.Why](compared, "/api/why", "why",
		"Why one variant's figure is not another's, as far as the data carry")
)

// The same, drawn.
var (
	RankedChart = chartOf("ranked", "A field ranked by one measure, drawn",
		func(q Asked, d Drawn) RankedPicture { return RankedPicture{q, d} })
	HeadChart = chartOf("head", "Two to four variants against the first, drawn",
		func(q HeadAsked, d Drawn) HeadPicture { return HeadPicture{q, d} })
	IndexChart = chartOf("index", "An index, drawn",
		func(q Weighed, d Drawn) IndexPicture { return IndexPicture{q, d} })
	ValueChart = chartOf("value", "Performance against price, drawn",
		func(q ValueAsked, d Drawn) ValuePicture { return ValuePicture{q, d} })
	ModesChart = chartOf("modes", "What other modes gain against what they cost, drawn",
		func(q ModesAsked, d Drawn) ModesPicture { return ModesPicture{q, d} })
	CurvesChart = chartOf("curves", "Sustained lines or scaling curves of several variants, drawn",
		func(q CurvesAsked, d Drawn) CurvesPicture { return CurvesPicture{q, d} })
	ClaimsChart = chartOf("claims", "What became of the claims about a variant, drawn",
		func(q ClaimsIn, d Drawn) ClaimsPicture { return ClaimsPicture{VariantAsked{q.Variant}, q.Narrowed, d} })
)

// Drawn is how a chart is wanted.
type Drawn struct {
	Type        string  `path:"type" enum:"svg,png,csv" doc:"csv: the picture's figures as a table"`
	Format      string  `query:"format" enum:"page,column,phone,card,tall,link" default:"page" doc:"page, column, phone, card (1920×1080), tall (1080×1920) or link (1200×630)"`
	Dark        bool    `query:"dark" doc:"Dark ground"`
	Transparent bool    `query:"transparent" doc:"No ground"`
	Most        int     `query:"most" minimum:"-1" maximum:"10000" doc:"Rows of a ranked chart at most: its ends and what is around its subject; 40 if left out, -1 for all"`
	Pixels      float64 `query:"pixels" minimum:"0.5" maximum:"4" default:"1" doc:"PNG pixels per unit, up to 4"`
}

// Chart is a question whose answer is wanted as a chart: Q as it is asked without, P with how it is drawn.
type Chart[Q, P any] struct {
	Operation[P, []byte]
	Of func(Q, Drawn) P
}

func chartOf[Q, P any](kind, words string, of func(Q, Drawn) P) Chart[Q, P] {
	return Chart[Q, P]{file[P](compared, "/api/charts/"+kind+".{type}", "chart-"+kind, words, "image/svg+xml"), of}
}

// What is asked for a chart.
type (
	RankedPicture struct {
		Asked
		Drawn
	}
	HeadPicture struct {
		HeadAsked
		Drawn
	}
	IndexPicture struct {
		Weighed
		Drawn
	}
	ValuePicture struct {
		ValueAsked
		Drawn
	}
	ModesPicture struct {
		ModesAsked
		Drawn
	}
	CurvesPicture struct {
		CurvesAsked
		Drawn
	}
	ClaimsPicture struct {
		VariantAsked
		Narrowed
		Drawn
	}
)

// Wanted is how it is drawn.
func (d Drawn) Wanted() Drawn { return d }

// Asked is a ranked comparison as a query asks for it.
type Asked struct {
	Field     string `query:"field" doc:"Field; everything if empty"`
	Measure   string `query:"measure" required:"true" doc:"test/measure, a number of the spec sheets (spec/body.weight), or the price in a currency (price/EUR)"`
	Setup     string `query:"setup" doc:"Setup; as delivered if empty"`
	Subject   string `query:"subject" doc:"Variant in question"`
	Reference string `query:"relative" doc:"mean, claim, predecessor or a variant; plain values if empty"`
	Claims    bool   `query:"claims" doc:"Show makers' claims"`
	Raised    bool   `query:"raised" doc:"Show other modes of the same work beneath their variants"`

	Allow   string `query:"allow" doc:"Variants, with commas between, that are compared though they are unlike; the chart says so"`
	Carried bool   `query:"carried" doc:"Show figures that were measured on a sibling with the same limiting part, hollow"`
	Modes   bool   `query:"modes" doc:"Other modes stand as rows of their own"`
	Narrowed
}

// Narrowed narrows a comparison to some of the figures that variants have.
type Narrowed struct {
	Where []string `query:"where,explode" doc:"Only figures at a place, in a host, of a unit or under a condition: 'place=left port', host=SLUG, memory.speed=3600; repeatable, or several with semicolons between"`
}

// Priced says which offers make a price.
type Priced struct {
	Currency  string `query:"currency" pattern:"^([A-Z]{3})?$" patternDescription:"three capital letters, such as EUR" doc:"Currency of the answer, ISO 4217; that of the field's price band if empty, else the one that most offers are in"`
	Region    string `query:"region" doc:"Only offers of a region"`
	Condition string `query:"condition" enum:",new,used,refurbished" doc:"new, used or refurbished; new if empty"`
	Day       string `query:"day" pattern:"^([0-9]{4}-[0-9]{2}-[0-9]{2})?$" patternDescription:"a day, such as 2026-03-02" doc:"Prices and rates as of a day, YYYY-MM-DD"`
	NoVoucher bool   `query:"no_voucher" doc:"Prices without vouchers"`
}

// Weighed is an index as a query asks for it.
type Weighed struct {
	Field   string `query:"field" doc:"Field; everything if empty"`
	Setup   string `query:"setup" doc:"Setup; as delivered if empty"`
	Use     string `query:"use" doc:"Kind of use whose weights count"`
	Weights string `query:"weights" doc:"Measures or groups with weights, commas between: hashing/all=2,storage=1; on top of the use's"`
	Subject string `query:"subject" doc:"Variant in question"`
	Against string `query:"against" doc:"Variant that is 100; the field's geometric mean if empty"`
	Narrowed
}

// HeadAsked is a head-to-head as a query asks for it.
type HeadAsked struct {
	Variants string `query:"variants" required:"true" doc:"Two to four variants, commas between; the first is what the others are held against"`
	Setup    string `query:"setup" doc:"Setup; as delivered if empty"`
	Currency string `query:"currency" pattern:"^([A-Z]{3})?$" patternDescription:"three capital letters, such as EUR" doc:"Currency of prices; as they were seen if empty"`
	Narrowed
}

// ValueAsked is performance per price as a query asks for it: by a measure, or by an index.
type ValueAsked struct {
	Weighed
	Priced
	Measure string `query:"measure" doc:"Performance by this measure; by an index if empty"`
}

// ModesAsked is what raised modes gain and cost, as a query asks for it.
type ModesAsked struct {
	Measure string `query:"measure" required:"true" doc:"test/measure"`
	Field   string `query:"field" doc:"Field; everything if empty"`
	Subject string `query:"subject" doc:"Variant whose modes are set side by side: the measure, clock, power, temperature, noise"`
}

// CurvesAsked is the series of several variants, as a query asks for them.
type CurvesAsked struct {
	Test     string `query:"test" required:"true"`
	Field    string `query:"field" doc:"Field; everything if empty"`
	Variants string `query:"variants" doc:"Variants, commas between; the field's if empty"`
	Setup    string `query:"setup" doc:"Setup; as delivered if empty"`
	Subject  string `query:"subject" doc:"Variant in question"`
}

// VariantAsked is a question about one variant.
type VariantAsked struct {
	Variant string `query:"variant" required:"true"`
}

// AlikeAsked is what is like a variant.
type AlikeAsked struct {
	VariantAsked
	Most int `query:"most" default:"5" minimum:"1" maximum:"100" doc:"How many"`
}

// MeasureOf is a measure of a test.
type MeasureOf struct {
	Slug    string `path:"slug"`
	Measure string `path:"measure"`
}

// CellsAsked is a matrix of figures.
type CellsAsked struct {
	Variants string `query:"variants" doc:"Variants, commas between; the field's if empty"`
	Measures string `query:"measures" doc:"Measures, commas between; all with figures if empty"`
	Field    string `query:"field"`
	Setup    string `query:"setup"`
	Narrowed
}

// PlaceAsked is where a variant stands in a measure.
type PlaceAsked struct {
	Measure string `query:"measure" required:"true"`
	Variant string `query:"variant" required:"true"`
	Setup   string `query:"setup" doc:"Setup; as delivered if empty"`
	Narrowed
}

// FitAsked is how a field fits a use.
type FitAsked struct {
	Use   string `query:"use" required:"true"`
	Field string `query:"field" doc:"Field; everything if empty"`
	Setup string `query:"setup" doc:"Setup; as delivered if empty"`
	Narrowed
}

// CostAsked is what a rig costs.
type CostAsked struct {
	Slugged
	Priced
}

// SuggestAsked is what to test next.
type SuggestAsked struct {
	Field   string `query:"field" doc:"Field; everything if empty"`
	Variant string `query:"variant" doc:"Only this one's gaps"`
	Use     string `query:"use" doc:"Only what counts for this kind of use"`
	Measure string `query:"measure" doc:"Only this measure"`
	Most    int    `query:"most" default:"20" minimum:"1" maximum:"200" doc:"How many"`
}

// LedgerAsked is what became of claims.
type LedgerAsked struct {
	Variant string `query:"variant" doc:"Only this variant's"`
	Maker   string `query:"maker" doc:"Only this maker's"`
	By      string `query:"by" enum:",maker,model,variant,year,maker-year" doc:"maker, model, variant, year or maker-year"`
	Narrowed
}

// WorthAsked is what conditions are worth in a measure.
type WorthAsked struct {
	Measure string       `query:"measure" required:"true" doc:"test/measure"`
	Kind    catalog.Kind `query:"kind" doc:"Only this kind of device"`
}

// WhyAsked is why one figure is not another.
type WhyAsked struct {
	Measure string `query:"measure" required:"true" doc:"test/measure"`
	A       string `query:"a" required:"true" doc:"Variant"`
	B       string `query:"b" required:"true" doc:"Variant"`
	Setup   string `query:"setup" doc:"Setup; as delivered if empty"`
}
