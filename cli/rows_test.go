package cli_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// From an empty desk: a tablet with two ports, a grid of spots, a check, a claim; what is said is what was measured.
func TestAnEmptyDeskWithPortsAndSpots(t *testing.T) {
	whole(t)
	home, data := t.TempDir(), t.TempDir()
	serve(t, data)
	do := func(words ...string) result {
		t.Helper()
		return call(t, home, append([]string{"--data", data}, words...)...)
	}
	for name, text := range map[string]string{
		"copy": "group: storage\nhands: form\nmust_match: [content]\nmeasures:\n  - " +
			"{slug: rate, name: rate, unit: MBy/s, scale: ratio, better: higher, repeatability: 0.02}\n",
		"heat": "group: heat\nhands: form\nmeasures:\n  - {slug: spot, name: spot, unit: Cel, scale: interval, " +
			"better: " +
			"lower, repeatability: 0.5, over: place, take: worst}\n",
		"lid": "group: body\nhands: check\nmeasures:\n  - {slug: ok, name: opens, unit: '1', scale: pass, " +
			"better: higher}\n"} {
		file := filepath.Join(t.TempDir(), name+".yaml")
		head := "format: durvek-test/1\nslug: " + name + "\nversion: 1\nname: Test " + name + "\n"
		if err := os.WriteFile(file, []byte(head+text),
			0o600); err != nil {
			t.Fatal(err)
		}
		do("test", "import", file).want(t, 0, "is known")
	}
	for _, m := range []string{"reed", "sedge"} {
		do("model", "add", m, "--maker", "Hythebrook", "--name", m, "--kind", "tablet").want(t, 0, "catalogue")
		do("variant", "add", m+"-8", "--model", m, "--name", "8 GiB").want(t, 0, "")
		do("unit", "add", m+"-8-a", "--variant", m+"-8", "--serial", "1").want(t, 0, "on the books")
	}
	read := func(unit, test string, more ...string) {
		do(append([]string{"reading", "add", unit, test}, more...)...).want(t, 0, "holds 1 reading")
	}
	for i, v := range []string{"880", "890", "885"} {
		repeat := []string{"1", "2", "3"}[i]
		read("reed-8-a", "copy", "rate="+v+" MB/s", "--repeat", repeat, "--place", "left port", "--condition",
			"content=charts")
		read("reed-8-a", "lid", "ok=pass", "--repeat", repeat)
		read("sedge-8-a", "lid", "ok=fail", "--repeat", repeat)
	}
	read("reed-8-a", "copy", "rate=25 MB/s", "--place", "card slot", "--condition", "content=charts")
	read("sedge-8-a", "copy", "rate=510 MB/s", "--condition", "content=charts")
	read("sedge-8-a", "copy", "rate=300 MB/s", "--condition", "content=photos")
	for place, v := range map[string]string{"lid": "34", "palm": "36", "base": "47.5"} {
		read("reed-8-a", "heat", "spot="+v+" °C", "--place", place)
	}

	do("rank", "show", "copy/rate").want(t, 0, "left port, leads", "8 GiB, card slot", "8 GiB, left port",
		"another figure is not comparable: content photos, not charts", "charts")
	do("rank", "show", "copy/rate", "--where", "place=left port").want(t, 0, "Only the Hythebrook reed",
		"measured, not at left port")
	do("rank", "show", "copy/rate", "--where", "colour=red").want(t, 1, "neither place, host or unit nor a condition")
	do("rank", "show", "heat/spot", "--where", "memory.speed=3600").want(t, 1, "does not keep figures")
	do("rank", "show", "copy/rate", "--relative", "reed-8").want(t, 1, "has 2 figures", "narrow")
	do("rank", "show", "heat/spot").want(t, 0, "worst of 3 places, base", "47.5")
	do("rank", "show", "lid/ok").want(t, 0, "3 of 3", "0 of 3")
	do("head", "show", "reed-8", "sedge-8").want(t, 0, "Test copy, card slot", "Test copy, left port",
		"points (3 of 3 to 0 "+
			"of 3)")
	do("claim", "add", "reed-8", "--measure", "heat/spot", "--value", "45 °C", "--qualifier", "at most", "--source",
		"box").want(t, 0, "is noted")
	do("claim", "check", "reed-8").want(t, 0, "short", "Judged at worst of 3 places, base")
	do("claim", "check", "reed-8", "--where", "place=palm").want(t, 0, "beyond", "36.0")
	do("claim", "check", "reed-8", "--where", "place").want(t, 1, "place")

	reviewed(t, home, do)

	do("unit", "add", "reed-8-a", "--notes", "dusty").want(t, 0, "")
	do("unit", "show", "reed-8-a").want(t, 0, "serial 1", "dusty")
	do("unit", "clear", "reed-8-a", "serial").want(t, 0, "Cleared")
	do("variant", "drop", "reed-8").want(t, 1, "stays: 1 claim, 1 review, 1 unit rest on it")
	do("setup", "drop", "as-delivered").want(t, 1, "stays")
}

// reviewed publishes a review of one port alone.
func reviewed(t *testing.T, home string, do func(...string) result) {
	t.Helper()
	do("review", "add", "reed-8", "--field", "everything", "--measures", "heat/spot").want(t, 0, "Charts: heat/spot")
	do("review", "chart", "reed-8", "copy/rate", "--where", "place=left port").want(t, 0, "copy/rate · place=left port")
	do("review", "chart", "reed-8", "copy/rate", "--where", "place=left port").want(t, 1, "has that chart already")
	do("review", "chart", "reed-8", "copy/rate", "--where", "colour=red").want(t, 1, "neither place, host or unit")
	do("review", "chart", "reed-8", "copy/rate", "--setup", "none").want(t, 1, "no setup")
	do("review", "chart", "reed-8", "heat/spot", "--drop").want(t, 0, "Charts: copy/rate · place=left port")
	do("review", "chart", "reed-8", "heat/spot", "--drop").want(t, 1, "has no chart")
	do("review", "set", "reed-8", "--summary", "Fine.", "--recommendation", "recommended").want(t, 0, "")
	do("review", "sign", "reed-8", "--by", "Ines").want(t, 0, "resting on 1 figure")
	do("edition", "publish", "reed-8", "-o", filepath.Join(home, "edition")).want(t, 0, "Edition 1")
	page, err := os.ReadFile(filepath.Join(home, "edition", "data", "figures.csv"))
	if err != nil || !strings.Contains(string(page), "left port") || strings.Contains(string(page), "card slot") {
		t.Errorf("the edition's figures, %v:\n%s", err, page)
	}
}
