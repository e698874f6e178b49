// Package house joins the rooms of a desk: it opens them in order over one core, gives each what it asks of the others,
// and closes them. Nothing is decided here.
package house

import (
	"context"

	"durvek/core/method"
	"durvek/desk"
	"durvek/desk/bench"
	"durvek/desk/books"
	"durvek/desk/figures"
	"durvek/desk/front"
	"durvek/desk/hooks"
	"durvek/desk/results"
	"durvek/desk/reviews"
)

// Options open a house. Tests are the built-in test definitions.
type Options struct {
	desk.Options
	Tests []method.Test
}

// House is an open desk with all its rooms. They may be used by many at once.
type House struct {
	Desk    *desk.Desk
	Books   *books.Books
	Bench   *bench.Bench
	Results *results.Results
	Figures *figures.Figures
	Reviews *reviews.Reviews
	Front   *front.Front
	Hooks   *hooks.Hooks
}

// Open opens the desk kept in a folder, making it if needed.
func Open(ctx context.Context, o Options) (*House, error) {
	d, err := desk.Open(ctx, o.Options)
	if err != nil {
		return nil, err
	}
	h := &House{Desk: d}
	if err := h.furnish(ctx, o.Tests); err != nil {
		h.Close()
		return nil, err
	}
	return h, nil
}

func (h *House) furnish(ctx context.Context, tests []method.Test) (err error) {
	if h.Books, err = books.Open(ctx, h.Desk, tests); err != nil {
		return err
	}
	if h.Figures, err = figures.Open(ctx, h.Desk); err != nil {
		return err
	}
	if h.Bench, err = bench.Open(ctx, h.Desk, h.Figures, h.Books); err != nil {
		return err
	}
	if h.Results, err = results.Open(ctx, h.Desk, h.Figures, h.Bench, h.Books); err != nil {
		return err
	}
	if h.Reviews, err = reviews.Open(ctx, h.Desk, h.Figures, h.Books, h.Bench, h.Results); err != nil {
		return err
	}
	h.Front = front.Open(h.Desk, h.Bench, h.Figures)
	h.Hooks = hooks.Open(ctx, h.Desk)
	return nil
}

// Close ends live streams and what runs behind, then closes the database.
func (h *House) Close() error {
	h.Desk.Events.Close()
	if h.Hooks != nil {
		h.Hooks.Close()
	}
	if h.Bench != nil {
		h.Bench.Close()
	}
	if h.Figures != nil {
		h.Figures.Close()
	}
	return h.Desk.Close()
}
