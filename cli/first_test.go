package cli_test

import (
	"regexp"
	"testing"
)

// From nothing to a first ranking by commands alone: what is wrong is named before anything is asked, and what made
// examples go or stay.
func TestADeskIsBegunByCommands(t *testing.T) {
	data := t.TempDir()
	serve(t, data)
	home := t.TempDir()
	do := func(args ...string) result {
		t.Helper()
		return call(t, home, append([]string{"--data", data}, args...)...)
	}
	do("today").want(t, 0, "The desk is empty", "durvek device add")
	do("device", "add").want(t, 2, "say --kind, --maker and --name; durvek device add --help")
	do("device", "add", "--kind", "Laptop", "--maker", "Selvane", "--name", "Fen 14").want(t, 1, "write laptop")
	do("device", "add", "--kind", "laptop", "--maker", "", "--name", "Fen 14").want(t, 1, "maker: must not be empty")
	do("device", "add", "--kind", "laptop", "--maker", "Selvane", "--name", "Fen 14", "--spec", "memory.size").want(t, 2,
		`"memory.size" is not key=value`)
	do("device", "add", "--kind", "laptop", "--maker", "Selvane", "--name", "Fen 14", "--spec", "memory.size=16 GiB").
		want(t, 0, "Selvane Fen 14, 16 GiB is on the books as unit fen-14-16-gib-a", "durvek plan add fen-14-16-gib-a")
	if r := do("today"); r.status != 0 || r.out != "Nothing is measured, and nothing waits.\n" {
		t.Errorf("today, of a desk without work: %d %q", r.status, r.out)
	}
	do("find", "fne").want(t, 0, "Selvane Fen 14")
	do("find", "nobody").want(t, 0, "Nothing is called so")
	do("reading", "add", "fen-14-16-gib-a", "weight", "weight=1.31 kg").want(t, 0, "holds 1 reading.")
	do("rank", "show", "weight/weight").want(t, 0, "Only the Selvane Fen 14 has a figure in weight")
	do("example", "list").want(t, 0, "No example is on the books.")
	do("example", "load").want(t, 0, "4 examples with", "never published")
	do("rank", "show", "weight/weight").want(t, 0, "Example light laptop leads in weight", "Selvane Fen 14")
	do("remark", "add", "example-laptop", "It creaks.").want(t, 0)
	do("example", "drop").want(t, 1, "for what of yours is on them: 1 remark; take")
	do("example", "drop", "--all").want(t, 0, "The examples are gone.")
	do("rank", "show", "weight/weight").want(t, 0, "Only the Selvane Fen 14")
	made := do("plan", "add", "fen-14-16-gib-a", "--tests", "hashing,archive", "--name", "First")
	plan := regexp.MustCompile(`Plan (\S+) is`).FindStringSubmatch(made.out)
	if plan == nil {
		t.Fatal("no plan is named")
	}
	id := plan[1]
	do("plan", "change", id, "--tests", "archive,compression", "--repeats", "2", "--name", "Second").want(t, 0,
		"Plan Second: 4 runs.")
	do("plan", "show", id).want(t, 0, "Second", "Survey day archive", "Compression")
	do("plan", "change", id, "--tests", "archive,no-such").want(t, 1, `no test "no-such"`)
	do("plan", "change", id, "--order", "mixed").want(t, 1, "order: must be one of: grouped, interleaved")
	do("desk", "describe", "--name", "Marram Desk").want(t, 0, "Marram Desk")
	do("device", "code", "boat").want(t, 1, `unknown kind "boat"; known: laptop, desktop`)
	do("device", "code", "laptop").want(t, 0, "durvek agent --code ")
}
