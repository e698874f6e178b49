package store

import (
	"context"
	"database/sql"
	"sync"
)

// mostPrepared is how many statements are kept; beyond it stand texts that are made up as they are needed.
const mostPrepared = 256

// prepared runs statements that stay prepared: reading a statement costs more than most answers of this database do.
type prepared struct {
	db   *sql.DB
	mu   sync.RWMutex
	kept map[string]*sql.Stmt
}

func prepare(db *sql.DB) *prepared { return &prepared{db: db, kept: map[string]*sql.Stmt{}} }

func (p *prepared) known(query string) (s *sql.Stmt, full bool) {
	p.mu.RLock()
	defer p.mu.RUnlock()
	return p.kept[query], len(p.kept) >= mostPrepared
}

// stmt gives the statement of a text; nil where it is not kept.
func (p *prepared) stmt(ctx context.Context, query string) *sql.Stmt {
	s, full := p.known(query)
	if s != nil || full {
		return s
	}
	s, err := p.db.PrepareContext(ctx, query)
	if err != nil {
		return nil // whoever runs the text itself is told what is wrong with it
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	if first := p.kept[query]; first != nil {
		s.Close()
		return first
	}
	p.kept[query] = s
	return s
}

func (p *prepared) ExecContext(ctx context.Context, query string, args ...any) (sql.Result, error) {
	if s := p.stmt(ctx, query); s != nil {
		return s.ExecContext(ctx, args...)
	}
	return p.db.ExecContext(ctx, query, args...)
}

func (p *prepared) QueryContext(ctx context.Context, query string, args ...any) (*sql.Rows, error) {
	if s := p.stmt(ctx, query); s != nil {
		return s.QueryContext(ctx, args...)
	}
	return p.db.QueryContext(ctx, query, args...)
}

func (p *prepared) QueryRowContext(ctx context.Context, query string, args ...any) *sql.Row {
	if s := p.stmt(ctx, query); s != nil {
		return s.QueryRowContext(ctx, args...)
	}
	return p.db.QueryRowContext(ctx, query, args...)
}

// within runs statements in a transaction. The one connection that writes is taken by it: what is new to it is kept
// when it is over.
type within struct {
	*sql.Tx
	of    *prepared
	bound map[string]*sql.Stmt
}

// stmt gives the statement of a text, prepared for this transaction; nil where it cannot be.
func (w within) stmt(ctx context.Context, query string) *sql.Stmt {
	if s := w.bound[query]; s != nil {
		return s
	}
	known, full := w.of.known(query)
	switch {
	case known != nil:
		w.bound[query] = w.StmtContext(ctx, known)
	case !full && len(w.bound) < mostPrepared:
		if s, err := w.PrepareContext(ctx, query); err == nil {
			w.bound[query] = s
		}
	}
	return w.bound[query]
}

// learn keeps the statements that the transaction was the first to use.
func (w within) learn(ctx context.Context) {
	for query := range w.bound {
		w.of.stmt(ctx, query)
	}
}

func (w within) ExecContext(ctx context.Context, query string, args ...any) (sql.Result, error) {
	if s := w.stmt(ctx, query); s != nil {
		return s.ExecContext(ctx, args...)
	}
	return w.Tx.ExecContext(ctx, query, args...)
}

func (w within) QueryContext(ctx context.Context, query string, args ...any) (*sql.Rows, error) {
	if s := w.stmt(ctx, query); s != nil {
		return s.QueryContext(ctx, args...)
	}
	return w.Tx.QueryContext(ctx, query, args...)
}

func (w within) QueryRowContext(ctx context.Context, query string, args ...any) *sql.Row {
	if s := w.stmt(ctx, query); s != nil {
		return s.QueryRowContext(ctx, args...)
	}
	return w.Tx.QueryRowContext(ctx, query, args...)
}
