package results

import (
	"context"
	"encoding/json"
	"slices"
	"strings"

	"durvek/core/analyse"
	"durvek/desk"
	"durvek/document"
	"durvek/rawfile"
	"durvek/store"
)

// Mappings lists the saved mappings by name.
func (d *Results) Mappings(ctx context.Context) ([]rawfile.Mapping, error) {
	list, err := d.desk.Store.Mappings(ctx)
	out := []rawfile.Mapping{}
	for _, x := range list {
		var m rawfile.Mapping
		if err := json.Unmarshal([]byte(x.Body), &m); err != nil {
			return nil, err
		}
		out = append(out, m)
	}
	return out, err
}

// SaveMapping saves a mapping under its name, in place of another of that name.
func (d *Results) SaveMapping(ctx context.Context, m rawfile.Mapping, by string) (rawfile.Mapping, error) {
	m.Name, m.Format = strings.TrimSpace(m.Name), rawfile.MappingFormat
	a, ok := analyse.Named(m.Analysis)
	switch {
	case m.Name == "" || len(m.Name) > 100:
		return m, desk.Refuse(desk.Invalid, "a mapping has a name of 100 characters at most")
	case !ok:
		return m, noAnalysis(m.Analysis)
	case len(m.Columns) == 0 && !m.Grid:
		return m, desk.Refuse(desk.Invalid, "a mapping says what at least one column means")
	}
	for role := range m.Columns {
		if !slices.ContainsFunc(a.Roles, func(r analyse.Role) bool { return r.Name == role }) {
			return m, desk.Refuse(desk.Invalid, "%s reads no %q", a.Title, role)
		}
	}
	body, err := json.Marshal(m)
	if err != nil {
		return m, err
	}
	return m, d.desk.Note(ctx, by, "save mapping", m.Name, "", func(q *desk.Tx) error {
		return q.PutMapping(ctx, store.Mapping{Name: m.Name, Body: string(body), Added: d.desk.Now(), By: by})
	})
}

var mappingSchema = desk.Schema("mapping")

// ImportMapping takes in a mapping's file.
func (d *Results) ImportMapping(ctx context.Context, data []byte, checkOnly bool, by string) (rawfile.Mapping, error) {
	var m rawfile.Mapping
	file, err := document.Read("mapping", data)
	if err == nil {
		err = file.Decode(mappingSchema, &m)
	}
	if err != nil || checkOnly {
		return m, err
	}
	return d.SaveMapping(ctx, m, by)
}

// DropMapping removes a mapping; what was taken in by it stays as it is.
func (d *Results) DropMapping(ctx context.Context, name, by string) error {
	return d.desk.Note(ctx, by, "drop mapping", name, "", func(q *desk.Tx) error {
		there, err := q.DropMapping(ctx, name)
		if err == nil && !there {
			err = desk.Missing(store.ErrNotFound, "mapping", name)
		}
		return err
	})
}
