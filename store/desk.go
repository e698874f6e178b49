package store

import (
	"context"
	"fmt"
	"slices"
	"time"
)

// Setting gives what is set under a key; "" where nothing is.
func (q Queries) Setting(ctx context.Context, key string) (string, error) {
	return one(ctx, q, func(r row, v *string) error { return r.Scan(v) },
		`select coalesce((select value from setting where key = ?), '')`, key)
}

// PutSetting sets a key; "" takes it out.
func (q Queries) PutSetting(ctx context.Context, key, value string) error {
	if value == "" {
		return q.exec(ctx, `delete from setting where key = ?`, key)
	}
	return q.exec(ctx, `insert into setting values (?, ?) on conflict (key) do update set value = excluded.value`, key,
		value)
}

// PutExample takes note that a unit is an example.
func (q Queries) PutExample(ctx context.Context, unit string) error {
	return q.exec(ctx, `insert into example values (?) on conflict do nothing`, unit)
}

// Example is a unit of the examples, with where it hangs.
type Example struct{ Unit, Variant, Model string }

// Examples lists the units that are examples.
func (q Queries) Examples(ctx context.Context) ([]Example, error) {
	return list(ctx, q, func(r row, e *Example) error { return r.Scan(&e.Unit, &e.Variant, &e.Model) },
		`select u.slug, v.slug, v.model from example e join unit u on u.slug = e.unit join variant v on v.slug = u.variant
		order by u.slug`)
}

// exampleModels are the models whose every unit is an example.
const exampleModels = `select v.model from example e join unit u on u.slug = e.unit join variant v
	on v.slug = u.variant`

// OnExamples counts what people put on the examples, by kind: what goes with them, and what refers to them from
// elsewhere and would be left with nothing to refer to.
func (q Queries) OnExamples(ctx context.Context) (with, refer map[string]int, err error) {
	const models, variants, units = `(` + exampleModels + `)`, `(select v.slug from variant v where v.model in (` +
		exampleModels + `))`, `(select unit from example)`
	count := func(queries map[string]string) map[string]int {
		out := map[string]int{}
		for what, query := range queries {
			n, failed := q.count(ctx, `select count(*) from `+query)
			if failed != nil {
				err = failed
			}
			if n > 0 {
				out[what] = n
			}
		}
		return out
	}
	with = count(map[string]string{
		"unit":     `unit where variant in ` + variants + ` and slug not in ` + units,
		"run":      `run where source <> 'file' and subject in ` + units,
		"plan":     `plan where unit in ` + units,
		"claim":    `claim where variant in ` + variants,
		"remark":   `remark where variant in ` + variants,
		"incident": `incident where unit in ` + units,
		"photo":    `attachment where unit in ` + units,
		"partner":  `pairing where part in ` + units,
	})
	refer = count(map[string]string{
		"hosted run": `run where host in ` + units + ` and subject not in ` + units,
		"rig":        `rig where slug in (select rig from rig_part where unit in ` + units + `)`,
		"successor":  `model where succeeds in ` + models + ` and slug not in ` + models,
		"field": `field where exists (select 1 from json_each(field.rule, '$.variants') x where x.value in ` + variants +
			`) or exists (select 1 from json_each(field.rule, '$.without') x where x.value in ` + variants + `)`,
		"review": `review where subject in ` + variants + ` or exists (select 1 from json_each(review.body,
			'$.alternatives') a where json_extract(a.value, '$.variant') in ` + variants + `)`,
	})
	return with, refer, err
}

// TrustExamples drops the doubts about examples: nobody is to look into what was made up.
func (q Queries) TrustExamples(ctx context.Context) error {
	if err := q.exec(ctx, `delete from doubt_act where doubt in (select id from doubt where subject in (select unit from
		example))`); err != nil {
		return err
	}
	return q.exec(ctx, `delete from doubt where subject in (select unit from example)`)
}

