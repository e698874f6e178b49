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

	// A program that is told: nobody listens there, and the page says so.
	p.fill("Address of a program", "http://127.0.0.1:1/told")
	p.Press("Tell it")
	p.Says("it is shown this once")
	p.Says("whsec_")
	p.Press("Close")
	p.listed("Programs that are told", "edition.published", true)
	p.Press("Try it")
	p.Says("not reached: connection refused")
	p.Press("Close")
	p.Press("Messages")
	p.Says("Nothing yet.")
	p.Press("Close")
	p.Press("Tell it no more")
	p.listed("Programs that are told", "Told no more", true)
	tab.Eval[bool](p.Tab, `([...document.querySelectorAll('table[aria-label="Programs that are told"] button')]
		.find(b => b.innerText === 'Remove').click(), true)`)
	p.Says("to addresses that an owner names here")
}

func TestWhoIsSignedOutAsksToBeLetIn(t *testing.T) {
	asker := bare(t, 390, 800, "401")
	asker.open("/compare?field=laptops")
	asker.Says("Or ask to be let in")
	asker.fits("signed out")
	asker.accessible("signed out")
	asker.fill("Your name", "Wilma")
	asker.Press("Ask to be let in")
	asker.Says("Tell them this number")
	number := tab.Eval[string](asker.Tab, `document.querySelector('.number').innerText`)
	owner := signedIn(t, 1280, 800)
	owner.open("/")
	owner.Says("Wilma asks to be let in, with the number " + number)
	owner.open("/people")
	owner.Says(number)
	owner.choose("Let in as", "Somebody new, who looks")
	owner.Press("Let in")
	owner.Until(`!document.body.innerText.includes('Asks to be let in')`)
	asker.Until(`!!document.querySelector('nav.rail') && location.pathname === '/compare'`)
	asker.open("/people")
	asker.Until(`[...document.querySelectorAll('table[aria-label=People] tr')].some(r =>
		r.innerText.includes('Wilma you') && r.innerText.includes('reader'))`)

	turned := bare(t, 1280, 800, "401")
	turned.open("/")
	turned.fill("Your name", "Nobody")
	turned.Press("Ask to be let in")
	owner.Says("Nobody") // without being asked to look again
	owner.Press("Turn away")
	turned.Says("You were turned away.")
}
