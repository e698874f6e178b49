package cli_test

import (
	"bytes"
	"encoding/json"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

// From a review's first sentence to a site: parts of the verdict, a preliminary edition, a correction, cards.
func TestAVerdictBecomesASite(t *testing.T) {
	serve(t, bed.data)
	home := t.TempDir()
	do := func(args ...string) result {
		t.Helper()
		return call(t, home, append([]string{"--data", bed.data}, args...)...)
	}
	read := func(name string) string {
		t.Helper()
		b, err := os.ReadFile(filepath.Join(home, filepath.FromSlash(name)))
		must(err)
		return string(b)
	}
	do("review", "add", "sound-16-32-1000", "--slug", "big", "--uses", "wheelhouse").want(t, 0,
		"in the field laptops, written for wheelhouse", "Noise and heat: behind the class",
		"From the Hythebrook Sound 12: worth it.",
		"promised at most 38 dB(A)", "more findings are hidden")
	do("review", "set", "big", "--summary", "It packs {{compression/no-such}}.").want(t, 1,
		"no measure of that name is known")
	do("review", "set", "big", "--uses", "no-such").want(t, 1, `no kind of use "no-such"`)
	do("review", "set", "big", "--state", "preliminary").want(t, 1, "say what is still to come")
	do("review", "set", "big", "--state", "preliminary", "--state-note", "the display.", "--recommendation", "recommended",
		"--summary", "It packs {{compression/pack-all}}. Loud.", "--not-tested", "Speakers: no room.").want(t, 0,
		"Preliminary: the display.", "Not tested: Speakers")
	do("review", "for", "big", "crews on watch", "--is", "never").want(t, 1, "must be one of")
	do("review", "for", "big", "crews on watch", "--is", "not-for", "--because", "Too loud.").want(t, 0,
		"Not for crews on watch. Too loud.")
	do("review", "instead", "big", "Fen 14").want(t, 1, "a name and a reason")
	do("review", "instead", "big", "Fen 14", "--variant", "no-such", "--because", "Lighter.").want(t, 1, `"no-such"`)
	do("review", "instead", "big", "Fen 14", "--variant", "fen-14-16-512", "--because", "Lighter.").want(t, 0,
		"Instead: Fen 14. Lighter.")
	do("review", "upgrade", "big", "sound-14", "--advice", "skip", "--because", "Heavier.").want(t, 0,
		"From the Hythebrook Sound 14: skip. Heavier.")
	do("review", "section", "big", "battery", "--text", "A watch of {{chart-pan-battery/hours}}.").want(t, 0,
		"On battery: A watch")
	do("review", "preview", "big", "-o", "p.html").want(t, 0, "Written to p.html")
	if page := read("p.html"); !strings.Contains(page, "preview, not published") || !strings.Contains(page, "nobody yet") {
		t.Error("the preview looks like an edition")
	}
	do("review", "sign", "big", "--by", "Odo").want(t, 0, "Signed by Odo")
	do("edition", "publish", "big").want(t, 0, "Edition 1 of big")
	do("site", "write", "site", "--base", "https://desk.example/").want(t, 0, "editions in", "Open site")
	page := read("site/reviews/big/1/index.html")
	for _, part := range []string{"<strong>Preliminary.</strong> Still to come: the display.", "crews on watch",
		"Too loud.",
		"Speakers: no room.", `rel="canonical" href="https://desk.example/reviews/big/1/"`, `"@type":"Review"`,
		"A watch of 12 h"} {
		if !strings.Contains(page, part) {
			t.Errorf("the page lacks %q", part)
		}
	}
	if strings.Contains(page, "{{") || !regexp.MustCompile(`It packs [0-9,.]+ MiB/s\.`).MatchString(page) {
		t.Error("a reference stands in the text")
	}
	if strings.Index(page, `<section id="battery">`) > strings.Index(page, `<section id="processor">`) {
		t.Error("the reviewer's section does not come first")
	}
	do("review", "set", "big", "--state", "complete", "--state-note", "").want(t, 0, "Complete")
	do("review", "sign", "big", "--by", "Odo").want(t, 0, "Signed by Odo")
	do("edition", "publish", "big", "--note", "With the display").want(t, 0, "Edition 2 of big")
	did := struct{ Editions, Changed, Removed int }{}
	again := do("site", "write", "site", "--base", "https://desk.example", "--json")
	must(json.Unmarshal([]byte(again.out), &did))
	if did.Editions < 2 || did.Changed == 0 || did.Removed != 0 {
		t.Errorf("%+v", did)
	}
	again = do("site", "write", "site", "--base", "https://desk.example", "--json")
	must(json.Unmarshal([]byte(again.out), &did))
	if did.Changed != 0 {
		t.Errorf("nothing is new, and %d files were written", did.Changed)
	}
	if old := read("site/reviews/big/1/index.html"); !strings.Contains(old, "edition 2 is newer") {
		t.Error("the first edition does not lead to the second")
	}
	if feed := read("site/feed.xml"); !strings.Contains(feed, "Preliminary: ") || !strings.Contains(feed,
		"Edition 2. With the display.") {
		t.Error("the feed does not tell them apart")
	}
	cardsAndRefusals(t, home, do)
}

// cardsAndRefusals makes cards of a review, and tries folders and addresses that no site can have.
func cardsAndRefusals(t *testing.T, home string, do func(...string) result) {
	t.Helper()
	read := func(name string) string {
		t.Helper()
		b, err := os.ReadFile(filepath.Join(home, filepath.FromSlash(name)))
		must(err)
		return string(b)
	}
	do("review", "cards", "big", "-o", "c", "--formats", "wide").want(t, 1, "must be one of")
	do("review", "cards", "big", "-o", "c", "--formats", "link", "--grounds", "clear").want(t, 0, "The cards are in c")
	if card := []byte(read("c/00-verdict-link-clear.png")); !bytes.HasPrefix(card, []byte("\x89PNG")) {
		t.Error("the card is no PNG")
	}
	if cues := read("c/cues.srt"); !strings.HasPrefix(cues, "1\n00:00:00,000 --> 00:00:0") {
		t.Errorf("the cues begin with %.80q", cues)
	}
	// What is published keeps its address, also where the desk works on it no more.
	do("review", "archive", "big").want(t, 0)
	do("site", "write", "site", "--base", "https://desk.example", "--json").want(t, 0, `"removed": 0`)
	must(os.Mkdir(filepath.Join(home, "mine"), 0o755))
	must(os.WriteFile(filepath.Join(home, "mine", "letter.txt"), []byte("mine"), 0o600))
	do("site", "serve", "mine").want(t, 1, "mine holds no site; write one with")
	do("review", "section", "big", "body", "--file", "none.md").want(t, 1, "none.md: no such file")
	do("site", "write", "mine").want(t, 1, "letter.txt, which no site wrote")
	do("site", "write", "x", "--base", "desk.example").want(t, 1, "is no address of a site")
}
