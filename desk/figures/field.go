package figures

import (
	"cmp"
	"context"
	"slices"

	"durvek/core/ranking"
	"durvek/desk"
)

// FieldPage is a field with its rule in words and what it holds.
type FieldPage struct {
	ranking.Field
	Rule    string   `json:"rule" doc:"Which variants it holds, in words"`
	Holds   []string `json:"holds" doc:"Variants"`
	Trouble string   `json:"trouble,omitempty" doc:"Why it cannot be told what it holds"`
}

// FieldPages lists all fields with what they hold.
func (f *Figures) FieldPages(ctx context.Context) ([]FieldPage, error) {
	v, err := f.view(ctx)
	if err != nil {
		return nil, err
	}
	out := []FieldPage{}
	for _, in := range v.fields {
		p := FieldPage{Field: in, Rule: in.Rule(), Holds: []string{}}
		if members, err := v.membersOf(in); err != nil {
			p.Trouble = err.Error()
		} else {
			p.Holds = members
		}
		out = append(out, p)
	}
	return out, nil
}

// Members lists the variants that a field holds.
func (f *Figures) Members(ctx context.Context, field string) ([]string, error) {
	v, err := f.view(ctx)
	if err != nil {
		return nil, err
	}
	in, err := v.field(field)
	if err != nil {
		return nil, err
	}
	return v.membersOf(in)
}

// DropField removes a field that no review rests on.
func (f *Figures) DropField(ctx context.Context, slug, by string) error {
	if slug == everything {
		return desk.Refuse(desk.Invalid, "the field \"everything\" stays: comparisons without a field are made within it")
	}
	reviews, err := f.desk.Store.Reviews(ctx)
	if err != nil {
		return err
	}
	for _, r := range reviews {
		if r.Field == slug {
			return desk.Refuse(desk.Conflict, "the review %q rests on the field %q; give it another field first", r.Slug, slug)
		}
	}
	return f.desk.Put(ctx, by, "drop field", slug, func(q *desk.Tx) error {
		gone, err := q.DropField(ctx, slug)
		if err == nil && !gone {
			return unknown("field", slug)
		}
		return err
	})
}

// AddField adds a field, or changes one.
func (f *Figures) AddField(ctx context.Context, x ranking.Field, by string) error {
	if s := x.Check(); s != "" {
		return desk.Refuse(desk.Invalid, "field refused: %s", s)
	}
	if why, err := f.desk.CheckKinds(ctx, x.Kinds...); err != nil || why != "" {
		return cmp.Or(err, desk.Refuse(desk.Invalid, "field refused: %s", why))
	}
	if x.FamilyOf != "" {
		if _, err := f.desk.Store.Model(ctx, x.FamilyOf); err != nil {
			return desk.Missing(err, "model", x.FamilyOf)
		}
	}
	known, err := f.view(ctx)
	if err != nil {
		return err
	}
	for _, v := range slices.Concat(x.Variants, x.Without) {
		if known.variants[v].Origin != "" {
			continue
		}
		if _, err := f.desk.Store.Variant(ctx, v); err != nil {
			return desk.Missing(err, "variant", v)
		}
	}
	return f.desk.Put(ctx, by, "add field", x.Slug, func(q *desk.Tx) error { return q.PutField(ctx, x) })
}
