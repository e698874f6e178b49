package web_test

import (
	"strings"
	"testing"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/chromedp"

	"durvek/internal/tab"
)

// On paper there is what one reads, on white, within the page; the screen is as it was afterwards. Who wants no motion
// gets none, and who forces colours still sees where he is.
func TestOnPaperAndInForcedColours(t *testing.T) {
	p := signedIn(t, 1280, 800)
	tab.Eval[bool](p.Tab, `localStorage.setItem('look', 'dark') ?? true`)
	style := func(of, what string) string {
		return tab.Eval[string](p.Tab, `getComputedStyle(document.querySelector('`+of+`')).`+what)
	}
	p.open("/compare?measure=compression%2Fpack-all")
	p.Until(`!!document.querySelector('.chart.night svg')`)
	p.wants(emulation.SetEmulatedMediaParams{Media: "print"})
	tab.Eval[bool](p.Tab, `dispatchEvent(new Event('beforeprint'))`)
	p.Until(`!!document.querySelector('.v-theme--light')`)
	for _, gone := range []string{".rail", ".v-btn", ".v-input"} {
		if got := style(gone, "display"); got != "none" {
			t.Errorf("%s is printed: %s", gone, got)
		}
	}
	if got := style(".v-application", "backgroundColor"); !strings.HasPrefix(got, "rgb(24") {
		t.Errorf("paper is %s", got)
	}
	if wide := tab.Eval[int](p.Tab, `document.documentElement.scrollWidth - innerWidth`); wide > 0 {
		t.Errorf("the printed page is %d px too wide", wide)
	}
	tab.Eval[bool](p.Tab, `dispatchEvent(new Event('afterprint'))`)
	p.Until(`!!document.querySelector('.v-theme--dark')`)
	p.wants(emulation.SetEmulatedMediaParams{Features: []*emulation.MediaFeature{{Name: "forced-colors", Value: "active"},
		{Name: "prefers-reduced-motion", Value: "reduce"}}})
	if got := style(".rail a.on", "outlineStyle"); got != "solid" {
		t.Errorf("the page that one is on is marked by %q", got)
	}
	if got := style(".rail a.on", "transitionDuration"); got != "0s" {
		t.Errorf("without motion it moves for %s", got)
	}
	if got := style(".chart svg", "forcedColorAdjust"); got != "none" {
		t.Errorf("a chart loses its colours: %s", got)
	}
}

// wants has the browser tell pages of a medium and of what its user wants.
func (p *page) wants(m emulation.SetEmulatedMediaParams) {
	p.T.Helper()
	if _, err := chromedp.Call(p.Ctx, emulation.SetEmulatedMedia, m); err != nil {
		p.T.Fatal(err)
	}
}
