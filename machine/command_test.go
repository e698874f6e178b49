//go:build unix

package machine

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
)

// script is a test that runs a shell script whose figures are found in several ways.
func script(text string, change func(*method.Test)) method.Test {
	ms := method.Measure{Slug: "x", Name: "x", Unit: "ms", Scale: quantity.Ratio, Better: quantity.Lower}
	t := method.Test{Slug: "s", Version: 1, Origin: "command", Measures: []method.Measure{ms},
		Command: &method.Command{Run: []string{"sh", "-c", text}, Limit: 20, Figures: []method.Figure{{Measure: "x",
			Time: "exit"}}}}
	if change != nil {
		change(&t)
	}
	return t
}

func TestCommandsAreReadInEveryWay(t *testing.T) {
	list, dir := filepath.Join(t.TempDir(), "allowed.json"), t.TempDir()
	text := func(pattern string) func(*method.Test) {
		return func(x *method.Test) { x.Command.Figures[0] = method.Figure{Measure: "x", Text: pattern} }
	}
	awaited := func(x *method.Test) {
		x.Command.Line, x.Command.Figures[0] = "^ready", method.Figure{Measure: "x", Time: "line"}
	}
	for _, c := range []struct {
		name   string
		test   method.Test
		low    float64
		high   float64
		failed string
	}{
		{"time until it ends", script("sleep 0.1", nil), 100, 5000, ""},
		{"text", script("echo took 42 ms", text(`took (.*)`)), 42, 42, ""},
		{"a file that it writes", script("echo '{\"a\":[7]}' > out.json", func(x *method.Test) {
			x.Command.File, x.Command.Figures[0] = "out.json", method.Figure{Measure: "x", From: "file", Pointer: "/a/0"}
		}), 7, 7, ""},
		{"a file that it does not write", script("true", func(x *method.Test) {
			x.Command.File, x.Command.Figures[0] = "out.json", method.Figure{Measure: "x", From: "file", Pointer: "/a"}
		}), 0, 0, "wrote no file out.json"},
		{"an awaited line ends it", script("echo starting; echo ready now; sleep 60", awaited), 0.1, 5000, ""},
		{"the line may come as an error", script("echo ready >&2; sleep 60", awaited), 0.1, 5000, ""},
		{"the line never comes", script("echo no", awaited), 0, 0, "the awaited line never came"},
		{"another exit status is success", script("exit 3", func(x *method.Test) { x.Command.Exit = 3 }), 0.1, 5000, ""},
		{"it fails", script("echo broken pump >&2; exit 4", nil), 0, 0, "ended with status 4: broken pump"},
		{"it fails silently", script("exit 1", nil), 0, 0, "it said nothing"},
		{"its limit, without a figure of time", script("sleep 60", func(x *method.Test) {
			text("(.)")(x)
			x.Command.Limit = 0.2
		}), 0, 0, "ended at its time limit of 0.2 s"},
	} {
		if _, err := Allow(list, c.test.Command.Run, nil, false, time.Now()); err != nil {
			t.Fatal(err)
		}
		begin := time.Now()
		out, err := Local{Dir: dir, Allowed: list}.Run(context.Background(), record.Order{Test: c.test},
			func(record.Sample) {})
		if spent := time.Since(begin); spent > 15*time.Second {
			t.Errorf("%s: it took %v", c.name, spent)
		}
		switch {
		case c.failed != "":
			if err == nil || !strings.Contains(err.Error(), c.failed) {
				t.Errorf("%s: %v", c.name, err)
			}
		case err != nil || len(out.Readings) != 1 || out.Readings[0].Value < c.low || out.Readings[0].Value > c.high:
			t.Errorf("%s: %+v, %v", c.name, out.Readings, err)
		}
	}
	if left, _ := os.ReadDir(dir); len(left) > 0 {
		t.Errorf("left behind: %v", left)
	}
}

func TestWhatACommandStartedEndsWithIt(t *testing.T) {
	list, dir := filepath.Join(t.TempDir(), "allowed.json"), t.TempDir()
	mark := filepath.Join(t.TempDir(), "mark")
	x := script("(sleep 1; touch "+mark+") & sleep 60", func(x *method.Test) { x.Command.Limit = 0.2 })
	if _, err := Allow(list, x.Command.Run, nil, false, time.Now()); err != nil {
		t.Fatal(err)
	}
	out, err := Local{Dir: dir, Allowed: list}.Run(context.Background(), record.Order{Test: x}, nil)
	if err != nil || out.Readings[0].State != record.BeyondLimit || out.Readings[0].Value != 200 {
		t.Errorf("%+v, %v", out, err)
	}
	ctx, stop := context.WithCancel(context.Background())
	stop()
	if _, err := (Local{Dir: dir, Allowed: list}).Run(ctx, record.Order{Test: x}, nil); err == nil ||
		!strings.HasPrefix(err.Error(), "stopped") {
		t.Errorf("interrupted: %v", err)
	}
	for end := time.Now().Add(1500 * time.Millisecond); time.Now().Before(end); {
		if _, err := os.Stat(mark); err == nil {
			t.Fatal("what it started went on")
		}
	}
}