// DropExamples deletes the examples' models with everything that refers to them, and returns the cells that are gone.
func (q Queries) DropExamples(ctx context.Context) ([]CellKey, error) {
	gone, err := list(ctx, q, func(r row, k *CellKey) error {
		return r.Scan(&k.Measure, &k.Setup, &k.Unit, &k.Host, &k.Place, &k.Basis)
	}, `select measure, setup, unit, host, place, basis from estimate where unit in (select unit from example)`)
	if err != nil {
		return nil, err
	}
	for _, s := range []string{`delete from estimate where unit in (select unit from example)`,
		`delete from trace where run in (select id from run where subject in (select unit from example))`,
		`delete from archived where kind = 'unit' and slug in (select unit from example)
			or kind = 'model' and slug in (` + exampleModels + `)`,
		`create temp table gone_model as ` + exampleModels,
	} {
		if err := q.exec(ctx, s); err != nil {
			return nil, err
		}
	}
	if err := q.dropWith(ctx, "model", "slug", `select model from gone_model`, nil); err != nil {
		return nil, err
	}
	return gone, q.exec(ctx, `drop table gone_model`)
}

// dropWith deletes the rows of a table whose key is among some, after all rows that refer to them, however far.
func (q Queries) dropWith(ctx context.Context, table, key, among string, above []string) error {
	type reference struct{ table, column string }
	refer, err := list(ctx, q, func(r row, x *reference) error { return r.Scan(&x.table, &x.column) },
		`select m.name, f."from" from sqlite_schema m join pragma_foreign_key_list(m.name) f
		where m.type = 'table' and f."table" = ? and f."to" = ? order by m.name`, table, key)
	if err != nil {
		return err
	}
	for _, x := range refer {
		if x.table == table || slices.Contains(above, x.table) {
			continue
		}
		rows := fmt.Sprintf(`select %%s from %s where %s in (%s)`, x.table, x.column, among)
		keys, err := list(ctx, q, func(r row, k *string) error { return r.Scan(k) },
			`select distinct f."to" from sqlite_schema m join pragma_foreign_key_list(m.name) f
			where m.type = 'table' and f."table" = ?`, x.table)
		if err != nil {
			return err
		}
		for _, k := range keys {
			if err := q.dropWith(ctx, x.table, k, fmt.Sprintf(rows, k), append(above, table)); err != nil {
				return err
			}
		}
		if err := q.exec(ctx, fmt.Sprintf(`delete from %s where %s in (%s)`, x.table, x.column, among)); err != nil {
			return err
		}
	}
	return q.exec(ctx, fmt.Sprintf(`delete from %s where %s in (%s)`, table, key, among))
}

// Runtimes lists what real runs were made in, the newest first.
func (q Queries) Runtimes(ctx context.Context) ([]string, error) {
	return list(ctx, q, func(r row, s *string) error { return r.Scan(s) }, `select json_extract(observed, '$.runtime') as r
		from run where simulated = 0 and r is not null group by r order by max(started) desc limit 20`)
}

// Holds is how much there is of everything.
type Holds struct {
	Models   int `json:"models"`
	Units    int `json:"units"`
	Examples int `json:"examples" doc:"Units that are made up"`
	Runs     int `json:"runs" doc:"Runs of units that are no examples"`
	Reviews  int `json:"reviews"`
	Editions int `json:"editions"`
}

// Holds counts everything.
func (q Queries) Holds(ctx context.Context) (Holds, error) {
	return one(ctx, q, func(r row, h *Holds) error {
		return r.Scan(&h.Models, &h.Units, &h.Examples, &h.Runs, &h.Reviews, &h.Editions)
	}, `select (select count(*) from model), (select count(*) from unit), (select count(*) from example),
		(select count(*) from run) - (select count(*) from run where subject in (select unit from example)),
		(select count(*) from review), (select count(*) from edition)`)
}

// MeasuredSince lists the variants with the newest runs since a moment that are no examples'.
func (q Queries) MeasuredSince(ctx context.Context, since time.Time, most int) ([]string, error) {
	return list(ctx, q, func(r row, s *string) error { return r.Scan(s) }, `select u.variant from run r join unit u on
		u.slug = r.subject where r.started >= ? and u.slug not in (select unit from example) group by u.variant
		order by max(r.started) desc limit ?`, Stamp(since), most)
}

// LastOf tells when the newest of some runs was made.
func (q Queries) LastOf(ctx context.Context, runs []string) (at time.Time, err error) {
	return one(ctx, q, func(r row, t *time.Time) error { return r.Scan(moment{t}) },
		`select coalesce(max(started), '0001-01-01T00:00:00Z') from run where id in (select value from json_each(?))`,
		JSON(runs))
}
