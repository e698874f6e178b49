package cli_test

import (
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
)

func TestTheProgramByTheBook(t *testing.T) {
	home := t.TempDir()
	call(t, home, "version").want(t, 0, "durvek ", "linux/")
	call(t, home, "licenses").want(t, 0, "MIT License", "github.com/gofiber/fiber/v2", "IBM Plex", "vuetify")
	call(t, home, "dossier", "schema").want(t, 0, "json-schema.org/draft/2020-12") // without any service
	// A failure under --json is one too, and wrong words end with 2.
	r := call(t, home, "model", "list", "--json", "--server", "http://127.0.0.1:1", "--token", "x")
	var p struct{ Title, Detail string }
	if json.Unmarshal([]byte(r.err), &p) != nil || r.status != 3 || !strings.Contains(p.Detail, "cannot be reached") {
		t.Errorf("%d %s", r.status, r.err)
	}
	call(t, home, "model", "list", "--color").want(t, 2, "unknown flag")
	call(t, home, "modle").want(t, 2, "unknown command")
}

func TestNamesAreOfferedAndTablesFitWhereTheyGo(t *testing.T) {
	data, home := filepath.Join(t.TempDir(), "desk"), t.TempDir()
	serve(t, data)
	do := func(args ...string) result {
		t.Helper()
		return call(t, home, append([]string{"--data", data}, args...)...)
	}
	do("model", "add", "fen-14", "--maker", "Selvane", "--name", "Fen 14", "--kind", "laptop").want(t, 0)
	do("variant", "add", "fen-14-16", "--model", "fen-14", "--name", "16 GiB").want(t, 0)
	do("__complete", "model", "show", "fe").want(t, 0, "fen-14\tSelvane Fen 14")
	do("__complete", "unit", "add", "x", "--variant", "").want(t, 0, "fen-14-16\t16 GiB")
	if r := do("__complete", "model", "show", "x"); strings.Contains(r.out, "fen-14") {
		t.Errorf("a name is offered that begins otherwise: %s", r.out)
	}
	if r := do("model", "list"); !strings.HasPrefix(r.out, "Slug\t") || !strings.Contains(r.out, "fen-14\t") {
		t.Errorf("into a pipe: %s", r.out)
	}
	if r := do("model", "list", "--wide"); strings.Contains(r.out, "\t") || !strings.Contains(r.out, "────") {
		t.Errorf("wide: %s", r.out)
	}
	do("test", "import", filepath.Join("..", "nothing.yaml"), "--dry-run").want(t, 1)
}

// Who is interrupted says so, and ends as shells expect it.
func TestAnInterruptedCommandSaysSo(t *testing.T) {
	whole(t)
	home := t.TempDir()
	cmd := exec.Command(bed.program, "bench", "run", "hashing-sustained", "--path", home)
	cmd.Env = []string{"HOME=" + home, "PATH=" + os.Getenv("PATH")}
	var said strings.Builder
	cmd.Stderr = &said
	out, err := cmd.StdoutPipe()
	must(err)
	must(cmd.Start())
	out.Read(make([]byte, 1)) // it has begun
	must(cmd.Process.Signal(syscall.SIGINT))
	go func() {
		for b := make([]byte, 4096); ; {
			if _, err := out.Read(b); err != nil {
				return
			}
		}
	}()
	cmd.Wait()
	if cmd.ProcessState.ExitCode() != 130 || !strings.Contains(said.String(), "durvek: stopped") {
		t.Errorf("%d %s", cmd.ProcessState.ExitCode(), said.String())
	}
}