func TestOnlyTheseVeryWordsAndThisVeryFileAreAllowed(t *testing.T) {
	dir := t.TempDir()
	list := filepath.Join(dir, "sub", "allowed.json")
	prog := filepath.Join(dir, "prog")
	write := func(path, text string) {
		if err := os.WriteFile(path, []byte("#!/bin/sh\n"+text+"\n"), 0o755); err != nil {
			t.Fatal(err)
		}
	}
	write(filepath.Join(dir, "one"), "true")
	write(filepath.Join(dir, "two"), "true")
	if err := os.Symlink("one", prog); err != nil {
		t.Fatal(err)
	}
	run := func(words ...string) error {
		x := script("", func(x *method.Test) { x.Command.Run = words })
		_, err := Local{Dir: dir, Allowed: list}.Run(context.Background(), record.Order{Test: x}, nil)
		return err
	}
	if err := run(prog); !errors.Is(err, record.ErrNotRun) || !errors.Is(err, ErrNotAllowed) {
		t.Errorf("nothing is allowed, yet %v", err)
	}
	if program, err := Allow(list, []string{prog, "-x"}, nil, false, time.Now()); err != nil ||
		filepath.Base(program) != "one" {
		t.Errorf("%s, %v", program, err)
	}
	if err := run(prog, "-x"); err != nil {
		t.Error(err)
	}
	for _, words := range [][]string{{prog}, {prog, "-x", "-y"}, {prog, "-X"}, {filepath.Join(dir, "one"), "-x"}} {
		if err := run(words...); !errors.Is(err, ErrNotAllowed) {
			t.Errorf("%v: %v", words, err)
		}
	}
	os.Remove(prog)
	os.Symlink("two", prog) // another file under the same name
	if err := run(prog, "-x"); !errors.Is(err, ErrNotAllowed) {
		t.Errorf("another file: %v", err)
	}
	if _, err := Allow(list, []string{prog, "-x"}, nil, true, time.Now()); err != nil {
		t.Error(err)
	}
	if all, err := ReadAllowed(list); err != nil || len(all) != 0 {
		t.Errorf("%v, %v", all, err)
	}
	os.WriteFile(list, []byte("{"), 0o600)
	if err := run(prog, "-x"); !errors.Is(err, record.ErrNotRun) || !strings.Contains(err.Error(), list) {
		t.Errorf("a damaged list: %v", err)
	}
	if info, err := os.Stat(filepath.Dir(list)); err != nil || info.Mode().Perm() != 0o700 {
		t.Errorf("the list's folder: %v, %v", info.Mode(), err)
	}
}

// A program gets the variables that are listed, and those that its owner named; nothing else of the agent's.
func TestACommandGetsACleanEnvironment(t *testing.T) {
	list, dir := filepath.Join(t.TempDir(), "allowed.json"), t.TempDir()
	t.Setenv("DURVEK_TOKEN", "secret")
	t.Setenv("LICENCE_SERVER", "here")
	t.Setenv("OTHER", "not")
	x := script(`env > all.txt; echo took $(grep -c . all.txt) ms; grep -q DURVEK all.txt && exit 4
		grep -q OTHER all.txt && exit 5
		grep -q LICENCE_SERVER=here all.txt || exit 6; grep -q PATH= all.txt || exit 7`, func(x *method.Test) {
		x.Command.Figures[0] = method.Figure{Measure: "x", Text: `took (.*) ms`}
	})
	for also, want := range map[string]string{"": "status 6", "LICENCE_SERVER": ""} {
		env := []string{}
		if also != "" {
			env = append(env, also)
		}
		if _, err := Allow(list, x.Command.Run, env, false, time.Now()); err != nil {
			t.Fatal(err)
		}
		_, err := Local{Dir: dir, Allowed: list}.Run(context.Background(), record.Order{Test: x}, nil)
		if (err == nil) != (want == "") || err != nil && !strings.Contains(err.Error(), want) {
			t.Errorf("with %q: %v", also, err)
		}
	}
}

// What a program writes is read where it says, and no link leads elsewhere.
func TestALinkThatAProgramMakesIsNotFollowed(t *testing.T) {
	list, dir := filepath.Join(t.TempDir(), "allowed.json"), t.TempDir()
	outside := filepath.Join(t.TempDir(), "secret.json")
	if err := os.WriteFile(outside, []byte(`{"a": 7}`), 0o600); err != nil {
		t.Fatal(err)
	}
	x := script("ln -s "+outside+" out.json", func(x *method.Test) {
		x.Command.File, x.Command.Figures[0] = "out.json", method.Figure{Measure: "x", From: "file", Pointer: "/a"}
	})
	if _, err := Allow(list, x.Command.Run, nil, false, time.Now()); err != nil {
		t.Fatal(err)
	}
	out, err := Local{Dir: dir, Allowed: list}.Run(context.Background(), record.Order{Test: x}, nil)
	if err == nil || !strings.Contains(err.Error(), "no file out.json that can be read") {
		t.Errorf("%+v, %v", out, err)
	}
}
