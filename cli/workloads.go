package cli

import (
	"cmp"
	"fmt"
	"io"
	"slices"
	"strings"

	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/say"
	"durvek/core/verdict"
	"durvek/workload"
)

// References are the documents that are written from the program's own tables, by path.
func References() map[string]func(io.Writer) {
	out := map[string]func(io.Writer){"docs/commands.md": Reference, "docs/vocabulary.md": Vocabulary,
		"docs/workloads.md": workloads, "docs/analyses.md": analyses, "docs/words.md": words}
	for _, t := range workload.Tests() {
		if t.Of == "" {
			out["docs/workloads/"+t.Slug+".md"] = func(w io.Writer) { page(w, t) }
		}
	}
	return out
}

// words writes how figures are spoken of, and which rules find what.
func words(w io.Writer) {
	fmt.Fprint(w, "# Words\n\nHow findings, charts, pages and cards speak of figures. Written by `make reference` from "+
		"the "+
		"program's own tables.\n\n## More and less\n\nA measure names its pair by `words`; where it names none, its unit "+
		"and "+
		"direction tell. {} stands for the difference.\n\n| words | of | more | less | more than double | the most and "+
		"the least | "+
		"in |\n| --- | --- | --- | --- | --- | --- | --- |\n")
	for _, p := range say.Pairs {
		fmt.Fprintf(w, "| `%s` | %s | %s | %s | %s | %s, %s | %s |\n", p.Quantity, p.Of, p.More, p.Less, cmp.Or(p.Times, "—"),
			p.Most, p.Least, p.How)
	}
	fmt.Fprint(w, "\nPer cent are whole from 3 on, with one decimal below where the interval allows it, and never told "+
		"beyond "+
		"the first digit of the interval's half-width.\n\n## Findings\n\n| rule | what it finds |\n| --- | --- |\n")
	for _, r := range slices.SortedFunc(slices.Values(verdict.Rules), func(a, b verdict.Rule) int {
		return strings.Compare(a.Name, b.Name)
	}) {
		fmt.Fprintf(w, "| `%s` | %s |\n", r.Name, r.Sentence)
	}
	fmt.Fprintf(w, "\nOf each kind the %d most telling are shown to begin with, one of every area before a second of "+
		"any; a need "+
		"that is not met comes first. Areas: %s; a group of the desk's own is an area of its own.\n", verdict.Telling,
		strings.Join(verdict.Areas, ", "))
}

// page writes one workload's page.
func page(w io.Writer, t method.Test) {
	fmt.Fprintf(w, "# %s\n\n`%s`, version %d, %s. Written by `make reference` from the workload itself.\n\n%s\n", t.Name,
		t.Slug, t.Version, t.Group, t.About)
	for _, x := range []struct{ head, text string }{{"What it stands for", t.StandsFor}, {"What limits it", t.LimitedBy},
		{"What it works on", t.Input}, {"How it is checked", t.Checked}} {
		if x.text != "" {
			fmt.Fprintf(w, "\n## %s\n\n%s\n", x.head, x.text)
		}
	}
	fmt.Fprint(w, "\n## What comes out\n\n| measure | unit | better | one run is typically good to |\n| --- | --- | "+
		"--- | --- |\n")
	for _, m := range t.Measures {
		good := "—"
		switch {
		case m.Repeatability > 0 && m.Scale.Logarithmic():
			good = fmt.Sprintf("± %s %%", quantity.Number(200*m.Repeatability, 2))
		case m.Repeatability > 0:
			good = "± " + quantity.Format(2*m.Repeatability, m.Unit)
		}
		fmt.Fprintf(w, "| `%s` %s | %s | %s | %s |\n", m.Slug, m.Name, cmp.Or(quantity.Symbol(m.Unit), "—"),
			m.Better.Phrase(), good)
	}
	fmt.Fprintf(w, "\n%s Two figures are compared %s.\n", cost(t), compared(t))
	if len(t.Options) > 0 {
		fmt.Fprint(w, "\n## Options\n\n| option | usual value | meaning |\n| --- | --- | --- |\n")
		for _, o := range t.Options {
			fmt.Fprintf(w, "| `%s` | %s | %s |\n", o.Slug, cmp.Or(o.Default, "—"), o.Meaning)
		}
	}
	var kin []string
	for _, k := range workload.Tests() {
		if k.Of == t.Slug {
			kin = append(kin, fmt.Sprintf("* `%s`: %s", k.Slug, k.About))
		}
	}
	if len(kin) > 0 {
		fmt.Fprintf(w, "\n## Measured in other ways\n\n%s\n", strings.Join(kin, "\n"))
	}
}

