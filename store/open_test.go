package store

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"durvek/core/catalog"
)

func TestADatabaseOfANewerProgramIsRefusedWithBothVersions(t *testing.T) {
	path := filepath.Join(t.TempDir(), "durvek.db")
	s, err := Open(ctx, path)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.write.Exec(`insert into goose_db_version (version_id, is_applied) values (97, 1)`); err != nil {
		t.Fatal(err)
	}
	s.Close()
	if _, err = Open(ctx, path); err == nil || !strings.Contains(err.Error(), "is of version 97") ||
		!strings.Contains(err.Error(), "knows up to ") || !strings.Contains(err.Error(), "run the newer program") {
		t.Errorf("%v", err)
	}
}

func TestAnEmptyFileIsNoEmptyDesk(t *testing.T) {
	path := filepath.Join(t.TempDir(), "durvek.db")
	if err := os.WriteFile(path, nil, 0o600); err != nil {
		t.Fatal(err)
	}
	if _, err := Open(ctx, path); err == nil || !strings.Contains(err.Error(), "restore it from a backup") {
		t.Errorf("%v", err)
	}
	if i, err := os.Stat(path); err != nil || i.Size() != 0 {
		t.Errorf("it was written to: %v", err)
	}
}

func TestACopyIsKeptBeforeADatabaseIsBroughtUpToDate(t *testing.T) {
	dir := t.TempDir()
	path := filepath.Join(dir, "durvek.db")
	s, err := Open(ctx, path)
	if err != nil {
		t.Fatal(err)
	}
	write(t, s, func(q Queries) error {
		return q.PutModel(ctx, catalog.Model{Slug: "m", Maker: "M", Name: "N", Kind: "laptop"})
	})
	for _, name := range []string{"durvek.db", "durvek.db-wal", "durvek.db-shm"} {
		if i, err := os.Stat(filepath.Join(dir, name)); err != nil || i.Mode().Perm() != 0o600 {
			t.Errorf("%s: %v, %v", name, i.Mode(), err)
		}
	}
	if _, err := os.Stat(filepath.Join(dir, "backups")); err == nil {
		t.Error("a new database was copied")
	}
	// As if the last migration had never been.
	for _, q := range []string{`delete from goose_db_version where version_id >= 9`, `drop table source`,
		`drop table mapping`, `drop table setting`, `drop table example`, `drop trigger tell_run`,
		`drop trigger tell_plan`, `drop trigger tell_doubt`, `drop trigger tell_settled`, `drop trigger tell_incident`,
		`drop trigger tell_edition`, `drop table message`, `drop table hook`, `drop table exchanged`,
		`drop table intake`, `drop table answered`,
		`drop table token`,
		`create table token (hash text primary key, name text not null, role text not null, plan text, created text not null,
			expires text) strict`, `drop table person`, `alter table code rename column whose to plan`} {
		if _, err := s.write.Exec(q); err != nil {
			t.Fatal(q, err)
		}
	}
	s.Close()
	for range 2 { // the second time there is nothing to do
		s, err = Open(ctx, path)
		if err != nil {
			t.Fatal(err)
		}
		s.Close()
	}
	list, err := filepath.Glob(filepath.Join(dir, "backups", "*"))
	if err != nil || len(list) != 1 || !strings.HasPrefix(filepath.Base(list[0]), "before-version-") {
		t.Fatalf("copies: %v, %v", list, err)
	}
	if i, err := os.Stat(list[0]); err != nil || i.Mode().Perm() != 0o600 {
		t.Errorf("%v, %v", i.Mode(), err)
	}
	old, err := Open(ctx, list[0]) // it is whole: it opens, and is brought up to date itself
	if err != nil {
		t.Fatal(err)
	}
	defer old.Close()
	if m, err := old.Model(ctx, "m"); err != nil || m.Name != "N" {
		t.Errorf("%+v, %v", m, err)
	}
}
