package web_test

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"durvek/client"
	"durvek/core/record"
	"durvek/core/trust"
	"durvek/internal/tab"
)

// doubtful lists the doubts that a filter lets through.
func doubtful(t *testing.T, pairs ...string) []trust.Doubt {
	t.Helper()
	l, err := client.Get[struct{ Doubts []trust.Doubt }](context.Background(), bed.client, "/api/doubts",
		client.Query(pairs...))
	if err != nil {
		t.Fatal(err)
	}
	return l.Doubts
}

// keys presses keys outside of any field.
func (p *page) keys(keys ...string) {
	p.T.Helper()
	for _, k := range keys {
		tab.Eval[bool](p.Tab, `document.activeElement?.blur?.() ?? true`)
		p.Do(chromedp.KeyEvent(k))
	}
}

func TestDoubtsAreSettledByKeyboard(t *testing.T) {
	before := doubtful(t, "state", "open", "rule", "limited")
	if len(before) == 0 {
		before = doubtful(t, "state", "open")
	}
	alone := func(x trust.Doubt) bool { // the only one of its rule about its unit
		return len(doubtful(t, "state", "open", "rule", x.Rule, "subject", x.Subject)) == 1
	}
	before = slices.DeleteFunc(before, func(x trust.Doubt) bool { return !alone(x) })
	if len(before) == 0 {
		t.Fatal("no doubt stands alone")
	}
	x := before[len(before)-1]
	p := signedIn(t, 1280, 800)
	p.open("/results/doubts?rule=" + x.Rule + "&subject=" + x.Subject)
	p.Says(x.Sentence)
	p.keys("u")
	p.Until(`!!document.querySelector('[role=radiogroup]')`)
	p.keys("3") // the third cause: heat; the caret goes on to the reason
	p.Until(`document.activeElement.tagName === 'TEXTAREA' && document.querySelector('[role=radio][aria-checked=true]')?.innerText.includes('hotter')`)
	p.Do(chromedp.KeyEvent("The sun came round to the desk."))
	p.Press("Uphold")
	p.Until(`document.querySelector('[role=status]')?.innerText === 'Upheld: 1 run left out.'`)
	after := doubtful(t, "state", "upheld", "rule", x.Rule, "subject", x.Subject)
	if len(after) != 1 || after[0].Cause != "heat" || !strings.HasSuffix(after[0].Reason,
		"The sun came round to the desk.") {
		t.Fatalf("upheld: %+v", after)
	}
	run, err := client.Get[struct{ Run record.Run }](context.Background(), bed.client, "/api/runs/"+x.Run, nil)
	if err != nil || run.Run.Readings[0].State != record.Void {
		t.Errorf("its run still counts: %+v %v", run.Run.Readings, err)
	}
	p.open("/results/doubts?state=upheld&doubt=" + x.ID)
	p.Says("The sun came round to the desk.")
	p.keys("o")
	p.Until(`document.activeElement.tagName === 'TEXTAREA'`)
	p.Do(chromedp.KeyEvent("It had not."))
	p.Press("Reopen")
	p.Until(`!document.querySelector('.settle')`)
	p.open("/results/doubts?doubt=" + x.ID)
	p.Says("It had not.")
	p.keys("d")
	p.Until(`document.activeElement.tagName === 'TEXTAREA'`)
	p.keys() // nothing: the field has the caret
	p.Do(chromedp.KeyEvent("j is a letter here"))
	p.Do(chromedp.KeyEvent("\x1b"))
	p.Until(`!document.querySelector('.settle')`)
	if left := doubtful(t, "state", "open", "rule", x.Rule, "subject", x.Subject); len(left) != 1 {
		t.Errorf("escaped, and yet %d are open", len(left))
	}
}

func TestTheInboxIsWalkedByKeyboard(t *testing.T) {
	open := doubtful(t, "state", "open")
	p := signedIn(t, 1280, 800)
	p.open("/results/doubts")
	p.Says(open[0].Sentence)
	for i := 1; i <= 2; i++ {
		p.keys("j")
		p.Until(fmt.Sprintf(`document.querySelector('[aria-current=true]')?.closest('li')?.dataset.doubt === %q`, open[i].ID))
	}
	p.keys("k")
	p.Until(fmt.Sprintf(`new URLSearchParams(location.search).get('doubt') === %q`, open[1].ID))
	p.keys("\r")
	p.Until(fmt.Sprintf(`location.pathname === %q`, "/results/"+open[1].Run))
	p.Says(open[1].Sentence)
	p.Says("Settle it")
}

