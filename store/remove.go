package store

import (
	"context"
	"fmt"
)

// hanging says, of what can be removed, which columns refer to it and what stands in their rows.
var hanging = map[string][]struct{ table, column, word string }{
	"model": {{"variant", "model", "variant"}, {"model", "succeeds", "successor"}, {"rig", "model", "rig"}},
	"variant": {{"unit", "variant", "unit"}, {"claim", "variant", "claim"}, {"offer", "variant", "offer"},
		{"review", "subject", "review"}, {"remark", "variant", "remark"}},
	"unit": {{"run", "subject", "run"}, {"run", "host", "hosted run"}, {"plan", "unit", "plan"}, {"plan", "host",
		"hosted plan"},
		{"incident", "unit", "incident"}, {"rig_part", "unit", "rig"}, {"attachment", "unit", "photo"}, {"pairing", "part",
			"pairing"},
		{"pairing", "partner", "pairing as partner"}},
	"rig":    {{"run", "host", "hosted run"}, {"plan", "host", "hosted plan"}},
	"setup":  {{"run", "setup", "run"}, {"plan", "setup", "plan"}},
	"plan":   {{"run", "plan", "run"}, {"incident", "plan", "incident"}},
	"review": {{"edition", "review", "edition"}},
	"claim":  nil,
	"offer":  nil,
}

// Hanging counts by kind what refers to something.
func (q Queries) Hanging(ctx context.Context, kind, id string) (map[string]int, error) {
	out := map[string]int{}
	for _, h := range hanging[kind] {
		n, err := q.count(ctx, fmt.Sprintf(`select count(*) from %s where %s = ?`, h.table, h.column), id)
		if err != nil {
			return nil, err
		}
		if n > 0 {
			out[h.word] = n
		}
	}
	return out, nil
}

// Remove deletes something; false if there is none.
func (q Queries) Remove(ctx context.Context, kind, id string) (bool, error) {
	key := "slug"
	if kind == "claim" || kind == "offer" || kind == "plan" {
		key = "id"
	}
	if _, ok := hanging[kind]; !ok {
		return false, fmt.Errorf("a %s cannot be removed", kind)
	}
	if kind == "unit" { // a machine that joined and made nothing
		if _, err := q.changed(ctx, `delete from sitting where unit = ?`, id); err != nil {
			return false, err
		}
	}
	if kind == "plan" { // a machine that joined for it has nothing more to do
		if err := q.DropPlanTokens(ctx, id); err != nil {
			return false, err
		}
		if err := q.exec(ctx, `delete from code where whose = ?`, id); err != nil {
			return false, err
		}
	}
	if _, err := q.Unarchive(ctx, kind, id); err != nil {
		return false, err
	}
	return q.changed(ctx, fmt.Sprintf(`delete from %s where %s = ?`, kind, key), id)
}
