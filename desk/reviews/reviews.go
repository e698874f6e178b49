// Package reviews is the room of what readers get: findings, verdicts, signatures and published editions. It draws
// findings from comparisons, keeps the reviewer's words, and writes an edition once. It computes no figure.
package reviews

import (
	"context"
	"sync"

	"durvek/core/catalog"
	"durvek/core/claims"
	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/stats"
	"durvek/desk"
)

// Figures is what this room asks of the one that compares.
type Figures interface {
	Rank(context.Context, compare.Question) (compare.Comparison, error)
	CheckClaims(ctx context.Context, variant string, where ...string) ([]claims.Judged, error)
	Pool(context.Context, compare.Measure) (stats.Pool, error)
	Subject(ctx context.Context, variant string) (desk.Subject, error)
	Name(ctx context.Context, variant string) (desk.Named, error)
	FieldName(ctx context.Context, slug string) (string, error)
	Known(context.Context) ([]compare.Measure, error)
	Tests(context.Context) (map[string]method.Test, error)
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
	publishing sync.Mutex
}

// Open makes the room, and brings the folders of editions to what was published.
func Open(ctx context.Context, d *desk.Desk, f Figures, b Books) (*Reviews, error) {
	r := &Reviews{desk: d, figures: f, books: b}
	return r, r.tidy(ctx)
}
