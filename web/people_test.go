package web_test

import (
	"fmt"
	"testing"

	"durvek/internal/tab"
)

// pressOf presses a button of a person's row, counted from its end below 0.
func (p *page) pressOf(person string, at int) {
	p.T.Helper()
	tab.Eval[bool](p.Tab, fmt.Sprintf(`([...[...document.querySelectorAll('table[aria-label=People] tr')]
		.find(r => r.innerText.includes(%q)).querySelectorAll('button.plainly')].at(%d).click(), true)`, person, at))
}

// listed waits until a table says something, or does not any more.
func (p *page) listed(table, text string, there bool) {
	p.T.Helper()
	p.Until(fmt.Sprintf(`document.querySelector('table[aria-label=%q]').innerText.includes(%q) === %v`, table, text,
		there))
}

// People are taken in and let in on one page, and everything done there stands in the journal.
func TestPeopleAreLetInFromTheConsole(t *testing.T) {
	p := signedIn(t, 1280, 800)
	p.open("/people")
	p.Says("Who did what")
	p.fill("Name of somebody new", "Ilse Brandt")
	p.Press("Add")
	p.listed("People", "Ilse Brandt", true)
	p.pressOf("Ilse Brandt", 0)
	p.Says("A sign-in link for Ilse Brandt")
	if !tab.Eval[bool](p.Tab, `/\/sign-in\?code=[\w-]{20,}/
		.test(document.querySelector('.v-overlay--active').innerText)`) {
		t.Error("the link is not shown")
	}
	p.Press("Close")
	p.fill("What a new token is for", "nightly export")
	p.Press("Make a token")
	p.Says("it is shown this once")
	p.Press("Close")
	p.listed("Tokens and sessions", "nightly export", true)
	p.listed("Journal", "add token", true)
	p.Shot("people")
	p.pressOf("you", -1) // nobody is left without an owner
	p.Says("is the only owner")
	p.pressOf("Ilse Brandt", -1)
	p.listed("People", "Ilse Brandt", false)
}
