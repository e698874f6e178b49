package app

import (
	"context"
	"database/sql"
	"fmt"
	"math/rand/v2"
	"net/url"
	"path/filepath"
	"time"

	_ "modernc.org/sqlite" // the driver registers itself

	"durvek/core/method"
	"durvek/core/record"
	"durvek/workload"
	"durvek/workload/storage"
)

const (
	tracks       = 20_000
	queryRounds  = 200
	databaseNeed = 256 << 20
	// What the table holds after it was filled, and what the queries add up to.
	filledSum  = 597467391
	queriedSum = 3020619758
)

func init() {
	register(method.Test{
		Slug: "database", Name: "Database", Repeats: 5, Seconds: 6, Writes: 64 << 20,
		About: "A database file (SQLite through a library in Go, write-ahead log, every commit flushed) takes 20,000 " +
			"rows in one transaction, then small transactions of one row and one change each, and answers queries that join, " +
			"group and sort.",
		StandsFor: "Mail, photo catalogues, browsers' histories, booking: nearly every program keeps such a file.",
		LimitedBy: "Filling and queries by one core; small transactions by the drive's flush.",
		Input:     "Rows from seed 20.", Checked: "Sums over what was stored and over what the queries found.",
		MustMatch: []string{"supply", "power.mode", "runtime", "drive.filesystem"},
		Measures: append(seconds(0.02, "fill", "filling"), append(rates("{transaction}/s", 0.05, "transactions",
			"small transactions"), rates("/s", 0.02, "queries", "queries")...)...),
	}, runDatabase)
}

func runDatabase(ctx context.Context, env workload.Env) (out record.Outcome, err error) {
	work, done, err := storage.FolderFor(env, databaseNeed, &out)
	if err != nil {
		return out, err
	}
	defer done()
	file := url.URL{Scheme: "file", Opaque: filepath.ToSlash(filepath.Join(work, "tracks.db")),
		RawQuery: "_pragma=journal_mode(WAL)&_pragma=synchronous(FULL)&_txlock=immediate"}
	db, err := sql.Open("sqlite", file.String())
	if err != nil {
		return out, err
	}
	defer db.Close()
	db.SetMaxOpenConns(1)
	if _, err := db.ExecContext(ctx,
		`create table boat (id integer primary key, name text not null, trips integer not null default 0);
		create table track (id integer primary key, boat integer not null references boat(id), leg integer not null, depth integer not null, note text not null);
		create index track_leg on track(leg, depth)`); err != nil {
		return out, err
	}
	rng := rand.New(rand.NewPCG(20, 20))
	env.Show("filling", 0)
	begin := time.Now()
	if err := inTransaction(ctx, db, func(tx *sql.Tx) error {
		for i := range 50 {
			if _, err := tx.ExecContext(ctx, `insert into boat (id, name) values (?, ?)`, i, fmt.Sprintf("boat %d",
				i)); err != nil {
				return err
			}
		}
		add, err := tx.PrepareContext(ctx, `insert into track (boat, leg, depth, note) values (?, ?, ?, ?)`)
		if err != nil {
			return err
		}
		defer add.Close()
		for range tracks {
			if _, err := add.ExecContext(ctx, rng.IntN(50), rng.IntN(400), rng.IntN(60000),
				string(sentence(rng, 8))); err != nil {
				return err
			}
		}
		return nil
	}); err != nil {
		return out, err
	}
	filling := time.Since(begin)
	var stored int64
	if err := db.QueryRowContext(ctx, `select sum(depth) + sum(length(note)) from track`).Scan(&stored); err != nil {
		return out, err
	}
	if err := right(fmt.Sprint(stored), fmt.Sprint(filledSum)); err != nil {
		return out, err
	}

	// Queries come before the small transactions, whose number differs from machine to machine.
	query, err := db.PrepareContext(ctx,
		`select boat.name, count(*), sum(track.depth) from track join boat on boat.id = track.boat
		where track.leg between ? and ? and track.depth > ? group by boat.id order by 3 desc, 1 limit 10`)
	if err != nil {
		return out, err
	}
	defer query.Close()
	found, asked := int64(0), 0
	begin = time.Now()
	for ; asked < queryRounds || time.Since(begin) < env.Duration(); asked++ {
		rows, err := query.QueryContext(ctx, asked%350, asked%350+40, asked%350*100)
		if err != nil {
			return out, err
		}
		for rows.Next() {
			var name string
			var n, sum int64
			if err := rows.Scan(&name, &n, &sum); err != nil {
				rows.Close()
				return out, err
			}
			if asked < queryRounds {
				found += n + sum
			}
		}
		if err := rows.Err(); err != nil {
			return out, err
		}
		if asked%20 == 0 {
			env.Show("asking", 0.2+0.4*min(1, time.Since(begin).Seconds()/env.Duration().Seconds()))
		}
	}
	asking := time.Since(begin)
	if err := right(fmt.Sprint(found), fmt.Sprint(queriedSum)); err != nil {
		return out, err
	}

	s := record.Series{Channel: "small transaction", Unit: "ms"}
	n := 0
	begin = time.Now()
	last := begin
	for ; n < 20 || last.Sub(begin) < 2*env.Duration(); n++ {
		if err := inTransaction(ctx, db, func(tx *sql.Tx) error {
			boat := rng.IntN(50)
			if _, err := tx.ExecContext(ctx, `insert into track (boat, leg, depth, note) values (?, 1000, ?, 'new')`, boat,
				n); err != nil {
				return err
			}
			_, err := tx.ExecContext(ctx, `update boat set trips = trips + 1 where id = ?`, boat)
			return err
		}); err != nil {
			return out, err
		}
		now := time.Now()
		s.Times, s.Values = append(s.Times, now.Sub(begin).Seconds()), append(s.Values, 1e3*now.Sub(last).Seconds())
		last = now
		if n%20 == 0 {
			env.Show("small transactions", 0.6+0.4*min(1, now.Sub(begin).Seconds()/(2*env.Duration().Seconds())))
		}
	}
	out.Series = []record.Series{s}
	var rows, trips int
	if err := db.QueryRowContext(ctx,
		`select (select count(*) from track where leg = 1000), (select sum(trips) from boat)`).Scan(&rows,
		&trips); err != nil {
		return out, err
	}
	if rows != n || trips != n {
		return out, fmt.Errorf("%d rows and %d changes after %d transactions: %w", rows, trips, n, workload.ErrWrong)
	}
	out.Readings = []record.Reading{workload.Reading("fill", filling.Seconds()), workload.Reading("transactions",
		float64(n)/last.Sub(begin).Seconds()), workload.Reading("queries", float64(asked)/asking.Seconds())}
	return out, nil
}

func inTransaction(ctx context.Context, db *sql.DB, do func(*sql.Tx) error) error {
	tx, err := db.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	if err := do(tx); err != nil {
		tx.Rollback()
		return err
	}
	return tx.Commit()
}
