package desk_test

import (
	"os"
	"path/filepath"
	"testing"

	"durvek/desk"
	"durvek/internal/testdesk"
)

func TestADataFolderIsItsOwnersAndOneServices(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "data")
	if err := os.Mkdir(dir, 0o755); err != nil {
		t.Fatal(err)
	}
	d, err := desk.Open(testdesk.Ctx, desk.Options{Dir: dir})
	if err != nil {
		t.Fatal(err)
	}
	if i, err := os.Stat(dir); err != nil || i.Mode().Perm() != 0o700 {
		t.Errorf("the folder is %v, %v", i.Mode(), err)
	}
	_, err = desk.Open(testdesk.Ctx, desk.Options{Dir: dir})
	testdesk.Says(t, err, desk.Conflict, "a service runs on the data folder")
	if err := d.Close(); err != nil {
		t.Fatal(err)
	}
	if d, err = desk.Open(testdesk.Ctx, desk.Options{Dir: dir}); err != nil {
		t.Fatalf("once it is free: %v", err)
	}
	d.Close()
	// Where a restore was cut no empty desk takes its place.
	cut := t.TempDir()
	if err := os.Mkdir(filepath.Join(cut, desk.Restoring+"1"), 0o700); err != nil {
		t.Fatal(err)
	}
	for range 2 {
		_, err = desk.Open(testdesk.Ctx, desk.Options{Dir: cut})
		testdesk.Says(t, err, desk.Conflict, "a restore into", "was cut")
	}
	// What cannot be opened frees the folder again.
	if err := os.WriteFile(filepath.Join(dir, "durvek.db"), nil, 0o600); err != nil {
		t.Fatal(err)
	}
	for range 2 {
		if _, err := desk.Open(testdesk.Ctx, desk.Options{Dir: dir}); err == nil || desk.Refused(err, desk.Conflict) {
			t.Errorf("%v", err)
		}
	}
}
