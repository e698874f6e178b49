package store

import (
	"context"
	"time"
)

// Intake is something that is taken in by parts: all of it, or in the end nothing.
type Intake struct {
	ID      string
	Started time.Time
	Runs    []string
}

var intakes = table[Intake]{name: "intake", parts: func(x *Intake) []part {
	return []part{{"id", &x.ID}, {"started", moment{&x.Started}}, {"runs", into(&x.Runs)}}
}}

// BeginIntake notes which runs come in by parts.
func (q Queries) BeginIntake(ctx context.Context, x Intake) error { return intakes.insert(ctx, q, &x) }

// EndIntake says that all of them are in, or none.
func (q Queries) EndIntake(ctx context.Context, id string) error {
	return q.exec(ctx, `delete from intake where id = ?`, id)
}

// Intakes lists what was not ended.
func (q Queries) Intakes(ctx context.Context) ([]Intake, error) {
	return intakes.list(ctx, q, `order by id`)
}

// DropRuns takes runs back, with what was said of them meanwhile: while they came in, rules may have looked at a run
// beside them.
func (q Queries) DropRuns(ctx context.Context, ids []string) error {
	const these = `in (select value from json_each(?))`
	for _, what := range []string{`doubt_act where doubt in (select id from doubt where run ` + these + `)`,
		`doubt where run ` + these, `doubt_run where run ` + these, `series where run ` + these, `reading where run ` + these,
		`run where id ` + these} {
		if err := q.exec(ctx, `delete from `+what, JSON(ids)); err != nil {
			return err
		}
	}
	return nil
}
