package store

import (
	"context"
	"time"
)

// Source is the file that a run's figures were made of.
type Source struct {
	Run, Digest, Name string
	Size              int64
	Mapping           string // a rawfile.Mapping as JSON
	Version           int    // of its analysis
	Added             time.Time
	By                string
}

var sources = table[Source]{name: "source", key: []string{"run"}, parts: func(s *Source) []part {
	return []part{{"run", &s.Run}, {"digest", &s.Digest}, {"name", &s.Name}, {"size", &s.Size}, {"mapping", &s.Mapping},
		{"version", &s.Version}, {"added", moment{&s.Added}}, {"by_whom", &s.By}}
}}

// PutSource keeps what a run was made of.
func (q Queries) PutSource(ctx context.Context, s Source) error { return sources.put(ctx, q, &s) }

// Source finds what a run was made of.
func (q Queries) Source(ctx context.Context, run string) (Source, error) {
	return sources.one(ctx, q, `where run = ?`, run)
}

// Sources lists what runs were made of: those that one file made, or all.
func (q Queries) Sources(ctx context.Context, digest string) ([]Source, error) {
	return sources.list(ctx, q, `where ? in ('', digest) order by added, run`, digest)
}

// SourcesOf lists what the done runs of a unit were made of, the newest first.
func (q Queries) SourcesOf(ctx context.Context, unit string) ([]Source, error) {
	return sources.list(ctx, q, `where run in (select id from run where subject = ? and outcome = `+wordDone+`)
		order by added desc, run`, unit)
}

// Mapping is what columns of files mean, as JSON, under a name.
type Mapping struct {
	Name, Body string
	Added      time.Time
	By         string
}

var mappings = table[Mapping]{name: "mapping", key: []string{"name"}, parts: func(m *Mapping) []part {
	return []part{{"name", &m.Name}, {"body", &m.Body}, {"added", moment{&m.Added}}, {"by_whom", &m.By}}
}}

// PutMapping adds or changes a mapping.
func (q Queries) PutMapping(ctx context.Context, m Mapping) error { return mappings.put(ctx, q, &m) }

// Mappings lists them by name.
func (q Queries) Mappings(ctx context.Context) ([]Mapping, error) {
	return mappings.list(ctx, q, `order by name`)
}

// DropMapping removes one and tells whether it was there.
func (q Queries) DropMapping(ctx context.Context, name string) (bool, error) {
	return q.changed(ctx, `delete from mapping where name = ?`, name)
}
