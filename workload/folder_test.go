package workload

import (
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"durvek/core/record"
)

func TestAnOptionNamesNoFolderOutsideThoseThatWereGiven(t *testing.T) {
	at := t.TempDir()
	for _, name := range []string{"drive/in", "other/in", "drive-too", "secret"} {
		if err := os.MkdirAll(filepath.Join(at, name), 0o755); err != nil {
			t.Fatal(err)
		}
	}
	if err := os.Symlink(filepath.Join(at, "secret"), filepath.Join(at, "drive", "link")); err != nil {
		t.Skip("this system has no links")
	}
	e := Env{Dir: filepath.Join(at, "drive"), Folders: []string{filepath.Join(at, "other")}}
	for name, says := range map[string]string{"drive": "", "drive/in": "", "drive/in/..": "", "other": "", "other/in": "",
		"drive-too": "outside", "secret": "outside", "drive/link": "outside", "drive/../secret": "outside", "..": "outside",
		"gone": "no folder"} {
		got, err := e.Folder(filepath.Join(at, name))
		if (err == nil) != (says == "") || err != nil && (!strings.Contains(err.Error(), says) ||
			!errors.Is(err, record.ErrNotRun)) {
			t.Errorf("%s: %q, %v", name, got, err)
		}
	}
	if _, err := (Env{}).Folder(at); err == nil {
		t.Error("without any folder given, one may be named")
	}
}
