package web_test

import (
	"fmt"
	"os"
	"strings"
	"sync"
	"testing"

	"github.com/chromedp/chromedp"

	"durvek/internal/tab"
)

// rules of accessibility, as the package of the console's own tools holds them.
var rules = sync.OnceValue(func() string {
	b, err := os.ReadFile("node_modules/axe-core/axe.min.js")
	must(err)
	return string(b)
})

// accessible fails for everything on the page, as it stands, that WCAG 2.2 AA forbids and a program can see.
func (p *page) accessible(where string) {
	p.T.Helper()
	p.Until(`document.getAnimations().every(a => a.playState !== 'running' ||
		a.effect?.getComputedTiming().iterations === Infinity)`)
	tab.Eval[bool](p.Tab, rules()+`; window.found = undefined; axe.run(document, {runOnly: ['wcag2a', 'wcag2aa', 'wcag21a',
		'wcag21aa', 'wcag22aa'], resultTypes: ['violations']}).then(r => { window.found = r.violations.map(v => v.id +
		' at ' + v.nodes.slice(0, 3).map(n => n.html.slice(0, 160)).join(' and ')) })
		.catch(e => { window.found = [String(e)] }); true`)
	p.Until(`window.found !== undefined`)
	for _, v := range tab.Eval[[]string](p.Tab, `window.found`) {
		p.T.Errorf("%s: %s", where, v)
	}
}

func TestDialogsAreForEveryone(t *testing.T) {
	for _, look := range []string{"light", "dark"} {
		t.Run(look, func(t *testing.T) {
			t.Parallel() // each has a browser of its own to itself, and changes nothing
			width := map[string]int64{"light": 1280, "dark": 390}[look]
			p := signedIn(t, width, 800)
			tab.Eval[bool](p.Tab, fmt.Sprintf(`localStorage.setItem('look', %q) ?? true`, look))
			for i, x := range []struct{ path, press, says string }{
				{"/catalogue?add=1", "Spec sheet, dates, serial number", "Paste a maker’s table"},
				{"/bench?new=1", "", "Choose the usual tests"},
				{"/results?enter=1", "Many at once", "Choose a test, then type"},
				{"/bench/tests", "A test of your own", "Another measure"},
				{"/compare/fit", "New kind of use", "What must be met"},
				{"/catalogue/fen-14", "Note a claim", "Where it stands"},
			} {
				if (look == "light") != (i%5 == 4) { // most on a phone, where there is least room
					continue
				}
				p.open(x.path)
				if x.press != "" {
					p.Press(x.press)
				}
				p.Until(fmt.Sprintf(`document.querySelector('.v-overlay--active')?.innerText.includes(%q)`, x.says))
				if !tab.Eval[bool](p.Tab, `!!document.querySelector('.v-overlay--active').getAttribute('aria-label')`) {
					t.Errorf("%s %s: the dialog has no name", x.path, x.press)
				}
				p.accessible(strings.TrimSpace(x.path+" "+x.press) + ", " + look)
				p.fits(x.path + " " + x.press)
				if x.press == "" { // focus goes back to where the dialog was opened
					continue
				}
				p.Do(chromedp.KeyEvent("\x1b"))
				p.Until(`!document.querySelector('.v-overlay--active .v-card')`)
			}
		})
	}
}

func TestAnythingIsFoundByKeyboard(t *testing.T) {
	p := signedIn(t, 1280, 800)
	p.open("/results")
	p.Says("agent, simulated")
	p.Do(chromedp.KeyEvent("k", chromedp.KeyModifiers(2))) // Ctrl
	p.Until(`document.activeElement?.getAttribute('aria-label') === 'Find anything'`)
	p.Do(chromedp.KeyEvent("skfif 14"))
	p.Until(`document.querySelector('#found li.on')?.innerText.includes('Ardnoe Skiff 14')`)
	p.accessible("the finder")
	p.Do(chromedp.KeyEvent("\r"))
	p.Until(`location.pathname === '/catalogue/skiff-14' && document.activeElement?.id === 'main'`)
	p.Do(chromedp.KeyEvent("k", chromedp.KeyModifiers(2)))
	p.Until(`document.activeElement?.getAttribute('aria-label') === 'Find anything'`)
	p.Do(chromedp.KeyEvent("settings of"))
	p.Until(`document.querySelector('#found li.on')?.innerText.includes('Settings of the desk')`)
	p.Do(chromedp.KeyEvent("\r"))
	p.Until(`location.pathname === '/desk'`)
}

func TestTheKeyboardReachesEveryPageAndFocusShows(t *testing.T) {
	p := signedIn(t, 1280, 800)
	p.open("/catalogue")
	p.Says("Hythebrook Sound 16")
	for _, want := range []string{"Skip to the page", "Find Ctrl K", "Today", "Bench", "Catalogue", "Results", "Compare",
		"Reviews"} {
		p.Do(chromedp.KeyEvent("\t"))
		if got := tab.Eval[string](p.Tab, `document.activeElement.innerText.replace(/\s+/g, ' ')`); got != want {
			t.Errorf("the focus is on %q, want %q", got, want)
		}
		if style := tab.Eval[string](p.Tab, `getComputedStyle(document.activeElement).outlineStyle`); style != "solid" {
			t.Errorf("the focus on %s does not show: outline %s", want, style)
		}
	}
	p.Do(chromedp.KeyEvent("\r"))
	p.Until(`location.pathname === '/reviews'`)
}