// workloads writes the list of all workloads, with what they share.
func workloads(w io.Writer) {
	fmt.Fprint(w, `# Workloads

Durvek's own benchmarks, in `+"`workload/`"+`. Written by `+"`make reference`"+` from the workloads themselves; each has a page. On a machine,
`+"`durvek bench list`"+`, `+"`explain`"+` and `+"`run`"+` do the same without a service.

`)
	for _, g := range groups() {
		fmt.Fprintf(w, "## %s\n\n| test | what it does | limited by |\n| --- | --- | --- |\n", strings.ToUpper(g[:1])+g[1:])
		for _, t := range workload.Tests() {
			if t.Group == g && t.Of == "" {
				fmt.Fprintf(w, "| [%s](workloads/%s.md) | %s | %s |\n", t.Name, t.Slug, t.About, t.LimitedBy)
			}
		}
		fmt.Fprintln(w)
	}
	fmt.Fprint(w, `## What all share

**The roster** of processor kernels is taken from a survey station's real work, so that each figure means something to the one who
reads it. Each is a test with one thread and all threads, and three more: `+"`-scaling`"+` (the rate over thread counts), `+"`-cores`"+` (one thread
bound to each core in turn, where the system allows it) and `+"`-sustained`"+` (all threads for ten minutes). *All threads*: each thread's rate is
its own work over its own time, and the rates add up, so no thread's last piece is cut.

**Timing.** A warm-up of 200 ms, then a second per figure unless `+"`--seconds`"+` says otherwise, in pieces well under a hundredth of it. Kernels
take no memory while they are timed, so the garbage collector has nothing to do; a test holds that. Raw samples are kept. On Linux the
threads' own clocks tell for how much of the time they had a processor; a run that had to wait says so under "hindered".

**Checks.** Every workload checks its output outside the timed part; a wrong answer fails the run with "the machine computed wrongly".
Inputs come from seeds and are the same on every system. Floating-point kernels are written so that every processor rounds alike, so their
digests are exact: amd64, arm64 and, with digests of its own where fused operations are missing, WebAssembly agree.

**Drives** are measured past the page cache: O_DIRECT on Linux, F_NOCACHE on macOS, unbuffered and written through on Windows, with
incompressible data. The test file loses its name as soon as it is open, so nothing is left behind whatever happens; tests that need a
folder of files remove it, and one left by a crash is removed by the next run. No byte that the run did not write is touched. What a run
writes at most is announced beforehand, and on a desk as a share of the drive's rated endurance.

**Options** (`+"`durvek plan add … --option drive-fill.share=40%`"+`) set durations, sizes and bounds. Their effective values are observed conditions:
figures with other values are not compared.

**Small machines.** Every default fits 2 GB of memory and 8 GB of free space. Where there is less, data are scaled down by halves and the
run says so; what cannot be made to fit is *not run*, with the reason, before it starts.

**Another program** is a test of kind command ([files](files.md)): the agent runs it, if the machine's owner allowed that very command there
with `+"`durvek command allow`"+`, and reads its figures by a mapping that `+"`durvek test try`"+` tries on a saved output.
`)
}
