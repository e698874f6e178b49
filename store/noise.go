package store

import (
	"context"
	"database/sql"
	"errors"
)

// Noise gives what PutNoise kept; nil where that is nothing.
func (q Queries) Noise(ctx context.Context) (state []byte, err error) {
	err = q.db.QueryRowContext(ctx, `select state from noise`).Scan(&state)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	return state, err
}

// PutNoise keeps how noisy tests and machines are, in place of what was kept before.
func (q Queries) PutNoise(ctx context.Context, state []byte) error {
	return q.exec(ctx, `insert or replace into noise (id, state) values (1, ?)`, state)
}
