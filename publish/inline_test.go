package publish

import (
	"strings"
	"testing"
)

func TestAPerCentStaysWithItsNumber(t *testing.T) {
	for text, want := range map[string]string{"30 % faster": "30\u00a0% faster", "(2 h 39 min (21 %))": "(2 h 39 min " +
		"(21\u00a0%))",
		"a % of": "a % of", "9 W, 1.5 %": "9 W, 1.5\u00a0%", "": ""} {
		if got := keep(text); got != want {
			t.Errorf("%q, want %q", got, want)
		}
	}
}

func TestAnInlinedChartSaysTheSameInFewerWords(t *testing.T) {
	const open = `<svg xmlns="http://www.w3.org/2000/svg" role="img" viewBox="0 0 9 9"`
	svg := open + ` width="9" height="9"><title>T</title><desc>Long</desc>
<path d="M0 0L9.04 0L9.04 9.96L0 9.96Z" fill="#f6f8f9"/>
<g data-row="a"><rect x="1" pointer-events="all"/>
<text x="1" y="2.04" font-family="IBM Plex Sans Condensed, Arial" font-size="16" fill="#12232e">A &amp; B</text>
</g>
<path d="M1 2L3 2" fill="none" stroke="#4f6470" stroke-width="2"/>
<path d="M1 3L1 5" fill="none" stroke="#4f6470" stroke-width="2"/>
<path d="M1 3L1 5" fill="none" stroke="#a81e6b" stroke-width="2"/>
<path d="M0 0L1 1Z" fill="#9db2bd"/>
<path d="M2 2L3 3Z" fill="#9db2bd"/>
</svg>`
	l := &looks{}
	got := string(l.inline([]byte(svg), false))
	want := open + `><title>T</title><path class="k1" d="M0 0H9V10H0Z"/>` +
		`<text x="1" y="2" class="k0">A &amp; B</text>
<path class="k2" d="M1 2H3M1 3V5"/><path class="k3" d="M1 3V5"/>` + `<path class="k4" d="M0 0L1 1Z"/>` +
		`<path class="k4" d="M2 2L3 3Z"/></svg>`
	if got != want {
		t.Errorf("%s\nnot\n%s", got, want)
	}
	css := l.css()
	for _, part := range []string{".k1{fill:var(--ground)}", "font-size:16px;fill:var(--ink)", "stroke-width:2"} {
		if !strings.Contains(css, part) {
			t.Errorf("%q is missing in\n%s", part, css)
		}
	}
	again := string(l.inline([]byte(svg), true))
	if strings.Contains(again, "<title>") || !strings.Contains(again, `aria-hidden="true"`) || l.css() != css {
		t.Error("the second one speaks to who cannot see it, or brought styles of its own")
	}
	if straight("M1 2C3 4 5 6 7 8L7 9") != "M1 2C3 4 5 6 7 8V9" {
		t.Error(straight("M1 2C3 4 5 6 7 8L7 9"))
	}
}
