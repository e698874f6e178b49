package web_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"durvek/internal/tab"
)

// card is the sheet of a file on the page that takes files in.
func card(name string) string { return `document.querySelector('section[aria-label="` + name + `"]')` }

// within presses a button of a file's sheet.
func within(p *page, name, button string) {
	p.Until(`!![...` + card(name) + `.querySelectorAll('button')].find(b => b.innerText.trim() === '` + button +
		`' && !b.disabled)`)
	tab.Eval[bool](p.Tab, `([...`+card(name)+`.querySelectorAll('button')].find(b => b.innerText.trim() === '`+button+
		`').click(), true)`)
}

func TestFilesOfAMeterAreTakenInByPointing(t *testing.T) {
	dir := t.TempDir()
	odd := filepath.Join(dir, "odd.csv")
	text := "when,how much\n"
	for i := range 40 {
		text += strings.Repeat(" ", i%2) + string(rune('0'+i/10)) + string(rune('0'+i%10)) + ",50\n"
	}
	must(os.WriteFile(odd, []byte(text+"40,lost\n"), 0o644))
	broken := filepath.Join(dir, "letter.txt")
	must(os.WriteFile(broken, []byte("Dear meter,\nno figures today.\n"), 0o644))
	here, err := filepath.Abs("../demo/raw/galley-mini-16-512-a/meter.ods")
	must(err)
	before := runsOf(t, "tern-mini-32-1000-a", "power-log")
	narrow := signedIn(t, 390, 800)
	narrow.open("/results/intake")
	narrow.Says("Drop files here")
	narrow.Until(`document.documentElement.scrollWidth <= document.documentElement.clientWidth`)
	narrow.Do(chromedp.SetUploadFiles(chromedp.CSS(`input[type=file]`), []string{here}))
	narrow.choose("Unit that was measured", "cockle-2000-a")
	narrow.Until(card("meter.ods") + `?.innerText.includes('It cannot be recorded so: a drive is measured in a host')`)
	p := signedIn(t, 1280, 800)
	p.open("/results")
	p.Press("Take in …")
	p.Press("Files of a meter or logger")
	p.Says("Drop files here")
	p.Do(chromedp.SetUploadFiles(chromedp.CSS(`input[type=file]`), []string{here, odd, broken}))
	p.Until(card("meter.ods") + `?.innerText.includes('28.82 W')`)
	p.Until(card("meter.ods") + `.querySelector('svg') !== null`)
	p.Until(card("letter.txt") + `?.innerText.includes('no line of it holds figures')`)
	p.Until(card("odd.csv") + `?.innerText.includes('its columns are not known')`)
	p.Shot("console-intake")
	for _, name := range []string{"letter.txt", "meter.ods"} {
		within(p, name, "Leave out")
		p.Until(card(name) + ` === null`)
	}

	// Each unclear one is told what it is, and its columns are pointed at.
	p.choose("What it is", "Power, a log")
	p.Until(card("odd.csv") + `.innerText.includes('no column of it is taken for')`)
	p.choose("time (needed)", "when")
	p.choose("power (needed)", "how much")
	p.Until(card("odd.csv") + `.innerText.includes('50.00 W')`)
	p.Until(card("odd.csv") + `.innerText.includes('Line 42: how much is "lost"')`)
	p.choose("Unit that was measured", "tern-mini-32-1000-a")
	p.Until(`[...` + card("odd.csv") + `.querySelectorAll('button')].find(b => b.innerText.trim() === 'Take in').disabled`)
	tab.Eval[bool](p.Tab, `(`+card("odd.csv")+`.querySelector('input[type=checkbox]').click(), true)`)
	p.fill("Save what the columns mean as", "Odd meter")
	within(p, "odd.csv", "Take in")
	p.Until(card("odd.csv") + `.innerText.includes('Recorded')`)
	if n := runsOf(t, "tern-mini-32-1000-a", "power-log"); n != before+1 {
		t.Errorf("%d runs instead of %d", n, before+1)
	}
	tab.Eval[bool](p.Tab, `(`+card("odd.csv")+`.querySelector('a.good').click(), true)`)
	p.Says("Made of odd.csv")
	p.Until(`document.querySelector('img.drawn')?.naturalWidth > 100`)

	// The same header is recognised from now on, and the same file is not taken in twice.
	p.open("/results/intake")
	p.Do(chromedp.SetUploadFiles(chromedp.CSS(`input[type=file]`), []string{odd}))
	p.Until(card("odd.csv") + `?.innerText.includes('50.00 W')`)
	p.choose("Unit that was measured", "tern-mini-32-1000-a")
	tab.Eval[bool](p.Tab, `(`+card("odd.csv")+`.querySelector('input[type=checkbox]').click(), true)`)
	within(p, "odd.csv", "Take in")
	p.Until(card("odd.csv") + `.innerText.includes('was taken in before')`)
}
