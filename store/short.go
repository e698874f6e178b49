package store

import "context"

// ids are the tables whose rows bear identifiers that nobody types in whole.
var ids = map[string]string{"plans": "plan", "runs": "run", "doubts": "doubt", "incidents": "incident"}

// EndsIn lists the identifiers of a kind (plans, runs, doubts, incidents) that end in some characters, two at most. The
// beginning of a UUID version 7 is its time, so that only ends tell neighbours apart.
func (q Queries) EndsIn(ctx context.Context, kind, end string) ([]string, error) {
	table, known := ids[kind]
	if !known {
		return nil, nil
	}
	return list(ctx, q, func(r row, s *string) error { return r.Scan(s) },
		`select id from `+table+` where substr(id, -length(?)) = ? order by id limit 2`, end, end)
}
