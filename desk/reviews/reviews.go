// Package reviews is the room of what readers get: findings, verdicts, signatures and published editions. It draws
// findings from comparisons, keeps the reviewer's words, and writes an edition once. It computes no figure.
package reviews

import (
	"context"
	"sync"

	"durvek/core/catalog"
	"durvek/core/chart"
	"durvek/core/claims"
	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/ranking"
	"durvek/core/record"
	"durvek/core/stats"
	"durvek/core/verdict"
	"durvek/desk"
	"durvek/exchange"
	"durvek/publish"
)

// Figures is what this room asks of the one that compares.
type Figures interface {
	Together(context.Context) context.Context
	Rank(context.Context, compare.Question) (compare.Comparison, error)
	CheckClaims(ctx context.Context, variant string, where ...string) ([]claims.Judged, error)
	Pool(context.Context, compare.Measure) (stats.Pool, error)
	Subject(ctx context.Context, variant string) (desk.Subject, error)
	Name(ctx context.Context, variant string) (desk.Named, error)
	Members(ctx context.Context, field string) ([]string, error)
	Devices(ctx context.Context, variants map[string]bool) ([]exchange.Rival, error)
	FieldName(ctx context.Context, slug string) (string, error)
	Known(context.Context) ([]compare.Measure, error)
	Tests(context.Context) (map[string]method.Test, error)
	Curves(ctx context.Context, test, field string, variants []string, setup, subject string) (chart.Lines, error)
	ModesOf(ctx context.Context, measure, field, subject string) (compare.Modes, error)
	Among(ctx context.Context, measure, variant, setup string, where ...string) (*ranking.Within, error)
	NeedsOf(ctx context.Context, use, field, variant string) ([]verdict.Need, *verdict.Fitting, error)
	Asked(ctx context.Context, uses []string) (areas map[string]float64, measures []string, err error)
	WorthOf(ctx context.Context, field, variant string, uses []string) (*verdict.Worth, error)
	PricesOf(ctx context.Context, field, variant string, others []string) (map[string]verdict.Costs, error)
}

// Bench is what it asks of the one where things happen.
type Bench interface {
	IncidentRates(ctx context.Context, unit string) ([]record.IncidentRate, error)
}

// Results is what it asks of the one that keeps what was measured.
type Results interface {
	Partners(ctx context.Context, part string) ([]compare.Pair, error)
	Shown(ctx context.Context, units []string, most int) ([]publish.Photo, error)
	Pictures(ctx context.Context, units []string) ([]publish.Shown, error)
}

// Books is what this room asks of the one that keeps the catalogue.
type Books interface {
	Variant(ctx context.Context, slug string) (catalog.DossierVariant, error)
}

// Reviews is the room. All of it may be used by many at once; publishing is held for one publication at a time, since
// editions are numbered.
type Reviews struct {
	desk       *desk.Desk
	figures    Figures
	books      Books
	bench      Bench
	results    Results
	publishing sync.Mutex
}

// Open makes the room, and brings the folders of editions to what was published.
func Open(ctx context.Context, d *desk.Desk, f Figures, b Books, bench Bench, results Results) (*Reviews,
	error) {
	r := &Reviews{desk: d, figures: f, books: b, bench: bench, results: results}
	return r, r.tidy(ctx)
}
