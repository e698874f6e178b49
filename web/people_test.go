package web_test

import (
	"testing"

	"durvek/internal/tab"
)

// People are taken in, renamed and let in on one page, and everything done there stands in the journal under the name of
// who did it.
func TestPeopleAreLetInFromTheConsole(t *testing.T) {
	p := signedIn(t, 1280, 800)
	p.open("/people")
	p.Says("Who did what")
	p.fill("Name of somebody new", "Ilse Brandt")
	p.Press("Add")
	p.Until(`document.querySelector('table[aria-label=People]').innerText.includes('Ilse Brandt')`)
	tab.Eval[bool](p.Tab, `([...document.querySelectorAll('tr')].find(r => r.innerText.includes('Ilse Brandt')).querySelectorAll('button.plainly')[0].click(), true)`)
	p.Says("A sign-in link for Ilse Brandt")
	if !tab.Eval[bool](p.Tab, `/\/sign-in\?code=[\w-]{20,}/.test(document.querySelector('.v-overlay--active').innerText)`) {
		t.Error("the link is not shown")
	}
	p.Press("Close")
	p.fill("What a new token is for", "nightly export")
	p.Press("Make a token")
	p.Says("it is shown this once")
	p.Press("Close")
	p.Until(`document.querySelector('table[aria-label="Tokens and sessions"]').innerText.includes('nightly export')`)
	p.Until(`document.querySelector('table[aria-label=Journal]').innerText.includes('add token')`)
	p.Shot("people")
	// Nobody is left without an owner.
	tab.Eval[bool](p.Tab, `([...[...document.querySelectorAll('tr')].find(r => r.innerText.includes('Owner') && r.innerText.includes('you')).querySelectorAll('button.plainly')].at(-1).click(), true)`)
	p.Says("is the only owner")
	tab.Eval[bool](p.Tab, `([...[...document.querySelectorAll('tr')].find(r => r.innerText.includes('Ilse Brandt')).querySelectorAll('button.plainly')].at(-1).click(), true)`)
	p.Until(`!document.querySelector('table[aria-label=People]').innerText.includes('Ilse Brandt')`)
}
