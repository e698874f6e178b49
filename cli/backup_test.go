package cli_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
)

func TestADeskIsBackedUpCheckedAndBroughtBack(t *testing.T) {
	data, home := filepath.Join(t.TempDir(), "desk"), t.TempDir()
	server, link := serve(t, data)
	do := func(args ...string) result {
		t.Helper()
		return call(t, home, append([]string{"--data", data}, args...)...)
	}
	do("model", "add", "fen-14", "--maker", "Selvane", "--name", "Fen 14", "--kind", "laptop").want(t, 0)
	do("backup", "desk.tar.zst").want(t, 0, "holds the whole desk")
	do("backup", "desk.tar.zst").want(t, 2, "is there already")
	do("verify").want(t, 0, "is whole: 0 runs")
	do("serve", "--listen", "127.0.0.1:0").want(t, 1, "a service runs on the data folder")
	do("restore", "desk.tar.zst").want(t, 1, "a service runs on the data folder")
	// From elsewhere the service writes it.
	call(t, home, "sign-in", link).want(t, 0)
	call(t, home, "backup", "far.tar.zst", "--server", server).want(t, 0, "holds the whole desk")
	call(t, home, "restore", "far.tar.zst", "--dry-run").want(t, 0, "The archive is whole")
	other := []string{"--data", filepath.Join(home, "other")}
	call(t, home, append(other, "restore", "far.tar.zst", "--json")...).want(t, 0, `"wrong"`)
	call(t, home, append(other, "restore", "far.tar.zst")...).want(t, 1, "--replace")
	call(t, home, append(other, "restore", "far.tar.zst", "--replace")...).want(t, 0, "is kept in")
	call(t, home, append(other, "verify")...).want(t, 0, "is whole")
	b, err := os.ReadFile(filepath.Join(home, "desk.tar.zst"))
	must(err)
	must(os.WriteFile(filepath.Join(home, "cut.tar.zst"), b[:len(b)/2], 0o600))
	call(t, home, "restore", "cut.tar.zst", "--dry-run").want(t, 1, "cut")
	call(t, home, "restore", "none.tar.zst").want(t, 2, "none.tar.zst")
	call(t, home, "verify", "--data", "nowhere").want(t, 1, "there is no desk")
	must(os.Truncate(filepath.Join(home, "other", "durvek.db"), 0))
	call(t, home, append(other, "serve", "--listen", "127.0.0.1:0")...).want(t, 1, "an empty file is no desk")
	call(t, home, append(other, "serve", "--backup-every", "1s")...).want(t, 2, "--backup-every")
	call(t, home, append(other, "serve", "--backup-keep", "0")...).want(t, 2, "--backup-keep")
	call(t, home, append(other, "serve", "--log-format", "loud")...).want(t, 2, "text or json")
	call(t, home, append(other, "serve", "--log-level", "loud")...).want(t, 2, "debug, info, warn or error")
	// One was made by itself at the start.
	made, err := filepath.Glob(filepath.Join(data, "backups", "durvek-*.tar.zst"))
	if err != nil || len(made) != 1 {
		t.Errorf("backups made at the start: %v, %v", made, err)
	}
	if list := do("token", "list"); !strings.Contains(list.out, "command line on") {
		t.Errorf("%s", list.out)
	}
	do("person", "add", "Ilse Brandt", "--role", "reader").want(t, 0, "Ilse Brandt works here as reader")
	do("person", "change", "Ilse Brandt", "--role", "editor").want(t, 0, "as editor")
	do("person", "change", "Owner", "--role", "reader").want(t, 1, "the only owner")
	do("person", "list").want(t, 0, "Owner", "Ilse", "editor")
	ilse := strings.TrimSpace(do("sign-in", "link", "--person", "Ilse Brandt").out)
	call(t, home, "sign-in", ilse).want(t, 0)
	call(t, home, "person", "list").want(t, 0, "Ilse")
	call(t, home, "person", "drop", "Owner").want(t, 3, "it takes an owner")
	call(t, home, "backup", "theft.tar.zst", "--server", server).want(t, 3, "only an owner takes a backup")
	call(t, home, "token", "add", "export", "--scope", "reader", "--days", "1").want(t, 0)
	call(t, home, "token", "drop", "export").want(t, 0, "is ended")
	do("journal", "list", "--text", "person").want(t, 0, "add person", "change person", "Owner")
	do("person", "drop", "Ilse Brandt").want(t, 0, "works here no more")
	call(t, home, "person", "list").want(t, 3, "sign in")
}