func TestRulesAreChangedForATest(t *testing.T) {
	p := signedIn(t, 1280, 800)
	p.open("/results/rules")
	p.Says("Single slow flushes are what this test is about.")
	tab.Eval[bool](p.Tab, `[...document.querySelectorAll('tr')].find(r => r.innerText.includes('Repeats scatter')).querySelector('td:last-child button').click() ?? true`)
	p.choose("For the test", "Wake-up delay")
	p.fill("Limit", "70")
	p.fill("Why", "Timers are jumpy by nature.")
	p.Press("Change it")
	p.Says("Timers are jumpy by nature.")
	p.open("/bench/tests/wake-up")
	p.Says("has the limit 70 for this test: Timers are jumpy by nature.")
	p.Says("One run of this test is good to ±")
	if err := bed.client.Do(context.Background(), http.MethodPut, "/api/rules/spread/tuning", nil,
		map[string]any{"test": "wake-up"}, nil); err != nil {
		t.Fatal(err)
	}
}

func TestTwoRunsSideBySideAndTheHistoryOfAUnit(t *testing.T) {
	p := signedIn(t, 1280, 800)
	p.open("/results?subject=relay-15-16-512-a&test=hashing")
	p.Says("void")
	tab.Eval[bool](p.Tab, `(() => { const row = [...document.querySelectorAll('tbody tr')].find(r => r.innerText.includes('void')); row.querySelector('input').click(); row.nextElementSibling.querySelector('input').click(); return true })()`)
	p.Press("What changed")
	p.Says("cannot be compared: supply")
	p.Until(`document.querySelectorAll('svg.two').length >= 3`)
	p.Says("more than two runs scatter")
	p.open("/results/history?unit=relay-15-16-512-a&measure=small-files/create")
	p.Says("with firmware 1.12, not 1.08")
	p.Until(`document.querySelectorAll('svg.history .dot').length === 6 && document.querySelectorAll('svg.history .shift').length === 1`)
	p.Press("against the one before")
	p.Says("What changed between two runs")
}

func TestReadingsAreChangedOnTheRunsPage(t *testing.T) {
	id := oneRun(t, "sound-12-16-512-a", "photo-batch")
	p := signedIn(t, 1280, 800)
	p.open("/results/" + id)
	p.Press("Change readings")
	p.choose("What to do", "Correct a value")
	p.choose("Measure", "rate")
	p.fill("What was read", "hardly any")
	p.fill("Why", "Read off the wrong line.")
	p.Press("Change")
	p.Until(`!!document.querySelector('.v-card [role=alert]')`)
	p.fill("What was read", "123.4")
	p.Press("Change")
	p.Says("Read off the wrong line.")
	p.Until(`document.querySelector('[aria-label=Readings]').innerText.includes('123.4')`)
	if got := tab.Eval[string](p.Tab, `document.querySelector('[aria-label=Changes]').innerText`); !strings.Contains(got,
		"123.4") {
		t.Errorf("changes: %s", got)
	}
}

func TestAnUnlikeComparisonLeavesItsNoteOnThePicture(t *testing.T) {
	p := signedIn(t, 1280, 800)
	p.open("/compare?measure=survey-export/time&field=machines")
	p.Says("program version 2.9, not 3.2")
	p.Press("Compare all the same")
	p.Until(`document.querySelector('.chart svg')?.textContent.includes('Compared though unlike')`)
	p.Says("Compared though unlike: Hythebrook Sound 12, 16 GiB, 512 GB.")
	p.Press("Only like with like")
	p.Until(`!document.querySelector('.chart svg')?.textContent.includes('Compared though unlike')`)
	p.open("/compare?measure=hashing/all&field=machines&subject=sound-12-16-512&relative=sound-14-16-512")
	p.Says("Why they differ")
	p.Says("things that are known to differ")
}
